package ingest

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// xlsxReader reads one sheet of a workbook: the values of its cells, of formulas those that were kept. Dates are
// recognised by the format in which a cell is shown.
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

// openXLSX reads the header and the sample of a workbook.
func openXLSX(o Options, w Written, file randomFile, size int64) (Reader, error) {
	archive, err := openArchive(file, size)
	if err != nil {
		return nil, err
	}
	if fileOfArchive(archive, "xl/workbook.xml") == nil {
		return nil, errors.New("the file is a ZIP archive and not a workbook: unpack it first")
	}
	book, err := openWorkbook(archive, o.Room)
	if err != nil {
		return nil, err
	}
	sheet := cmp.Or(o.Sheet, book.sheets[0])
	if !slices.Contains(book.sheets, sheet) {
		book.release()
		return nil, fmt.Errorf("there is no sheet %q; the sheets are %s", sheet, strings.Join(book.sheets, ", "))
	}
	rows, err := book.openSheet(sheet)
	if err != nil {
		book.release()
		return nil, err
	}
	t := &xlsxReader{written: w, file: file, rows: rows}
	t.written.Sheet = sheet
	others := slices.DeleteFunc(slices.Clone(book.sheets), func(name string) bool { return name == sheet })
	t.written.OtherSheets = strings.Join(others, ", ")
	if err := t.readHeader(o.HeaderRow); err != nil {
		return nil, errors.Join(err, rows.close()) // the file is closed by the caller
	}
	for size := 0; len(t.sample) < SampleRows && size < sampleSize; {
		row, err := t.row()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, errors.Join(err, rows.close())
		}
		size += sizeOf(row.Cells)
		t.sample = append(t.sample, row)
	}
	t.ready = t.sample
	return t, nil
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
func (t *xlsxReader) Close() error { return errors.Join(t.rows.close(), t.file.Close()) }

// partRows is how many rows a part of a sheet has.
const partRows = 2000

// Next returns the next rows.
func (t *xlsxReader) Next() (Part, error) {
	part := rows(t.ready)
	t.ready = nil
	for size := 0; len(part) < partRows && size < blockSize && !t.ended; {
		row, err := t.row()
		if errors.Is(err, io.EOF) {
			t.ended = true
			break
		}
		if err != nil {
			return nil, err
		}
		size += sizeOf(row.Cells)
		part = append(part, row)
	}
	if len(part) == 0 {
		return nil, io.EOF
	}
	return part, nil
}
