package query

import (
	"context"
	"fmt"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// What is right and may still mislead is said, once, where it occurs.

// rankNotes says by what the top values are found, and whether others come level with the last of them.
func (p *plan) rankNotes(add func(table.Code, table.Level, string, ...any)) {
	if p.query.Top == 0 || p.top == nil {
		return
	}
	by := p.inputs[0].request.Figures[p.rankBy]
	add(table.Ranked, table.Info, "top %d of %s by %s over %s", p.query.Top, p.query.By[0], by.Words(), p.spans[0].text)
	if n := p.top.Tied; n > 0 {
		are := "values have"
		if n == 1 {
			are = "value has"
		}
		add(table.TiedAtCut, table.Caution, "%d more %s the same %s as the last one that is kept", n, are, by.Words())
	}
}

// spansGroups reports whether a group puts several values of a column together: an earliest or latest value of one of them is not
// that of all (semantics §7).
func (p *plan) spansGroups(group []dataset.Label) bool {
	for i, l := range group {
		if p.inputs[0].request.Part(i) != nil || !l.IsAll() && !l.IsOther() {
			continue
		}
		if l.IsOther() {
			if p.top == nil || p.top.Others != 1 {
				return true
			}
			continue
		}
		first := -1
		for j, g := range p.groups {
			switch {
			case !fits(group, g, i):
			case first < 0:
				first = j
			case p.groups[first][i] != g[i]:
				return true
			}
		}
	}
	return false
}

// fits reports whether a group has the labels of another, but for one category.
func fits(group, other []dataset.Label, but int) bool {
	for i, l := range group {
		if i != but && !l.IsAll() && l != other[i] {
			return false
		}
	}
	return true
}

// signNotes warns of shares and changes that say little, since figures are on both sides of zero.
func (p *plan) signNotes(t *table.Table, add func(table.Code, table.Level, string, ...any)) {
	figure := 0
	for at, c := range t.Columns {
		words := p.query.Figures[c.Figure].Words()
		switch c.Role {
		case table.Figure:
			figure = at
		case table.Change:
			if slices.ContainsFunc(t.Rows, func(r table.Row) bool { return r.Cells[figure].Sign()*r.Cells[at-2].Sign() < 0 }) {
				add(table.SignChanged, table.Caution, "%s: a change from below zero to above it, or back, says little as a percentage", words)
			}
		case table.Share:
			var below, above bool
			for i := range t.Rows {
				if t.Rows[i].Kind == table.Group {
					below, above = below || t.Rows[i].Cells[figure].Sign() < 0, above || t.Rows[i].Cells[figure].Sign() > 0
				}
			}
			if below && above {
				add(table.MixedSigns, table.Caution, "%s: some values are below zero, so that shares may be below 0%% or above 100%%", words)
			}
		}
	}
}

// A future is what a dataset holds after today, where latest is after it: most often a date that was mistyped.
type future struct {
	records int64
	newest  civil.Day // not after today; not set where there is none
}

// findFuture finds records after today, where the question is asked as of the newest record and that is one of them.
func (p *plan) findFuture(ctx context.Context) error {
	in := p.inputs[0]
	if p.query.AsOf != Latest || p.query.Planned || p.Today == nil || in.covered.Records == 0 || in.covered.Newest <= *p.Today ||
		in.MinRecords > 0 {
		return nil
	}
	later := civil.SetOf(civil.Interval{Start: *p.Today + 1, End: civil.OpenEnd})
	until := civil.SetOf(civil.Interval{Start: civil.OpenStart, End: *p.Today + 1})
	r, err := p.look(ctx, in, tally.Request{Days: true, Periods: tally.EachOfDays(later, until)})
	if err != nil {
		return err
	}
	p.future = &future{records: r.RecordsIn(0)}
	if days := r.Days(1, nil); !days.Empty() {
		p.future.newest = days.Last()
	}
	return nil
}

func (p *plan) futureNote(add func(table.Code, table.Level, string, ...any)) {
	if p.future == nil {
		return
	}
	text := fmt.Sprintf("%s after today, %s; the newest is of %s",
		table.CountedRecords(p.future.records), p.Today.Long(), p.inputs[0].covered.Newest.Long())
	if p.future.newest != 0 {
		text += fmt.Sprintf(". The newest day that is not after today: as of %s", p.future.newest)
	}
	add(table.AfterToday, table.Caution, "%s", text)
}

// firstOrLast reports whether a figure is an earliest or a latest value.
func (f *planFigure) firstOrLast() bool { return f.entry.Needs&measure.NeedsFirstLast != 0 }
