package print

import (
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode"
)

// Visible shows the characters of a text that would do something to a terminal, or turn the order of the
// letters round, as escapes: \x1b, \u202e.
func Visible(s string) string { return visible(s, "") }

// visible is Visible for text that may hold some such characters.
func visible(s, allowed string) string {
	acts := func(r rune) bool {
		return (unicode.Is(unicode.Cc, r) || unicode.Is(unicode.Bidi_Control, r)) && !strings.ContainsRune(allowed, r)
	}
	if strings.IndexFunc(s, acts) < 0 {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		switch {
		case !acts(r):
			b.WriteRune(r)
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\r':
			b.WriteString(`\r`)
		case r == '\t':
			b.WriteString(`\t`)
		case r < 0x100:
			fmt.Fprintf(&b, `\x%02x`, r)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return b.String()
}

// colours are the escapes that this package writes itself.
var colours = regexp.MustCompile("\x1b\\[[0-9;]*m")

// line is what Linef writes: with line breaks and, on a terminal, colours.
func (p *Printer) line(s string) string {
	const allowed = "\n\t"
	if !p.Colour {
		return visible(s, allowed)
	}
	var b strings.Builder
	from := 0
	for _, at := range colours.FindAllStringIndex(s, -1) {
		b.WriteString(visible(s[from:at[0]], allowed) + s[at[0]:at[1]])
		from = at[1]
	}
	b.WriteString(visible(s[from:], allowed))
	return b.String()
}

// VisibleWriter writes text that holds data to a terminal.
type VisibleWriter struct{ Out io.Writer }

func (w VisibleWriter) Write(p []byte) (int, error) {
	if _, err := io.WriteString(w.Out, visible(string(p), "\n\t")); err != nil {
		return 0, err
	}
	return len(p), nil
}

// shown is what a cell of a table shows: without line breaks, and with colours that this package wrote.
func (p *Printer) shown(cell string) string {
	if !p.Colour {
		return Visible(cell)
	}
	return strings.ReplaceAll(strings.ReplaceAll(p.line(cell), "\n", `\n`), "\t", `\t`)
}
