package ageing

import (
	"strconv"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/table"
)

// lengthNames name the figures of lengths.
var lengthNames = []string{"mean", "median", "percentile_90", "longest"}

// figureNames name the figures of a group, after its number of records.
func (a *Answer) figureNames() []string {
	names := []string{"open", "closed"}
	for _, of := range []string{"closed_", "open_"} {
		for _, name := range lengthNames {
			names = append(names, of+name)
		}
	}
	if a.Within != nil {
		n := strconv.Itoa(*a.Within)
		names = append(names, "within_"+n, "share_within_"+n, "due_after_"+n, "share_of_due_within_"+n)
	}
	return names
}

// figures are the cells of figureNames.
func (g *Group) figures() []string {
	cells := []string{count(g.Open), count(g.Closed)}
	for _, l := range []*Lengths{&g.ClosedLengths, &g.OpenAges} {
		cells = append(cells, cell(l.Mean), cell(l.Median), cell(l.Percentile90), cell(l.Longest))
	}
	if g.Within != nil {
		cells = append(cells, count(*g.Within), cell(g.WithinShare), count(*g.Due), cell(g.DueShare))
	}
	return cells
}

// Figures returns a row for each value of the category and one for all records.
func (a *Answer) Figures() *table.Grid {
	g := &table.Grid{Header: append(a.labelled("records"), a.figureNames()...)}
	for i := range a.Groups {
		r := &a.Groups[i]
		g.Rows = append(g.Rows, append(append(a.label(r.Label), count(r.Records)), r.figures()...))
	}
	return g
}

// BandRows returns a row for each band of each value of the category and of all records.
func (a *Answer) BandRows() *table.Grid {
	g := &table.Grid{Header: a.labelled("band", "records")}
	if a.Amount != "" {
		g.Header = append(g.Header, "sum_"+a.Amount)
	}
	for i := range a.Groups {
		for _, b := range a.Groups[i].Bands {
			row := append(a.label(a.Groups[i].Label), b.Band, count(b.Records))
			if a.Amount != "" {
				row = append(row, cell(b.Sum))
			}
			g.Rows = append(g.Rows, row)
		}
	}
	return g
}

// bandsAndFigures returns the rows of the bands, each with the figures of its group after it, so that one table has all.
func (a *Answer) bandsAndFigures() *table.Grid {
	g := a.BandRows()
	g.Header = append(append(g.Header, "group_records"), a.figureNames()...)
	for i := range g.Rows {
		group := &a.Groups[i/len(a.Groups[0].Bands)]
		g.Rows[i] = append(append(g.Rows[i], count(group.Records)), group.figures()...)
	}
	return g
}

// CourseRows returns a row for each unit of the course.
func (a *Answer) CourseRows() *table.Grid {
	g := &table.Grid{Header: []string{a.Each, "first_day", "last_day", "open_at_start", "opened", "closed", "open_at_end"}}
	for _, t := range a.Course {
		g.Rows = append(g.Rows, []string{
			t.Unit, t.FirstDay.String(), t.LastDay.String(), count(t.OpenAtStart), count(t.Opened), count(t.Closed), count(t.OpenAtEnd),
		})
	}
	return g
}

// Grid returns the answer as CSV has it: the course where one was asked for, else the bands with the figures of their groups, else
// the figures.
func (a *Answer) Grid() *table.Grid {
	switch {
	case a.Each != "":
		return a.CourseRows()
	case a.Bands != "":
		return a.bandsAndFigures()
	}
	return a.Figures()
}

func (a *Answer) labelled(names ...string) []string {
	if a.By == "" {
		return names
	}
	return append([]string{a.By}, names...)
}

func (a *Answer) label(l dataset.Label) []string {
	switch {
	case a.By == "":
		return nil
	case l.IsAll():
		return []string{"all"}
	}
	return []string{l.Text}
}

func count(n int64) string { return strconv.FormatInt(n, 10) }

func cell(v decimal.Value) string { return v.String() }

// Document returns the answer as it is taken away: the figures, the bands and the course, those that were asked for.
func (a *Answer) Document() *table.Document {
	d := &table.Document{Name: a.Dataset + "-ageing", Title: a.Title(), All: a.Grid(), About: a.About()}
	d.Apart = append(d.Apart, table.Sheet{Title: "figures", Grid: a.Figures()})
	if a.Bands != "" {
		d.Apart = append(d.Apart, table.Sheet{Title: "bands", Grid: a.BandRows()})
	}
	if a.Each != "" {
		d.Apart = append(d.Apart, table.Sheet{Title: "course", Grid: a.CourseRows()})
	}
	return d
}

// About returns what the answer rests on.
func (a *Answer) About() []table.Fact {
	facts := []table.Fact{{Name: "dataset", Text: a.Dataset}, {Name: "as of", Text: a.Question.AsOf}, {Name: "calendar", Text: a.Calendar}}
	facts = append(facts, table.Fact{Name: "lengths", Text: "from " + a.From + " to " + a.To})
	if a.Over != "" {
		extent := table.Extent{Intervals: a.OverDays, Days: table.Days(a.OverDays)}
		facts = append(facts, table.Fact{Name: "records that begin in", Of: a.Over, Text: extent.Text()})
	}
	if a.Show != "" {
		facts = append(facts, table.Fact{Name: "units shown", Text: "those that meet " + a.Show})
	}
	for _, f := range a.Where {
		facts = append(facts, table.Fact{Name: "filter", Text: f.String()})
	}
	for _, text := range a.Cautions {
		facts = append(facts, table.Fact{Name: "caution", Text: text})
	}
	leftOut := func(n int64, why string) {
		if n > 0 {
			facts = append(facts, table.Fact{Name: "left out", Text: count(n) + " records: " + why})
		}
	}
	leftOut(a.Undated, "no date in "+a.From)
	leftOut(a.NotBegun, a.From+" is after the as-of day")
	leftOut(a.FaultRecords, a.To+" comes before "+a.From)
	return facts
}
