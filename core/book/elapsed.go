package book

import (
	"errors"
	"strconv"

	"vastspan/core/civil"
	"vastspan/core/elapsed"
	"vastspan/core/query"
	"vastspan/core/table"
)

// Elapsed is how far two days or moments are apart.
type Elapsed struct {
	From     civil.AsOf `json:"from"`
	To       civil.AsOf `json:"to"`
	Calendar string     `json:"calendar"`
	elapsed.Figures
}

// Elapsed returns how far two days are apart in a calendar; between moments also the elapsed time, where a day is its
// start. bothEnds counts the last day, too.
func (l *Library) Elapsed(from, to civil.AsOf, c query.Context, bothEnds bool) (*Elapsed, error) {
	s, err := l.Scope(from, c)
	if err != nil {
		return nil, err
	}
	f, err := elapsed.Between(from.Day, to.Day, s.Calendar, bothEnds)
	if err != nil {
		return nil, &query.Error{Pointer: "/to", Err: err}
	}
	if from.Timed || to.Timed {
		if bothEnds {
			return nil, &query.Error{Pointer: "/both_ends", Err: errors.New("both ends are counted between days: a moment has no length")}
		}
		seconds := int64((to.Reach() - from.Reach()) / civil.Second)
		f.Seconds = &seconds
	}
	return &Elapsed{from, to, s.Calendar.Name(), f}, nil
}

// ElapsedNames are the columns of an Elapsed.
var ElapsedNames = []string{"days", "business_days", "months", "years", "period", "year_fraction"}

// ElapsedCells are its cells.
func ElapsedCells(f *elapsed.Figures) []string {
	return []string{
		strconv.Itoa(f.Days), strconv.Itoa(f.BusinessDays), strconv.Itoa(f.Months), strconv.Itoa(f.Years), f.Period, f.YearFraction.String(),
	}
}

// ElapsedDocument returns the distances of pairs of days as a document to download, a row for each.
func ElapsedDocument(list []Elapsed) *table.Document {
	g := &table.Grid{Header: append([]string{"from", "to"}, ElapsedNames...)}
	d := table.Plain("elapsed", g)
	for i := range list {
		e := &list[i]
		g.Rows = append(g.Rows, append([]string{e.From.String(), e.To.String()}, ElapsedCells(&e.Figures)...))
	}
	if len(list) > 0 {
		d.About = []table.Fact{{Name: "calendar", Text: list[0].Calendar}}
	}
	return d
}
