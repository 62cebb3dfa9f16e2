package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) spanCommand() *cobra.Command {
	return group(
		"span",
		"Name spans, list and change them",
		a.spanAdd(),
		a.spanList(),
		a.spanShow(),
		a.spanChange(),
		a.spanRemove(),
		a.spanVersions(),
		a.spanRestore(),
		a.spanRename(),
		a.spanMove(),
	)
}

// spanFlags are the flags of a named span's definition.
type spanFlags struct {
	calendar, about, note string
	tags                  []string
}

func (f *spanFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.calendar, "calendar", "", "the span's own calendar")
	c.Flags().StringVar(&f.about, "about", "", "what the span is for")
	c.Flags().StringArrayVar(&f.tags, "tag", nil, "a tag (repeatable)")
	c.Flags().StringVar(&f.note, "note", "", "why it is added or changed; kept with the version")
}

func (a *app) spanAdd() *cobra.Command {
	var f spanFlags
	c := &cobra.Command{
		Use: "add NAME EXPR", Short: "Name a span",
		Example: "  vastspan span add closed-month 'last full month' --about 'The newest month that is over' --tag month-end",
		Args:    argsUsage(cobra.ExactArgs(2), "a name and an expression"),
		RunE: func(cmd *cobra.Command, args []string) error {
			def := book.Span{Name: plainName(args[0]), Is: args[1], Calendar: f.calendar, About: f.about, Tags: f.tags}
			r, err := call(a, def, func(c *client.Client) (*client.AddSpanResponse, error) {
				return c.AddSpan(cmd.Context(), &types.AddSpanParams{Note: ptrOrNil(f.note)}, def)
			})
			if err != nil {
				return inDefinition(err, def.Is)
			}
			return a.saved(r.JSON201)
		},
	}
	f.add(c)
	return c
}

// saved says what a span is now.
func (a *app) saved(s *types.Span) error {
	return a.done(s, "saved @%s %s: %s, version %d", s.Definition.Name, a.at(), withCalendar(&s.Definition), s.Version)
}

// plainName lets names be given with the sign that refers to them.
func plainName(name string) string { return strings.TrimPrefix(name, "@") }

// inDefinition shows a caret where the service refused the expression of a definition itself.
func inDefinition(err error, text string) error {
	if p, ok := err.(*problemError); ok && p.Expression != nil && p.Expression.Column > 0 {
		return &expressionError{text, p.Expression}
	}
	return err
}

func (a *app) spans(ctx context.Context) ([]types.Span, error) {
	return all(func(limit *int, after *string) ([]types.Span, *string, error) {
		r, err := call(a, nil, func(c *client.Client) (*client.ListSpansResponse, error) {
			return c.ListSpans(ctx, &types.ListSpansParams{Limit: limit, After: after})
		})
		if err != nil {
			return nil, nil, err
		}
		return r.JSON200.Items, r.JSON200.Next, nil
	})
}

func (a *app) spanList() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "List the named spans with their days as of a day", Example: "  vastspan span list --as-of 2026-10-19",
		Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	f := addContextFlags(c, "a date or today")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		spans, err := a.spans(cmd.Context())
		if err != nil {
			return err
		}
		if len(spans) == 0 && *out == print.AsTable {
			a.print.Linef("no spans are named yet; name one with vastspan span add")
			return nil
		}
		var names []string
		for _, s := range spans {
			names = append(names, "@"+s.Definition.Name)
		}
		r := &book.Resolutions{}
		if len(names) > 0 {
			if r, err = a.resolveThere(cmd.Context(), names, f, false); err != nil {
				return err
			}
			if *out == print.AsTable {
				a.print.Linef("%s\n%s\n", print.AsOf(r.AsOf, r.AtClose, r.Calendar), a.at())
			}
		}
		return a.print.Print(
			*out,
			print.View{Data: spans, Look: print.Look{Right: print.Right(4), Shown: print.Days}, Grid: func() *table.Grid {
				g := &table.Grid{Header: []string{"name", "is", "first_day", "last_day", "days"}}
				for i := range spans {
					days := table.DayCells(r.Resolutions[i].Intervals)
					if z := r.Resolutions[i].Moments; z != nil {
						days = []string{table.LongRuns(*z), "", ""}
					}
					switch e := r.Resolutions[i].Error; {
					case e != nil:
						days = []string{"refused: " + e.Message, "", ""}
					case days[0] == "" && *out == print.AsTable:
						days[0] = "no days"
					}
					g.Rows = append(g.Rows, append([]string{spans[i].Definition.Name, withCalendar(&spans[i].Definition)}, days...))
				}
				return g
			}},
		)
	}
	return c
}

