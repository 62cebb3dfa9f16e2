package print

import (
	"bytes"
	"strings"
	"testing"

	"vastspan/core/decimal"
	"vastspan/core/table"
)

// An answer of one row that does not fit is shown upright: one line for each figure, its days once.
func TestOneRowStandsUpright(t *testing.T) {
	columns := []*table.Column{nil, nil, nil, nil}
	header := []string{"span", "first day", "last day", "days"}
	row := []string{"last full month", "Tue 1 Sep 2026", "Wed 30 Sep 2026", "30"}
	for figure, name := range []string{"count", "sum of fare"} {
		for _, c := range []struct {
			role  table.Role
			title string
			text  string
		}{{table.Figure, name, "1,161"}, {table.Counterpart, name + ", 1 year earlier", "1,148"}, {table.Difference, "difference", "13"}, {table.Change, "change", "▲ 1.1%"}} {
			column := &table.Column{Title: c.title, Role: c.role, Figure: figure}
			if c.role != table.Figure {
				column.Comparison = "1 year earlier"
			}
			columns, header, row = append(columns, column), append(header, c.title), append(row, c.text)
		}
	}
	shown := table.Shown{Grid: table.Grid{Header: header, Rows: [][]string{row}}, Lead: 4, Columns: columns, Right: map[int]bool{}, Values: [][]decimal.Value{make([]decimal.Value, len(row))}}
	for width, lines := range map[int]int{80: 5, 0: 2, 400: 2} {
		var b bytes.Buffer
		p := New(&b)
		p.Width = width
		p.ShownTable(&shown)
		text := strings.TrimRight(b.String(), "\n")
		if got := strings.Count(text, "\n") + 1; got != lines {
			t.Errorf("%d lines in %d characters:\n%s", got, width, text)
		}
		if width == 80 && (!strings.HasPrefix(text, "last full month: Tue 1 Sep 2026 to Wed 30 Sep 2026, 30 days\n") ||
			!strings.Contains(text, "value  1 year earlier  difference  change") || strings.Count(text, "1 Sep 2026") != 1) {
			t.Errorf("it reads\n%s", text)
		}
	}
}
