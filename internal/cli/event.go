package cli

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/holidays"
)

func (a *app) eventCommand() *cobra.Command {
	return group("event", "List, add, change, import and rename event lists: Easter, a festival, school holidays",
		a.eventList(), a.eventShow(), a.eventAdd(), a.eventChange(), a.eventImport(), a.eventRename(), a.eventRemove())
}

// eventLists returns every event list of the service.
func (a *app) eventLists(cmd *cobra.Command) ([]types.EventList, error) {
	return all(func(limit *int, after *string) ([]types.EventList, *string, error) {
		r, err := call(a, nil, func(c *client.Client) (*client.ListEventListsResponse, error) {
			return c.ListEventLists(cmd.Context(), &types.ListEventListsParams{Limit: limit, After: after})
		})
		if err != nil {
			return nil, nil, err
		}
		return r.JSON200.Items, r.JSON200.Next, nil
	})
}

func (a *app) eventList() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "List the event lists", Example: "  vastspan event list", Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := a.eventLists(cmd)
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{
			Data: list, Look: print.Look{Right: print.Right(1), Shown: print.Days}, None: "there are no event lists yet",
			Grid: func() *table.Grid {
				g := &table.Grid{Header: []string{"name", "occurrences", "first_day", "last_day", "about"}}
				for _, e := range list {
					first, last := "", ""
					if n := len(e.Definition.Days); n > 0 {
						first, _, _ = strings.Cut(e.Definition.Days[0], "/")
						last = e.Definition.Days[n-1]
						last = last[strings.Index(last, "/")+1:]
					}
					g.Rows = append(g.Rows, []string{e.Definition.Name, strconv.Itoa(len(e.Definition.Days)), first, last, e.Definition.About})
				}
				return g
			},
		})
	}
	return c
}

func (a *app) eventShow() *cobra.Command {
	c := &cobra.Command{
		Use: "show NAME", Short: "Show the occurrences of an event list", Example: "  vastspan event show harbour-festival",
		Args: argsUsage(cobra.ExactArgs(1), "the name of an event list"), ValidArgsFunction: a.completeEvents,
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		r, err := a.event(cmd, args[0])
		if err != nil {
			return err
		}
		list, err := r.JSON200.Definition.Compile()
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{
			Data: r.JSON200, Look: print.Look{Right: print.Right(2), Shown: print.Days}, None: "the list has no occurrences",
			Grid: func() *table.Grid {
				g := &table.Grid{Header: []string{"first_day", "last_day", "days", "label"}}
				for _, o := range list.Occurrences {
					g.Rows = append(g.Rows, []string{o.Days.First().String(), o.Days.Last().String(), strconv.Itoa(o.Days.Days()), o.Label})
				}
				return g
			},
		})
	}
	return c
}

func (a *app) event(cmd *cobra.Command, name string) (*client.GetEventListResponse, error) {
	return call(a, nil, func(c *client.Client) (*client.GetEventListResponse, error) {
		return c.GetEventList(cmd.Context(), plainName(name))
	})
}

// eventFlags are those of an event list besides its occurrences.
type eventFlags struct {
	definitionFlagSet
	labels                map[string]string
	years, about, compare string
}

func (f *eventFlags) add(c *cobra.Command) {
	f.definitionFlagSet.add(c)
	flags := c.Flags()
	flags.StringToStringVar(&f.labels, "label", nil,
		"what an occurrence is called, by its first day, such as 2026-07-10='Harbour Festival'; repeatable")
	flags.StringVar(&f.years, "years", "",
		"the first and the last year that the list is complete for, such as 2022/2027 (default those of its occurrences)")
	flags.StringVar(&f.about, "about", "", "what the event is")
	flags.StringVar(&f.compare, "compare", "",
		"yes, or no: whether comparisons note where their sides hold different days of it (default yes)")
}

// put puts the flags that were given into a definition.
func (f *eventFlags) put(c *cobra.Command, e *book.Events) error {
	if f.years != "" {
		var err error
		if e.Covers, err = readYears(f.years); err != nil {
			return err
		}
	}
	if c.Flags().Changed("about") {
		e.About = f.about
	}
	if f.compare != "" {
		e.Compare = f.compare
	}
	labels := maps.Clone(e.Labels)
	for day, label := range f.labels {
		if labels == nil {
			labels = map[string]string{}
		}
		if labels[day] = label; label == "" {
			delete(labels, day)
		}
	}
	e.Labels = labels
	_, err := e.Compile()
	return err
}

