package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/calendar"
	"vastspan/internal/service"
	"vastspan/internal/wire"
)

// totalFlags are the flags of total.
type totalFlags struct {
	over, by, where, against, beside               []string
	columns                                        map[api.FigureKind]*[]string // of the figures
	each, running, rolling, share, across, receipt string
	count, allowUndated, even, planned             bool
	previous, blankIncomplete                      bool
	top                                            int
	date, zone, dateOrder, numbers                 string
	*reading
}

func (a *app) totalCommand() *cobra.Command {
	var f totalFlags
	c := &cobra.Command{
		Use:   "total SOURCE --over EXPR...",
		Short: "Total records over spans",
		Long: `Totals the records of SOURCE over one or more spans. SOURCE is the name of a dataset of the service,
or a CSV file, or - for standard input; a file is computed on the spot, without a service.`,
		Example: `  vastspan total crossings --over @closed-month --sum fare --count --by route --as-of latest
  vastspan total crossings.csv --date sailed_on --over 'last full month' --sum fare --as-of 2026-10-19
  vastspan total crossings --over 'year to date' --sum fare --against 'year earlier' --each month --running year --as-of latest
  vastspan total crossings --over 'this quarter' --sum fare --beside 'plan fare=planned_fare' --even --as-of latest
  vastspan total crossings --over 'last full quarter' --sum fare --each month --across route --top 3 --as-of latest
  zcat big.csv.gz | vastspan total - --over 'month to date' 'last full month' --sum amount --where 'region=North'`,
		Args:              takes(cobra.MinimumNArgs(1), "a dataset or a file, then --over and expressions"),
		ValidArgsFunction: a.completeDatasets,
	}
	out := outputFlag(c)
	f.reading = readingFlags(c, "a date, today or latest (the newest day in the records)")
	f.bookFlag(c)
	flags := c.Flags()
	flags.StringArrayVar(&f.over, "over", nil, "expressions to total over; may be given several times, and words after it count too")
	f.columns = map[api.FigureKind]*[]string{}
	for _, figure := range figureFlags {
		f.columns[figure.kind] = flags.StringArray(string(figure.kind), nil, "column to "+figure.help)
	}
	flags.BoolVar(&f.count, "count", false, "count records")
	flags.StringArrayVar(&f.by, "by", nil, "category to break down by, at most two")
	flags.IntVar(&f.top, "top", 0, "keep so many values of the first category, those highest by the first figure of a column over the first span, and put the rest together")
	flags.StringVar(&f.across, "across", "", "category to set across: units or the other category go down, with totals on both edges")
	flags.StringVar(&f.share, "share", "", "give figures that add up as a share, too: of the span or of the unit")
	flags.StringArrayVar(&f.where, "where", nil, whereHelp)
	flags.StringArrayVar(&f.beside, "beside", nil, "other records to compare with: a dataset, then COL=ITS_COL where its columns have other names")
	flags.StringArrayVar(&f.against, "against", nil, "what to compare with: 'year earlier', '52 weeks earlier', prior, or an expression; may be given several times")
	flags.BoolVar(&f.even, "even", false, "cut each span at the as-of day before it is moved, so that both sides are alike")
	flags.StringVar(&f.each, "each", "", "unit to break each span down into: day, week, month, quarter, half or year")
	flags.StringVar(&f.running, "running", "", "with --each: add up from the start of this unit, or of the span")
	flags.StringVar(&f.rolling, "rolling", "", "with --each: the row's unit and those before it, such as '3 months'")
	flags.BoolVar(&f.blankIncomplete, "blank-incomplete", false, "leave a rolling figure blank whose window begins before the records do")
	flags.BoolVar(&f.previous, "previous", false, "with --each: compare every unit with the one before it")
	flags.BoolVar(&f.planned, "planned", false, "the records are planned: units that are ahead count like the others")
	flags.StringVar(&f.date, "date", "", "the column that says on which day a record lies; a dataset has one of its own")
	flags.StringVar(&f.zone, "zone", "", "of a file: the IANA time zone in which an instant becomes a day (default UTC)")
	flags.StringVar(&f.dateOrder, "date-order", "", "of a file: the order of dates such as 03/04/2026: dmy, mdy or ymd")
	flags.StringVar(&f.numbers, "numbers", "", "of a file: how it writes numbers, such as 1.234,56 (default plain digits)")
	flags.BoolVar(&f.allowUndated, "allow-undated", false, "of a file: let records without a date in; they are counted and stand outside")
	flags.StringVar(&f.receipt, "receipt", "", "freeze the answer as a receipt of this title, in place of printing it")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		f.over = append(f.over, args[1:]...)
		q, err := f.question()
		if err != nil {
			return err
		}
		if f.receipt != "" {
			if isFile(args[0]) {
				return usagef("--receipt: a receipt is of a dataset of the service, not of a file")
			}
			q.Date = filled(f.date)
			return expressionProblem(a.makeReceipt(cmd, &api.ReceiptRequest{Title: &f.receipt, Dataset: &args[0], Total: q}), q.Over)
		}
		t, err := a.total(cmd.Context(), args[0], q, &f)
		if err != nil {
			return err
		}
		return a.printTotal(t, f.across, *out)
	}
	return c
}

