package cli

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/service"
	"vastspan/internal/wire"
)

func (a *app) resolveCommand() *cobra.Command {
	var explain bool
	var batch string
	c := &cobra.Command{
		Use:   "resolve EXPR...",
		Short: "Show which days expressions give as of a day",
		Long: `Resolves expressions against an as-of day and shows their first and last day, both inside, and the
number of days. Needs no service, unless expressions name spans or calendars and no book is given.`,
		Example: `  vastspan resolve 'last full month' 'trailing 90 days excluding today' --as-of 2026-10-19
  vastspan resolve 'month to date excluding today, 1 year earlier' --as-of 2026-10-19 --explain
  vastspan resolve '@closed-month' --book book.yaml --output json
  vastspan resolve --batch questions.csv > answers.csv`,
		ValidArgsFunction: a.completeExpressions,
	}
	out := outputFlag(c)
	r := readingFlags(c, "a date or today")
	r.bookFlag(c)
	c.Flags().BoolVar(&explain, "explain", false, "show the steps, in the order in which they were done")
	c.Flags().StringVar(&batch, "batch", "", "read rows of expression,calendar,as_of,at_close from a CSV file (- is standard input)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if batch != "" {
			if len(args) > 0 {
				return usagef("resolve: expressions and --batch do not go together")
			}
			return a.resolveBatch(batch, r)
		}
		if len(args) == 0 {
			return usagef("resolve: expected an expression, such as 'last full month'; see vastspan resolve --help")
		}
		answer, err := a.resolve(cmd.Context(), args, r, explain)
		if err != nil {
			return err
		}
		if err := a.printResolutions(args, answer, *out, explain); err != nil {
			return err
		}
		return firstRefusal(args, answer)
	}
	return c
}

// resolve answers on this machine where it can, else asks the service.
func (a *app) resolve(ctx context.Context, expressions []string, r *reading, explain bool) (*api.ResolveAnswer, error) {
	if r.book == "" && needsNames(expressions, r.calendar) {
		return a.resolveRemotely(ctx, expressions, r, explain)
	}
	l, asOf, err := r.local()
	if err != nil {
		return nil, err
	}
	scope, err := service.Scope(l, asOf, r.service())
	if err != nil {
		return nil, err
	}
	answer := service.Resolution{AsOf: asOf, AtClose: r.atClose, Calendar: scope.Calendar.Name()}
	for _, text := range expressions {
		answer.Resolved = append(answer.Resolved, service.ResolveOne(text, scope, explain))
	}
	w := wire.ResolveAnswer(&answer)
	return &w, nil
}

// needsNames tells whether expressions name what only a book or the service knows.
func needsNames(expressions []string, cal string) bool {
	if cal != "" && cal != calendar.Civil.Name() {
		return true
	}
	for _, text := range expressions {
		n, err := span.Parse(text)
		if err == nil && (len(span.Names(n)) > 0 || slices.ContainsFunc(span.Calendars(n), func(c string) bool { return c != calendar.Civil.Name() })) {
			return true
		}
	}
	return false
}