func (a *app) eventAdd() *cobra.Command {
	var f eventFlags
	c := &cobra.Command{
		Use: "add [NAME DAYS...]", Short: "Add an event list, from its occurrences or a file",
		Long: `Adds an event list of the occurrences that are given: a day, or the first and the last day with a slash between them;
or of a file as a span book has it. iCalendar and CSV files are read by event import.`,
		Example: `  vastspan event add festival 2026-07-10/2026-07-12 2027-07-16/2027-07-18
  vastspan event add outage 2026-10-13 --label 2026-10-13='Till system down' --compare no
  vastspan event add --file festival.yaml`,
		Args: argsUsage(cobra.ArbitraryArgs, "a name and days, or --file"),
	}
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		var e book.Events
		var err error
		if f.file != "" {
			if e, err = fromFile[book.Events](a, f.file); err != nil {
				return err
			}
		}
		if len(args) > 0 {
			e.Name = plainName(args[0])
			e.Days = append(e.Days, args[1:]...)
		}
		if e.Name == "" || len(e.Days) == 0 && f.years == "" && f.file == "" {
			return usagef("event add: expected a name and days, such as harbour-festival 2026-07-10/2026-07-12, or --file")
		}
		if e.Days == nil {
			e.Days = []string{}
		}
		if err := f.put(cmd, &e); err != nil {
			return err
		}
		r, err := call(a, e, func(c *client.Client) (*client.AddEventListResponse, error) {
			return c.AddEventList(cmd.Context(), &types.AddEventListParams{Note: ptrOrNil(f.note)}, e)
		})
		if err == nil {
			err = a.savedEvent(r.JSON201)
		}
		return err
	}
	return c
}

func (a *app) savedEvent(e *types.EventList) error {
	return a.done(e, "saved event list %s %s: %s; version %d", e.Definition.Name, a.at(),
		print.Number(len(e.Definition.Days), "occurrence"), e.Version)
}

func (a *app) eventChange() *cobra.Command {
	var f eventFlags
	var add, remove []string
	c := &cobra.Command{
		Use: "change NAME", Short: "Add occurrences to an event list, remove some, or change what is said of it",
		Example: `  vastspan event change storm --add 2026-11-21/2026-11-22 --label 2026-11-21='Storm Ada'
  vastspan event change storm --remove 2026-10-13 --note 'only wind'`,
		Args: argsUsage(cobra.ExactArgs(1), "the name of an event list"), ValidArgsFunction: a.completeEvents,
	}
	f.add(c)
	c.Flags().StringSliceVar(&add, "add", nil,
		"an occurrence to add: a day, or the first and the last day with a slash between them; repeatable")
	c.Flags().StringSliceVar(&remove, "remove", nil, "an occurrence to remove, by its first day; repeatable")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		have, err := a.event(cmd, args[0])
		if err != nil {
			return err
		}
		e := have.JSON200.Definition
		if f.file != "" {
			name := e.Name
			if e, err = fromFile[book.Events](a, f.file); err != nil {
				return err
			}
			e.Name = name
		}
		e.Days = append(slices.Clone(e.Days), add...)
		for _, first := range remove {
			at := slices.IndexFunc(e.Days, func(days string) bool { return days == first || strings.HasPrefix(days, first+"/") })
			if at < 0 {
				return fmt.Errorf("--remove %s: no occurrence of %s starts on that day", first, e.Name)
			}
			first, _, _ = strings.Cut(e.Days[at], "/")
			e.Days = slices.Delete(e.Days, at, at+1)
			if e.Labels = maps.Clone(e.Labels); e.Labels != nil {
				delete(e.Labels, first)
			}
		}
		if err := f.put(cmd, &e); err != nil {
			return err
		}
		r, err := call(a, e, func(c *client.Client) (*client.PutEventListResponse, error) {
			return c.PutEventList(cmd.Context(), e.Name,
				&types.PutEventListParams{IfMatch: ifMatch(have.HTTPResponse), Note: ptrOrNil(f.note)}, e)
		})
		if err == nil {
			err = a.savedEvent(r.JSON200)
		}
		return err
	}
	return c
}

