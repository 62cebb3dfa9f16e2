package table

import (
	"encoding/csv"
	"io"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A Grid is a table of texts, as CSV has it.
type Grid struct {
	Header []string
	Rows   [][]string
	// Labels are the columns that hold names, also where they look like numbers, such as the span 2026.
	Labels []string
	// Looks say how a workbook shows columns, by their names in the header.
	Looks map[string]Look
}

// A Look says how a workbook shows a column.
type Look struct {
	Title string // instead of the name in the header
	// Percent reports that the numbers are fractions, shown as percentages.
	Percent bool
	// Decimals is how many digits after the point are shown; nil for as many as the column's values have.
	Decimals *int
}

// look shows a column under a name in the header.
func (g *Grid) look(name string, l Look) {
	if g.Looks == nil {
		g.Looks = map[string]Look{}
	}
	g.Looks[name] = l
}

// lookPlain shows the columns of a grid so far without the underscores of their names.
func (g *Grid) lookPlain() {
	for _, name := range g.Header {
		g.look(name, Look{Title: strings.ReplaceAll(name, "_", " ")})
	}
}

// AnswerLabels are the columns of names that answers have next to their categories.
var AnswerLabels = []string{"span", "unit", "figure", "row", "item", "line", "group", "flags", "error"}

// WriteCSV writes the grid: the header, then the rows.
func (g *Grid) WriteCSV(w io.Writer) error {
	out := csv.NewWriter(w)
	if err := out.Write(g.Header); err != nil {
		return err
	}
	return out.WriteAll(g.Rows)
}

// Safe returns the grid with its cells as SafeCell has them.
func (g *Grid) Safe() *Grid {
	safe := &Grid{Header: safeCells(g.Header), Labels: g.Labels}
	for _, row := range g.Rows {
		safe.Rows = append(safe.Rows, safeCells(row))
	}
	return safe
}

func safeCells(row []string) []string {
	safe := make([]string, len(row))
	for i, c := range row {
		safe[i] = SafeCell(c)
	}
	return safe
}

// SafeCell puts an apostrophe before a text that a spreadsheet would take for a formula: one that begins
// with =, @, a tab or a carriage return, or with + or - and is no number.
func SafeCell(text string) string {
	if text == "" || !strings.ContainsRune("=@+-\t\r", rune(text[0])) || decimal.IsPlain(text) {
		return text
	}
	return "'" + text
}

// Grid returns the answer's rows as CSV has them: a row for each span, unit and group, and, where subtotals were asked for, one for
// each subtotal and the total, flagged as such; of a cross-tab a row for each figure and row, the total last.
func (a *Answer) Grid() *Grid {
	if len(a.Tables) > 0 && a.Tables[0].Across != "" {
		return a.pivotGrid()
	}
	timed := a.Timed()
	g := &Grid{Header: slices.Concat(a.Beside.Names(), []string{"span"}, extentHeader("", timed), []string{"covered_days"})}
	g.lookPlain()
	g.Labels = slices.Concat(AnswerLabels, a.Beside.Names())
	for i := range a.Tables {
		g.Labels = append(g.Labels, a.Tables[i].By...)
		a.rows(g, &a.Tables[i], timed)
	}
	return g
}

func (a *Answer) rows(g *Grid, t *Table, timed bool) {
	g.Header = slices.Concat(g.Header, t.By, []string{"unit"})
	for i := range t.Columns {
		c := &t.Columns[i]
		g.Header = append(g.Header, c.ID)
		g.look(c.ID, t.look(c))
	}
	names := a.comparisonNames()
	for i, name := range names {
		for _, of := range append(extentHeader("", timed), "covered_days") {
			g.Header = append(g.Header, name+"_"+of)
			g.look(name+"_"+of, Look{Title: a.Spans[0].Comparisons[i].Name + ", " + strings.ReplaceAll(of, "_", " ")})
		}
	}
	if g.Header = append(g.Header, "flags"); len(names) > 0 {
		g.Header = append(g.Header, "like_for_like")
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		if r.Kind != Group && !a.Subtotals {
			continue
		}
		sp := &a.Spans[r.Span]
		cells := slices.Concat(a.Beside.Cells(r.Span), []string{sp.Expression}, r.cells(timed))
		cells = append(cells, countCell(r.CoveredDays))
		for _, l := range r.Group {
			cells = append(cells, a.csvLabel(l))
		}
		cells = append(cells, unitLabel(r))
		for _, v := range r.Cells {
			cells = append(cells, v.String())
		}
		for j := range names {
			extent, covered := sp.Comparisons[j].Extent, sp.Comparisons[j].CoveredDays
			if r.Comparisons != nil {
				extent, covered = r.Comparisons[j], r.ComparisonsCovered[j]
			}
			cells = append(append(cells, extent.cells(timed)...), strconv.Itoa(covered))
		}
		flags := r.Flags
		if r.Kind != Group {
			flags = append([]Flag{Flag(r.Kind)}, flags...)
		}
		if cells = append(cells, FlagText(flags)); len(names) > 0 {
			cells = append(cells, yesNo(!slices.Contains(r.Flags, Unlike) && (r.Unit != nil || sp.likeForLike())))
		}
		g.Rows = append(g.Rows, cells)
	}
}

// comparisonNames returns the names of what spans are compared with, as columns have them.
func (a *Answer) comparisonNames() []string {
	var names []string
	if len(a.Spans) > 0 {
		taken := map[string]bool{}
		for _, c := range a.Spans[0].Comparisons {
			names = append(names, unique(Suffix(c.Name), taken))
		}
	}
	return names
}

func (s *Span) likeForLike() bool {
	return !slices.ContainsFunc(s.Comparisons, func(c Comparison) bool { return !c.LikeForLike })
}

func (a *Answer) pivotGrid() *Grid {
	first := &a.Tables[0]
	down := "unit"
	if len(first.By) > 0 {
		down = first.By[0]
	}
	timed := a.Timed()
	g := &Grid{Header: slices.Concat([]string{"span"}, extentHeader("", timed), []string{"figure", "row", down})}
	g.lookPlain()
	g.Labels = append(slices.Clone(AnswerLabels), down)
	lead := len(g.Header)
	at := map[dataset.Label]int{}
	for i := range a.Tables {
		for _, c := range a.Tables[i].Columns {
			if _, ok := at[*c.Group]; !ok && !c.Group.IsAll() {
				at[*c.Group] = len(g.Header)
				g.Header = append(g.Header, a.csvLabel(*c.Group))
			}
		}
	}
	at[dataset.All] = len(g.Header)
	g.Header = append(g.Header, "total", "flags")
	for i := range a.Tables {
		t := &a.Tables[i]
		for j := range t.Rows {
			r := &t.Rows[j]
			cells := append(append(make([]string, 0, len(g.Header)), a.Spans[r.Span].Expression), r.cells(timed)...)
			label := unitLabel(r)
			if len(r.Group) > 0 {
				label = a.csvLabel(r.Group[0])
			}
			if r.Kind == Total {
				label = ""
			}
			cells = append(cells, t.Figure, string(r.Kind), label)
			cells = append(cells, make([]string, len(g.Header)-lead)...)
			for k, c := range t.Columns {
				cells[at[*c.Group]] = r.Cells[k].String()
			}
			cells[len(cells)-1] = FlagText(r.Flags)
			g.Rows = append(g.Rows, cells)
		}
	}
	return g
}

// csvLabel writes a label as CSV has it: blank is empty.
func (a *Answer) csvLabel(l dataset.Label) string {
	if l == (dataset.Label{}) {
		return ""
	}
	return LabelText(l, a.Others)
}

func unitLabel(r *Row) string {
	if r.Unit == nil {
		return ""
	}
	return r.Unit.Label
}

// DayCells returns the first and the last day of a set and how many there are; an open side is two
// dots, and no day is blank.
func DayCells(s civil.Set) []string {
	if s.Empty() {
		return []string{"", "", "0"}
	}
	b := s.Bounds()
	count := ""
	if n := Days(s); n != nil {
		count = strconv.Itoa(*n)
	}
	return []string{b.First().String(), b.Last().String(), count}
}

// Timed reports whether any of the answer is of moments.
func (a *Answer) Timed() bool {
	timed := false
	a.extents(func(e *Extent) { timed = timed || e.Moments != nil })
	return timed
}

// extentHeader names the columns of an extent, with the moments where there are any.
func extentHeader(prefix string, timed bool) []string {
	names := []string{prefix + "first_day", prefix + "last_day", prefix + "days"}
	if timed {
		names = append(names, prefix+"from", prefix+"until", prefix+"seconds")
	}
	return names
}

// cells are those of an extent: its days, and where the answer is timed its first moment, the one at which it ends and its
// length in seconds, which days leave blank.
func (e *Extent) cells(timed bool) []string {
	cells := DayCells(e.Intervals)
	switch {
	case !timed:
		return cells
	case e.Moments == nil:
		return append(cells, "", "", "")
	case e.Moments.Empty():
		return append(cells, "", "", "0")
	}
	seconds := ""
	if e.Seconds != nil {
		seconds = strconv.FormatInt(*e.Seconds, 10)
	}
	from, until, _ := strings.Cut(e.Moments.FormatRun(e.Moments.Bounds()), "/")
	return append(cells, from, until, seconds)
}

// countCell writes a number of days, nothing where there is none.
func countCell(n *int) string {
	if n == nil {
		return ""
	}
	return strconv.Itoa(*n)
}

// FlagText writes flags one after the other.
func FlagText(flags []Flag) string {
	texts := make([]string, len(flags))
	for i, f := range flags {
		texts[i] = string(f)
	}
	return strings.Join(texts, ", ")
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// A CellText is one figure of an answer with all that it belongs to.
type CellText struct {
	Span, FirstDay, LastDay, Days, CoveredDays, Unit, Group, Figure, Value, Flags string
}

// Texts returns the parts of a cell in their order.
func (c CellText) Texts() []string {
	return []string{c.Span, c.FirstDay, c.LastDay, c.Days, c.CoveredDays, c.Unit, c.Group, c.Figure, c.Value, c.Flags, ""}
}

// has reports whether a span has a row of a group.
func (t *Table) has(span int) bool {
	return slices.ContainsFunc(t.Rows, func(r Row) bool { return r.Span == span && r.Kind == Group })
}

// Cells yields every figure of the answer's rows, but for subtotals, one after the other.
func (a *Answer) Cells(yield func(CellText)) {
	for i := range a.Tables {
		t := &a.Tables[i]
		for j := range t.Rows {
			r := &t.Rows[j]
			if r.Kind != Group && (r.Kind != Total || t.has(r.Span)) { // a span without any group has its total
				continue
			}
			days := DayCells(r.Intervals)
			var group []string
			for _, l := range r.Group {
				group = append(group, LabelText(l, a.Others))
			}
			for k, c := range t.Columns {
				cell := CellText{
					a.Spans[r.Span].Expression,
					days[0],
					days[1],
					days[2],
					countCell(r.CoveredDays),
					unitLabel(r),
					strings.Join(group, "; "),
					c.ID,
					r.Cells[k].String(),
					FlagText(r.Flags),
				}
				if c.Group != nil {
					cell.Group = strings.Join(append(group, LabelText(*c.Group, a.Others)), "; ")
					cell.Figure = t.Figure
				}
				yield(cell)
			}
		}
	}
}
