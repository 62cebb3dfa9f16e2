package query

import (
	"fmt"
	"slices"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/table"
)

// endNotes says where the records end, should that be before a span does, or before the as-of day.
func (p *plan) endNotes(add func(table.Code, table.Level, string, ...any)) {
	in := p.inputs[0]
	if in.covered == nil || in.covered.Records == 0 {
		return
	}
	newest := p.reach(0).Last()
	if newest >= p.Scope.AsOf || in.covered.Newest >= p.Scope.AsOf {
		return
	}
	said := false
	for i := range p.spans {
		sp := &p.spans[i]
		due := p.now().cut(sp.period)
		if sp.period.OpenLeft() || due.Empty() || due.Touched().Bounds().Last() <= newest {
			continue
		}
		said = true
		covered := p.covering(sp.period, 0)
		add(table.RecordsEnd, table.Info, "%s: records cover %d of its %s: they end on %s", sp.text, covered.Touched().Days(),
			table.DayCount(due.Touched().Days()), in.covered.Newest.Long())
	}
	if !said {
		add(table.RecordsEnd, table.Info, "records end on %s, %s before the as-of day", newest.Long(), table.DayCount(int(p.Scope.AsOf-newest)))
	}
}

// alignedNote says that sides were made to end at the same day, where that made them like for like.
func (p *plan) alignedNote(a *Answer, t *table.Table, add func(table.Code, table.Level, string, ...any)) {
	if !p.query.LikeForLike || !p.cutAny {
		return
	}
	for i := range a.Spans {
		for _, c := range a.Spans[i].Comparisons {
			if !c.LikeForLike {
				return
			}
		}
	}
	for i := range t.Rows {
		if slices.Contains(t.Rows[i].Flags, table.Unlike) {
			return
		}
	}
	last, end := p.last(), "at the same day"
	until := last.day.Long()
	if last.within {
		until, end = until+", "+last.timeText(), "at the same time of its day"
	}
	add(table.Aligned, table.Info, "made like-for-like: what reaches past %s ends there, and what it is compared with %s", until, end)
}

// clockNotes says where records that are compared become days by different clocks.
func (p *plan) clockNotes(add func(table.Code, table.Level, string, ...any)) {
	clocked := func(in *input) (string, bool) {
		at, err := in.Schema.DateColumn(in.request.Date)
		if err != nil || in.Schema.Columns[at].Type != dataset.Timestamp {
			return "", false
		}
		return in.request.Clock.String(), true
	}
	own, ok := clocked(p.inputs[0])
	for _, in := range p.inputs[1:] {
		if other, timed := clocked(in); ok && timed && other != own {
			add(table.Clocks, table.Caution, "%s goes by the clock of %s, %s by that of %s: a day of one is not a day of the other",
				p.inputs[0].Name, own, in.Name, other)
		}
	}
}

// notes says what shaped the figures: filters, records that are excluded, days, units; and what to be
// careful with.
func (p *plan) notes(t *table.Table, a *Answer) ([]table.Note, error) {
	var notes []table.Note
	add := func(code table.Code, level table.Level, format string, args ...any) {
		n := table.Note{Code: code, Level: level, Text: fmt.Sprintf(format, args...)}
		if !slices.Contains(notes, n) {
			notes = append(notes, n)
		}
	}
	for _, in := range p.inputs {
		if in.Known != nil {
			notes = append(notes, in.Known.Note())
			a.Known = append(a.Known, *in.Known)
		}
	}
	for _, f := range p.query.Where {
		add(table.Filtered, table.Info, "where %s", filterText(f))
	}
	for _, c := range p.filterCautions {
		add(table.Code(c.Kind), table.Caution, "%s", c.Text)
	}
	for _, in := range p.inputs {
		if r := in.result; in.MinRecords > 0 && (len(in.request.Where) > 0 || r.HiddenTotals > 0) {
			add(table.Withheld, table.Caution, "%s: totals of fewer than %d records are hidden, and those from which one could be worked out",
				in.Name, in.MinRecords)
		}
	}
	if p.inputs[0].result.Quiet {
		add(table.Covered, table.Info, "the number of records is not shown, as you see only totals of %s", p.inputs[0].Name)
	} else if a.Newest != nil {
		what := "records"
		if a.Records == 1 {
			what = "record"
		}
		add(table.Covered, table.Info, "%s %s from %s to %s", table.Thousands(fmt.Sprint(a.Records)), what, a.Oldest.Long(), a.Newest.Long())
	} else {
		add(table.Covered, table.Info, "no matching records")
	}
	if a.Undated > 0 {
		add(table.Excluded, table.Warning, "%s excluded: no date in %s", table.Thousands(fmt.Sprint(a.Undated)), a.Date)
	}
	if a.LeftOut > 0 {
		add(table.LeftOut, table.Warning, "%s after the as-of day left out", table.CountedRecords(a.LeftOut))
	}
	p.endNotes(add)
	p.alignedNote(a, t, add)
	p.alignNotes(add)
	p.futureNote(add)
	p.rankNotes(add)
	p.signNotes(t, add)
	p.unknownNotes(add)
	p.gapNotes(add)
	p.partDayNotes(add)
	p.clockNotes(add)
	p.lengthNotes(add)
	var units []string
	for _, f := range p.query.Figures {
		for _, name := range f.Columns() {
			c, err := p.inputs[0].Schema.Find(name)
			if err != nil || c.Unit == "" {
				continue
			}
			if text := c.Name + " in " + c.Unit; c.Unit != c.Name && !slices.Contains(units, text) {
				units = append(units, text)
			}
		}
	}
	if len(units) > 0 {
		add(table.Units, table.Info, "%s", strings.Join(units, ", "))
	}
	for i := range a.Spans {
		for _, c := range a.Spans[i].Comparisons {
			add(table.ComparedWith, table.Info, "%s compared with %s: %s", a.Spans[i].Expression, c.Name, shownPeriod(c.Intervals, c.Moments))
			if c.Cause != nil {
				add(
					table.NotLikeForLike,
					table.Warning,
					"not like-for-like: %s compared with %s: %s",
					a.Spans[i].Expression,
					c.Name,
					c.Cause.Text,
				)
				notes[len(notes)-1].Aligns = c.Cause.Aligns
			}
		}
		for _, c := range p.spans[i].cautions {
			add(table.Code(c.Kind), table.Caution, "%s", p.spans[i].about(&c, len(p.spans) > 1))
		}
	}
	if err := p.lengthsDiffer(t, a, add); err != nil {
		return nil, err
	}
	if err := p.eventNotes(add); err != nil {
		return nil, err
	}
	if err := p.lifetimeNotes(t, add); err != nil {
		return nil, err
	}
	if err := p.derivedNotes(add); err != nil {
		return nil, err
	}
	return append(notes, table.Legends(a.Tables)...), nil
}

// filterText says in words what a filter keeps, and which days its spans are.
func filterText(f dataset.Filter) string {
	text := f.String()
	for i := range f {
		if days, ok := f[i].Days(); ok {
			text += "; " + string(f[i].Op) + " " + strings.Join(f[i].Values, ", ") + ": " + shown(days)
		}
	}
	return text
}
