// Package ingest reads files of records. It finds out what the columns hold, says so before anything is
// done with it, and turns each row into typed values or into a fault that names line, column, value and
// what was expected. It stores nothing.
package ingest

import (
	"io"

	"vastspan/core/dataset"
)

// A Reader reads the records of one file. Its header and sample are read at once, so that the file can be
// described before its rows are taken by Scan or Records.
type Reader interface {
	// Header returns the names of the columns.
	Header() []string
	// Sample returns the first rows, at most SampleRows.
	Sample() []Row
	// Next returns the next part of the file, the rows of the sample among them; io.EOF at its end.
	Next() (Part, error)
	// Written says how the file is written.
	Written() Written
	// Close lets go of what the reader holds.
	Close() error
}

// A Selector is a reader that can leave columns out.
type Selector interface {
	// Select keeps the columns at some positions of the header; the cells of others are empty from then on.
	Select(columns []int)
}

// A Part holds some whole rows of a file. Parts may be taken apart at the same time.
type Part interface {
	// Rows yields the rows with their lines. A row is valid until the next one.
	Rows(take func(line int, row []string) error) error
	// Valid reports whether all text of the part is UTF-8.
	Valid() bool
}

// A directPart gives cells of some columns as they are kept, without a text between.
type directPart interface {
	Part
	// Direct asks for the cells of a column of the header, as values of a type; false where they come as text alone.
	Direct(column int, kind dataset.Type) bool
	// Cell fills a cell of the row at hand; false where its text has to be read.
	Cell(column int, into *dataset.Cell) bool
}

// A Row is one row as text. Line 1 is the header.
type Row struct {
	Line  int
	Cells []string
}

// SampleRows is how many rows a file is described from, or fewer where they take more than sampleSize bytes.
const (
	SampleRows = 5000
	sampleSize = 16 << 20
)

// sizeOf returns how many bytes the cells of a row take.
func sizeOf(cells []string) int {
	size := 16 * len(cells)
	for _, c := range cells {
		size += len(c)
	}
	return size
}

// sample is a reader of sample rows alone.
type sample struct {
	Reader
	ended bool
}

// SampleOnly returns a reader of the sample of another.
func SampleOnly(r Reader) Reader { return &sample{Reader: r} }

func (s *sample) Next() (Part, error) {
	if s.ended {
		return nil, io.EOF
	}
	s.ended = true
	return rows(s.Sample()), nil
}

// rows is a part that is held in memory.
type rows []Row

func (r rows) Rows(take func(line int, row []string) error) error {
	for _, row := range r {
		if err := take(row.Line, row.Cells); err != nil {
			return err
		}
	}
	return nil
}

func (r rows) Valid() bool { return false }
