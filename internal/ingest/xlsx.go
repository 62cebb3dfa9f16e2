package ingest

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/thedatashed/xlsxreader"
)

// xlsxReader reads one sheet of a workbook: the values of its cells, of formulas those that were kept. Dates are told by
// the form in which a cell is shown.
type xlsxReader struct {
	header  []string
	columns []int // of the sheet, by the position in the header
	sample  []Row
	written Written
	file    randomFile
	rows    *sheetRows
	ready   []Row
	ended   bool
}

// sheetRows yields the rows of a sheet. The sheet is read twice in step: with the styles, by which dates are told, and
// without, as what the library makes of a date is cut to the second.
type sheetRows struct {
	styled, plain *xlsxreader.XlsxFileCloser
	a, b          chan xlsxreader.Row
	from1904      bool
}

// openXLSX reads the header and the sample of a workbook.
func openXLSX(o Options, w Written, file randomFile, size int64) (Reader, error) {
	archive, err := zip.NewReader(file, size)
	if err != nil {
		return nil, damaged("XLSX", err)
	}
	if !isWorkbook(archive) {
		return nil, errors.New("the file is a ZIP archive and no workbook: unpack it first")
	}
	rows, sheet, err := openSheet(archive, o.Sheet)
	if err != nil {
		return nil, err
	}
	t := &xlsxReader{written: w, file: file, rows: rows}
	t.written.Sheet = sheet
	others := slices.DeleteFunc(slices.Clone(rows.styled.Sheets), func(name string) bool { return name == sheet })
	t.written.OtherSheets = strings.Join(others, ", ")
	if err := t.readHeader(o.HeaderRow); err != nil {
		return nil, errors.Join(err, t.Close())
	}
	for len(t.sample) < SampleRows {
		row, err := t.row()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, errors.Join(err, t.Close())
		}
		t.sample = append(t.sample, row)
	}
	t.ready = t.sample
	return t, nil
}

// openSheet opens a sheet by its name, the first where none is given.
func openSheet(archive *zip.Reader, name string) (*sheetRows, string, error) {
	styled, err := workbook(archive.File)
	if err != nil {
		return nil, "", err
	}
	if len(styled.Sheets) == 0 {
		return nil, "", errors.New("the workbook has no sheets")
	}
	if name == "" {
		name = styled.Sheets[0]
	}
	if !slices.Contains(styled.Sheets, name) {
		return nil, "", fmt.Errorf("there is no sheet %q; the sheets are %s", name, strings.Join(styled.Sheets, ", "))
	}
	if err := whole(styled.GetSheetFileForSheetName(name)); err != nil {
		return nil, "", err
	}
	unstyled := slices.DeleteFunc(slices.Clone(archive.File), func(f *zip.File) bool { return f.Name == stylesName })
	plain, err := workbook(append(unstyled, noStyles))
	if err != nil {
		return nil, "", err
	}
	rows := &sheetRows{styled: styled, plain: plain, a: styled.ReadRows(name), b: plain.ReadRows(name)}
	rows.from1904, err = countsFrom1904(archive)
	return rows, name, err
}

const stylesName = "xl/styles.xml"

// noStyles is a file of styles that has none.
var noStyles = func() *zip.File {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	f, err := w.Create(stylesName)
	if err == nil {
		_, err = f.Write([]byte("<styleSheet/>"))
	}
	if err = errors.Join(err, w.Close()); err != nil {
		panic(err)
	}
	r, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		panic(err)
	}
	return r.File[0]
}()

func workbook(files []*zip.File) (*xlsxreader.XlsxFileCloser, error) {
	hasStyles := slices.ContainsFunc(files, func(f *zip.File) bool { return f.Name == stylesName })
	if !hasStyles {
		files = append(slices.Clone(files), noStyles)
	}
	book, err := xlsxreader.OpenReaderZip(&zip.ReadCloser{Reader: zip.Reader{File: files}})
	if err != nil {
		return nil, damaged("XLSX", err)
	}
	return book, nil
}

// whole reads a sheet through, so that one that is cut off is refused before any of it is taken.
func whole(f *zip.File) error {
	in, err := f.Open()
	if err != nil {
		return damaged("XLSX", err)
	}
	defer in.Close()
	tail := make([]byte, 0, 1024)
	buffer := make([]byte, 64<<10)
	for {
		n, err := in.Read(buffer)
		tail = append(tail, buffer[:n]...)
		if over := len(tail) - 512; over > 0 {
			tail = append(tail[:0], tail[over:]...)
		}
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return damaged("XLSX", err)
		}
	}
	if !bytes.Contains(tail, []byte("worksheet>")) && !bytes.Contains(tail, []byte("<worksheet")) {
		return damaged("XLSX", io.ErrUnexpectedEOF)
	}
	return nil
}

