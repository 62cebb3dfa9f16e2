package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) briefCommand() *cobra.Command {
	return group("brief", "Add and list briefs, show one as of any day",
		a.briefList(), a.briefAdd(), a.briefShow(), a.briefRehearse(), a.briefRemove())
}

func (a *app) briefs(ctx context.Context) ([]types.Brief, error) {
	return all(func(limit *int, after *string) ([]types.Brief, *string, error) {
		r, err := call(a, nil, func(c *client.Client) (*client.ListBriefsResponse, error) {
			return c.ListBriefs(ctx, &types.ListBriefsParams{Limit: limit, After: after})
		})
		if err != nil {
			return nil, nil, err
		}
		return r.JSON200.Items, r.JSON200.Next, nil
	})
}

func (a *app) briefList() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "List the briefs", Example: "  vastspan brief list", Args: argsUsage(cobra.NoArgs, "no arguments"),
		Long: "Lists the briefs. They are made in the console, with brief add, or in a span book (vastspan book load).",
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		briefs, err := a.briefs(cmd.Context())
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: briefs, Look: print.Look{Right: print.Right(2, 4)}, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"name", "title", "items", "as_of", "version", "changed"}}
			for _, b := range briefs {
				asOf := b.Definition.AsOf
				if asOf == "" {
					asOf = query.Latest
				}
				g.Rows = append(
					g.Rows,
					[]string{
						b.Definition.Name,
						b.Definition.Title,
						fmt.Sprint(len(b.Definition.Items)),
						asOf,
						fmt.Sprint(b.Version),
						b.ChangedAt.Format("2006-01-02 15:04"),
					},
				)
			}
			return g
		}, None: "there are no briefs yet; make one in the console, or with vastspan brief add"})
	}
	return c
}

// viewFlags say as of what a brief is shown.
type viewFlags struct {
	query.Context
	prompts []string
}

func (f *viewFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.AsOf, "as-of", "", "as-of day: a date, today, latest or 'latest of DATASET' (default the brief's own)")
	c.Flags().BoolVar(&f.AtClose, "at-close", false, "the as-of day itself is over")
	c.Flags().StringVar(&f.Calendar, "calendar", "", "calendar in which expressions are read (default the brief's own)")
	c.Flags().StringVar(&f.Known, "known", "", knownHelp)
	c.Flags().StringArrayVar(
		&f.prompts,
		"prompt",
		nil,
		"what is given for a prompt of the brief, as NAME=EXPRESSION, such as window=2026-01-01/2026-03-31",
	)
}

func (f *viewFlags) request() (types.ViewRequest, error) {
	q := types.ViewRequest{AsOf: ptrOrNil(f.AsOf), AtClose: &f.AtClose, Calendar: ptrOrNil(f.Calendar), Known: ptrOrNil(f.Known)}
	if len(f.prompts) > 0 {
		prompts := map[string]string{}
		for _, text := range f.prompts {
			name, is, ok := strings.Cut(text, "=")
			if !ok || name == "" || is == "" {
				return q, usagef("--prompt %q: expected NAME=EXPRESSION, such as window=2026-01-01/2026-03-31", text)
			}
			prompts[name] = is
		}
		q.Prompts = &prompts
	}
	return q, nil
}

func (a *app) briefShow() *cobra.Command {
	var f viewFlags
	c := &cobra.Command{
		Use: "show NAME", Short: "Show a brief as of a day",
		Long: `Shows a brief as of its own basis, or as of any day: records after that day are left out, so that it
shows what it would have shown then. CSV gives a row for each figure of each item.`,
		Example: "  vastspan brief show monday-crossings\n  vastspan brief show monday-crossings --as-of 2026-09-01 --output csv",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a brief"), ValidArgsFunction: a.completeBriefs,
	}
	out := a.outputFlag(c)
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q, err := f.request()
		if err != nil {
			return err
		}
		r, err := call(a, q, func(c *client.Client) (*client.ViewBriefResponse, error) {
			return c.ViewBrief(cmd.Context(), args[0], q, a.accept(*out))
		})
		switch {
		case err != nil:
			return err
		case out.IsFile():
			return a.writeBody(r.Body, *out)
		case *out == print.AsJSON:
			return a.print.JSON(r.JSON200)
		}
		for i := range r.JSON200.Items {
			if err := readClocks(&r.JSON200.Items[i]); err != nil {
				return err
			}
		}
		a.printBrief(r.JSON200)
		return nil
	}
	return c
}

