package tabular

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/tally"
)

// Source is a file of records as a source of facts; it is read once, from start to end.
type Source struct {
	Reader       *Reader
	Schema       *Schema
	AllowUndated bool
}

// CheckPlan refuses columns that a plan asks for and the schema cannot give.
func (s *Schema) CheckPlan(p *tally.Plan) error {
	for _, f := range p.Figures {
		if err := s.checkFigure(f); err != nil {
			return err
		}
	}
	if _, err := s.DateColumn(p.Date); err != nil {
		return err
	}
	for _, name := range p.By {
		if err := s.CheckCategory(name); err != nil {
			return err
		}
	}
	return s.CheckFilters(p.Where)
}

func (s *Schema) checkFigure(f tally.Figure) error {
	if f.Kind == tally.Count {
		return nil
	}
	c, ok := s.Column(f.Column)
	if !ok {
		return s.noColumn(f.Column)
	}
	if c.Type != Number && f.Kind != tally.Distinct {
		return fmt.Errorf("column %s holds %s; %s needs numbers: %s", f.Column, plural(c.Type), f.Kind, orNone(s.Names(Amount)))
	}
	return nil
}

// DateColumn gives the position of a column of dates or times; empty is the one that the records are
// kept by.
func (s *Schema) DateColumn(name string) (int, error) {
	if name == "" {
		return s.Day(), nil
	}
	c, ok := s.Column(name)
	if !ok {
		return 0, s.noColumn(name)
	}
	if c.Type != Date && c.Type != Timestamp {
		return 0, fmt.Errorf("column %s holds %s and gives no day; the columns of dates are %s", name, plural(c.Type), orNone(s.Dates()))
	}
	return slices.IndexFunc(s.Columns, func(c Column) bool { return c.Name == name }), nil
}

// Dates lists the columns of dates and times, the one that the records are kept by first.
func (s *Schema) Dates() []string {
	var names []string
	for i, c := range s.Columns {
		switch {
		case i == s.Day():
			names = slices.Insert(names, 0, c.Name)
		case c.Type == Date || c.Type == Timestamp:
			names = append(names, c.Name)
		}
	}
	return names
}

// CheckCategory refuses a column that records cannot be broken down by.
func (s *Schema) CheckCategory(name string) error {
	c, ok := s.Column(name)
	if !ok {
		return s.noColumn(name)
	}
	if c.Type != Text {
		return fmt.Errorf("column %s holds %s and is no category; the categories are %s", name, plural(c.Type), orNone(s.Names(Category)))
	}
	return nil
}

func orNone(names []string) string {
	if len(names) == 0 {
		return "there are none"
	}
	return strings.Join(names, ", ")
}

func (s *Schema) positions(names []string) []int {
	at := make([]int, len(names))
	for i, name := range names {
		at[i] = slices.IndexFunc(s.Columns, func(c Column) bool { return c.Name == name })
	}
	return at
}

// Newest reads the rest of a file and gives the newest day in it; false where no record has a day.
func Newest(ctx context.Context, r *Reader, s *Schema, allowUndated bool) (civil.Day, bool, error) {
	day := s.Day()
	var whole tally.Extent
	err := Scan(ctx, r, Scanning{Schema: s, Columns: []int{day}, AllowUndated: allowUndated}, func(_ int, rows Rows) (tally.Extent, error) {
		var e tally.Extent
		return e, rows(func(_ int, cells []Cell) error {
			if cells[day].Set {
				e.Add(cells[day].Day)
			}
			return nil
		})
	}, func(e tally.Extent) error { whole.Merge(e); return nil })
	return whole.Newest, whole.Records > 0, err
}
