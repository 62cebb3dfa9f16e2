// Package print draws what commands say on a terminal: tables, days, answers. It computes nothing.
package print

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"

	"vastspan/core/civil"
	"vastspan/core/table"
)

// A Printer writes to one output.
type Printer struct {
	Out io.Writer
	// Colour says whether colours are wanted: on a terminal, unless NO_COLOR is set.
	Colour bool
	// SafeCells puts an apostrophe before cells of CSV that a spreadsheet would run.
	SafeCells bool
	// Width is how many characters a line has, 0 for any number.
	Width int
	// Quiet leaves out all notes except cautions.
	Quiet bool
	// AllNotes has notes written that would take more lines of a terminal than the table above them.
	AllNotes bool
	// Wide has answers show their spans and days on every line.
	Wide bool
}

// New returns a printer on an output.
func New(out io.Writer) *Printer {
	return &Printer{Out: out, Colour: IsTerminal(out) && os.Getenv("NO_COLOR") == "", Width: terminalWidth(out)}
}

// IsTerminal reports whether an input or output is a terminal.
func IsTerminal(v any) bool {
	f, ok := v.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// Linef writes one line.
func (p *Printer) Linef(format string, args ...any) {
	fmt.Fprintln(p.Out, p.line(fmt.Sprintf(format, args...)))
}

// JSON writes a value as JSON.
func (p *Printer) JSON(v any) error {
	e := json.NewEncoder(p.Out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// A Look says how a grid is shown to people.
type Look struct {
	Right map[int]bool // columns set to the right
	// Lead is how many columns say what a row is: where a table is too wide, each block has them. There is one at least.
	Lead int
	// Groups says which columns stay together where a table is too wide; nil for none.
	Groups []int
	// Shown returns a cell as people read it; nil leaves cells as they are.
	Shown func(column int, cell string) string
}

// group is which columns a column stays with.
func (l Look) group(column int) int {
	if column < len(l.Groups) {
		return l.Groups[column]
	}
	return -column - 1
}

// Table draws a grid; one that is wider than the terminal in blocks of columns, one under the other.
func (p *Printer) Table(g *table.Grid, l Look) {
	rows := make([][]string, 0, len(g.Rows)+1)
	header := make([]string, len(g.Header))
	for i, h := range g.Header {
		header[i] = p.paint(text.Faint, Visible(strings.ReplaceAll(h, "_", " ")))
	}
	rows = append(rows, header)
	for _, row := range g.Rows {
		cells := make([]string, len(row))
		for i, c := range row {
			if l.Shown != nil {
				c = l.Shown(i, c)
			}
			cells[i] = p.shown(c)
		}
		rows = append(rows, cells)
	}
	for i, b := range fit(rows, l, p.Width) {
		if i > 0 {
			fmt.Fprintln(p.Out)
		}
		p.block(rows, l, b)
	}
}

// block draws some columns of rows, the first of which is the header.
func (p *Printer) block(rows [][]string, l Look, b block) {
	t := pretty.NewWriter()
	style := pretty.StyleDefault
	style.Box = pretty.StyleBoxDefault
	style.Box.PaddingLeft, style.Box.PaddingRight = "", strings.Repeat(" ", gap)
	style.Options = pretty.OptionsNoBordersAndSeparators
	style.Format = pretty.FormatOptions{Header: text.FormatDefault, Row: text.FormatDefault}
	t.SetStyle(style)
	configs := make([]pretty.ColumnConfig, len(b.columns))
	for i, column := range b.columns {
		configs[i] = pretty.ColumnConfig{Number: i + 1}
		if l.Right[column] {
			configs[i].Align, configs[i].AlignHeader = text.AlignRight, text.AlignRight
		}
		if width := b.widths[column]; width > 0 {
			configs[i].WidthMax, configs[i].WidthMaxEnforcer = width, text.WrapSoft
		}
	}
	t.SetColumnConfigs(configs)
	for n, row := range rows {
		cells := make(pretty.Row, len(b.columns))
		for i, column := range b.columns {
			cells[i] = ""
			if column < len(row) {
				cells[i] = row[column]
			}
		}
		if n == 0 {
			t.AppendHeader(cells)
		} else {
			t.AppendRow(cells)
		}
	}
	for line := range strings.Lines(t.Render() + "\n") {
		fmt.Fprintln(p.Out, strings.TrimRight(line, " \n"))
	}
}

func (p *Printer) paint(c text.Color, s string) string {
	if !p.Colour {
		return s
	}
	return text.Colors{c}.Sprint(s)
}

// Right marks columns that are set to the right.
func Right(columns ...int) map[int]bool {
	right := map[int]bool{}
	for _, c := range columns {
		right[c] = true
	}
	return right
}

// Day writes an ISO date for people and leaves anything else as it is.
func Day(s string) string {
	if d, err := civil.ParseDay(s); err == nil {
		return d.Long()
	}
	return s
}

// Days shows every cell that is an ISO date as people write dates.
func Days(_ int, cell string) string { return Day(cell) }

// Count writes a number with its digits in threes.
func Count[N int | int64](n N) string { return table.Thousands(fmt.Sprint(n)) }

// Number writes a number for people: 3,000 records, 1 record.
func Number[N int | int64](n N, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return Count(n) + " " + one + "s"
}

// shownIntervals is how many intervals a line shows before it says how many more there are.
const shownIntervals = 3

// Intervals writes the days of a set on one line.
func Intervals(s civil.Set) string {
	var parts []string
	for v := range s.Intervals() {
		if len(parts) == shownIntervals {
			parts = append(parts, fmt.Sprintf("and %d more", s.Len()-shownIntervals))
			break
		}
		if v.First() == v.Last() {
			parts = append(parts, v.First().String())
		} else {
			parts = append(parts, v.First().String()+" … "+v.Last().String())
		}
	}
	return strings.Join(parts, ", ")
}

// DayCount writes how many days a set has; empty where a side is open.
func DayCount(n *int) string {
	if n == nil {
		return ""
	}
	return fmt.Sprint(*n)
}

// DayList writes the first few days of a list and says how many more there are.
func DayList(days []civil.Day, most int) string {
	var list []string
	for i, d := range days {
		if i == most {
			list = append(list, fmt.Sprintf("and %d more", len(days)-i))
			break
		}
		list = append(list, d.String())
	}
	return strings.Join(list, " ")
}

// AsOf is the first line of what depends on an as-of day.
func AsOf(asOf interface{ Long() string }, atClose bool, calendar string) string {
	s := "as of " + asOf.Long()
	if atClose {
		s += ", at close"
	}
	return s + ", calendar " + calendar
}
