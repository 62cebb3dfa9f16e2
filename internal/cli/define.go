package cli

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/internal/cli/print"
)

// fromFile reads one definition from a file of YAML or JSON.
func fromFile[T any](a *app, file string) (def T, err error) {
	in, done, err := a.open(file)
	if err != nil {
		return def, err
	}
	defer done()
	data, err := io.ReadAll(io.LimitReader(in, book.MaxBytes+1))
	if err != nil {
		return def, err
	}
	if def, err = book.DecodeOne[T](data); err != nil {
		return def, fmt.Errorf("%s: %w", file, err)
	}
	return def, nil
}

// fileHelp says what a definition is read from.
const fileHelp = "read it from a file: YAML as in a span book, or JSON (- is standard input); flags take precedence over it"

// A definition that is added or changed by flags: file says where the rest is from.
type definitionFlagSet struct {
	file, note string
}

func (f *definitionFlagSet) add(c *cobra.Command) {
	c.Flags().StringVar(&f.file, "file", "", fileHelp)
	c.Flags().StringVar(&f.note, "note", "", "why it is added or changed; kept with the version")
	_ = c.MarkFlagFilename("file", "yaml", "yml", "json")
}

// calendarFlags are those of a calendar's definition.
type calendarFlags struct {
	definitionFlagSet
	spec     calendar.Spec
	kind     string
	yearEnds string
	fields   map[string]func(*calendar.Spec) // by the flag: puts it into a definition
}

func (f *calendarFlags) add(c *cobra.Command) {
	f.definitionFlagSet.add(c)
	flags := c.Flags()
	flags.StringVar(&f.kind, "kind", "", "months, or weeks: what years are made of (default months)")
	flags.StringVar(&f.spec.YearStarts, "year-starts", "", "of months: the day on which the year starts, such as 04-01")
	flags.StringVar(&f.spec.YearLabel, "year-label", "", "what a year is named by: starting or ending")
	flags.StringVar(&f.spec.WeekStarts, "week-starts", "", "the weekday on which weeks start (default monday)")
	flags.StringVar(&f.spec.Pattern, "pattern", "", "of weeks: how a quarter is divided: 4-4-5, 4-5-4, 5-4-4, or 13x4")
	flags.StringVar(&f.yearEnds, "year-ends", "",
		"of weeks: when the year ends, such as 'last saturday january' or 'nearest saturday january'")
	flags.IntVar(&f.spec.ExtraWeek, "extra-week", 0, "of weeks: the period that takes a 53rd week (default the last)")
	flags.StringSliceVar(&f.spec.YearFirstDays, "year-first-days", nil, "of weeks: the first day of every year, in place of a rule")
	flags.StringVar(&f.spec.WorkingWeek, "working-week", "", "the weekdays that are business days, such as Mon/Tue/Wed/Thu/Fri")
	flags.StringVar(&f.spec.Holidays, "holidays", "", "the holiday list whose days are not business days")
	flags.StringVar(&f.spec.About, "about", "", "what the calendar is for")
	f.fields = map[string]func(*calendar.Spec){
		"kind":            func(s *calendar.Spec) { s.Kind = calendar.Kind(f.kind) },
		"year-starts":     func(s *calendar.Spec) { s.YearStarts = f.spec.YearStarts },
		"year-label":      func(s *calendar.Spec) { s.YearLabel = f.spec.YearLabel },
		"week-starts":     func(s *calendar.Spec) { s.WeekStarts = f.spec.WeekStarts },
		"pattern":         func(s *calendar.Spec) { s.Pattern = f.spec.Pattern },
		"year-ends":       func(s *calendar.Spec) { s.YearEnds = f.spec.YearEnds },
		"extra-week":      func(s *calendar.Spec) { s.ExtraWeek = f.spec.ExtraWeek },
		"year-first-days": func(s *calendar.Spec) { s.YearFirstDays = f.spec.YearFirstDays },
		"working-week":    func(s *calendar.Spec) { s.WorkingWeek = f.spec.WorkingWeek },
		"holidays":        func(s *calendar.Spec) { s.Holidays = f.spec.Holidays },
		"about":           func(s *calendar.Spec) { s.About = f.spec.About },
	}
}

// put puts the flags that were given into a definition.
func (f *calendarFlags) put(c *cobra.Command, s *calendar.Spec) error {
	if f.yearEnds != "" {
		ends, err := readYearEnds(f.yearEnds)
		if err != nil {
			return err
		}
		f.spec.YearEnds = ends
	}
	for name, put := range f.fields {
		if c.Flags().Changed(name) {
			put(s)
		}
	}
	if s.Kind == "" {
		s.Kind = calendar.KindMonths
	}
	return nil
}

// readYearEnds reads when a year of weeks ends: last saturday january.
func readYearEnds(text string) (*calendar.YearEnds, error) {
	words := slices.DeleteFunc(strings.Fields(strings.ToLower(text)), func(w string) bool {
		return slices.Contains([]string{"the", "of", "in", "to", "end"}, w)
	})
	if len(words) == 3 && slices.Contains([]string{"last", "nearest"}, words[1]) { // saturday nearest january
		words[0], words[1] = words[1], words[0]
	}
	if len(words) != 3 {
		return nil, usagef("--year-ends %q: expected last or nearest, a weekday and a month, such as 'last saturday january'", text)
	}
	return &calendar.YearEnds{Rule: words[0], Day: words[1], Month: words[2]}, nil
}

