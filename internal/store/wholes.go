package store

import (
	"database/sql"
	"fmt"
	"slices"
	"strings"

	"github.com/cockroachdb/apd/v3"
	"gorm.io/gorm"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// points asks for the first or the last value in time of each segment and group.
func (r *records) points(tx *gorm.DB, p *tally.Plan, amount int, name string, last bool, into tally.Sink) error {
	date := r.dataset.dateColumn(p.Date)
	day, at, direction := r.dataset.dayOf(date), r.dataset.dayOf(date)+" - date '0001-01-01'", ""
	if date.Type == tabular.Timestamp {
		at = "(extract(epoch FROM " + quote(date.Name) + ") * 1000000)::bigint"
	}
	if last {
		direction = " DESC"
	}
	labels, labelArgs := r.labels(p)
	selects := append([]string{bucket(day)}, labels...)
	groups := places(len(selects))
	n := len(selects)
	selects = append(selects, at, quote(recordColumn), quote(name)+"::text")
	conditions, args := where(append(r.dataset.filters(p.Where), condition{quote(name) + " IS NOT NULL", nil}, condition{day + " IS NOT NULL", nil}))
	statement := fmt.Sprintf("SELECT DISTINCT ON (%s) %s FROM %s%s ORDER BY %s, %d%s, %d%s", groups, strings.Join(selects, ", "), r.dataset.table(), conditions,
		groups, n+1, direction, n+2, direction)
	rows, err := tx.Raw(statement, slices.Concat([]any{edgeArray(p.Edges)}, labelArgs, args)...).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		f := tally.Fact{Amounts: make([]tally.Amount, len(p.Amounts))}
		q := tally.Point{Set: true}
		var text string
		scan, read := scanLabels(p)
		if err := rows.Scan(append(append([]any{&f.Segment}, scan...), &q.At, &q.Sequence, &text)...); err != nil {
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
			f.Amounts[amount].Last = q
		} else {
			f.Amounts[amount].First = q
		}
		if err := into.Fact(f); err != nil {
			return err
		}
	}
	return rows.Err()
}

// wholes asks for the figures that do not add up, of every stretch and group and of the groups put
// together. Each record is joined to the stretches that hold its day; sorting is the database's,
// which need not keep it in memory.
func (r *records) wholes(tx *gorm.DB, p *tally.Plan, into tally.Sink) error {
	day := r.dataset.dayOf(r.dataset.dateColumn(p.Date))
	var stretches []string
	for i, s := range p.Stretches {
		for v := range s.Intervals() {
			stretches = append(stretches, fmt.Sprintf("(%d, %s, %s)", i, edge(v.Start), edge(v.End)))
		}
	}
	if len(stretches) == 0 {
		return nil
	}
	labels, labelArgs := r.labels(p)
	inner := append([]string{day + " AS day"}, named(labels, "g")...)
	for i, name := range p.Bagged {
		inner = append(inner, fmt.Sprintf("%s AS v%d", quote(name), i))
	}
	conditions, args := where(append(r.dataset.filters(p.Where), within(day, p.Hull())...))
	selects := []string{"stretch"}
	for i := range labels {
		selects = append(selects, fmt.Sprintf("g%d", i), fmt.Sprintf("grouping(g%d)", i))
	}
	for _, f := range p.Wholes {
		v := fmt.Sprintf("v%d", slices.Index(p.Bagged, f.Column))
		if f.Kind == tally.Distinct {
			selects = append(selects, "count(DISTINCT "+v+")::text", "NULL")
		} else {
			selects = append(selects, "percentile_disc(0.5) WITHIN GROUP (ORDER BY "+v+")::text", "percentile_disc(0.5) WITHIN GROUP (ORDER BY "+v+" DESC)::text")
		}
	}
	statement := "SELECT " + strings.Join(selects, ", ") + " FROM (VALUES " + strings.Join(stretches, ", ") + ") AS s(stretch, since, until) JOIN (SELECT " +
		strings.Join(inner, ", ") + " FROM " + r.dataset.table() + conditions + ") AS r ON r.day >= s.since AND r.day < s.until GROUP BY " + groupingSets(p, len(labels))
	rows, err := tx.Raw(statement, append(labelArgs, args...)...).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		w, err := scanWhole(rows, p)
		if err != nil {
			return err
		}
		if err := into.Whole(w); err != nil {
			return err
		}
	}
	return rows.Err()
}

// edge writes the edge of an interval as SQL.
func edge(d civil.Day) string {
	switch d {
	case civil.Since:
		return "date '-infinity'"
	case civil.Onward:
		return "date 'infinity'"
	}
	return "date " + literal(d.String())
}

func named(columns []string, prefix string) []string {
	list := make([]string, len(columns))
	for i, c := range columns {
		list[i] = fmt.Sprintf("%s AS %s%d", c, prefix, i)
	}
	return list
}

// groupingSets lists the groups and all ways to put categories together. With a folded category its
// two columns go together.
func groupingSets(p *tally.Plan, columns int) string {
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
		set := []string{"stretch"}
		for i, part := range parts {
			if mask&(1<<i) == 0 {
				set = append(set, part...)
			}
		}
		sets = append(sets, "("+strings.Join(set, ", ")+")")
	}
	return "GROUPING SETS (" + strings.Join(sets, ", ") + ")"
}

func scanWhole(rows *sql.Rows, p *tally.Plan) (tally.Whole, error) {
	w := tally.Whole{Values: make([]tally.Value, len(p.Wholes))}
	scan, read := scanLabels(p)
	together := make([]int, len(scan))
	into := []any{&w.Stretch}
	for i := range scan {
		into = append(into, scan[i], &together[i])
	}
	texts := make([][2]sql.NullString, len(p.Wholes))
	for i := range texts {
		into = append(into, &texts[i][0], &texts[i][1])
	}
	if err := rows.Scan(into...); err != nil {
		return w, err
	}
	w.Group = read()
	for i, at := 0, 0; i < len(w.Group); i++ {
		if together[at] != 0 {
			w.Group[i] = tally.All
		}
		if at++; i == 0 && len(scan) > len(p.By) {
			at++
		}
	}
	for i, f := range p.Wholes {
		v, err := wholeValue(f.Kind, texts[i])
		if err != nil {
			return w, err
		}
		w.Values[i] = v
	}
	return w, nil
}

// wholeValue reads a count, or a median from the two middle values.
func wholeValue(k tally.Kind, texts [2]sql.NullString) (tally.Value, error) {
	if !texts[0].Valid {
		return tally.Value{}, nil
	}
	lower, _, err := apd.NewFromString(texts[0].String)
	if err != nil || k == tally.Distinct {
		if err == nil {
			return tally.Value{Decimal: *lower, Set: true}, nil
		}
		return tally.Value{}, err
	}
	upper, _, err := apd.NewFromString(texts[1].String)
	if err != nil {
		return tally.Value{}, err
	}
	return tally.Midway(lower, upper)
}
