package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"time"

	"github.com/spf13/cobra"

	"vastspan/api/client"
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
}

func addContextFlags(c *cobra.Command, asOf string) *contextFlags {
	f := &contextFlags{}
	c.Flags().StringVar(&f.AsOf, "as-of", "today", "as-of day: "+asOf)
	c.Flags().BoolVar(&f.AtClose, "at-close", false, "the as-of day itself is over")
	c.Flags().StringVar(&f.Calendar, "calendar", "", "calendar in which expressions are read (default civil)")
	return f
}

// definitionFlags say whose definitions are used.
func (f *contextFlags) definitionFlags(c *cobra.Command) {
	c.Flags().StringVar(&f.book, "book", "", "span book (YAML) whose spans and calendars are used in place of the service's")
	c.Flags().BoolVar(&f.offline, "offline", false, "ask no service: use the built-in calendar, or the book")
	_ = c.MarkFlagFilename("book", "yaml", "yml")
}

// definitions are the spans and calendars that a command uses, and where they come from.
type definitions struct {
	library *book.Library
	source  string
	today   func() civil.Day
}

// definitions decides whose definitions a command uses, in this one place and whatever names occur: those
// of --book, with --offline the built-in calendar, else those of the service; where none answers, the
// built-in calendar.
func (a *app) definitions(ctx context.Context, f *contextFlags) (*definitions, error) {
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
		return &definitions{l, f.book, localToday}, nil
	case f.offline:
		return builtIn("built in")
	}
	d, err := a.serviceDefinitions(ctx)
	var missing *noService
	var unreachable net.Error
	if errors.As(err, &missing) || errors.As(err, &unreachable) {
		server, _ := a.serverURL()
		return builtIn("built in, as no service answers at " + server)
	}
	return d, err
}

func builtIn(source string) (*definitions, error) {
	l, err := book.Compile(book.Book{})
	return &definitions{l, source, localToday}, err
}

// serviceDefinitions returns those of the service, and its day.
func (a *app) serviceDefinitions(ctx context.Context) (*definitions, error) {
	status, err := call(a, nil, func(c *client.ClientWithResponses) (*client.GetStatusResponse, error) {
		return c.GetStatusWithResponse(ctx)
	})
	if err != nil {
		return nil, err
	}
	r, err := call(a, nil, func(c *client.ClientWithResponses) (*client.GetBookResponse, error) {
		return c.GetBookWithResponse(ctx)
	})
	if err != nil {
		return nil, err
	}
	l, err := book.Read(r.Body)
	if err != nil {
		return nil, err
	}
	server, _ := a.serverURL()
	today := status.JSON200.Today
	return &definitions{l, fmt.Sprintf("%s revision %d", server, status.JSON200.Revision), func() civil.Day { return today }}, nil
}

// localToday is the day it is on this machine.
func localToday() civil.Day { return civil.OfTime(time.Now(), time.Local) }

// asOf finds the as-of day of a command.
func (d *definitions) asOf(f *contextFlags, newest service.Newest) (civil.Day, error) {
	return service.ReadAsOf(f.AsOf, d.today, newest)
}

// headed writes whose definitions an answer uses: in a table under its first line, else on standard error.
func (a *app) headed(out print.Output, d *definitions, format string, args ...any) {
	if out != print.AsTable {
		fmt.Fprintf(a.err, "vastspan: definitions: %s\n", d.source)
		return
	}
	a.print.Linef(format, args...)
	a.print.Linef("definitions: %s\n", d.source)
}
