package cli

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/civil"
	"vastspan/internal/holidays"
)

func (a *app) bookCommand() *cobra.Command {
	return group("book", "Keep definitions in a file: save them, load them", a.bookSave(), a.bookLoad())
}

func (a *app) bookSave() *cobra.Command {
	return &cobra.Command{
		Use: "save [FILE]", Short: "Write all definitions of the service to a span book", Example: "  vastspan book save book.yaml",
		Args: takes(cobra.MaximumNArgs(1), "at most a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := call(a, func(c *api.ClientWithResponses) (*api.GetBookResponse, error) {
				return c.GetBookWithResponse(cmd.Context())
			},
				func(r *api.GetBookResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err != nil {
				return err
			}
			if len(args) == 0 || args[0] == "-" {
				_, err = a.out.Write(r.Body)
				return err
			}
			return os.WriteFile(args[0], r.Body, 0o644)
		},
	}
}

func (a *app) bookLoad() *cobra.Command {
	var preview bool
	var note string
	c := &cobra.Command{
		Use:   "load FILE",
		Short: "Put every definition of a span book in place, all or none",
		Long: `Shows what a span book changes, then changes it in one transaction. Definitions that the book does not
have stay as they are. With --preview nothing is changed.`,
		Example: "  vastspan book load book.yaml --preview\n  vastspan book load book.yaml --note 'holidays of 2028'",
		Args:    takes(cobra.ExactArgs(1), "a file"),
	}
	out := outputFlag(c)
	c.Flags().BoolVar(&preview, "preview", false, "show what would change and change nothing")
	c.Flags().StringVar(&note, "note", "", "why it is changed; kept with each version")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		in, done, err := a.open(args[0])
		if err != nil {
			return err
		}
		defer done()
		data, err := io.ReadAll(in)
		if err != nil {
			return err
		}
		load := func(preview bool) ([]api.BookChange, error) {
			r, err := call(a, func(c *api.ClientWithResponses) (*api.LoadBookResponse, error) {
				return c.LoadBookWithBodyWithResponse(cmd.Context(), &api.LoadBookParams{Preview: &preview, Note: &note}, "application/yaml", bytes.NewReader(data))
			}, func(r *api.LoadBookResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err != nil {
				return nil, err
			}
			return *r.JSON200, nil
		}
		changes, err := load(true)
		if err != nil {
			return err
		}
		if err := a.printChanges(changes, *out); err != nil || preview {
			return err
		}
		if _, err := load(false); err != nil {
			return err
		}
		fmt.Fprintln(a.err, "done")
		return nil
	}
	return c
}

func (a *app) printChanges(changes []api.BookChange, out output) error {
	switch out {
	case asJSON:
		return a.printJSON(changes)
	case asCSV:
		g := grid{header: []string{"kind", "name", "change", "before", "after"}}
		for _, c := range changes {
			g.rows = append(g.rows, []string{string(c.Kind), c.Name, string(c.Change), deref(c.Before), deref(c.After)})
		}
		return a.printCSV(g)
	}
	same := 0
	for _, c := range changes {
		switch c.Change {
		case api.Same:
			same++
		case api.Added:
			fmt.Fprintf(a.out, "+ %s %s  %s\n", c.Kind, c.Name, cut(deref(c.After)))
		default:
			fmt.Fprintf(a.out, "~ %s %s\n    before %s\n    after  %s\n", c.Kind, c.Name, cut(deref(c.Before)), cut(deref(c.After)))
		}
	}
	fmt.Fprintf(a.out, "%d to add or change, %d the same\n", len(changes)-same, same)
	return nil
}

// cut shortens a definition for a line of a terminal.
func cut(s string) string {
	if r := []rune(s); len(r) > 160 {
		return string(r[:160]) + "…"
	}
	return s
}

func (a *app) calendarCommand() *cobra.Command {
	return group("calendar", "List calendars and show their years", a.calendarList(), a.calendarShow(), a.removeCommand(api.DefinitionKindCalendar, "remove NAME", "Remove a calendar; refused while spans name it", "  vastspan calendar remove trade-445"))
}

func (a *app) calendarList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the calendars with their layouts", Example: "  vastspan calendar list", Args: takes(cobra.NoArgs, "no arguments")}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListCalendarsResponse, error) {
			return c.ListCalendarsWithResponse(cmd.Context())
		},
			func(r *api.ListCalendarsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		if *out == asJSON {
			return a.printJSON(r.JSON200)
		}
		g := grid{header: []string{"name", "kind", "about"}}
		for _, cal := range *r.JSON200 {
			g.rows = append(g.rows, []string{cal.Name, string(cal.Kind), cal.About})
		}
		if *out == asCSV {
			return a.printCSV(g)
		}
		a.printTable(g)
		return nil
	}
	return c
}

