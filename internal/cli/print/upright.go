package print

import (
	"slices"
	"strings"

	"vastspan/core/table"
)

// upright returns an answer of one row as a line a figure: its value, what it is compared with, the difference and the change. False
// where the row fits as it is, or has one figure without a comparison.
func (p *Printer) upright(s *table.Shown) (g *table.Grid, look Look, head string, ok bool) {
	if p.Width == 0 || len(s.Rows) != 1 {
		return nil, look, "", false
	}
	row := s.Rows[0]
	rows := [][]string{s.Header, row}
	if lineWidth(columnWidths(rows), allColumns(len(s.Header))) <= p.Width {
		return nil, look, "", false
	}
	var lead, rest []string
	for i, cell := range row {
		switch {
		case i >= s.Lead && (i >= len(s.Columns) || s.Columns[i] == nil) && cell != "":
			rest = append(rest, cell) // flags
		case i < s.Lead && cell != "":
			switch strings.ReplaceAll(s.Header[i], "_", " ") {
			case "first day":
				cell = ": " + cell
			case "last day":
				cell = "to " + cell
			case "days":
				cell = ", " + strings.TrimSpace(cell) + " " + plural(cell, "day")
			}
			lead = append(lead, cell)
		}
	}
	var comparisons []string
	for _, c := range s.Columns {
		if c != nil && c.Comparison != "" && !slices.Contains(comparisons, c.Comparison) {
			comparisons = append(comparisons, c.Comparison)
		}
	}
	cell := func(figure int, comparison string, role table.Role) string {
		for i, c := range s.Columns {
			if c != nil && c.Figure == figure && c.Comparison == comparison && c.Role == role {
				return p.judged(c, s.Values[0][i], row[i])
			}
		}
		return ""
	}
	g = &table.Grid{Header: []string{"", "value"}}
	switch len(comparisons) {
	case 0:
	case 1:
		g.Header = append(g.Header, comparisons[0], "difference", "change")
	default:
		g.Header = append(g.Header, "compared with", "counterpart", "difference", "change")
	}
	compared := []table.Role{table.Counterpart, table.Difference, table.Change}
	for i, c := range s.Columns {
		switch {
		case c == nil || c.Comparison != "" && slices.Contains(compared, c.Role):
			continue
		case c.Role != table.Figure || len(comparisons) == 0:
			g.Rows = append(g.Rows, []string{c.Title, row[i]})
			continue
		}
		for n, comparison := range comparisons {
			line := []string{c.Title, row[i]}
			if n > 0 {
				line = []string{"", ""}
			}
			if len(comparisons) > 1 {
				line = append(line, comparison)
			}
			for _, role := range compared {
				line = append(line, cell(c.Figure, comparison, role))
			}
			g.Rows = append(g.Rows, line)
		}
	}
	look = Look{Right: map[int]bool{}, Lead: 1}
	for i := 1; i < len(g.Header); i++ {
		look.Right[i] = g.Header[i] != "compared with"
	}
	head = strings.Join(append(lead, rest...), " ")
	return g, look, strings.NewReplacer(" , ", ", ", " : ", ": ").Replace(head), true
}

// plural is a word as it goes with a number that is written.
func plural(number, word string) string {
	if strings.TrimSpace(number) == "1" {
		return word
	}
	return word + "s"
}

func allColumns(n int) []int {
	list := make([]int, n)
	for i := range list {
		list[i] = i
	}
	return list
}