// resolveThere resolves expressions at the service.
func (a *app) resolveThere(ctx context.Context, texts []string, f *contextFlags, explain bool) (*book.Resolutions, error) {
	q := types.ResolveRequest{Expressions: texts, AsOf: &f.AsOf, AtClose: &f.AtClose, Calendar: ptrOrNil(f.Calendar), Explain: &explain}
	r, err := call(a, q, func(c *client.Client) (*client.ResolveResponse, error) {
		return c.Resolve(ctx, q)
	})
	if err != nil {
		return nil, err
	}
	return r.JSON200, nil
}

func withCalendar(d *book.Span) string {
	if d.Calendar != "" {
		return d.Is + " (calendar " + d.Calendar + ")"
	}
	return d.Is
}

func (a *app) span(ctx context.Context, name string) (*client.GetSpanResponse, error) {
	return call(a, nil, func(c *client.Client) (*client.GetSpanResponse, error) {
		return c.GetSpan(ctx, plainName(name))
	})
}

func (a *app) spanShow() *cobra.Command {
	c := &cobra.Command{
		Use: "show NAME", Short: "Show a named span, the days it gives and why", Example: "  vastspan span show closed-month --as-of 2026-10-19",
		Args: argsUsage(cobra.ExactArgs(1), "a name"), ValidArgsFunction: a.completeSpans,
	}
	out := a.outputFlag(c)
	f := addContextFlags(c, "a date or today")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		got, err := a.span(cmd.Context(), args[0])
		if err != nil {
			return err
		}
		s := got.JSON200
		d := &s.Definition
		r, err := a.resolveThere(cmd.Context(), []string{"@" + d.Name}, f, true)
		if err != nil {
			return err
		}
		err = a.print.Print(*out, print.View{Data: s, Grid: func() *table.Grid {
			return &table.Grid{Header: []string{"name", "is", "calendar", "about", "tags", "version", "changed_at"}, Rows: [][]string{{
				d.Name, d.Is, d.Calendar, d.About, strings.Join(d.Tags, " "), fmt.Sprint(s.Version), s.ChangedAt.Format("2006-01-02T15:04:05Z07:00")}}}
		}, Draw: func(p *print.Printer) {
			printSpan(p, s)
			p.Linef("%s\n%s", print.AsOf(r.AsOf, r.AtClose, r.Calendar), a.at())
			printSteps(p, &r.Resolutions[0])
		}})
		if err != nil {
			return err
		}
		return a.refusedOf([]string{d.Is}, r.Resolutions)
	}
	return c
}

func printSpan(p *print.Printer, s *types.Span) {
	d := &s.Definition
	p.Linef("@%s is %s", d.Name, withCalendar(d))
	if d.About != "" {
		p.Linef("%s", d.About)
	}
	line := fmt.Sprintf("version %d, by %s on %s", s.Version, s.Author, s.ChangedAt.Local().Format("2 Jan 2006 15:04"))
	if len(d.Tags) > 0 {
		line += "; tags " + strings.Join(d.Tags, ", ")
	}
	if len(s.Users) > 0 {
		line += "; used by @" + strings.Join(s.Users, ", @")
	}
	p.Linef("%s\n", line)
}

func (a *app) spanChange() *cobra.Command {
	var f spanFlags
	c := &cobra.Command{
		Use: "change NAME [EXPR]", Short: "Change a named span; what is not given stays as it is",
		Example: "  vastspan span change trailing-ninety 'trailing 90 days' --note 'today counts from now on'",
		Args:    argsUsage(cobra.RangeArgs(1, 2), "a name, and an expression where it is to change"), ValidArgsFunction: a.completeSpans,
	}
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		got, err := a.span(cmd.Context(), args[0])
		if err != nil {
			return err
		}
		def := got.JSON200.Definition
		if len(args) == 2 {
			def.Is = args[1]
		}
		for name, set := range map[string]func(){
			"calendar": func() { def.Calendar = f.calendar }, "about": func() { def.About = f.about }, "tag": func() { def.Tags = f.tags },
		} {
			if cmd.Flags().Changed(name) {
				set()
			}
		}
		r, err := call(a, def, func(c *client.Client) (*client.PutSpanResponse, error) {
			return c.PutSpan(
				cmd.Context(),
				def.Name,
				&types.PutSpanParams{IfMatch: ifMatch(got.HTTPResponse), Note: ptrOrNil(f.note)},
				def,
			)
		})
		if err != nil {
			return inDefinition(err, def.Is)
		}
		return a.saved(r.JSON200)
	}
	return c
}