func (a *app) calendarShow() *cobra.Command {
	var year int
	var asOf string
	c := &cobra.Command{
		Use: "show NAME", Short: "Show a year of a calendar, laid out in its units", Example: "  vastspan calendar show trade-445 --year 2026",
		Args: takes(cobra.ExactArgs(1), "the name of a calendar"),
	}
	out := outputFlag(c)
	c.Flags().IntVar(&year, "year", localToday().Year(), "the number that names the year")
	c.Flags().StringVar(&asOf, "as-of", "today", "what offsets count from: a date or today")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.GetCalendarYearResponse, error) {
			return c.GetCalendarYearWithResponse(cmd.Context(), args[0], year, &api.GetCalendarYearParams{AsOf: &asOf})
		}, func(r *api.GetCalendarYearResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		y := r.JSON200
		if *out == asJSON {
			return a.printJSON(y)
		}
		g := grid{header: []string{"unit", "number", "label", "first_day", "last_day", "days", "offset"}, right: map[int]bool{1: true, 5: true, 6: true}}
		add := func(unit string, list []api.CalendarUnit) {
			for _, u := range list {
				g.rows = append(g.rows, []string{unit, strconv.Itoa(u.Number), u.Label, u.First.String(), u.Last.String(), strconv.Itoa(u.Days), strconv.Itoa(u.Offset)})
			}
		}
		add("half", *y.Halves)
		add("quarter", *y.Quarters)
		add("period", y.Periods)
		if *out == asCSV {
			add("week", y.Weeks)
			return a.printCSV(g)
		}
		fmt.Fprintf(a.out, "%s, year %s: %s to %s, %d days, %d weeks\n\n", y.Calendar, y.Label, longDay(y.First), longDay(y.Last), y.Days, len(y.Weeks))
		g.shown = func(_ int, cell string) string { return shownDay(cell) }
		a.printTable(g)
		if len(*y.Holidays) > 0 {
			fmt.Fprintf(a.out, "\nholidays: %s\n", dayList(*y.Holidays, 20))
		}
		return nil
	}
	return c
}

// removeCommand removes a definition of a kind.
func (a *app) removeCommand(kind api.DefinitionKind, use, short, example string) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Example: example, Args: takes(cobra.ExactArgs(1), "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, func(c *api.ClientWithResponses) (*api.RemoveDefinitionResponse, error) {
				return c.RemoveDefinitionWithResponse(cmd.Context(), kind, args[0])
			}, func(r *api.RemoveDefinitionResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err == nil {
				fmt.Fprintf(a.out, "%s %s is removed\n", kind, args[0])
			}
			return err
		},
	}
}

func (a *app) holidaysCommand() *cobra.Command {
	return group("holidays", "List holiday lists and bring them in from files", a.holidaysList(), a.holidaysImport(),
		a.removeCommand(api.DefinitionKindHolidays, "remove NAME", "Remove a holiday list; refused while calendars name it", "  vastspan holidays remove harbour-days"))
}

func (a *app) holidaysList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the holiday lists and the years they cover", Example: "  vastspan holidays list", Args: takes(cobra.NoArgs, "no arguments")}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListHolidaysResponse, error) {
			return c.ListHolidaysWithResponse(cmd.Context())
		},
			func(r *api.ListHolidaysResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		if *out == asJSON {
			return a.printJSON(r.JSON200)
		}
		g := grid{header: []string{"name", "days", "first", "last"}, right: map[int]bool{1: true}}
		for _, h := range *r.JSON200 {
			first, last := "", ""
			if n := len(h.Days); n > 0 {
				first, last = h.Days[0].String(), h.Days[n-1].String()
			}
			g.rows = append(g.rows, []string{h.Name, strconv.Itoa(len(h.Days)), first, last})
		}
		if *out == asCSV {
			return a.printCSV(g)
		}
		g.shown = func(_ int, cell string) string { return shownDay(cell) }
		a.printTable(g)
		return nil
	}
	return c
}

