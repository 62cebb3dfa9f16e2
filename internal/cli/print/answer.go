package print

import (
	"bytes"
	"io"
	"math"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/query"
	"vastspan/core/table"
)

// Answer draws the answer to a query: a table or cross-tabs, then the notes.
func (p *Printer) Answer(a *query.Answer) {
	drawn := &lineCount{Writer: p.Out}
	onto := *p
	onto.Out = drawn
	onto.Tables(&a.Answer)
	p.Linef("")
	p.notes(a.Notes, max(fewestNotes, drawn.lines))
}

// fewestNotes is how many lines of notes even a short table may have below it.
const fewestNotes = 6

// A lineCount counts the lines that are written.
type lineCount struct {
	io.Writer
	lines int
}

func (c *lineCount) Write(b []byte) (int, error) {
	c.lines += bytes.Count(b, []byte("\n"))
	return c.Writer.Write(b)
}

// Tables draws the tables of an answer.
func (p *Printer) Tables(a *table.Answer) {
	for i, shown := range a.Shown(p.Wide) {
		if i > 0 {
			p.Linef("")
		}
		p.ShownTable(&shown)
	}
}

// ShownTable draws a table as people read it; on a terminal the colour of a change says whether it is good.
func (p *Printer) ShownTable(s *table.Shown) {
	for _, line := range s.Head {
		p.Linef("%s", line)
	}
	if len(s.Head) > 0 {
		p.Linef("")
	}
	if g, look, head, ok := p.upright(s); ok {
		if head != "" {
			p.Linef("%s", head)
			p.Linef("")
		}
		p.Table(g, look)
		return
	}
	g := &table.Grid{Header: s.Header}
	for i, row := range s.Rows {
		cells := slices.Clone(row)
		for j, c := range s.Columns {
			if c != nil {
				cells[j] = p.judged(c, s.Values[i][j], cells[j])
			}
		}
		g.Rows = append(g.Rows, cells)
	}
	p.Table(g, Look{Right: s.Right, Lead: s.Lead, Groups: s.Groups})
}

// seriousness orders notes: warnings, then cautions, then the days of comparisons and other remarks, and last where records begin
// and end, and units.
func seriousness(n table.Note) int {
	switch {
	case n.Level == table.Info && (n.Code == table.Units || n.Code == table.Covered):
		return -1
	}
	return slices.Index([]table.Level{table.Info, table.Caution, table.Warning}, n.Level)
}

// Notes writes what to be careful with, and then what shaped the figures; a quiet printer leaves that out.
func (p *Printer) Notes(notes []table.Note) { p.notes(notes, math.MaxInt) }

// notes writes notes, the most serious first. On a terminal they take at most so many lines, unless all of them are wanted;
// warnings and cautions are always written.
func (p *Printer) notes(notes []table.Note, most int) {
	notes = slices.Clone(notes)
	slices.SortStableFunc(notes, func(a, b table.Note) int { return seriousness(b) - seriousness(a) })
	lines, left := 0, 0
	for _, n := range notes {
		if p.Quiet && n.Level == table.Info {
			continue
		}
		if left > 0 || n.Level == table.Info && p.Width > 0 && !p.AllNotes && lines >= most {
			left++
			continue
		}
		remedy := ""
		if n.Aligns {
			remedy = "; --like-for-like makes both sides end at the same day"
		}
		line := p.wrapped(n.Sentence() + remedy)
		lines += 1 + strings.Count(line, "\n")
		if n.Level == table.Warning {
			line = p.paint(text.FgYellow, line)
		}
		p.Linef("%s", line)
	}
	if left > 0 {
		p.Linef("%s: --all-notes", Number(left, "more note"))
	}
}

// wrapped breaks a sentence between words where a line of the terminal ends; what goes on is set in.
func (p *Printer) wrapped(sentence string) string {
	if p.Width == 0 {
		return sentence
	}
	return strings.ReplaceAll(text.WrapSoft(sentence, max(p.Width-2, 20)), "\n", "\n  ")
}

// AnswerAsOf writes as of when an answer is, and in which calendar.
func AnswerAsOf(a *table.Answer) string {
	if a.AsOfMoment != "" {
		if clock, err := civil.ReadClock(a.Zone, a.DayStarts); err == nil {
			if at, err := clock.Parse(a.AsOfMoment); err == nil {
				return AsOf(civil.AsOf{Clock: clock, Day: a.AsOf, Moment: at.Moment, Timed: true}, a.AtClose, a.Calendar) +
					", zone " + clock.String()
			}
		}
	}
	text := AsOf(a.AsOf, a.AtClose, a.Calendar)
	if a.Zone != "" && a.Timed() {
		text += ", zone " + a.Zone
	}
	if len(a.Known) > 0 {
		text += ", " + a.Known[0].Short()
	}
	return text
}

// judged paints a change that is good or bad.
func (p *Printer) judged(c *table.Column, v decimal.Value, shown string) string {
	switch {
	case c.Role != table.Change || !v.Set || v.Sign() == 0 || c.Better == dataset.Neither:
		return shown
	case (v.Sign() > 0) == (c.Better == dataset.Higher):
		return p.paint(text.FgGreen, shown)
	}
	return p.paint(text.FgRed, shown)
}

// Lineup draws lines: positions down, lines across, then what each line is.
func (p *Printer) Lineup(up *query.Lineup) {
	shown := up.Shown()
	p.ShownTable(&shown)
	p.Linef("")
	for i := range up.Lines {
		a := up.Lines[i].Answer
		p.Linef(
			"%s: %s of %s by %s, %s, %s",
			up.Lines[i].Label,
			a.Query.Figures[0].Words(),
			a.Dataset,
			a.Date,
			a.Spans[0].Expression,
			a.Spans[0].Long(),
		)
		var notes []table.Note
		for _, n := range a.Notes {
			if n.Code == table.Filtered || n.Level != table.Info {
				notes = append(notes, n)
			}
		}
		p.Notes(notes)
	}
	p.Notes(table.Legends([]table.Table{up.Table}))
}

// bars are the heights of a spark line.
var bars = []rune("▁▂▃▄▅▆▇█")

// Spark draws the first figure of rows by unit as bars of a line of text; blanks are gaps.
func Spark(rows []table.Row) string {
	least, most := 0.0, 0.0
	values := make([]*float64, 0, len(rows))
	for i := range rows {
		if rows[i].Kind != table.Group {
			continue
		}
		v, err := rows[i].Cells[0].Decimal.Float64()
		if err != nil || !rows[i].Cells[0].Set {
			values = append(values, nil)
			continue
		}
		values = append(values, &v)
		least, most = min(least, v), max(most, v)
	}
	var b strings.Builder
	for _, v := range values {
		switch {
		case v == nil:
			b.WriteByte(' ')
		case most == least:
			b.WriteRune(bars[0])
		default:
			b.WriteRune(bars[int((*v-least)/(most-least)*float64(len(bars)-1)+0.5)])
		}
	}
	return b.String()
}