func (a *app) resolveRemotely(ctx context.Context, expressions []string, r *reading, explain bool) (*api.ResolveAnswer, error) {
	answer, err := call(a, func(c *api.ClientWithResponses) (*api.ResolveResponse, error) {
		return c.ResolveWithResponse(ctx, api.ResolveRequest{Expressions: expressions, AsOf: &r.asOf, AtClose: &r.atClose, Calendar: &r.calendar, Explain: &explain})
	}, func(r *api.ResolveResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		var problem *problemError
		if !errors.As(err, &problem) {
			err = fmt.Errorf("the expressions name spans or calendars: give a book with --book, or: %w", err)
		}
		return nil, err
	}
	return answer.JSON200, nil
}

func firstRefusal(texts []string, answer *api.ResolveAnswer) error {
	for i, r := range answer.Resolutions {
		if r.Error != nil {
			return &refusedExpression{texts[i], *r.Error}
		}
	}
	return nil
}

func (a *app) printResolutions(texts []string, answer *api.ResolveAnswer, out output, explain bool) error {
	switch out {
	case asJSON:
		return a.printJSON(answer)
	case asCSV:
		g := grid{header: []string{"expression", "calendar", "as_of", "at_close", "intervals", "days", "error"}}
		for i, r := range answer.Resolutions {
			row := []string{texts[i], answer.Calendar, answer.AsOf.String(), service.YesNo(answer.AtClose), joined(r.Intervals), countOf(r.Days), ""}
			if r.Error != nil {
				row[6] = errorLine(r.Error)
			}
			g.rows = append(g.rows, row)
		}
		return a.printCSV(g)
	}
	fmt.Fprintln(a.out, asOfLine(answer.AsOf, answer.AtClose, answer.Calendar))
	fmt.Fprintln(a.out)
	if explain {
		for i := range answer.Resolutions {
			a.printSteps(&answer.Resolutions[i])
		}
		return nil
	}
	g := grid{header: []string{"span", "first day", "last day", "days"}, right: map[int]bool{3: true}}
	for i, r := range answer.Resolutions {
		g.rows = append(g.rows, dayRows(texts[i], &r)...)
	}
	g.shown = func(_ int, cell string) string { return shownDay(cell) }
	a.printTable(g)
	return nil
}

// dayRows gives a row for each interval of a resolution, the span's text on the first.
func dayRows(text string, r *api.Resolution) [][]string {
	switch {
	case r.Error != nil:
		return [][]string{{text, "refused", "", ""}}
	case len(r.Intervals) == 0:
		return [][]string{{r.Expression, "no days", "", "0"}}
	}
	var rows [][]string
	for i, v := range r.Intervals {
		first, last := firstLast([]api.Interval{v})
		row := []string{"", first, last, ""}
		if i == 0 {
			row[0] = r.Expression
		}
		if i == len(r.Intervals)-1 {
			row[3] = countOf(r.Days)
		}
		rows = append(rows, row)
	}
	return rows
}

// printSteps prints an explanation: each step with the words it comes from and the days after it.
func (a *app) printSteps(r *api.Resolution) {
	if r.Error != nil {
		return
	}
	fmt.Fprintln(a.out, r.Expression)
	g := grid{header: []string{"step", "days", "n"}, right: map[int]bool{2: true}}
	if r.Steps != nil {
		for _, s := range *r.Steps {
			row := []string{"  " + strings.Repeat("  ", s.Depth) + s.Words, "", ""}
			switch {
			case s.Note != nil:
				row[1] = *s.Note
			case len(s.Intervals) == 0:
				row[1], row[2] = "no days", "0"
			default:
				row[1], row[2] = shownIntervals(s.Intervals), countOf(s.Days)
			}
			g.rows = append(g.rows, row)
		}
	}
	g.header[0] = "  step"
	a.printTable(g)
	if r.Cautions != nil {
		for _, c := range *r.Cautions {
			fmt.Fprintf(a.out, "  caution: %s\n", c.Text)
		}
	}
	fmt.Fprintln(a.out)
}

// maxShownIntervals is how many intervals a line shows before it says how many more there are.
const maxShownIntervals = 3

func shownIntervals(list []api.Interval) string {
	var parts []string
	for i, v := range list {
		if i == maxShownIntervals {
			parts = append(parts, fmt.Sprintf("and %d more", len(list)-i))
			break
		}
		first, last := firstLast([]api.Interval{v})
		if first == last {
			parts = append(parts, first)
		} else {
			parts = append(parts, first+" … "+last)
		}
	}
	return strings.Join(parts, ", ")
}

func errorLine(e *api.ExpressionError) string {
	return (&span.Error{Column: e.Column, Width: e.Width, Message: e.Message, Offers: e.Offers}).Error()
}

// resolveBatch answers rows of a CSV file as they come, in constant memory. A row that is refused
// carries its error and does not stop the others.
func (a *app) resolveBatch(file string, r *reading) error {
	in, done, err := a.open(file)
	if err != nil {
		return err
	}
	defer done()
	l, err := r.library()
	if err != nil {
		return err
	}
	reader := csv.NewReader(in)
	reader.ReuseRecord = true
	reader.FieldsPerRecord = -1
	header, err := reader.Read()
	if err != nil {
		return fmt.Errorf("%s: expected a header with the columns expression,calendar,as_of,at_close: %w", file, err)
	}
	columns, err := batchColumns(header)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	w := csv.NewWriter(a.out)
	b := &batch{library: l, reading: r, columns: columns, parsed: map[string]parsed{}}
	if err := w.Write(append(slices.Clone(header), "intervals", "days", "error")); err != nil {
		return err
	}
	for {
		row, err := reader.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			w.Flush()
			return fmt.Errorf("%s: %w", file, err)
		}
		if err := w.Write(b.answer(row)); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// open opens a file for reading; - is standard input.
func (a *app) open(file string) (io.Reader, func() error, error) {
	if file == "-" {
		return a.in, func() error { return nil }, nil
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, err
	}
	return f, f.Close, nil
}

// batchColumns finds the columns of a batch; all but expression may be left out.
func batchColumns(header []string) (map[string]int, error) {
	columns := map[string]int{}
	for i, name := range header {
		name = strings.TrimPrefix(name, "\ufeff")
		if !slices.Contains([]string{"expression", "calendar", "as_of", "at_close"}, name) {
			return nil, fmt.Errorf("the header has a column %q; expected expression,calendar,as_of,at_close", name)
		}
		columns[name] = i
	}
	if _, ok := columns["expression"]; !ok {
		return nil, errors.New("the header has no column expression")
	}
	return columns, nil
}

type parsed struct {
	node span.Node
	err  error
}

// maxParsed bounds how many different expressions a batch remembers.
const maxParsed = 10_000

type batch struct {
	library *book.Library
	reading *reading
	columns map[string]int
	parsed  map[string]parsed
	out     []string
}

func (b *batch) answer(row []string) []string {
	b.out = append(b.out[:0], row...)
	for len(b.out) < len(b.columns) {
		b.out = append(b.out, "")
	}
	set, err := b.resolve(row)
	if err != nil {
		return append(b.out, "", "", err.Error())
	}
	days := ""
	if !set.Open() {
		days = strconv.Itoa(set.Days())
	}
	return append(b.out, set.String(), days, "")
}

func (b *batch) field(row []string, name, otherwise string) string {
	if i, ok := b.columns[name]; ok && i < len(row) && row[i] != "" {
		return row[i]
	}
	return otherwise
}

func (b *batch) resolve(row []string) (civil.Set, error) {
	text := b.field(row, "expression", "")
	p, ok := b.parsed[text]
	if !ok {
		p.node, p.err = span.Parse(text)
		if len(b.parsed) < maxParsed {
			b.parsed[strings.Clone(text)] = p
		}
	}
	if p.err != nil {
		return civil.Set{}, p.err
	}
	r := *b.reading
	r.asOf = b.field(row, "as_of", r.asOf)
	r.calendar = b.field(row, "calendar", r.calendar)
	switch at := b.field(row, "at_close", service.YesNo(r.atClose)); at {
	case "yes", "no":
		r.atClose = at == "yes"
	default:
		return civil.Set{}, fmt.Errorf("at_close: %q: expected yes or no", at)
	}
	asOf, err := r.day(nil)
	if err != nil {
		return civil.Set{}, err
	}
	scope, err := service.Scope(b.library, asOf, r.service())
	if err != nil {
		return civil.Set{}, err
	}
	return span.Resolve(p.node, scope)
}
