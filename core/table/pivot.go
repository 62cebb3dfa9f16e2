package table

import (
	"slices"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// Pivot lays a table out as a cross-tab of one span and one figure: the values of a category go
// across, units or the other category go down, and totals are at both ends. The table has its
// subtotals; column is the position of the figure's column, none what it is where there is no record.
func (t *Table) Pivot(across string, span, column int, title string, others int, none decimal.Value) Table {
	at := slices.Index(t.By, across)
	own := t.Columns[column]
	p := Table{Title: title, Figure: own.ID, Across: across, Each: t.Each, By: []string{}}
	down := -1 // units go down
	if len(t.By) == 2 {
		down = 1 - at
		p.By, p.Each = []string{t.By[down]}, ""
	}
	rows := map[string]int{}
	columns := map[dataset.Label]int{}
	for i := range t.Rows {
		r := &t.Rows[i]
		if r.Span != span || down >= 0 && r.Unit != nil {
			continue
		}
		label := dataset.All
		if len(r.Group) > 0 {
			label = r.Group[at]
		}
		head := p.row(r, down)
		where, ok := rows[head.Key]
		if !ok {
			where = len(p.Rows)
			rows[head.Key] = where
			p.Rows = append(p.Rows, head)
		}
		c, ok := columns[label]
		if !ok {
			c = len(p.Columns)
			columns[label] = c
			one := own
			one.ID, one.Title, one.Group = LabelText(label, others), LabelText(label, others), &label
			p.Columns = append(p.Columns, one)
		}
		cells := &p.Rows[where].Cells
		for len(*cells) <= c {
			*cells = append(*cells, none)
		}
		(*cells)[c] = r.Cells[column]
	}
	p.order(at == 1, down == 1, none)
	return p
}

// row returns the head of the row that a cell is in.
func (p *Table) row(r *Row, down int) Row {
	head := Row{Kind: Group, Span: r.Span, Unit: r.Unit, Extent: r.Extent, Group: []dataset.Label{}, Flags: r.Flags}
	if down >= 0 {
		label := dataset.All
		if len(r.Group) > 0 {
			label = r.Group[down]
		}
		head.Group = []dataset.Label{label}
		if label.IsAll() {
			head.Kind = Total
		}
	} else if r.Unit == nil {
		head.Kind = Total
	}
	head.Key = Key(r.Span, head.Unit, head.Group)
	if start := Key(r.Span, nil, nil); strings.HasPrefix(r.Key, AgainstKey(start)) {
		head.Key = AgainstKey(start) + strings.TrimPrefix(head.Key, start)
	}
	return head
}

// order puts the total last among columns and rows, and fills rows up. Values of the first category come
// in the order in which they are met, which is that of their rank; those of the second by their text.
func (p *Table) order(sortColumns, sortRows bool, none decimal.Value) {
	from := make([]int, len(p.Columns))
	for i := range from {
		from[i] = i
	}
	slices.SortStableFunc(from, func(a, b int) int {
		return inOrder(*p.Columns[a].Group, *p.Columns[b].Group, sortColumns)
	})
	columns, ids := make([]Column, len(from)), map[string]bool{}
	for i, at := range from {
		columns[i] = p.Columns[at]
		columns[i].ID = unique(columns[i].ID, ids)
	}
	p.Columns = columns
	for i := range p.Rows {
		cells := make([]decimal.Value, len(from))
		for j, at := range from {
			if cells[j] = none; at < len(p.Rows[i].Cells) {
				cells[j] = p.Rows[i].Cells[at]
			}
		}
		p.Rows[i].Cells = cells
	}
	slices.SortStableFunc(p.Rows, func(a, b Row) int {
		if len(a.Group) > 0 {
			return inOrder(a.Group[0], b.Group[0], sortRows)
		}
		return last(a.Kind == Total, b.Kind == Total)
	})
}

// inOrder orders labels, all last.
func inOrder(a, b dataset.Label, byText bool) int {
	if c := last(a.IsAll(), b.IsAll()); c != 0 || !byText {
		return c
	}
	return a.Compare(b)
}

// last puts what is marked after what is not.
func last(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}
