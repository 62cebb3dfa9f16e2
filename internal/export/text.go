package export

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"errors"
	"io"
	"strings"

	"vastspan/core/table"
)

func writeCSV(w io.Writer, sheets []Sheet, _ []table.Fact) error {
	s, err := onlySheet(sheets)
	if err != nil {
		return err
	}
	out := csv.NewWriter(w)
	begin := begins(func() error { return out.Write(s.names()) })
	err = s.Rows(func(row []string) error {
		if err := begin(); err != nil {
			return err
		}
		return out.Write(row)
	})
	if err == nil {
		err = begin()
	}
	out.Flush()
	return errors.Join(err, out.Error())
}

// begins returns a function that does something the first time only: nothing goes out before there is a row, so that an
// error can still be told.
func begins(do func() error) func() error {
	begun := false
	return func() error {
		if begun {
			return nil
		}
		begun = true
		return do()
	}
}

// writeMarkdown writes a table for each sheet, then what they rest on as a list; numbers are to the right.
func writeMarkdown(w io.Writer, sheets []Sheet, about []table.Fact) error {
	b := bufio.NewWriter(w)
	for i, s := range sheets {
		if i > 0 {
			b.WriteByte('\n')
		}
		if s.Title != "" && len(sheets) > 1 {
			b.WriteString("## " + escaped.Replace(s.Title) + "\n\n")
		}
		for j, line := range s.Head {
			b.WriteString(escaped.Replace(line) + "\n")
			if j == len(s.Head)-1 {
				b.WriteByte('\n')
			}
		}
		if err := markdownTable(b, s); err != nil {
			return err
		}
		for _, line := range s.Foot {
			b.WriteString("\n" + escaped.Replace(line) + "\n")
		}
	}
	for i, f := range about {
		if i == 0 {
			b.WriteByte('\n')
		}
		b.WriteString("- " + escaped.Replace(f.Name))
		if f.Of != "" {
			b.WriteString(" " + escaped.Replace(f.Of))
		}
		b.WriteString(": " + escaped.Replace(f.Text) + "\n")
	}
	return b.Flush()
}

func markdownTable(b *bufio.Writer, s Sheet) error {
	line := func(cells []string) error {
		b.WriteByte('|')
		for _, c := range cells {
			b.WriteString(" " + escaped.Replace(c) + " |")
		}
		return b.WriteByte('\n')
	}
	begin := begins(func() error {
		if err := line(s.names()); err != nil {
			return err
		}
		b.WriteByte('|')
		for _, c := range s.Columns {
			if c.Kind == Number {
				b.WriteString(" ---: |")
			} else {
				b.WriteString(" --- |")
			}
		}
		return b.WriteByte('\n')
	})
	err := s.Rows(func(row []string) error {
		if err := begin(); err != nil {
			return err
		}
		return line(row)
	})
	if err != nil {
		return err
	}
	return begin()
}

// escaped writes what Markdown would take for the edge of a cell, or for markup.
var escaped = strings.NewReplacer(`\`, `\\`, "|", `\|`, "\n", "<br>", "\r", "", "<", "&lt;", "*", `\*`, "_", `\_`, "`", "\\`")

// writeJSONLines writes each row as an object on a line of its own, with the columns in their order. Numbers are numbers
// with all of their digits; an empty cell is null.
func writeJSONLines(w io.Writer, sheets []Sheet, _ []table.Fact) error {
	s, err := onlySheet(sheets)
	if err != nil {
		return err
	}
	names := s.names()
	for i := range names {
		names[i] = quoted(names[i]) + ":"
	}
	b := bufio.NewWriter(w)
	err = s.Rows(func(row []string) error {
		b.WriteByte('{')
		for i, cell := range row {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteString(names[i])
			switch {
			case cell == "":
				b.WriteString("null")
			case s.Columns[i].Kind == Number && table.IsNumber(cell):
				b.WriteString(cell)
			default:
				b.WriteString(quoted(cell))
			}
		}
		_, err := b.WriteString("}\n")
		return err
	})
	return errors.Join(err, b.Flush())
}

func quoted(s string) string {
	var b strings.Builder
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	if err := e.Encode(s); err != nil {
		panic(err) // a text can always be encoded
	}
	return strings.TrimSuffix(b.String(), "\n")
}
