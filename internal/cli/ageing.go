package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/decimal"
	"vastspan/core/elapsed"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/export"
	"vastspan/internal/service"
)

// ageingFlags ask how long the records of a dataset or a file last.
type ageingFlags struct {
	question ageing.Question
	within   int
	where    []string
	file     fileFlags
}

func (f *ageingFlags) add(c *cobra.Command) {
	flags := c.Flags()
	q := &f.question
	flags.StringVar(&q.From, "from-column", "", "the column of the day on which a record begins")
	flags.StringVar(&q.To, "to-column", "", "the column of the day on which it ends, blank while it is open")
	flags.StringVar(&q.Unit, "unit", "", "what lengths are counted in: "+strings.Join(elapsed.UnitNames(), ", ")+" (default days)")
	flags.StringVar(&q.Bands, "bands", "", "lengths to count by, such as '0-7,8-30,31-90,91+'")
	flags.IntVar(&f.within, "within", -1,
		"give the share of the closed that last at most this long, and of those that began longer ago than that")
	flags.StringVar(&q.By, "by", "", "category to break down by")
	flags.StringVar(&q.Amount, "amount", "", "column to add up in each band")
	flags.StringVar(&q.Over, "over", "", "keep those that begin in this span")
	flags.StringVar(&q.Show, "show", "", "with --each: show the units that this span meets; the backlog that they start from stays as it is")
	flags.StringVar(&q.Only, "open", "", "open, closed or all (default all)")
	flags.StringVar(&q.Each, "each", "",
		"what was opened, closed and open at the end of each day, week, month, quarter, half or year")
	flags.StringArrayVar(&f.where, "where", nil, "which to keep; see vastspan total --help")
	f.file.add(c)
}

func (a *app) ageingCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "ageing SOURCE --from-column COL --to-column COL",
		Short: "Show how long records last, how old open ones are, and how a backlog goes",
		Long: `Counts how long the records of a dataset or a file with two dates last, as of a day. A record whose second date is blank, or after
the as-of day, is open, and its age is counted to the as-of day. --bands counts records by length, --each shows the backlog at the end
of each unit. A file needs no service; where one answers, its calendars are used, unless --book or --offline says otherwise.`,
		Example: `  vastspan ageing jobs --from-column opened_on --to-column closed_on --by kind --as-of latest
  vastspan ageing jobs --from-column opened_on --to-column closed_on --bands '0-7,8-30,31+'
  vastspan ageing jobs.csv --from-column opened_on --to-column closed_on --each month --as-of 2026-06-30`,
		Args: argsUsage(cobra.ExactArgs(1), "a dataset or a file"), ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	records := &ageingFlags{}
	records.add(c)
	f := &contextFlags{}
	c.Flags().StringVar(&f.AsOf, "as-of", "today", "as-of day: a date, today or latest")
	c.Flags().StringVar(&f.Calendar, "calendar", "", "calendar whose months, years and business days count (default civil)")
	f.knownFlag(c)
	f.definitionFlags(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if records.question.From == "" || records.question.To == "" {
			return usagef("ageing: --from-column and --to-column are needed: the columns of the days on which records begin and end")
		}
		f.zone, f.dayStarts = records.file.zone, records.file.dayStarts
		return a.ageing(cmd.Context(), args[0], f, records, *out)
	}
	return c
}

// ageing prints how long the records of a dataset or a file last.
func (a *app) ageing(ctx context.Context, source string, context *contextFlags, f *ageingFlags, out print.Output) error {
	q := f.question
	q.Context = context.Context
	if q.Only == "only" { // --open only
		q.Only = ageing.Open
	}
	if f.within >= 0 {
		q.Within = &f.within
	}
	var err error
	if q.Where, err = readWhere(f.where); err != nil {
		return err
	}
	if isFile(source) {
		if q.Known != "" {
			return errKnownFile
		}
		return a.ageingFile(ctx, source, q, context, f, out)
	}
	q.Dataset = source
	r, err := call(a, q, func(c *client.Client) (*client.AgeResponse, error) { return c.Age(ctx, q) })
	if err != nil {
		return err
	}
	return a.printAgeing(r.JSON200, out, a.at())
}

