package store

import (
	"database/sql"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// points asks for the earliest or the latest value of each segment and group.
func (r *source) points(tx *gorm.DB, p *tally.Plan, l labels, amount int, last bool, into tally.Collector) error {
	date := r.dataset.dateColumn(p.Date)
	axis, day := r.dataset.axis(p), r.dataset.dayOf(date)
	value := r.dataset.column(p.Amounts[amount].Column)
	data := map[string]any{
		"Axis":      axis,
		"At":        day + " - date '0001-01-01'",
		"Labels":    l.columns,
		"Keys":      1 + len(l.columns),
		"Record":    quote(recordColumn),
		"Value":     value,
		"Table":     r.dataset.table(),
		"Direction": "",
	}
	if date.Type == dataset.Timestamp {
		data["At"] = "(extract(epoch FROM " + r.dataset.column(date.Name) + ") * 1000000)::bigint"
	}
	if last {
		data["Direction"] = " DESC"
	}
	where, args := where(
		append(r.dataset.conditions(p.Where), condition{value + " IS NOT NULL", nil}, condition{day + " IS NOT NULL", nil}),
	)
	data["Where"] = where
	rows, err := tx.Raw(statement("points", data), slices.Concat([]any{axis.cuts(p.Cuts)}, l.args, args)...).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var f tally.Partial
		f.First, f.Last = make([]measure.Point, len(p.Amounts)), make([]measure.Point, len(p.Amounts))
		q := measure.Point{Set: true}
		var text string
		scan, read := l.scan()
		if err := rows.Scan(append(append([]any{&f.Segment}, scan...), &q.At, &q.Sequence, &text, &q.Tied)...); err != nil {
			return err
		}
		if !p.Wanted(f.Segment) {
			continue
		}
		if _, _, err := q.Value.SetString(text); err != nil {
			return err
		}
		f.Group = read()
		if last {
			f.Last[amount] = q
		} else {
			f.First[amount] = q
		}
		if err := into.Partial(f); err != nil {
			return err
		}
	}
	return rows.Err()
}

// holistic asks for the figures of which partial results do not combine.
func (r *source) holistic(tx *gorm.DB, p *tally.Plan, l labels, into tally.Collector) error {
	axis := r.dataset.axis(p)
	var periods []string
	for i, list := range p.Stretches {
		for _, v := range list {
			periods = append(periods, fmt.Sprintf("(%d, %s, %s)", i, axis.edge(v.Start), axis.edge(v.End)))
		}
	}
	bounds, wanted := p.Bounds()
	if !wanted {
		return nil
	}
	type figure struct {
		Order float64
		Value string
	}
	figures := make([]figure, len(p.Holistic))
	for i, f := range p.Holistic {
		e, _ := measure.Lookup(f.Kind)
		figures[i] = figure{e.Order, fmt.Sprintf("v%d", slices.Index(p.ValueColumns, f.Column))}
	}
	values := make([]string, len(p.ValueColumns))
	for i, name := range p.ValueColumns {
		values[i] = r.dataset.column(name)
	}
	where, args := where(append(r.dataset.conditions(p.Where), axis.within([]tally.Stretch{bounds})...))
	query := statement(
		"holistic",
		map[string]any{
			"At":      axis.At,
			"Labels":  l.columns,
			"Figures": figures,
			"Values":  values,
			"Periods": periods,
			"Table":   r.dataset.table(),
			"Where":   where,
			"Sets":    groupingSets(p, len(l.columns)),
		},
	)
	rows, err := tx.Raw(query, append(slices.Clone(l.args), args...)...).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		h, err := scanHolistic(rows, p, l)
		if err != nil {
			return err
		}
		if err := into.Holistic(h); err != nil {
			return err
		}
	}
	return rows.Err()
}

// groupingSets lists the groups and all ways to put categories together. The two columns of a category
// with top values go together.
func groupingSets(p *tally.Plan, columns int) []string {
	var parts [][]string
	for i, at := 0, 0; i < len(p.By); i++ {
		one := []string{fmt.Sprintf("g%d", at)}
		if at++; i == 0 && columns > len(p.By) {
			one = append(one, fmt.Sprintf("g%d", at))
			at++
		}
		parts = append(parts, one)
	}
	var sets []string
	for mask := range 1 << len(parts) {
		set := []string{"period"}
		for i, part := range parts {
			if mask&(1<<i) == 0 {
				set = append(set, part...)
			}
		}
		sets = append(sets, "("+strings.Join(set, ", ")+")")
	}
	return sets
}

func scanHolistic(rows *sql.Rows, p *tally.Plan, l labels) (tally.Holistic, error) {
	h := tally.Holistic{Values: make([]decimal.Fraction, len(p.Holistic))}
	scan, read := l.scan()
	together := make([]int, len(scan))
	into := []any{&h.Period}
	for i := range scan {
		into = append(into, scan[i], &together[i])
	}
	texts := make([][2]sql.NullString, len(p.Holistic))
	for i := range texts {
		into = append(into, &texts[i][0], &texts[i][1])
	}
	if err := rows.Scan(into...); err != nil {
		return h, err
	}
	h.Group = read()
	for i, at := 0, 0; i < len(h.Group); i++ {
		if together[at] != 0 {
			h.Group[i] = dataset.All
		}
		if at++; i == 0 && l.top {
			at++
		}
	}
	for i := range texts {
		v, err := holisticValue(texts[i])
		if err != nil {
			return h, err
		}
		h.Values[i] = decimal.FractionOf(v)
	}
	return h, nil
}

// holisticValue reads a count, or what lies midway between two values.
func holisticValue(texts [2]sql.NullString) (decimal.Value, error) {
	lower, err := decimal.Parse(texts[0].String)
	if err != nil || !texts[1].Valid {
		return lower, err
	}
	upper, err := decimal.Parse(texts[1].String)
	if err != nil {
		return upper, err
	}
	return decimal.Midway(&lower.Decimal, &upper.Decimal)
}
