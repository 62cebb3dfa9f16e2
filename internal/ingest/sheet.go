package ingest

import (
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"
)

// sheetRows yields the rows of a sheet that hold any value.
type sheetRows struct {
	book   *workbook
	in     io.ReadCloser
	tokens *xmlTokens
	line   int // of the row before
	cells  []cellAt
}

// A cellAt is a value with its column in the sheet.
type cellAt struct {
	column int
	text   string
}

// openSheet opens a sheet by its name.
func (b *workbook) openSheet(name string) (*sheetRows, error) {
	f := b.files[name]
	if f == nil {
		return nil, damaged("XLSX", fmt.Errorf("the file of the sheet %q is missing", name))
	}
	if err := unpack(f, io.Discard); err != nil {
		return nil, err
	}
	in, err := f.Open()
	if err != nil {
		return nil, damaged("XLSX", err)
	}
	return &sheetRows{book: b, in: in, tokens: newXMLTokens(in)}, nil
}

// next returns the next row that holds any value; its cells are valid until the one after it.
func (s *sheetRows) next() (line int, cells []cellAt, err error) {
	for {
		token, err := s.tokens.next()
		if err != nil {
			return 0, nil, err
		}
		e, is := token.(xml.StartElement)
		if !is || e.Name.Local != "row" {
			continue
		}
		if line, err = s.place(&e); err != nil {
			return 0, nil, err
		}
		if err := s.readCells(); err != nil {
			return 0, nil, err
		}
		if len(s.cells) > 0 {
			return line, s.cells, nil
		}
	}
}

// place returns the number of a row: as it is stated, or the one after the row before.
func (s *sheetRows) place(row *xml.StartElement) (int, error) {
	line := s.line + 1
	if stated := attribute(row, "r"); stated != "" {
		n, err := strconv.Atoi(stated)
		if err != nil || n < line {
			return 0, damaged("XLSX", fmt.Errorf("row %q follows row %d", shorten(stated), s.line))
		}
		line = n
	}
	s.line = line
	return line, nil
}

// readCells reads the cells of a row that has been opened.
func (s *sheetRows) readCells() error {
	s.cells = s.cells[:0]
	outside, column, size := s.tokens.depth-1, -1, 0
	for s.tokens.depth > outside {
		token, err := s.tokens.next()
		if err != nil {
			return notEnded(err)
		}
		e, is := token.(xml.StartElement)
		if !is || e.Name.Local != "c" {
			continue
		}
		at, err := columnOf(attribute(&e, "r"), column)
		if err != nil {
			return damaged("XLSX", fmt.Errorf("row %d: %w", s.line, err))
		}
		column = at
		text, err := s.value(&e)
		if err != nil {
			return fmt.Errorf("cell %s%d: %w", columnName(column), s.line, err)
		}
		if size += len(text); size > maxRow {
			return faulty(Fault{Line: s.line, Expected: fmt.Sprintf("a row of at most %d MB", maxRow>>20)})
		}
		if text != "" {
			s.cells = append(s.cells, cellAt{column, text})
		}
	}
	return nil
}

// columnOf returns the column of a cell reference such as AB12, from 0 on; the one after the cell before where there is none.
func columnOf(reference string, before int) (int, error) {
	if reference == "" && before+1 < maxSheetColumns {
		return before + 1, nil
	}
	letters := strings.TrimRight(reference, "0123456789")
	column := 0
	for _, c := range strings.ToUpper(letters) {
		if c < 'A' || c > 'Z' || column > maxSheetColumns {
			return 0, fmt.Errorf("%q is not a cell", shorten(reference))
		}
		column = 26*column + int(c-'A') + 1
	}
	if column--; column <= before || column >= maxSheetColumns {
		return 0, fmt.Errorf("%q is not a cell to the right of the one before", shorten(reference))
	}
	return column, nil
}

// columnName is the opposite of columnOf.
func columnName(column int) string {
	name := ""
	for n := column + 1; n > 0; n = (n - 1) / 26 {
		name = string(rune('A'+(n-1)%26)) + name
	}
	return name
}

// value reads a cell that has been opened to its end.
func (s *sheetRows) value(cell *xml.StartElement) (string, error) {
	kind, style := attribute(cell, "t"), attribute(cell, "s")
	raw, inline, err := s.content()
	if err != nil {
		return "", err
	}
	switch kind {
	case "inlineStr":
		return strings.TrimRight(inline, "\x00"), nil
	case "s":
		if raw == "" {
			return "", nil
		}
		n, err := strconv.Atoi(raw)
		if err != nil || n < 0 || n >= len(s.book.texts) {
			return "", damaged("XLSX", fmt.Errorf("there is no text number %q", shorten(raw)))
		}
		return strings.TrimRight(s.book.texts[n], "\x00"), nil
	case "b":
		return map[string]string{"0": "false", "1": "true"}[raw], nil
	case "n", "":
		if n, err := strconv.Atoi(style); err == nil && n >= 0 && n < len(s.book.dates) && s.book.dates[n] {
			return s.date(raw)
		}
		return number(raw), nil
	}
	return raw, nil
}

// content reads the value of a cell and the text that it holds itself.
func (s *sheetRows) content() (raw, inline string, err error) {
	outside, inValue := s.tokens.depth-1, false
	for s.tokens.depth > outside {
		token, err := s.tokens.next()
		if err != nil {
			return "", "", notEnded(err)
		}
		switch e := token.(type) {
		case xml.StartElement:
			switch e.Name.Local {
			case "v":
				inValue = true
			case "is":
				if inline, err = s.tokens.text(maxCell); err != nil {
					return "", "", err
				}
			}
		case xml.EndElement:
			inValue = false
		case xml.CharData:
			if inValue && len(raw)+len(e) <= maxCell {
				raw += string(e)
			}
		}
	}
	return raw, inline, nil
}

// close lets go of the sheet and of what the workbook holds. The file they are read from is not theirs.
func (s *sheetRows) close() error {
	s.book.release()
	return s.in.Close()
}

// number returns a number of a cell in plain digits: those that a workbook shows, where it keeps the last bits of a
// fraction that is none.
func number(raw string) string {
	f, err := strconv.ParseFloat(raw, 64)
	if err != nil || !strings.ContainsAny(raw, "eE.") {
		return raw
	}
	if f, err = strconv.ParseFloat(strconv.FormatFloat(f, 'e', shownDigits-1, 64), 64); err != nil {
		return raw
	}
	return strconv.FormatFloat(f, 'f', -1, 64)
}

// shownDigits is how many digits of a number workbooks keep.
const shownDigits = 15

// spreadsheetEpoch is the day 0 of workbooks.
var spreadsheetEpoch = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)

// date returns a day, or a day with a time to the millisecond, from days since the epoch; what is text stays.
func (s *sheetRows) date(raw string) (string, error) {
	f, err := strconv.ParseFloat(raw, 64)
	if err != nil {
		return raw, nil
	}
	if s.book.from1904 {
		f += 1462
	}
	if math.IsNaN(f) || f < -693_500 || f > 2_958_466 {
		return "", fmt.Errorf("%s is not a date of the years 1 to 9999", shorten(raw))
	}
	days := math.Floor(f)
	milliseconds := math.Round((f - days) * 86_400_000)
	at := spreadsheetEpoch.AddDate(0, 0, int(days)).Add(time.Duration(milliseconds) * time.Millisecond)
	if milliseconds == 0 {
		return at.Format(time.DateOnly), nil
	}
	return at.Format("2006-01-02T15:04:05.999"), nil
}