func (a *app) ageingFile(
	ctx context.Context,
	file string,
	q ageing.Question,
	context *contextFlags,
	f *ageingFlags,
	out print.Output,
) error {
	f.file.zone, f.file.dayStarts = context.zone, context.dayStarts
	d, err := a.definitions(ctx, context)
	if err != nil {
		return err
	}
	in, done, err := a.open(file)
	if err != nil {
		return err
	}
	defer done()
	in, clean, err := rereadable(in)
	if err != nil {
		return err
	}
	defer clean()
	f.file.zone = a.zoneOf(f.file.zone, d)
	h := f.file.hints()
	h.Date = q.From
	if q.By != "" {
		h.Categories = []string{q.By}
	}
	if q.Amount != "" {
		h.Amounts = []string{q.Amount}
	}
	local, err := service.OpenLocal(service.File{
		Name: file, Body: in, AllowUndated: true, Hints: h, Options: f.file.written, Omit: f.file.omit,
	})
	if err != nil {
		return err
	}
	defer func() { _ = local.Close() }() // it has been read
	asOf, err := d.asOf(context, func() (civil.AsOf, bool, error) { return local.Newest(ctx) })
	if err != nil {
		return err
	}
	scope, err := d.library.Scope(asOf, q.Context)
	if err != nil {
		return err
	}
	answer, err := local.Ageing(ctx, q, scope)
	if err != nil {
		return about(err, q)
	}
	if out != print.AsTable {
		fmt.Fprintf(a.err, "vastspan: definitions: %s\n", d)
	}
	return a.printAgeing(answer, out, "definitions: "+d.String())
}

func (a *app) printAgeing(answer *ageing.Answer, out print.Output, source string) error {
	asOf, err := civil.ParseDay(answer.Question.AsOf)
	if err != nil {
		return err
	}
	if answer.Each != "" && (out == print.AsCSV || out == print.Output(export.JSONLines.Name)) {
		fmt.Fprintln(a.err, "vastspan: one table holds the course alone; lengths and bands are in --output json, xlsx and md")
	}
	return a.print.Print(out, print.View{Data: answer, Document: answer.Document, Draw: func(p *print.Printer) {
		p.Linef("%s from %s to %s in %s, %s", answer.Dataset, answer.From, answer.To, answer.Unit,
			print.AsOf(asOf, false, answer.Calendar))
		p.Linef("%s\n", source)
		drawAgeing(p, answer)
	}})
}

// drawAgeing draws lengths, bands and the course, then the notes.
func drawAgeing(p *print.Printer, answer *ageing.Answer) {
	p.Table(shownFigures(answer), ageingLook(answer, 0))
	if answer.Bands != "" {
		p.Linef("")
		p.Table(answer.BandRows(), ageingLook(answer, 1))
	}
	if answer.Each != "" {
		p.Linef("")
		p.Table(answer.CourseRows(), print.Look{Right: print.Right(3, 4, 5, 6), Shown: print.Days})
	}
	printAgeingNotes(p, answer)
}

// shownFigures returns the figures with means and shares rounded for people.
func shownFigures(answer *ageing.Answer) *table.Grid {
	g := answer.Figures()
	for i, name := range g.Header {
		for _, row := range g.Rows {
			v, err := decimal.Parse(row[i])
			if err != nil || !v.Set {
				continue
			}
			switch {
			case strings.HasPrefix(name, "share_"):
				row[i] = (&table.Column{Role: table.Share}).Format(v)
			case strings.HasSuffix(name, "_mean"):
				row[i] = table.Round(v, 2)
			}
		}
	}
	return g
}

// ageingLook puts all columns but those of names to the right.
func ageingLook(answer *ageing.Answer, names int) print.Look {
	if answer.By != "" {
		names++
	}
	right := map[int]bool{}
	for i := names; i < names+12; i++ {
		right[i] = true
	}
	return print.Look{Right: right, Shown: func(column int, text string) string {
		switch {
		case right[column] && text != "":
			return table.Thousands(text)
		case column == 0 && text == "" && answer.By != "":
			return "(blank)"
		}
		return text
	}}
}

func printAgeingNotes(p *print.Printer, answer *ageing.Answer) {
	p.Linef("")
	if answer.Over != "" {
		days := print.Intervals(answer.OverDays)
		if answer.OverDays.Empty() {
			days = "no days"
		}
		p.Linef("records that begin in %s: %s", answer.Over, days)
	}
	for _, text := range answer.Cautions {
		p.Linef("caution: %s", text)
	}
	if answer.Show != "" {
		p.Linef("units shown: those that meet %s; the backlog is of all records", answer.Show)
	}
	p.Linef("closed_: lengths of closed records; open_: ages of open ones on the as-of day; what was closed later counts as open")
	if answer.Undated > 0 {
		p.Linef("%s excluded: no date in %s", print.Count(answer.Undated), answer.From)
	}
	if answer.NotBegun > 0 {
		p.Linef("%s left out: %s is after the as-of day", print.Number(answer.NotBegun, "record"), answer.From)
	}
	if answer.FaultRecords == 0 {
		return
	}
	p.Linef("%s left out: %s comes before %s:", print.Number(answer.FaultRecords, "record"), answer.To, answer.From)
	for i, f := range answer.Faults {
		if i == 20 {
			p.Linef("  and more; --output json lists a hundred")
			return
		}
		p.Linef("  %s to %s: %s", f.From, f.To, print.Number(f.Records, "record"))
	}
}