// countsFrom1904 reports whether the workbook counts its dates from 1904.
func countsFrom1904(archive *zip.Reader) (bool, error) {
	in, err := archive.Open("xl/workbook.xml")
	if err != nil {
		return false, damaged("XLSX", err)
	}
	defer in.Close()
	var book struct {
		Properties struct {
			Date1904 string `xml:"date1904,attr"`
		} `xml:"workbookPr"`
	}
	if err := xml.NewDecoder(in).Decode(&book); err != nil {
		return false, damaged("XLSX", err)
	}
	return book.Properties.Date1904 == "1" || book.Properties.Date1904 == "true", nil
}

// A cellAt is a value with its column in the sheet.
type cellAt struct {
	column int
	text   string
}

// next returns the next row that holds any value.
func (s *sheetRows) next() (line int, cells []cellAt, err error) {
	styled, more := <-s.a
	plain, more2 := <-s.b
	switch {
	case !more || !more2:
		return 0, nil, io.EOF
	case styled.Error != nil:
		return 0, nil, damaged("XLSX", styled.Error)
	case plain.Error != nil || len(plain.Cells) != len(styled.Cells):
		return 0, nil, damaged("XLSX", errors.Join(errors.New("a row is read in two ways"), plain.Error))
	}
	for i, c := range styled.Cells {
		raw := plain.Cells[i].Value
		text := strings.TrimRight(c.Value, "\x00")
		switch c.Type {
		case xlsxreader.TypeDateTime:
			if text, err = s.date(raw); err != nil {
				return 0, nil, fmt.Errorf("cell %s%d: %w", c.Column, styled.Index, err)
			}
		case xlsxreader.TypeNumerical:
			text = number(raw)
		case xlsxreader.TypeBoolean:
			text = map[string]string{"0": "false", "1": "true"}[raw]
		}
		cells = append(cells, cellAt{c.ColumnIndex(), text})
	}
	return styled.Index, cells, nil
}

// close lets the readers of the sheet end. The file they read is not theirs.
func (s *sheetRows) close() {
	for range s.a { // its sender ends
	}
	for range s.b {
	}
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
	if s.from1904 {
		f += 1462
	}
	if math.IsNaN(f) || f < -693_500 || f > 2_958_466 {
		return "", fmt.Errorf("%s is no date: expected one of the years 1 to 9999", raw)
	}
	days := math.Floor(f)
	milliseconds := math.Round((f - days) * 86_400_000)
	at := spreadsheetEpoch.AddDate(0, 0, int(days)).Add(time.Duration(milliseconds) * time.Millisecond)
	if milliseconds == 0 {
		return at.Format(time.DateOnly), nil
	}
	return at.Format("2006-01-02T15:04:05.999"), nil
}

// readHeader reads the names of the columns: of the stated row, or of the first that has any.
func (t *xlsxReader) readHeader(at int) error {
	for {
		line, cells, err := t.rows.next()
		if errors.Is(err, io.EOF) {
			if at > 0 {
				return fmt.Errorf("sheet %s has no row %d: expected the names of the columns there", t.written.Sheet, at)
			}
			return fmt.Errorf("sheet %s is empty: expected a row with the names of the columns", t.written.Sheet)
		}
		if err != nil {
			return err
		}
		if line < at {
			continue
		}
		if at > 0 && line > at {
			return fmt.Errorf("row %d of sheet %s is empty: expected the names of the columns there", at, t.written.Sheet)
		}
		t.written.HeaderRow = line
		for _, c := range cells {
			if name := strings.TrimSpace(c.text); name != "" {
				t.header, t.columns = append(t.header, name), append(t.columns, c.column)
			}
		}
		return nil
	}
}

// row returns the next row.
func (t *xlsxReader) row() (Row, error) {
	for {
		line, cells, err := t.rows.next()
		if err != nil {
			return Row{}, err
		}
		row := Row{line, make([]string, len(t.header))}
		filled := false
		for _, c := range cells {
			at := slices.Index(t.columns, c.column)
			if at >= 0 {
				row.Cells[at] = c.text
			} else if strings.TrimSpace(c.text) != "" {
				return row, faulty(Fault{Line: line, Value: shorten(c.text), Expected: "a value in a column that the header does not name" +
					"; if the names are further down, state their row (header-row)"})
			}
			filled = filled || at >= 0 && c.text != ""
		}
		if filled {
			return row, nil
		}
	}
}

// Header returns the names of the columns.
func (t *xlsxReader) Header() []string { return t.header }

// Sample returns the first rows.
func (t *xlsxReader) Sample() []Row { return t.sample }

// Written says how the file is written.
func (t *xlsxReader) Written() Written { return t.written }

// Close ends the reading of the sheet.
func (t *xlsxReader) Close() error {
	t.rows.close()
	return t.file.Close()
}

// partRows is how many rows a part of a sheet has.
const partRows = 2000

// Next returns the next rows.
func (t *xlsxReader) Next() (Part, error) {
	part := rows(t.ready)
	t.ready = nil
	for len(part) < partRows && !t.ended {
		row, err := t.row()
		if errors.Is(err, io.EOF) {
			t.ended = true
			break
		}
		if err != nil {
			return nil, err
		}
		part = append(part, row)
	}
	if len(part) == 0 {
		return nil, io.EOF
	}
	return part, nil
}