// figureFlags are the figures of a column, in the order in which they come.
var figureFlags = []struct {
	kind api.FigureKind
	help string
}{
	{api.Sum, "sum"}, {api.Mean, "take the mean of"}, {api.Min, "take the least value of"}, {api.Max, "take the greatest value of"},
	{api.Distinct, "count the different values of"}, {api.Median, "take the median of"}, {api.First, "take the first value in time of"}, {api.Last, "take the last value in time of"},
}

// question puts the flags together as a request; figures come in the order count, sum, mean and so on.
func (f *totalFlags) question() (*api.TotalRequest, error) {
	if len(f.over) == 0 {
		return nil, usagef("total: expected --over and an expression, such as --over 'last full month'")
	}
	if f.across != "" && !slices.Contains(f.by, f.across) {
		f.by = append(f.by, f.across)
	}
	if f.across != "" && len(f.by) == 1 && f.each == "" {
		return nil, usagef("--across %s: say what goes down: --each UNIT, or another category with --by", f.across)
	}
	edges := f.across != ""
	q := &api.TotalRequest{Over: f.over, By: &f.by, AsOf: &f.asOf, AtClose: &f.atClose, Calendar: &f.calendar, Edges: &edges}
	for _, figure := range figureFlags {
		for _, column := range *f.columns[figure.kind] {
			q.Figures = append(q.Figures, api.Figure{Kind: figure.kind, Column: &column})
		}
	}
	if f.count || len(q.Figures) == 0 {
		q.Figures = slices.Insert(q.Figures, 0, api.Figure{Kind: api.Count})
	}
	if f.top > 0 {
		q.Top = &f.top
	}
	where, err := readWhere(f.where)
	q.Where = where
	if err != nil {
		return nil, err
	}
	return q, f.breakDown(q)
}

// readBeside reads other records to compare with.
func readBeside(texts []string) (*[]api.Beside, error) {
	var list []api.Beside
	for _, text := range texts {
		b, err := service.ReadBeside(text)
		if err != nil {
			return nil, usagef("--beside: %v", err)
		}
		one := api.Beside{Dataset: b.Dataset}
		if b.Columns != nil {
			one.Columns = &b.Columns
		}
		list = append(list, one)
	}
	return &list, nil
}

// breakDown reads the flags that set spans beside others and take them apart.
func (f *totalFlags) breakDown(q *api.TotalRequest) error {
	if len(f.against) > 0 {
		q.Against = &f.against
	}
	q.Even, q.Planned, q.Previous, q.BlankIncomplete = &f.even, &f.planned, &f.previous, &f.blankIncomplete
	if len(f.beside) > 0 {
		var err error
		if q.Beside, err = readBeside(f.beside); err != nil {
			return err
		}
	}
	if f.share != "" {
		of := api.TotalRequestShare(f.share)
		q.Share = &of
	}
	each, ok := calendar.ParseUnit(f.each)
	if f.each != "" {
		if !ok {
			return usagef("--each %s: expected day, week, month, quarter, half or year", f.each)
		}
		unit := api.TotalRequestEach(each.String())
		q.Each = &unit
	}
	if f.running != "" {
		reset := api.TotalRequestRunning(f.running)
		if u, ok := calendar.ParseUnit(f.running); ok {
			reset = api.TotalRequestRunning(u.String())
		}
		q.Running = &reset
	}
	if f.rolling != "" {
		count, unit, _ := strings.Cut(strings.TrimSpace(f.rolling), " ")
		n, err := strconv.Atoi(count)
		if u, ok := calendar.ParseUnit(unit); err != nil || !ok || f.each == "" || u != each {
			return usagef("--rolling %q: expected a number and the unit of --each, such as '3 months' with --each month", f.rolling)
		}
		q.Rolling = &n
	}
	return nil
}

const whereHelp = "records to keep: COL=VALUE, COL!=VALUE, COL>=VALUE, COL<=VALUE, 'COL between LOW and HIGH' or COL~TEXT (contains); several values of one column and test are alternatives; COL= keeps blanks"

// readWhere reads COL=VALUE and its like.
func readWhere(texts []string) (*[]api.Filter, error) {
	where, err := service.ReadWhere(texts)
	if err != nil {
		return nil, usagef("--where: %v", err)
	}
	filters := wire.WriteFilters(where)
	return &filters, nil
}

