package print

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/jedib0t/go-pretty/v6/text"

	"vastspan/core/table"
)

var figures = &table.Grid{
	Header: []string{"route", "fare", "year earlier", "change", "people", "year earlier"},
	Rows: [][]string{
		{"Gull Rock", "34,732.09", "33,766.99", "▲ 2.9%", "3,937", "3,800"},
		{"all", "119,468.10", "113,857.96", "▲ 4.9%", "10,367", "9,000"},
	},
}

var figureLook = Look{Right: Right(1, 2, 3, 4, 5), Lead: 1, Groups: []int{0, 1, 2, 2, 3, 4}}

func drawn(g *table.Grid, l Look, width int) string {
	var b bytes.Buffer
	p := &Printer{Out: &b, Width: width}
	p.Table(g, l)
	return b.String()
}

func TestTablesFitInBlocks(t *testing.T) {
	whole := drawn(figures, figureLook, 0)
	for width := 30; width <= 70; width++ {
		got := drawn(figures, figureLook, width)
		for line := range strings.Lines(got) {
			if n := text.StringWidthWithoutEscSequences(strings.TrimRight(line, "\n")); n > width {
				t.Errorf("at %d a line has %d characters: %q", width, n, line)
			}
		}
		for _, row := range figures.Rows { // nothing is cut
			for _, cell := range row {
				if !strings.Contains(got, cell) {
					t.Errorf("at %d %q is missing in\n%s", width, cell, got)
				}
			}
		}
		if width >= text.LongestLineLen(whole) && got != whole {
			t.Errorf("at %d the table is\n%s\nwant\n%s", width, got, whole)
		}
	}
	want := `route            fare
Gull Rock   34,732.09
all        119,468.10

route      year earlier  change  people
Gull Rock     33,766.99  ▲ 2.9%   3,937
all          113,857.96  ▲ 4.9%  10,367

route      year earlier
Gull Rock         3,800
all               9,000
`
	if got := drawn(figures, figureLook, 40); got != want {
		t.Errorf("at 40 the table is\n%s\nwant\n%s", got, want)
	}
}

// A figure that does not fit next to the lead is in a line that is too long, whole.
func TestFiguresAreNeverCut(t *testing.T) {
	if got := drawn(figures, figureLook, 10); !strings.Contains(got, "Gull Rock   34,732.09\n") {
		t.Errorf("at 10 the table is\n%s", got)
	}
}

func TestTextsAreWrappedFirst(t *testing.T) {
	g := &table.Grid{Header: []string{"name", "is", "days"}, Rows: [][]string{{"season", "year to date, in the fiscal calendar of April", "241"}}}
	want := "name    is                      days\nseason  year to date, in the     241\n        fiscal calendar of\n        April\n"
	if got := drawn(g, Look{Right: Right(2)}, 36); got != want {
		t.Errorf("the table is\n%s\nwant\n%s", got, want)
	}
}

func TestWidthOfATerminal(t *testing.T) {
	t.Setenv("COLUMNS", "72")
	if n := terminalWidth(&bytes.Buffer{}); n != 72 {
		t.Errorf("the width is %d", n)
	}
	for _, other := range []string{"", "0", "-3", "wide"} {
		t.Setenv("COLUMNS", other)
		if n := terminalWidth(&bytes.Buffer{}); n != 0 {
			t.Errorf("with COLUMNS=%q the width is %d", other, n)
		}
	}
}

func TestApartKeepsGroupsTogether(t *testing.T) {
	blocks := apart([]int{5, 5, 5, 5, 5}, Look{Groups: []int{0, 1, 1, 2, 2}}, 20)
	if len(blocks) != 2 || !slices.Equal(blocks[0].columns, []int{0, 1, 2}) || !slices.Equal(blocks[1].columns, []int{0, 3, 4}) {
		t.Errorf("the blocks are %v", blocks)
	}
}

func TestBlankColumnsAreLeftOutFirst(t *testing.T) {
	g := &table.Grid{Header: []string{"item", "group", "why"}, Rows: [][]string{{"Fares", "", "late records"}, {"People", "", "none"}}}
	if got := drawn(g, Look{}, 24); strings.Contains(got, "group") || strings.Contains(got, "late\n") {
		t.Errorf("the table is\n%s", got)
	}
	if got := drawn(g, Look{}, 0); !strings.Contains(got, "group") {
		t.Errorf("where there is room, the table is\n%s", got)
	}
}