// printBrief prints a brief: its figures as one table, then its tables and lines.
func (a *app) printBrief(v *types.BriefView) {
	p := a.print
	p.Linef("%s, %s\n%s", v.Title, print.AsOf(v.AsOf, v.AtClose, v.Calendar), a.at())
	p.Linef("as-of basis: %s", v.Basis)
	for name, is := range v.Prompts {
		p.Linef("%s: %s", name, is)
	}
	figures := &table.Grid{
		Header: []string{"figure", "value", "unit", "compared_with", "value", "change", "trend", "days"},
	}
	var notes []table.Note
	for i := range v.Items {
		it := &v.Items[i]
		if it.Item.Kind != book.FigureItem || it.Answer == nil {
			continue
		}
		figures.Rows = append(figures.Rows, figureCard(it))
		for _, n := range table.Telling(it.Answer.Notes) {
			n.Text = it.Item.Title + ": " + n.Text
			notes = append(notes, n)
		}
	}
	if len(figures.Rows) > 0 {
		p.Linef("")
		p.Table(figures, print.Look{Right: print.Right(1, 4, 5), Groups: []int{0, 1, 1, 2, 2, 2, 3, 4}})
		p.Notes(notes)
	}
	for i := range v.Items {
		it := &v.Items[i]
		switch {
		case it.Error != nil:
			p.Linef("\n%s: cannot be shown: %s", it.Item.Title, *it.Error)
		case it.Item.Kind == book.FigureItem:
		case it.Lineup != nil:
			p.Linef("\n%s", it.Item.Title)
			p.Lineup(it.Lineup)
		case it.Ageing != nil:
			p.Linef("\n%s: %s", it.Item.Title, it.Ageing.Title())
			drawAgeing(p, it.Ageing)
		case it.Drivers != nil:
			p.Linef("\n%s: %s", it.Item.Title, it.Drivers.Sentence)
			p.Table(driverTable(it.Drivers), driverLook)
			p.Notes(it.Drivers.Notes)
		default:
			p.Linef("\n%s", it.Item.Title)
			p.Answer(it.Answer)
		}
	}
}

// readClocks sets the clock of the moments of an item.
func readClocks(it *types.BriefItemView) error {
	switch {
	case it.Lineup != nil:
		return it.Lineup.ReadClock()
	case it.Answer != nil:
		return it.Answer.ReadClock()
	}
	return nil
}

// figureCard returns the cells of a figure: value and unit, what it is compared with, change, trend and days.
func figureCard(it *types.BriefItemView) []string {
	sp, t := &it.Answer.Spans[0], &it.Answer.Tables[0]
	cells := []string{
		it.Item.Title, t.Columns[0].Format(t.Rows[0].Cells[0]), t.Columns[0].Unit, "", "", "", "", sp.Long(),
	}
	if at := slices.IndexFunc(t.Columns, func(c table.Column) bool { return c.Role == table.Change }); at > 0 {
		cells[3] = sp.Comparisons[0].Name
		cells[4] = t.Columns[at-2].Format(t.Rows[0].Cells[at-2])
		cells[5] = t.Columns[at].Format(t.Rows[0].Cells[at])
	}
	if it.Spark != nil {
		cells[6] = print.Spark(it.Spark.Tables[0].Rows)
	}
	return cells
}

func (a *app) brief(ctx context.Context, name string) (*client.GetBriefResponse, error) {
	return call(a, nil, func(c *client.Client) (*client.GetBriefResponse, error) {
		return c.GetBrief(ctx, name)
	})
}

func (a *app) briefRehearse() *cobra.Command {
	var from string
	var days int
	c := &cobra.Command{
		Use:     "rehearse NAME",
		Short:   "List the days on which items of a brief roll over",
		Example: "  vastspan brief rehearse monday-crossings --from 2026-09-25 --days 40",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a brief"), ValidArgsFunction: a.completeBriefs,
	}
	out := a.outputFlag(c)
	c.Flags().StringVar(&from, "from", "today", "the first as-of day")
	c.Flags().IntVar(&days, "days", 60, "as-of days to look at, 1 to 4000")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		status, err := a.status(cmd.Context())
		if err != nil {
			return err
		}
		day, err := a.ownClock().WithToday(status.Today).DayAsOf(from, nil)
		if err != nil {
			return err
		}
		b, err := a.brief(cmd.Context(), args[0])
		if err != nil {
			return err
		}
		turns, err := a.briefTurns(cmd.Context(), args[0], day.Day, days)
		if err != nil {
			return err
		}
		titles := map[string]string{}
		for _, it := range b.JSON200.Definition.Items {
			titles[it.ID] = it.Title
		}
		return a.print.Print(*out, print.View{Data: turns, Look: print.Look{Shown: print.Days}, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"as_of", "changes", "items"}}
			for _, t := range turns {
				var list []string
				for _, id := range t.Items {
					list = append(list, titles[id])
				}
				g.Rows = append(g.Rows, []string{t.Day.String(), strings.Join(t.Changes, ", "), strings.Join(list, "; ")})
			}
			return g
		}, None: "nothing rolls over in these days"})
	}
	return c
}

func (a *app) briefTurns(ctx context.Context, name string, from civil.Day, days int) ([]types.BriefTurn, error) {
	q := types.BriefRehearseRequest{From: from, Days: days}
	r, err := call(a, q, func(c *client.Client) (*client.RehearseBriefResponse, error) {
		return c.RehearseBrief(ctx, name, q)
	})
	if err != nil {
		return nil, err
	}
	return r.JSON200.Turns, nil
}

func (a *app) briefRemove() *cobra.Command {
	return &cobra.Command{
		Use:     "remove NAME",
		Short:   "Remove a brief; refused while a schedule uses it; its receipts stay",
		Example: "  vastspan brief remove monday-crossings",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a brief"), ValidArgsFunction: a.completeBriefs,
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, nil, func(c *client.Client) (*client.RemoveBriefResponse, error) {
				return c.RemoveBrief(cmd.Context(), args[0], &types.RemoveBriefParams{IfMatch: &anyVersion})
			})
			if err == nil {
				err = a.done(removed{args[0]}, "removed brief %s %s", args[0], a.at())
			}
			return err
		},
	}
}
