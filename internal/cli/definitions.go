package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/query"
	"vastspan/internal/cli/print"
	"vastspan/internal/service"
)

// contextFlags say against what expressions are read.
type contextFlags struct {
	query.Context
	book    string
	offline bool
	// zone and dayStarts are the clock of commands that work without a service.
	zone, dayStarts string
}

// latestHelp says what as-of days of records are.
const latestHelp = "a date, with a time where one is wanted (2026-10-19T14:30), today, now or latest (the newest day in the records)"

func addContextFlags(c *cobra.Command, asOf string) *contextFlags {
	f := &contextFlags{}
	c.Flags().StringVar(&f.AsOf, "as-of", "today", "as-of day: "+asOf)
	c.Flags().BoolVar(&f.AtClose, "at-close", false, "the as-of day itself is over")
	c.Flags().StringVar(&f.Calendar, "calendar", "", "calendar in which expressions are read (default civil)")
	return f
}

// knownHelp says what states of the records there are.
const knownHelp = "the records of datasets as they were known: at a moment (2026-10-05T09:00), after a load ('load 12'), " +
	"or when a receipt was made ('receipt 4'); default: now"

// knownFlag adds the state of the records that is asked.
func (f *contextFlags) knownFlag(c *cobra.Command) {
	c.Flags().StringVar(&f.Known, "known", "", knownHelp)
}

// errKnownFile is the error of a file that is asked as it was known earlier.
var errKnownFile = usagef("--known: a file has no history; load it as a dataset, whose loads are remembered")

// definitionFlags say whose definitions are used.
func (f *contextFlags) definitionFlags(c *cobra.Command) {
	c.Flags().StringVar(&f.book, "book", "", "span book (YAML) whose spans and calendars are used in place of the service's")
	c.Flags().BoolVar(&f.offline, "offline", false, "ask no service: use the built-in calendar, or the book")
	if c.Flags().Lookup("zone") == nil {
		c.Flags().StringVar(&f.zone, "zone", "", "IANA time zone in which today and times are read (default: the service's, else this machine's)")
		c.Flags().StringVar(&f.dayStarts, "day-starts", "", "time at which days start, such as 04:00 (default: the service's, else midnight)")
	}
	_ = c.MarkFlagFilename("book", "yaml", "yml")
}

// definitions are the spans and calendars that a command uses, and where they come from.
type definitions struct {
	library *book.Library
	source  string
	clock   service.Clock // by which today is read
	isToday bool          // the as-of day is today
	// ofService says that they are those of the service.
	ofService bool
	// showsTimes says that the answer has times, which are those of the clock.
	showsTimes bool
}

// String says whose definitions are used, and that civil is no longer the built-in calendar; where the as-of day is
// today also the zone that it is today in.
func (d *definitions) String() string {
	text := d.source
	if d.library.OwnCivil() != "" {
		text += ", with a civil calendar of its own"
	}
	if d.showsTimes {
		return text + "; times in " + d.clock.String()
	}
	if d.isToday {
		text += "; today in " + d.clock.String()
	}
	return text
}

// definitions decides whose definitions a command uses, in this one place and whatever names occur: those
// of --book, with --offline the built-in calendar, else those of the service; where none answers, the
// built-in calendar. Today is read in --zone, else in the zone of the service or of this machine.
func (a *app) definitions(ctx context.Context, f *contextFlags) (*definitions, error) {
	d, err := a.findDefinitions(ctx, f)
	if err != nil {
		return nil, err
	}
	d.clock, err = readClock(d.clock, f.zone, f.dayStarts)
	return d, err
}

// readClock reads --zone and --day-starts over a clock.
func readClock(c service.Clock, zone, dayStarts string) (service.Clock, error) {
	c, err := c.ReadClock(zone, dayStarts)
	var wrong *query.Error
	if errors.As(err, &wrong) {
		err = usagef("--%s: %w", strings.ReplaceAll(strings.TrimPrefix(wrong.Pointer, "/"), "_", "-"), wrong.Err)
	}
	return c, err
}

// ownClock returns the clock of this machine.
func (a *app) ownClock() service.Clock {
	c, err := civil.NewClock(localZone(), 0)
	if err != nil {
		panic(err) // days may start at midnight
	}
	return service.NewClock(c, a.now)
}

func (a *app) findDefinitions(ctx context.Context, f *contextFlags) (*definitions, error) {
	switch {
	case f.book != "":
		data, err := os.ReadFile(f.book)
		if err != nil {
			return nil, err
		}
		l, err := book.Read(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.book, err)
		}
		return &definitions{library: l, source: f.book, clock: a.ownClock()}, nil
	case f.offline:
		return a.builtIn("built in")
	}
	d, err := a.serviceDefinitions(ctx)
	var missing *noService
	var unreachable net.Error
	if errors.As(err, &missing) || errors.As(err, &unreachable) {
		server, _ := a.serverURL()
		return a.builtIn("built in, as no service answers at " + server)
	}
	return d, err
}

func (a *app) builtIn(source string) (*definitions, error) {
	l, err := book.Compile(book.Book{})
	return &definitions{library: l, source: source, clock: a.ownClock()}, err
}

// status asks the service for its status.
func (a *app) status(ctx context.Context) (*types.Status, error) {
	r, err := call(a, nil, func(c *client.Client) (*client.GetStatusResponse, error) {
		return c.GetStatus(ctx)
	})
	if err != nil {
		return nil, err
	}
	return r.JSON200, nil
}

// serviceDefinitions returns those of the service, and its day.
func (a *app) serviceDefinitions(ctx context.Context) (*definitions, error) {
	status, err := a.status(ctx)
	if err != nil {
		return nil, err
	}
	r, err := call(a, nil, func(c *client.Client) (*client.GetBookResponse, error) {
		return c.GetBook(ctx)
	})
	if err != nil {
		return nil, err
	}
	l, err := book.Read(r.Body)
	if err != nil {
		return nil, err
	}
	server, _ := a.serverURL()
	clock, err := a.ownClock().ReadClock(status.Zone, status.DayStarts)
	if err != nil {
		return nil, err
	}
	return &definitions{
		library: l, source: fmt.Sprintf("%s revision %d", server, status.Revision), clock: clock.WithToday(status.Today), ofService: true,
	}, nil
}

// asOf finds the as-of day or moment of a command.
func (d *definitions) asOf(f *contextFlags, newest service.Newest) (civil.AsOf, error) {
	d.isToday = f.AsOf == "" || f.AsOf == query.Today || f.AsOf == query.Now
	return d.clock.ReadAsOf(f.AsOf, newest)
}

// headed writes whose definitions an answer uses: in a table under its first line, else on standard error.
func (a *app) headed(out print.Output, d *definitions, format string, args ...any) {
	if out != print.AsTable {
		fmt.Fprintf(a.err, "vastspan: definitions: %s\n", d)
		return
	}
	a.print.Linef(format, args...)
	a.print.Linef("definitions: %s\n", d)
}
