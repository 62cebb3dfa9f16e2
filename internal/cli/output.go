package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/civil"
)

// output is the value of --output.
type output string

const (
	asTable output = "table"
	asCSV   output = "csv"
	asJSON  output = "json"
)

func (o *output) String() string { return string(*o) }
func (o *output) Type() string   { return "table|csv|json" }
func (o *output) Set(s string) error {
	switch output(s) {
	case asTable, asCSV, asJSON:
		*o = output(s)
		return nil
	}
	return fmt.Errorf("expected table, csv or json")
}

func outputFlag(c *cobra.Command) *output {
	o := asTable
	c.Flags().Var(&o, "output", "form of the output")
	_ = c.RegisterFlagCompletionFunc("output", cobra.FixedCompletions([]string{"table", "csv", "json"}, cobra.ShellCompDirectiveNoFileComp))
	return &o
}

func (a *app) printJSON(v any) error {
	e := json.NewEncoder(a.out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// A grid is a table to print: the same rows serve as a table and as CSV.
type grid struct {
	header []string
	right  map[int]bool // columns set to the right
	rows   [][]string
	// shown gives a cell as people read it; CSV has it as it is.
	shown func(column int, cell string) string
}

func (a *app) printCSV(g grid) error {
	w := csv.NewWriter(a.out)
	if err := w.Write(g.header); err != nil {
		return err
	}
	if err := w.WriteAll(g.rows); err != nil {
		return err
	}
	return w.Error()
}

func (a *app) printTable(g grid) {
	t := table.NewWriter()
	style := table.StyleDefault
	style.Box = table.StyleBoxDefault
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Options = table.OptionsNoBordersAndSeparators
	style.Format = table.FormatOptions{Header: text.FormatDefault, Row: text.FormatDefault}
	t.SetStyle(style)
	header := make(table.Row, len(g.header))
	configs := make([]table.ColumnConfig, len(g.header))
	for i, h := range g.header {
		header[i] = a.dim(strings.ReplaceAll(h, "_", " "))
		configs[i] = table.ColumnConfig{Number: i + 1}
		if g.right[i] {
			configs[i].Align, configs[i].AlignHeader = text.AlignRight, text.AlignRight
		}
	}
	t.AppendHeader(header)
	t.SetColumnConfigs(configs)
	for _, row := range g.rows {
		cells := make(table.Row, len(row))
		for i, c := range row {
			cells[i] = c
			if g.shown != nil {
				cells[i] = g.shown(i, c)
			}
		}
		t.AppendRow(cells)
	}
	for line := range strings.Lines(t.Render() + "\n") {
		fmt.Fprintln(a.out, strings.TrimRight(line, " \n"))
	}
}

// printList prints a list in the form that was asked for: data as JSON, the grid as CSV or as a table. A
// table without rows is what none says.
func (a *app) printList(out output, data any, g grid, none string) error {
	switch {
	case out == asJSON:
		return a.printJSON(data)
	case out == asCSV:
		return a.printCSV(g)
	case len(g.rows) == 0:
		fmt.Fprintln(a.out, none)
		return nil
	}
	a.printTable(g)
	return nil
}

// colour tells whether the output is a terminal on which colour is wanted.
func (a *app) colour() bool {
	return isTerminal(a.out) && os.Getenv("NO_COLOR") == ""
}

func (a *app) dim(s string) string {
	if !a.colour() {
		return s
	}
	return "\x1b[2m" + s + "\x1b[0m"
}

func isTerminal(w any) bool {
	f, ok := w.(*os.File)
	if !ok {
		return false
	}
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}

// longDay writes a day for people: Mon 19 Oct 2026.
func longDay(d civil.Day) string {
	return d.Weekday().Short() + d.Time().Format(" 2 Jan 2006")
}

// firstLast gives the outer days of intervals as ISO dates; an open side is two dots, none is blank.
func firstLast(list []api.Interval) (first, last string) {
	if len(list) == 0 {
		return "", ""
	}
	first, last = "..", ".."
	if d := list[0].First; d != nil {
		first = d.String()
	}
	if d := list[len(list)-1].Last; d != nil {
		last = d.String()
	}
	return first, last
}

// joined writes intervals in the form first/last;first/last.
func joined(list []api.Interval) string {
	parts := make([]string, len(list))
	for i, v := range list {
		first, last := firstLast([]api.Interval{v})
		parts[i] = first + "/" + last
	}
	return strings.Join(parts, ";")
}

func countOf(days *int) string {
	if days == nil {
		return ""
	}
	return strconv.Itoa(*days)
}

// shownDay writes an ISO date for people and leaves anything else as it is.
func shownDay(s string) string {
	if d, err := civil.ParseDay(s); err == nil {
		return longDay(d)
	}
	return s
}

// grouped sets digits in threes.
func grouped(s string) string {
	sign := ""
	if strings.HasPrefix(s, "-") {
		sign, s = "-", s[1:]
	}
	whole, fraction, point := strings.Cut(s, ".")
	var b strings.Builder
	for i, c := range whole {
		if i > 0 && (len(whole)-i)%3 == 0 {
			b.WriteByte(',')
		}
		b.WriteRune(c)
	}
	if point {
		b.WriteString("." + fraction)
	}
	return sign + b.String()
}

// asOfLine is the first line of every table that depends on an as-of day.
func asOfLine(asOf civil.Day, atClose bool, calendar string) string {
	s := "as of " + longDay(asOf)
	if atClose {
		s += ", at close"
	}
	return s + ", calendar " + calendar
}
