package ingest

import (
	"fmt"
	"strings"
)

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

// ReadError is the error of a file that could not be read on, whatever it holds.
type ReadError struct{ Err error }

func (e *ReadError) Error() string { return "the file could not be read on: " + e.Err.Error() }

// Unwrap returns what went wrong.
func (e *ReadError) Unwrap() error { return e.Err }

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
