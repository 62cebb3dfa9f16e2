package print

import (
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// gap is how many blanks are between columns.
const gap = 2

// minText is how narrow a column of texts gets before a table is taken apart.
const minText = 16

// terminalWidth is how many characters a line of an output has: what COLUMNS says, else what the terminal has; 0 is any
// number, as of a file.
func terminalWidth(out any) int {
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 {
		return n
	}
	if f, ok := out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		if width, _, err := term.GetSize(int(f.Fd())); err == nil {
			return width
		}
	}
	return 0
}

// A block is columns of a table that fit next to each other.
type block struct {
	columns []int
	widths  map[int]int // of columns of texts that are narrower than their longest text
}

// fit takes a table apart into blocks of columns that fit into a width, each with the leading columns; 0 is any width.
// Columns of texts are made narrower first. Figures are never cut: a block whose figure does not fit is wider.
func fit(rows [][]string, l Look, width int) []block {
	widths := columnWidths(rows)
	whole := block{widths: map[int]int{}}
	for i := range widths {
		whole.columns = append(whole.columns, i)
	}
	if width == 0 || lineWidth(widths, whole.columns) <= width {
		return []block{whole}
	}
	// What says nothing is left out first.
	whole.columns = slices.DeleteFunc(whole.columns, func(i int) bool { return i >= max(l.Lead, 1) && isBlank(rows[1:], i) })
	over := lineWidth(widths, whole.columns) - width
	for ; over > 0; over-- {
		widest := -1
		for _, i := range whole.columns {
			if !l.Right[i] && widths[i] > minText && (widest < 0 || widths[i] > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			break
		}
		widths[widest]--
		whole.widths[widest] = widths[widest]
	}
	if over <= 0 {
		return []block{whole}
	}
	return apart(columnWidths(rows), l, width)
}

// isBlank reports whether a column has no cell that says anything.
func isBlank(rows [][]string, column int) bool {
	return len(rows) > 0 && !slices.ContainsFunc(rows, func(row []string) bool { return column < len(row) && row[column] != "" })
}

// apart puts as many groups of columns into each block as fit next to the leading columns.
func apart(widths []int, l Look, width int) []block {
	lead := make([]int, min(max(l.Lead, 1), len(widths)))
	for i := range lead {
		lead[i] = i
	}
	var blocks []block
	current := append([]int{}, lead...)
	flush := func() {
		if len(current) > len(lead) {
			blocks = append(blocks, block{columns: current})
			current = append([]int{}, lead...)
		}
	}
	for i := len(lead); i < len(widths); {
		end := i + 1
		for end < len(widths) && l.group(end) == l.group(i) {
			end++
		}
		group := make([]int, 0, end-i)
		for ; i < end; i++ {
			group = append(group, i)
		}
		if lineWidth(widths, append(append([]int{}, current...), group...)) > width {
			flush()
		}
		for _, column := range group {
			if lineWidth(widths, append(append([]int{}, current...), column)) > width {
				flush()
			}
			current = append(current, column)
		}
	}
	flush()
	return blocks
}

// columnWidths is how wide each column is.
func columnWidths(rows [][]string) []int {
	var widths []int
	for _, row := range rows {
		for i, cell := range row {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			for line := range strings.Lines(cell) {
				widths[i] = max(widths[i], text.StringWidthWithoutEscSequences(strings.TrimRight(line, "\n")))
			}
		}
	}
	return widths
}

// lineWidth is how wide columns are next to each other.
func lineWidth(widths, columns []int) int {
	n := -gap
	for _, i := range columns {
		n += widths[i] + gap
	}
	return n
}
