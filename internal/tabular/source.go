package tabular

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/cockroachdb/apd/v3"

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
	for _, name := range p.Amounts {
		c, ok := s.Column(name)
		if !ok {
			return s.noColumn(name)
		}
		if c.Type != Number {
			return fmt.Errorf("column %s holds %s; a figure other than count needs numbers: %s", name, plural(c.Type), orNone(s.Names(Amount)))
		}
	}
	for _, name := range p.By {
		if err := s.CheckCategory(name); err != nil {
			return err
		}
	}
	return s.CheckFilters(p.Where)
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

// group is what the records of one segment and group add up to.
type group struct {
	labels []tally.Label
	facts  []*tally.Fact // by segment
}

// Facts reads the file and yields the facts of a plan; see tally.Source.
func (f *Source) Facts(ctx context.Context, p *tally.Plan, yield func(tally.Fact) error) (tally.Extent, error) {
	if err := f.Schema.CheckPlan(p); err != nil {
		return tally.Extent{}, err
	}
	day, amounts, by := f.Schema.Day(), f.Schema.positions(p.Amounts), f.Schema.positions(p.By)
	keep, err := f.Schema.keeper(p.Where)
	if err != nil {
		return tally.Extent{}, err
	}
	var extent tally.Extent
	groups := map[string]*group{}
	var order []*group
	var key []byte
	err = f.Reader.Records(f.Schema, f.AllowUndated, func(cells []Cell) error {
		if !keep(cells) {
			return nil
		}
		if !cells[day].Set {
			extent.Undated++
			return ctx.Err()
		}
		d := cells[day].Day
		extent.Add(d)
		segment := p.Segment(d)
		if !p.Wanted(segment) {
			return nil
		}
		key = key[:0]
		for _, i := range by {
			key = appendKey(key, cells[i])
		}
		g := groups[string(key)]
		if g == nil {
			g = &group{facts: make([]*tally.Fact, len(p.Edges)+1)}
			for _, i := range by {
				g.labels = append(g.labels, tally.Label{Text: cells[i].Text, Set: cells[i].Set})
			}
			groups[string(key)] = g
			order = append(order, g)
		}
		fact := g.facts[segment]
		if fact == nil {
			fact = &tally.Fact{Segment: segment, Group: g.labels, Amounts: make([]tally.Amount, len(amounts))}
			g.facts[segment] = fact
		}
		return addRecord(fact, cells, amounts)
	})
	if err != nil {
		return extent, err
	}
	for _, g := range order {
		for _, fact := range g.facts {
			if fact != nil {
				if err := yield(*fact); err != nil {
					return extent, err
				}
			}
		}
	}
	return extent, nil
}

// appendKey makes texts into a key that is the same for the same values only.
func appendKey(key []byte, c Cell) []byte {
	if !c.Set {
		return append(key, 0)
	}
	key = append(key, 1)
	key = append(key, c.Text...)
	return append(key, 0)
}

func addRecord(fact *tally.Fact, cells []Cell, amounts []int) error {
	fact.Count++
	for i, at := range amounts {
		if !cells[at].Set {
			continue
		}
		var v apd.Decimal
		if _, _, err := v.SetString(cells[at].Text); err != nil {
			return fmt.Errorf("%q: %w", cells[at].Text, err)
		}
		if err := fact.Amounts[i].Add(&v); err != nil {
			return err
		}
	}
	return nil
}

// Newest reads the rest of a file and gives the newest day in it; false where no record has a day.
func Newest(r *Reader, s *Schema, allowUndated bool) (civil.Day, bool, error) {
	day := s.Day()
	newest, found := civil.MinDay, false
	err := r.Records(s, allowUndated, func(cells []Cell) error {
		if cells[day].Set {
			newest, found = max(newest, cells[day].Day), true
		}
		return nil
	})
	return newest, found, err
}