func (a *app) eventImport() *cobra.Command {
	var years string
	var bySummary bool
	c := &cobra.Command{
		Use: "import [NAME] FILE", Short: "Put event lists in place from an iCalendar or a CSV file",
		Long: `Reads all-day events of an iCalendar file (RFC 5545), with their rules, as one list, or as one list for each summary with
--by-summary; or CSV with the columns name, first_day, last_day and label, of which first_day is required. A list that is there
already is replaced. Occurrences outside the years given with --years are left out and counted.`,
		Example: `  vastspan event import school-holidays schools.ics --years 2024/2028
  vastspan event import schools.ics --by-summary --years 2024/2028
  vastspan event import events.csv`,
		Args: argsUsage(cobra.RangeArgs(1, 2), "a file, or a name and a file"),
	}
	c.Flags().StringVar(&years, "years", "",
		"the first and the last year that the lists are complete for, such as 2024/2028 (required for iCalendar)")
	c.Flags().BoolVar(&bySummary, "by-summary", false, "of iCalendar: one list for each summary, named after it")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q := holidays.Request{BySummary: bySummary}
		if len(args) == 2 {
			q.Name = plainName(args[0])
		}
		if q.Name != "" && bySummary {
			return usagef("event import: a name is for one list; --by-summary names each list after its summary")
		}
		if years != "" {
			covers, err := readYears(years)
			if err != nil {
				return err
			}
			q.FirstYear, q.LastYear = covers[0], covers[1]
		}
		file := args[len(args)-1]
		in, done, err := a.open(file)
		if err != nil {
			return err
		}
		defer done()
		lists, left, err := holidays.ReadEvents(in, q)
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		for _, e := range lists {
			if err := a.putEvents(cmd, e); err != nil {
				return err
			}
		}
		if left != "" {
			a.print.Linef("left out: %s", left)
		}
		return nil
	}
	return c
}

// putEvents adds an event list, or replaces the occurrences of the one of its name.
func (a *app) putEvents(cmd *cobra.Command, e book.Events) error {
	have, err := a.event(cmd, e.Name)
	var p *problemError
	switch {
	case err == nil:
		e.About, e.Compare = have.JSON200.Definition.About, have.JSON200.Definition.Compare
		r, err := call(a, e, func(c *client.Client) (*client.PutEventListResponse, error) {
			return c.PutEventList(cmd.Context(), e.Name, &types.PutEventListParams{IfMatch: ifMatch(have.HTTPResponse)}, e)
		})
		if err != nil {
			return err
		}
		return a.savedEvent(r.JSON200)
	case errors.As(err, &p) && p.Code == "not_found":
		r, err := call(a, e, func(c *client.Client) (*client.AddEventListResponse, error) {
			return c.AddEventList(cmd.Context(), nil, e)
		})
		if err != nil {
			return err
		}
		return a.savedEvent(r.JSON201)
	}
	return err
}

func (a *app) eventRename() *cobra.Command {
	return &cobra.Command{
		Use: "rename NAME NEW-NAME", Short: "Rename an event list; spans, briefs and schedules that name it are updated",
		Example: "  vastspan event rename festival harbour-festival", Args: argsUsage(cobra.ExactArgs(2), "the name and the new one"),
		ValidArgsFunction: a.completeEvents,
		RunE: func(cmd *cobra.Command, args []string) error {
			q := types.RenameRequest{Name: plainName(args[1])}
			r, err := call(a, q, func(c *client.Client) (*client.RenameEventListResponse, error) {
				return c.RenameEventList(cmd.Context(), plainName(args[0]), nil, q)
			})
			if err == nil {
				err = a.renamed("event list "+plainName(args[0]), r.JSON200.Name, r.JSON200)
			}
			return err
		},
	}
}

func (a *app) eventRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove an event list; refused while spans, briefs or schedules name it",
		Example: "  vastspan event remove harbour-festival", Args: argsUsage(cobra.ExactArgs(1), "a name"), ValidArgsFunction: a.completeEvents,
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, nil, func(c *client.Client) (*client.RemoveEventListResponse, error) {
				return c.RemoveEventList(cmd.Context(), plainName(args[0]), &types.RemoveEventListParams{IfMatch: &anyVersion})
			})
			if err == nil {
				err = a.done(removed{plainName(args[0])}, "removed event list %s %s", plainName(args[0]), a.at())
			}
			return err
		},
	}
}
