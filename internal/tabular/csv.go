package tabular

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"
	"unicode/utf8"
)

// SampleRows is how many rows a table is described from.
const SampleRows = 5000

// MaxFaults is how many faults of a file are gathered before reading stops.
const MaxFaults = 20

// A Fault is one wrong value of a file. Line 1 is the header.
type Fault struct {
	Line     int    `json:"line"`
	Column   string `json:"column,omitempty"`
	Value    string `json:"value,omitempty"`
	Expected string `json:"expected"`
}

func (f Fault) String() string {
	if f.Column == "" {
		return fmt.Sprintf("line %d: %s", f.Line, f.Expected)
	}
	return fmt.Sprintf("line %d, column %s: %q: %s", f.Line, f.Column, f.Value, f.Expected)
}

// Faults is the error of a file that was refused: up to MaxFaults wrong values.
type Faults struct {
	Rows []Fault
	More bool // reading stopped early: there may be others
}

func (f *Faults) Error() string {
	lines := make([]string, len(f.Rows))
	for i, row := range f.Rows {
		lines[i] = row.String()
	}
	if f.More {
		lines = append(lines, fmt.Sprintf("and there may be more: reading stopped at %d", len(f.Rows)))
	}
	return strings.Join(lines, "\n")
}

// A Reader reads a CSV file row by row. Its sample is read at once, so that the table can be
// described before the first row is taken.
type Reader struct {
	Header []string
	Sample [][]string

	csv     *csv.Reader
	lines   []int // of the sample rows
	next    int   // the sample row to give next
	current int   // the line of the row given last
}

// NewReader reads the header and the sample of a CSV file: comma-separated, UTF-8, with or without
// a byte order mark.
func NewReader(r io.Reader) (*Reader, error) {
	buffered := bufio.NewReaderSize(r, 1<<18)
	if mark, err := buffered.Peek(3); err == nil && bytes.Equal(mark, []byte("\ufeff")) {
		if _, err := buffered.Discard(3); err != nil {
			return nil, err
		}
	}
	t := &Reader{csv: csv.NewReader(buffered)}
	t.csv.FieldsPerRecord = -1 // rows of another length are faults like any other, gathered by Records
	header, err := t.csv.Read()
	if errors.Is(err, io.EOF) {
		return nil, errors.New("the file is empty: expected a header line with the names of the columns")
	}
	if err != nil {
		return nil, csvError(err)
	}
	for _, name := range header {
		if !utf8.ValidString(name) {
			return nil, errors.New("the header is not UTF-8")
		}
	}
	t.Header = header
	for len(t.Sample) < SampleRows {
		row, err := t.csv.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, csvError(err)
		}
		line, _ := t.csv.FieldPos(0)
		t.Sample = append(t.Sample, row)
		t.lines = append(t.lines, line)
	}
	t.csv.ReuseRecord = true
	return t, nil
}

// SampleOnly gives a reader of the sample rows alone.
func (t *Reader) SampleOnly() *Reader {
	return &Reader{Header: t.Header, Sample: t.Sample, lines: t.lines, csv: csv.NewReader(strings.NewReader(""))}
}

// csvError words the errors of encoding/csv.
func csvError(err error) error {
	var p *csv.ParseError
	if errors.As(err, &p) {
		return &Faults{Rows: []Fault{{Line: p.Line, Expected: p.Err.Error()}}}
	}
	return err
}

// Row gives the next row; io.EOF at the end. The row is valid until the next call.
func (t *Reader) Row() ([]string, error) {
	if t.next < len(t.Sample) {
		t.current = t.lines[t.next]
		t.next++
		return t.Sample[t.next-1], nil
	}
	row, err := t.csv.Read()
	if err == nil {
		t.current, _ = t.csv.FieldPos(0)
	} else if !errors.Is(err, io.EOF) {
		err = csvError(err)
	}
	return row, err
}

// Records reads all rows as typed values and gives each to take, which may keep nothing of it. A row
// with a wrong value is not given; reading goes on to gather the faults, up to MaxFaults, and they
// are the error. A blank day is a fault unless allowUndated.
func (t *Reader) Records(s *Schema, allowUndated bool, take func([]Cell) error) error {
	at, err := s.Match(t.Header)
	if err != nil {
		return err
	}
	zone, err := s.Location()
	if err != nil {
		return err
	}
	day := s.Day()
	cells := make([]Cell, len(s.Columns))
	faults := &Faults{}
	for {
		row, err := t.Row()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return joinFaults(faults, err)
		}
		sound := len(row) == len(t.Header)
		if !sound {
			faults.Rows = append(faults.Rows, Fault{Line: t.current, Expected: fmt.Sprintf("the row has %d fields; expected %d, as in the header", len(row), len(t.Header))})
		}
		for i := range s.Columns {
			if !sound {
				break
			}
			c := &s.Columns[i]
			fault := t.cell(c, row[at[i]], s.DateOrder, zone, &cells[i])
			if fault == "" && i == day && !cells[i].Set && !allowUndated {
				fault = "expected a date; records without one are let in only on request (allow undated)"
			}
			if fault != "" {
				faults.Rows = append(faults.Rows, Fault{t.current, c.Name, shorten(row[at[i]]), fault})
			}
		}
		if len(faults.Rows) >= MaxFaults {
			faults.Rows, faults.More = faults.Rows[:MaxFaults], true
			return faults
		}
		if len(faults.Rows) == 0 {
			if err := take(cells); err != nil {
				return err
			}
		}
	}
	if len(faults.Rows) > 0 {
		return faults
	}
	return nil
}

func (t *Reader) cell(c *Column, s string, order DateOrder, zone *time.Location, into *Cell) (fault string) {
	if c.Type == Text && !utf8.ValidString(s) {
		return "expected text in UTF-8"
	}
	cell, err := c.cell(s, order, zone)
	*into = cell
	if err != nil {
		return err.Error()
	}
	return ""
}

// joinFaults adds the fault that ended reading to those gathered before it.
func joinFaults(have *Faults, err error) error {
	var last *Faults
	if errors.As(err, &last) {
		have.Rows = append(have.Rows, last.Rows...)
		have.More = true
		return have
	}
	return err
}

func shorten(s string) string {
	if len(s) > 80 {
		return strings.ToValidUTF8(s[:80], "") + "…"
	}
	return s
}