// total answers from a file on the spot, or asks the service.
func (a *app) total(ctx context.Context, source string, q *api.TotalRequest, f *totalFlags) (*api.Total, error) {
	if isFile(source) {
		return a.totalFile(ctx, source, q, f)
	}
	if f.date != "" {
		q.Date = &f.date
	}
	if f.book != "" {
		return nil, usagef("--book goes with a file; dataset %s is read with the service's own definitions", source)
	}
	r, err := call(a, func(c *api.ClientWithResponses) (*api.TotalResponse, error) {
		return c.TotalWithResponse(ctx, source, *q)
	},
		func(r *api.TotalResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return nil, expressionProblem(err, q.Over)
	}
	return r.JSON200, nil
}

// expressionProblem gives a problem about an expression together with the text that it is about.
func expressionProblem(err error, texts []string) error {
	var p *problemError
	if !errors.As(err, &p) || p.Expression == nil {
		return err
	}
	for _, text := range texts {
		if strings.HasPrefix(p.Detail, fmt.Sprintf("%q", text)) {
			return &refusedExpression{text, *p.Expression}
		}
	}
	return err
}

func (a *app) printTotal(t *api.Total, across string, out output) error {
	switch {
	case out == asJSON:
		return a.printJSON(t)
	case out == asCSV && across != "":
		return a.printCrossTabs(t, across, out)
	case out == asCSV:
		return a.printTotalCSV(t)
	}
	fmt.Fprintf(a.out, "%s by %s, %s\n\n", t.Dataset, t.Date, asOfLine(t.AsOf, t.AtClose, t.Calendar))
	if across != "" {
		if err := a.printCrossTabs(t, across, out); err != nil {
			return err
		}
	} else {
		a.printTotalTable(t)
	}
	a.printTotalNotes(t)
	return nil
}

// printTotalNotes says what shaped the figures: filters, records left out, the newest day.
func (a *app) printTotalNotes(t *api.Total) {
	fmt.Fprintln(a.out)
	a.printFilters(t.Where)
	if t.NewestDay != nil {
		fmt.Fprintf(a.out, "%s records from %s to %s", grouped(fmt.Sprint(t.Records)), longDay(*t.OldestDay), longDay(*t.NewestDay))
	} else {
		fmt.Fprint(a.out, "no records with a day")
	}
	if t.Undated > 0 {
		fmt.Fprintf(a.out, "; %s with no %s stand outside every span", grouped(fmt.Sprint(t.Undated)), t.Date)
	}
	fmt.Fprintln(a.out)
	a.printUnits(t)
	if t.Definitions != nil && len(*t.Definitions) > 0 {
		var used []string
		for _, d := range *t.Definitions {
			used = append(used, fmt.Sprintf("@%s version %d", d.Name, d.Version))
		}
		fmt.Fprintf(a.out, "by %s\n", strings.Join(used, ", "))
	}
	for _, s := range t.Spans {
		for _, c := range counterparts(&s) {
			first, last := firstLast(c.Intervals)
			fmt.Fprintf(a.out, "%s against %s: %s to %s, %s days\n", s.Expression, c.Against, shownDay(first), shownDay(last), countOf(c.Days))
			if c.Uneven != nil {
				fmt.Fprintf(a.out, "uneven: %s%s\n", *c.Uneven, remedy(&c))
			}
		}
		for _, c := range s.Cautions {
			fmt.Fprintf(a.out, "caution: %s\n", c.Text)
		}
	}
}

// remedy says what evens an uneven comparison, where a flag does.
func remedy(c *api.Counterpart) string {
	if c.EvenHelps != nil {
		return "; --even cuts both at the as-of day"
	}
	return ""
}

func orBlank(v *string, out output) string {
	switch {
	case v != nil:
		return *v
	case out == asCSV:
		return ""
	}
	return "(blank)"
}

func figureCells(values []*api.Value) []string {
	cells := make([]string, len(values))
	for i, v := range values {
		if v != nil {
			cells[i] = *v
		}
	}
	return cells
}

// printUnits says what amounts are counted in.
func (a *app) printUnits(t *api.Total) {
	var told []string
	for _, f := range t.Figures {
		if f.Unit != nil {
			if text := fmt.Sprintf("%s in %s", *f.Column, *f.Unit); !slices.Contains(told, text) {
				told = append(told, text)
			}
		}
	}
	if len(told) > 0 {
		fmt.Fprintln(a.out, strings.Join(told, ", "))
	}
}

// printFilters says which records are kept.
func (a *app) printFilters(where []api.Filter) {
	for _, f := range where {
		var values []string
		for _, v := range f.Values {
			values = append(values, orBlank(v, asTable))
		}
		test, between := "is", " or "
		if f.Test != nil {
			test = strings.ReplaceAll(string(*f.Test), "-", " ")
			if *f.Test == api.Between {
				between = " and "
			}
		}
		fmt.Fprintf(a.out, "where %s %s %s\n", f.Column, test, strings.Join(values, between))
	}
}
