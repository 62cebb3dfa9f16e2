package print

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"vastspan/core/table"
)

// On a terminal notes take no more lines than the table has, whatever is serious is always there, and no line is too long.
func TestNotesAreNoLongerThanTheTable(t *testing.T) {
	notes := []table.Note{}
	for i := range 9 {
		notes = append(notes, table.Note{Level: table.Info, Text: fmt.Sprintf("remark %d %s", i, strings.Repeat("and more ", 8))})
	}
	notes = append(notes, table.Note{Level: table.Warning, Text: "beware"})
	for _, c := range []struct {
		width, most int
		all         bool
		remarks     int
	}{{60, 6, false, 3}, {60, 11, false, 5}, {60, 6, true, 9}, {0, 6, false, 9}} {
		var out bytes.Buffer
		p := &Printer{Out: &out, Width: c.width, AllNotes: c.all}
		p.notes(notes, c.most)
		text := out.String()
		if !strings.HasPrefix(text, "beware\n") || strings.Count(text, "remark ") != c.remarks {
			t.Errorf("%+v: %s", c, text)
		}
		if left := 9 - c.remarks; left > 0 != strings.Contains(text, fmt.Sprintf("%d more notes: --all-notes", left)) {
			t.Errorf("%+v: what is left out is not counted: %s", c, text)
		}
		for line := range strings.Lines(text) {
			if c.width > 0 && len(line) > c.width+1 {
				t.Errorf("%+v: a line is too long: %q", c, line)
			}
		}
	}
}
