// Package export writes tables of texts in open formats that others read: Markdown, lines of JSON and XLSX. What a column
// holds is told by its cells: numbers are written as numbers, days as days.
package export

import (
	"encoding/json"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"vastspan/core/decimal"
	"vastspan/core/table"
)

// A kind is what all cells of a column hold that are not empty.
type kind int

const (
	text kind = iota
	number
	day
)

// kinds returns what the columns of a grid hold; those of labels hold text.
func kinds(g *table.Grid) []kind {
	list := make([]kind, len(g.Header))
	for i, name := range g.Header {
		if slices.Contains(g.Labels, name) {
			continue
		}
		numbers, days, filled := true, true, false
		for _, row := range g.Rows {
			if i >= len(row) || row[i] == "" {
				continue
			}
			filled = true
			numbers = numbers && isNumber(row[i])
			days = days && isDay(row[i])
		}
		switch {
		case filled && numbers:
			list[i] = number
		case filled && days:
			list[i] = day
		}
	}
	return list
}

// isNumber reports whether a text is a number in plain digits, and no code that begins with a zero.
func isNumber(s string) bool {
	digits := strings.TrimPrefix(s, "-")
	return decimal.IsPlain(s) && s[0] != '+' && (len(digits) == 1 || digits[0] != '0' || digits[1] == '.')
}

func isDay(s string) bool {
	_, err := time.Parse(time.DateOnly, s)
	return err == nil
}

// Markdown writes a grid as a table of Markdown; numbers stand to the right.
func Markdown(w io.Writer, g *table.Grid) error {
	var b strings.Builder
	line := func(cells []string) {
		b.WriteByte('|')
		for _, c := range cells {
			b.WriteString(" " + escaped.Replace(c) + " |")
		}
		b.WriteByte('\n')
	}
	line(g.Header)
	b.WriteByte('|')
	for _, k := range kinds(g) {
		if k == number {
			b.WriteString(" ---: |")
		} else {
			b.WriteString(" --- |")
		}
	}
	b.WriteByte('\n')
	for _, row := range g.Rows {
		line(row)
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// escaped writes what Markdown would take for the edge of a cell, or for markup.
var escaped = strings.NewReplacer(`\`, `\\`, "|", `\|`, "\n", "<br>", "\r", "", "<", "&lt;", "*", `\*`, "_", `\_`, "`", "\\`")

// JSONLines writes each row of a grid as an object on a line of its own, with the columns in their order. Numbers are
// numbers with all of their digits; an empty cell is null.
func JSONLines(w io.Writer, g *table.Grid) error {
	kinds := kinds(g)
	var b strings.Builder
	for _, row := range g.Rows {
		b.WriteByte('{')
		for i, name := range g.Header {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteString(quoted(name) + ":")
			switch {
			case i >= len(row) || row[i] == "":
				b.WriteString("null")
			case kinds[i] == number:
				b.WriteString(row[i])
			default:
				b.WriteString(quoted(row[i]))
			}
		}
		b.WriteString("}\n")
	}
	_, err := io.WriteString(w, b.String())
	return err
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

// maxDigits is how many digits of a number a workbook keeps; one with more is written as text.
const maxDigits = 15

// workbookDay is the form in which a workbook shows a day.
var workbookDay = "yyyy-mm-dd"

// XLSX writes a grid as a workbook of one sheet, with the header frozen. Cells that begin like a formula are texts.
func XLSX(w io.Writer, sheet string, g *table.Grid) (err error) {
	book := excelize.NewFile()
	defer func() {
		if closing := book.Close(); err == nil {
			err = closing
		}
	}()
	if sheet = sheetName(sheet); sheet != "Sheet1" {
		if err := book.SetSheetName("Sheet1", sheet); err != nil {
			return err
		}
	}
	bold, err := book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	days, err := book.NewStyle(&excelize.Style{CustomNumFmt: &workbookDay})
	if err != nil {
		return err
	}
	out, err := book.NewStreamWriter(sheet)
	if err != nil {
		return err
	}
	kinds := kinds(g)
	for i := range g.Header {
		if err := out.SetColWidth(i+1, i+1, float64(width(g, i))); err != nil {
			return err
		}
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	header := make([]any, len(g.Header))
	for i, name := range g.Header {
		header[i] = excelize.Cell{Value: name, StyleID: bold}
	}
	if err := out.SetRow("A1", header); err != nil {
		return err
	}
	for n, row := range g.Rows {
		cells := make([]any, len(row))
		for i, c := range row {
			cells[i] = cell(c, kinds[i], days)
		}
		if err := out.SetRow("A"+strconv.Itoa(n+2), cells); err != nil {
			return err
		}
	}
	if err := out.Flush(); err != nil {
		return err
	}
	return book.Write(w)
}

// cell is the value of a cell of a workbook.
func cell(s string, k kind, days int) any {
	switch {
	case s == "":
		return nil
	case k == number && len(strings.Trim(s, "-.")) <= maxDigits:
		f, err := strconv.ParseFloat(s, 64)
		if err == nil {
			return f
		}
	case k == day:
		if at, err := time.Parse(time.DateOnly, s); err == nil && at.Year() >= 1900 {
			return excelize.Cell{Value: at, StyleID: days}
		}
	}
	return s
}

// width is how wide a column is shown, in characters.
func width(g *table.Grid, column int) int {
	widest := len(g.Header[column])
	for _, row := range g.Rows[:min(len(g.Rows), 200)] {
		if column < len(row) {
			widest = max(widest, len(row[column]))
		}
	}
	return min(widest+2, 60)
}

// unnamed are the signs that the name of a sheet cannot have.
var unnamed = regexp.MustCompile(`[\[\]:*?/\\']`)

// sheetName makes a name of a sheet: at most 31 characters.
func sheetName(name string) string {
	runes := []rune(strings.TrimSpace(unnamed.ReplaceAllString(name, " ")))
	if len(runes) == 0 {
		return "Sheet1"
	}
	return strings.TrimSpace(string(runes[:min(len(runes), 31)]))
}

// Formats lists what Write knows.
var Formats = []string{"markdown", "json-lines", "xlsx"}

// Write writes a grid in one of the formats; title names the sheet of a workbook.
func Write(w io.Writer, format, title string, g *table.Grid) error {
	switch format {
	case "markdown":
		return Markdown(w, g)
	case "json-lines":
		return JSONLines(w, g)
	case "xlsx":
		return XLSX(w, title, g)
	}
	return fmt.Errorf("format %q: expected %s", format, strings.Join(Formats, ", "))
}