func (a *app) calendarAdd() *cobra.Command {
	var f calendarFlags
	c := &cobra.Command{
		Use: "add [NAME]", Short: "Add a calendar, from flags or a file",
		Example: `  vastspan calendar add fiscal-july --year-starts 07-01 --year-label ending --holidays harbour-days
  vastspan calendar add retail --kind weeks --pattern 4-5-4 --year-ends 'last saturday january' --year-label starting
  vastspan calendar add --file retail.yaml`,
		Args: argsUsage(cobra.MaximumNArgs(1), "a name, or --file"),
	}
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		var spec calendar.Spec
		var err error
		if f.file != "" {
			if spec, err = fromFile[calendar.Spec](a, f.file); err != nil {
				return err
			}
		}
		if len(args) == 1 {
			spec.Name = args[0]
		}
		if spec.Name == "" {
			return usagef("calendar add: expected a name")
		}
		if err := f.put(cmd, &spec); err != nil {
			return err
		}
		r, err := call(a, spec, func(c *client.Client) (*client.AddCalendarResponse, error) {
			return c.AddCalendar(cmd.Context(), &types.AddCalendarParams{Note: ptrOrNil(f.note)}, spec)
		})
		if err == nil {
			err = a.savedCalendar(r.JSON201)
		}
		return err
	}
	return c
}

func (a *app) calendarChange() *cobra.Command {
	var f calendarFlags
	c := &cobra.Command{
		Use: "change NAME", Short: "Change a calendar; what is not given stays as it is",
		Example: "  vastspan calendar change fiscal-july --holidays harbour-days --note 'from 2027 on'",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a calendar"), ValidArgsFunction: a.completeCalendars,
	}
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		have, err := call(a, nil, func(c *client.Client) (*client.GetCalendarResponse, error) {
			return c.GetCalendar(cmd.Context(), args[0])
		})
		if err != nil {
			return err
		}
		spec := have.JSON200.Definition
		if f.file != "" {
			if spec, err = fromFile[calendar.Spec](a, f.file); err != nil {
				return err
			}
			spec.Name = args[0]
		}
		if err := f.put(cmd, &spec); err != nil {
			return err
		}
		r, err := call(a, spec, func(c *client.Client) (*client.PutCalendarResponse, error) {
			return c.PutCalendar(
				cmd.Context(), args[0], &types.PutCalendarParams{IfMatch: ifMatch(have.HTTPResponse), Note: ptrOrNil(f.note)}, spec,
			)
		})
		if err == nil {
			err = a.savedCalendar(r.JSON200)
		}
		return err
	}
	return c
}

func (a *app) savedCalendar(c *types.Calendar) error {
	return a.done(c, "saved calendar %s %s: %s; version %d", c.Definition.Name, a.at(), c.Layout, c.Version)
}

func (a *app) holidaysAdd() *cobra.Command {
	var f definitionFlagSet
	var years string
	c := &cobra.Command{
		Use: "add [NAME DAY...]", Short: "Add a holiday list, from days or a file",
		Long: `Adds a holiday list of the days that are given, or of a file as a span book has it. The list is complete for the
years given with --years, else for those of its first and last day. An iCalendar file is read by holidays import.`,
		Example: `  vastspan holidays add quay-days 2026-05-01 2026-12-25 2027-05-01 --years 2026/2027
  vastspan holidays add --file quay-days.yaml`,
		Args: argsUsage(cobra.ArbitraryArgs, "a name and days, or --file"),
	}
	f.add(c)
	c.Flags().StringVar(&years, "years", "", "the first and the last year that the list is complete for, such as 2026/2028")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		var h book.Holidays
		var err error
		if f.file != "" {
			if h, err = fromFile[book.Holidays](a, f.file); err != nil {
				return err
			}
		}
		if len(args) > 0 {
			h.Name = args[0]
			h.Days = append(h.Days, args[1:]...)
		}
		if h.Name == "" || len(h.Days) == 0 {
			return usagef("holidays add: expected a name and days, such as quay-days 2026-05-01 2026-12-25, or --file")
		}
		slices.Sort(h.Days)
		if h.Days = slices.Compact(h.Days); years != "" {
			if h.Covers, err = readYears(years); err != nil {
				return err
			}
		}
		r, err := call(a, h, func(c *client.Client) (*client.AddHolidayListResponse, error) {
			return c.AddHolidayList(cmd.Context(), &types.AddHolidayListParams{Note: ptrOrNil(f.note)}, h)
		})
		if err == nil {
			err = a.done(r.JSON201, "saved holiday list %s %s: %s", r.JSON201.Definition.Name, a.at(), print.Number(len(h.Days), "day"))
		}
		return err
	}
	return c
}

// readYears reads the first and the last year that a list is complete for.
func readYears(text string) ([]int, error) {
	firstText, lastText, _ := strings.Cut(text, "/")
	first, err1 := strconv.Atoi(firstText)
	last, err2 := strconv.Atoi(lastText)
	if err1 != nil || err2 != nil || first < 1 || last > 9999 || last < first {
		return nil, usagef("--years: %q: expected the first and the last year, such as 2024/2028", text)
	}
	return []int{first, last}, nil
}
