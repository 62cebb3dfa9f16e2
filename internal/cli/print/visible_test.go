package print

import (
	"bytes"
	"strings"
	"testing"

	"vastspan/core/table"
)

// What the data holds does nothing to a terminal: it is shown.
func TestControlCharactersAreShown(t *testing.T) {
	for text, want := range map[string]string{
		"größe":              "größe",
		"\x1b]0;title\x07":   `\x1b]0;title\x07`,
		"\x1b[2J":            `\x1b[2J`,
		"a\nb\tc\rd\x7f":     `a\nb\tc\rd\x7f`,
		"\u009b31m\u202eabc": `\x9b31m\u202eabc`,
	} {
		if got := Visible(text); got != want {
			t.Errorf("%q is shown as %s, want %s", text, got, want)
		}
	}
	for _, colour := range []bool{false, true} {
		var out bytes.Buffer
		p := &Printer{Out: &out, Colour: colour}
		p.Table(&table.Grid{Header: []string{"na\x1b[2Jme"}, Rows: [][]string{{"a\x1b[2J\nb"}}}, Look{})
		p.Linef("%s, %s", p.paint(1, "bold"), "\x1b]0;t\x07")
		for _, bad := range []string{"\x1b[2J", "\x1b]", "\x07"} {
			if strings.Contains(out.String(), bad) {
				t.Errorf("%q comes out of %q", bad, out.String())
			}
		}
		if !strings.Contains(out.String(), `a\x1b[2J\nb`) || strings.Contains(out.String(), "\x1b[1m") != colour {
			t.Errorf("what comes out is %q", out.String())
		}
	}
	var told bytes.Buffer
	if n, err := (VisibleWriter{&told}).Write([]byte("line\n\x1b[2J")); n != 9 || err != nil || told.String() != "line\n"+`\x1b[2J` {
		t.Errorf("an error is told as %q, %d, %v", told.String(), n, err)
	}
}