func (a *app) holidaysImport() *cobra.Command {
	var years string
	c := &cobra.Command{
		Use:   "import NAME FILE",
		Short: "Put a holiday list in place from an iCalendar file or a plain list",
		Long: `Reads all-day events of an iCalendar file (RFC 5545), yearly rules among them, or a plain list with a date
a line. The list is complete for the years given with --years.`,
		Example: "  vastspan holidays import harbour-days holidays.ics --years 2024/2028",
		Args:    takes(cobra.ExactArgs(2), "a name and a file"),
	}
	c.Flags().StringVar(&years, "years", "", "the first and the last year that the list is complete for, such as 2024/2028 (required)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		firstText, lastText, _ := strings.Cut(years, "/")
		first, err1 := strconv.Atoi(firstText)
		last, err2 := strconv.Atoi(lastText)
		if err1 != nil || err2 != nil || first < 1 || last > 9999 || last < first {
			return usagef("--years: %q: expected the first and the last year, such as 2024/2028", years)
		}
		in, done, err := a.open(args[1])
		if err != nil {
			return err
		}
		defer done()
		days, err := holidays.Read(in, first, last)
		if err != nil {
			return fmt.Errorf("%s: %w", args[1], err)
		}
		if days == nil {
			days = []civil.Day{}
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.PutHolidaysResponse, error) {
			return c.PutHolidaysWithResponse(cmd.Context(), args[0], api.HolidayList{Name: args[0], Days: days, FirstYear: &first, LastYear: &last})
		}, func(r *api.PutHolidaysResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		fmt.Fprintf(a.out, "holiday list %s has %d days, complete for %d to %d\n", args[0], len(r.JSON200.Days), first, last)
		return nil
	}
	return c
}

func (a *app) spanVersions() *cobra.Command {
	c := &cobra.Command{
		Use: "versions NAME", Short: "List how a span stood, newest first", Example: "  vastspan span versions closed-month",
		Args: takes(cobra.ExactArgs(1), "a name"), ValidArgsFunction: a.completeSpans,
	}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListVersionsResponse, error) {
			return c.ListVersionsWithResponse(cmd.Context(), api.DefinitionKindSpan, strings.TrimPrefix(args[0], "@"))
		}, func(r *api.ListVersionsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		if *out == asJSON {
			return a.printJSON(r.JSON200)
		}
		g := grid{header: []string{"version", "changed_at", "by", "note", "definition"}, right: map[int]bool{0: true}}
		for _, v := range *r.JSON200 {
			definition := deref(v.Definition)
			if v.Removed {
				definition = "removed"
			}
			g.rows = append(g.rows, []string{fmt.Sprint(v.Version), v.ChangedAt.UTC().Format("2006-01-02 15:04"), v.Author, deref(v.Note), definition})
		}
		if *out == asCSV {
			return a.printCSV(g)
		}
		a.printTable(g)
		return nil
	}
	return c
}

func (a *app) spanBringBack() *cobra.Command {
	var note string
	c := &cobra.Command{
		Use: "bring-back NAME VERSION", Short: "Put an older version of a span in place again", Example: "  vastspan span bring-back closed-month 2",
		Args: takes(cobra.ExactArgs(2), "a name and the number of a version"), ValidArgsFunction: a.completeSpans,
	}
	c.Flags().StringVar(&note, "note", "", "why; kept with the new version")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		version, err := strconv.ParseInt(args[1], 10, 64)
		if err != nil {
			return usagef("span bring-back: %q is not the number of a version", args[1])
		}
		name := strings.TrimPrefix(args[0], "@")
		r, err := call(a, func(c *api.ClientWithResponses) (*api.BringBackResponse, error) {
			return c.BringBackWithResponse(cmd.Context(), api.DefinitionKindSpan, name, api.BringBackRequest{Version: version, Note: &note})
		}, func(r *api.BringBackResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		fmt.Fprintf(a.out, "@%s is %s again, version %d\n", name, deref(r.JSON200.Is), r.JSON200.Version)
		return nil
	}
	return c
}
