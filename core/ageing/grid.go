package ageing

import (
	"strconv"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/table"
)

// Figures returns a row for each value of the category and one for all records.
func (a *Answer) Figures() *table.Grid {
	g := &table.Grid{Header: a.labelled("records", "open", "closed", "mean", "median", "percentile_90", "longest")}
	if a.Within != nil {
		g.Header = append(g.Header, "within_"+strconv.Itoa(*a.Within), "share_within")
	}
	for i := range a.Groups {
		r := &a.Groups[i]
		row := append(a.label(r.Label), count(r.Records), count(r.Open), count(r.Closed),
			cell(r.Mean), cell(r.Median), cell(r.Percentile90), cell(r.Longest))
		if r.Within != nil {
			row = append(row, count(*r.Within), cell(r.WithinShare))
		}
		g.Rows = append(g.Rows, row)
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

// Grid returns the answer as CSV has it: the course where one was asked for, else the bands, else the figures.
func (a *Answer) Grid() *table.Grid {
	switch {
	case a.Each != "":
		return a.CourseRows()
	case a.Bands != "":
		return a.BandRows()
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
		facts = append(facts, table.Fact{Name: "span", Of: a.Over, Text: extent.Text()})
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
	leftOut(a.NotBegun, a.From+" lies after the as-of day")
	leftOut(a.FaultRecords, a.To+" comes before "+a.From)
	return facts
}