func (a *app) spanRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a named span; refused while others refer to it", Example: "  vastspan span remove weekends-this-month",
		Args: argsUsage(cobra.ExactArgs(1), "a name"), ValidArgsFunction: a.completeSpans,
		RunE: func(cmd *cobra.Command, args []string) error {
			name := plainName(args[0])
			_, err := call(a, nil, func(c *client.Client) (*client.RemoveSpanResponse, error) {
				return c.RemoveSpan(cmd.Context(), name, &types.RemoveSpanParams{IfMatch: &anyVersion})
			})
			if err == nil {
				err = a.done(removed{name}, "removed @%s %s", name, a.at())
			}
			return err
		},
	}
}

func (a *app) spanVersions() *cobra.Command {
	c := &cobra.Command{
		Use: "versions NAME", Short: "List the versions of a span, newest first", Example: "  vastspan span versions closed-month",
		Args: argsUsage(cobra.ExactArgs(1), "a name"), ValidArgsFunction: a.completeSpans,
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		list, err := all(func(limit *int, after *string) ([]types.Version, *string, error) {
			r, err := call(a, nil, func(c *client.Client) (*client.ListSpanVersionsResponse, error) {
				return c.ListSpanVersions(
					cmd.Context(),
					plainName(args[0]),
					&types.ListSpanVersionsParams{Limit: limit, After: after},
				)
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: list, Look: print.Look{Right: print.Right(0)}, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"version", "changed_at", "author", "note", "definition"}}
			for _, v := range list {
				definition := "removed"
				if v.Definition != nil {
					definition = definitionText(v.Definition)
				}
				g.Rows = append(
					g.Rows,
					[]string{fmt.Sprint(v.Version), v.ChangedAt.UTC().Format("2006-01-02 15:04"), v.Author, value(v.Note), definition},
				)
			}
			return g
		}})
	}
	return c
}

func (a *app) spanRestore() *cobra.Command {
	var note string
	c := &cobra.Command{
		Use: "restore NAME VERSION", Short: "Restore an earlier version of a span", Example: "  vastspan span restore closed-month 2",
		Args: argsUsage(cobra.ExactArgs(2), "a name and the number of a version"), ValidArgsFunction: a.completeSpans,
	}
	c.Flags().StringVar(&note, "note", "", "why; kept with the new version")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		version, err := strconv.ParseInt(args[1], 10, 64)
		if err != nil {
			return usagef("span restore: %q is not the number of a version", args[1])
		}
		q := types.RestoreRequest{Version: version, Note: ptrOrNil(note)}
		r, err := call(a, q, func(c *client.Client) (*client.RestoreSpanResponse, error) {
			return c.RestoreSpan(cmd.Context(), plainName(args[0]), q)
		})
		if err != nil {
			return err
		}
		return a.saved(r.JSON200)
	}
	return c
}

func (a *app) spanRename() *cobra.Command {
	return &cobra.Command{
		Use: "rename NAME NEW-NAME", Short: "Give a span another name; what refers to it does so by the new one",
		Example: "  vastspan span rename closed-month last-month", Args: argsUsage(cobra.ExactArgs(2), "the name and the new one"),
		ValidArgsFunction: a.completeSpans,
		RunE: func(cmd *cobra.Command, args []string) error {
			q := types.RenameRequest{Name: plainName(args[1])}
			r, err := call(a, q, func(c *client.Client) (*client.RenameSpanResponse, error) {
				return c.RenameSpan(cmd.Context(), plainName(args[0]), nil, q)
			})
			if err == nil {
				err = a.renamed("@"+plainName(args[0]), "@"+r.JSON200.Name, r.JSON200)
			}
			return err
		},
	}
}

// renamed says what has another name, and what was carried along.
func (a *app) renamed(was, name string, r *types.Renamed) error {
	also := ""
	if len(r.Carried) > 0 {
		also = "\nit is referred to by its new name in " + strings.Join(r.Carried, ", ")
	}
	return a.done(r, "renamed %s %s %s%s", was, name, a.at(), also)
}

func (a *app) spanMove() *cobra.Command {
	var before string
	var last bool
	c := &cobra.Command{
		Use: "move NAME", Short: "Put a span elsewhere in the list: before another one, or last",
		Example: "  vastspan span move season-to-date --before closed-month", Args: argsUsage(cobra.ExactArgs(1), "a name"),
		ValidArgsFunction: a.completeSpans,
	}
	c.Flags().StringVar(&before, "before", "", "the span that it is put before")
	c.Flags().BoolVar(&last, "last", false, "put it at the end")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if (before == "") == !last {
			return usagef("span move: expected --before and a span, or --last")
		}
		q := types.MoveRequest{Before: ptrOrNil(plainName(before))}
		_, err := call(a, q, func(c *client.Client) (*client.MoveSpanResponse, error) {
			return c.MoveSpan(cmd.Context(), plainName(args[0]), q)
		})
		if err == nil {
			err = a.done(moved{plainName(args[0])}, "moved @%s %s", plainName(args[0]), a.at())
		}
		return err
	}
	return c
}
