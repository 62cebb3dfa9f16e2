package query

import (
	"fmt"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/elapsed"
	"vastspan/core/table"
)

// lengths finds the lengths, such as days from opened_on to closed_on, among the columns that figures and filters are of,
// gives them their canonical names, and returns their columns.
func (p *plan) lengths(s *dataset.Schema) ([]dataset.Column, error) {
	var list []dataset.Column
	read := func(name string) (string, error) {
		l, ok := dataset.ParseLength(name)
		if !ok || s.Index(name) >= 0 {
			return name, nil
		}
		c, err := p.length(l, s)
		if err != nil {
			return name, err
		}
		if !slices.ContainsFunc(list, func(have dataset.Column) bool { return have.Name == c.Name }) {
			list = append(list, c)
		}
		return c.Name, nil
	}
	p.query.Figures = slices.Clone(p.query.Figures)
	for i := range p.query.Figures {
		f := &p.query.Figures[i]
		for _, column := range []*string{&f.Column, &f.Over} {
			var err error
			if *column, err = read(*column); err != nil {
				return nil, errorAt(err, "/figures/%d", i)
			}
		}
	}
	var wrong error
	p.query.Where = p.query.Where.Renamed(func(column string) string {
		name, err := read(column)
		if err != nil && wrong == nil {
			wrong = err
		}
		return name
	})
	return list, errorAt(wrong, "/where")
}

// length makes the column of a length, as of the day of the query.
func (p *plan) length(l dataset.Length, s *dataset.Schema) (dataset.Column, error) {
	unit, err := elapsed.ParseUnit(l.Unit)
	if err != nil {
		return dataset.Column{}, err
	}
	l.Unit = unit.Name
	for _, name := range []string{l.From, l.To} {
		at, err := s.DateColumn(name)
		if err != nil {
			return dataset.Column{}, err
		}
		if c := &s.Columns[at]; unit.Count == nil && c.Type != dataset.Timestamp {
			return dataset.Column{}, fmt.Errorf("hours are measured between times: column %s holds days", name)
		}
	}
	if l.From == l.To {
		return dataset.Column{}, fmt.Errorf("%s is both: expected two columns", l.From)
	}
	clock, err := s.Clock()
	if err != nil {
		return dataset.Column{}, err
	}
	column := &dataset.LengthColumn{
		Length: l, Calendar: p.Scope.Calendar, Hours: elapsed.Hours, AsOf: p.Scope.AsOf, End: clock.StartOf(p.Scope.AsOf + 1),
	}
	if unit.Count != nil {
		column.Count = func(from, to civil.Day) (int, error) { return unit.Count(from, to, column.Calendar) }
	}
	return dataset.Column{Name: l.String(), Type: dataset.Number, Role: dataset.Detail, Unit: unit.Name, Length: column}, nil
}

// lengthNotes says how lengths of what is open are counted.
func (p *plan) lengthNotes(add func(table.Code, table.Level, string, ...any)) {
	for _, c := range p.inputs[0].request.Lengths {
		add(table.Lengthened, table.Info, "%s: what is open counts up to %s; what begins later, or ends before it begins, has none",
			c.Name, p.Scope.AsOf.Long())
	}
}
