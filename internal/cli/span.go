package cli

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
)

func (a *app) spanCommand() *cobra.Command {
	return group("span", "Name spans, list and change them", a.spanAdd(), a.spanList(), a.spanShow(), a.spanChange(), a.spanRemove(), a.spanVersions(), a.spanBringBack())
}

// definitionFlags are the flags of a named span's definition.
type definitionFlags struct {
	calendar, about, note string
	tags                  []string
}

func (f *definitionFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.calendar, "calendar", "", "the span's own calendar")
	c.Flags().StringVar(&f.about, "about", "", "what the span is for")
	c.Flags().StringArrayVar(&f.tags, "tag", nil, "a tag; may be given several times")
	c.Flags().StringVar(&f.note, "note", "", "why it is added or changed; kept with the version")
}

func (a *app) spanAdd() *cobra.Command {
	var f definitionFlags
	c := &cobra.Command{
		Use:     "add NAME EXPR",
		Short:   "Name a span",
		Example: "  vastspan span add closed-month 'last full month' --about 'The newest month that is over' --tag month-end",
		Args:    takes(cobra.ExactArgs(2), "a name and an expression"),
		RunE: func(cmd *cobra.Command, args []string) error {
			def := api.SpanDefinition{Name: args[0], Is: args[1], Calendar: &f.calendar, About: &f.about, Tags: &f.tags, Note: &f.note}
			r, err := call(a, func(c *api.ClientWithResponses) (*api.AddSpanResponse, error) {
				return c.AddSpanWithResponse(cmd.Context(), def)
			}, func(r *api.AddSpanResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err != nil {
				return definitionProblem(err, args[1])
			}
			fmt.Fprintf(a.out, "@%s is %s\n", r.JSON201.Name, r.JSON201.Is)
			return nil
		},
	}
	f.add(c)
	return c
}

// definitionProblem shows a caret where the service refused the expression itself.
func definitionProblem(err error, text string) error {
	if p, ok := err.(*problemError); ok && p.Expression != nil && p.Expression.Column > 0 {
		return &refusedExpression{text, *p.Expression}
	}
	return err
}

func (a *app) spans(cmd *cobra.Command) ([]api.Span, error) {
	r, err := call(a, func(c *api.ClientWithResponses) (*api.ListSpansResponse, error) {
		return c.ListSpansWithResponse(cmd.Context())
	},
		func(r *api.ListSpansResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return nil, err
	}
	return *r.JSON200, nil
}

func (a *app) spanList() *cobra.Command {
	c := &cobra.Command{
		Use:     "list",
		Short:   "List the named spans with their days as of a day",
		Example: "  vastspan span list --as-of 2026-10-19",
		Args:    takes(cobra.NoArgs, "no arguments"),
	}
	out := outputFlag(c)
	f := readingFlags(c, "a date or today")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		spans, err := a.spans(cmd)
		if err != nil {
			return err
		}
		if *out == asJSON {
			return a.printJSON(spans)
		}
		names := make([]string, len(spans))
		for i, s := range spans {
			names[i] = "@" + s.Name
		}
		g := grid{header: []string{"name", "is", "first_day", "last_day", "days"}, right: map[int]bool{4: true}}
		if len(spans) > 0 {
			answer, err := a.resolveRemotely(cmd.Context(), names, f, false)
			if err != nil {
				return err
			}
			for i, s := range spans {
				r := answer.Resolutions[i]
				first, last := firstLast(r.Intervals)
				if r.Error != nil {
					first = "refused: " + r.Error.Message
				} else if len(r.Intervals) == 0 && *out == asTable {
					first = "no days"
				}
				g.rows = append(g.rows, []string{s.Name, isWithCalendar(&s), first, last, countOf(r.Days)})
			}
			if *out == asTable {
				fmt.Fprintf(a.out, "%s\n\n", asOfLine(answer.AsOf, answer.AtClose, answer.Calendar))
			}
		}
		if *out == asCSV {
			return a.printCSV(g)
		}
		if len(spans) == 0 {
			fmt.Fprintln(a.out, "no spans are named yet; name one with vastspan span add")
			return nil
		}
		g.shown = func(column int, cell string) string {
			if column == 2 || column == 3 {
				return shownDay(cell)
			}
			return cell
		}
		a.printTable(g)
		return nil
	}
	return c
}

func isWithCalendar(s *api.Span) string {
	if s.Calendar != nil {
		return s.Is + " (calendar " + *s.Calendar + ")"
	}
	return s.Is
}

func (a *app) span(cmd *cobra.Command, name string) (*api.Span, error) {
	r, err := call(a, func(c *api.ClientWithResponses) (*api.GetSpanResponse, error) {
		return c.GetSpanWithResponse(cmd.Context(), strings.TrimPrefix(name, "@"))
	}, func(r *api.GetSpanResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return nil, err
	}
	return r.JSON200, nil
}

func (a *app) spanShow() *cobra.Command {
	c := &cobra.Command{
		Use:               "show NAME",
		Short:             "Show a named span, the days it gives and why",
		Example:           "  vastspan span show closed-month --as-of 2026-10-19",
		Args:              takes(cobra.ExactArgs(1), "a name"),
		ValidArgsFunction: a.completeSpans,
	}
	out := outputFlag(c)
	f := readingFlags(c, "a date or today")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := a.span(cmd, args[0])
		if err != nil {
			return err
		}
		switch *out {
		case asJSON:
			return a.printJSON(s)
		case asCSV:
			return a.printCSV(grid{header: []string{"name", "is", "calendar", "about", "tags", "version", "changed_at"}, rows: [][]string{{
				s.Name, s.Is, deref(s.Calendar), deref(s.About), strings.Join(s.Tags, " "), fmt.Sprint(s.Version), s.ChangedAt.Format("2006-01-02T15:04:05Z07:00")}}})
		}
		fmt.Fprintf(a.out, "@%s is %s\n", s.Name, isWithCalendar(s))
		if s.About != nil {
			fmt.Fprintln(a.out, *s.About)
		}
		fmt.Fprintf(a.out, "version %d, by %s on %s", s.Version, s.Author, s.ChangedAt.Local().Format("2 Jan 2006 15:04"))
		if len(s.Tags) > 0 {
			fmt.Fprintf(a.out, "; tags %s", strings.Join(s.Tags, ", "))
		}
		if len(s.Users) > 0 {
			fmt.Fprintf(a.out, "; used by @%s", strings.Join(s.Users, ", @"))
		}
		fmt.Fprint(a.out, "\n\n")
		answer, err := a.resolveRemotely(cmd.Context(), []string{"@" + s.Name}, f, true)
		if err != nil {
			return err
		}
		fmt.Fprintln(a.out, asOfLine(answer.AsOf, answer.AtClose, answer.Calendar))
		a.printSteps(&answer.Resolutions[0])
		return firstRefusal([]string{s.Is}, answer)
	}
	return c
}

func deref(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

func (a *app) spanChange() *cobra.Command {
	var f definitionFlags
	c := &cobra.Command{
		Use:               "change NAME [EXPR]",
		Short:             "Change a named span; what is not given stays as it is",
		Example:           "  vastspan span change trailing-ninety 'trailing 90 days' --note 'today counts from now on'",
		Args:              takes(cobra.RangeArgs(1, 2), "a name, and an expression where it is to change"),
		ValidArgsFunction: a.completeSpans,
	}
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := a.span(cmd, args[0])
		if err != nil {
			return err
		}
		def := api.SpanDefinition{Name: s.Name, Is: s.Is, Calendar: s.Calendar, About: s.About, Tags: &s.Tags, Note: &f.note}
		if len(args) == 2 {
			def.Is = args[1]
		}
		for name, set := range map[string]func(){
			"calendar": func() { def.Calendar = &f.calendar }, "about": func() { def.About = &f.about }, "tag": func() { def.Tags = &f.tags },
		} {
			if cmd.Flags().Changed(name) {
				set()
			}
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ChangeSpanResponse, error) {
			return c.ChangeSpanWithResponse(cmd.Context(), s.Name, &api.ChangeSpanParams{Version: s.Version}, def)
		}, func(r *api.ChangeSpanResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return definitionProblem(err, def.Is)
		}
		fmt.Fprintf(a.out, "@%s is %s, version %d\n", r.JSON200.Name, isWithCalendar(r.JSON200), r.JSON200.Version)
		return nil
	}
	return c
}

func (a *app) spanRemove() *cobra.Command {
	return &cobra.Command{
		Use:               "remove NAME",
		Short:             "Remove a named span; refused while others refer to it",
		Example:           "  vastspan span remove weekends-this-month",
		Args:              takes(cobra.ExactArgs(1), "a name"),
		ValidArgsFunction: a.completeSpans,
		RunE: func(cmd *cobra.Command, args []string) error {
			name := strings.TrimPrefix(args[0], "@")
			_, err := call(a, func(c *api.ClientWithResponses) (*api.RemoveSpanResponse, error) {
				return c.RemoveSpanWithResponse(cmd.Context(), name)
			}, func(r *api.RemoveSpanResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err == nil {
				fmt.Fprintf(a.out, "@%s is removed\n", name)
			}
			return err
		},
	}
}
