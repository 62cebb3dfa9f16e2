package export

import (
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"vastspan/core/table"
)

const (
	// maxDigits is how many digits of a number a workbook keeps; one with more is written as text.
	maxDigits = 15
	// maxRows is how many rows a sheet of a workbook has, the header among them.
	maxRows = 1_048_576
	// maxSheetName is how long the name of a sheet is, in characters.
	maxSheetName = 31
	// maxWidth is how wide a column is shown, and minWidth how narrow, in characters.
	minWidth, maxWidth = 8, 60
)

// A workbook is being written.
type workbook struct {
	*excelize.File
	bold, day int            // styles
	forms     map[string]int // styles of number formats
	names     map[string]bool
}

// workbookDay is the form in which a workbook shows a day.
var workbookDay = "yyyy-mm-dd"

// writeXLSX writes a workbook: a sheet for each, the header frozen, and last what they rest on. Cells that begin like a
// formula are texts.
func writeXLSX(w io.Writer, sheets []Sheet, about []table.Fact) (err error) {
	book := &workbook{File: excelize.NewFile(), names: map[string]bool{}, forms: map[string]int{}}
	defer func() {
		if closing := book.Close(); err == nil {
			err = closing
		}
	}()
	if book.bold, err = book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}}); err != nil {
		return err
	}
	if book.day, err = book.NewStyle(&excelize.Style{CustomNumFmt: &workbookDay}); err != nil {
		return err
	}
	if len(about) > 0 {
		sheets = append(sheets, aboutSheet(about))
	}
	for i, s := range sheets {
		if err := book.add(s, i == 0); err != nil {
			return err
		}
	}
	return book.Write(w)
}

// add adds a sheet; a workbook has one from its beginning.
func (b *workbook) add(s Sheet, first bool) error {
	name := b.name(s.Title)
	if first {
		if err := b.SetSheetName("Sheet1", name); err != nil {
			return err
		}
	} else if _, err := b.NewSheet(name); err != nil {
		return err
	}
	out, err := b.NewStreamWriter(name)
	if err != nil {
		return err
	}
	widths, err := s.widths()
	if err != nil {
		return err
	}
	header := make([]any, len(s.Columns))
	for i, c := range s.Columns {
		header[i] = excelize.Cell{Value: c.Name, StyleID: b.bold}
		if err := out.SetColWidth(i+1, i+1, float64(widths[i])); err != nil {
			return err
		}
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	if err := out.SetRow("A1", header); err != nil {
		return err
	}
	line := 1
	cells := make([]any, len(s.Columns))
	err = s.Rows(func(row []string) error {
		if line++; line > maxRows {
			return fmt.Errorf("a sheet of a workbook holds %d rows: take CSV, JSON Lines or Parquet", maxRows-1)
		}
		for i, c := range row {
			if cells[i], err = b.cell(c, &s.Columns[i]); err != nil {
				return err
			}
		}
		return out.SetRow("A"+strconv.Itoa(line), cells)
	})
	if err != nil {
		return err
	}
	return out.Flush()
}

// cell is the value of a cell.
func (b *workbook) cell(s string, c *Column) (any, error) {
	switch {
	case s == "":
		return nil, nil
	case c.Kind == Number && table.IsNumber(s) && len(strings.Trim(strings.Replace(s, ".", "", 1), "-")) <= maxDigits:
		if f, err := strconv.ParseFloat(s, 64); err == nil {
			return b.formed(f, c.Form)
		}
	case c.Kind == Day:
		if at, err := time.Parse(time.DateOnly, s); err == nil && at.Year() > 1900 {
			return excelize.Cell{Value: at, StyleID: b.day}, nil
		}
	}
	return s, nil
}

// formed is a number that is shown in a number format.
func (b *workbook) formed(f float64, form string) (any, error) {
	if form == "" {
		return f, nil
	}
	style, ok := b.forms[form]
	if !ok {
		var err error
		if style, err = b.NewStyle(&excelize.Style{CustomNumFmt: &form}); err != nil {
			return nil, err
		}
		b.forms[form] = style
	}
	return excelize.Cell{Value: f, StyleID: style}, nil
}

// widthRows is how many rows say how wide columns are shown.
const widthRows = 200

// widths is how wide columns are shown, in characters.
func (s Sheet) widths() ([]int, error) {
	list := make([]int, len(s.Columns))
	for i, c := range s.Columns {
		list[i] = max(minWidth, utf8.RuneCountInString(c.Name)+2)
	}
	rows := 0
	err := s.Rows(func(row []string) error {
		if rows++; rows > widthRows {
			return errEnough
		}
		for i, c := range row {
			list[i] = min(max(list[i], utf8.RuneCountInString(c)+2), maxWidth)
		}
		return nil
	})
	if err == errEnough {
		err = nil
	}
	return list, err
}

// unnamed are the signs that the name of a sheet cannot have.
var unnamed = regexp.MustCompile(`[\[\]:*?/\\']`)

// name makes a name of a sheet that no other has.
func (b *workbook) name(title string) string {
	clean := strings.Join(strings.Fields(unnamed.ReplaceAllString(title, " ")), " ")
	if clean == "" {
		clean = "Sheet"
	}
	name := shortened(clean, "")
	for n := 2; b.names[strings.ToLower(name)]; n++ {
		name = shortened(clean, " "+strconv.Itoa(n))
	}
	b.names[strings.ToLower(name)] = true
	return name
}

// shortened cuts a title so that with an end it is short enough.
func shortened(title, end string) string {
	runes := []rune(title)
	return strings.TrimSpace(string(runes[:min(len(runes), maxSheetName-len(end))])) + end
}
