package ingest

import (
	"fmt"
	"slices"
	"strings"
)

const (
	// MaxFaults is how many kinds of fault of a file are reported.
	MaxFaults = 20
	// faultLines is how many lines of a kind of fault are named.
	faultLines = 5
)

// A Fault is one kind of wrong value of a file: the first such value, and how often it goes wrong in this way. Line 1 is
// the header.
type Fault struct {
	File       string      `json:"file,omitempty"` // where there are several
	Line       int         `json:"line"`
	Column     string      `json:"column,omitempty"`
	Value      string      `json:"value,omitempty"`
	Expected   string      `json:"expected"`
	Count      int64       `json:"count"`
	Lines      []int       `json:"lines"` // the first few of them
	Suggestion *Suggestion `json:"suggestion,omitempty"`
}

// A Suggestion is what to state about a file so that it can be read.
type Suggestion struct {
	Option string `json:"option"`
	Value  string `json:"value"`
}

func (f Fault) String() string {
	place := fmt.Sprintf("line %d", f.Line)
	if f.File != "" {
		place = f.File + ", " + place
	}
	text := place + ": " + f.Expected
	if f.Column != "" {
		text = fmt.Sprintf("%s, column %s: %q: %s", place, f.Column, f.Value, f.Expected)
	}
	if f.Count > 1 {
		text += fmt.Sprintf("; %d in all, on lines %s", f.Count, f.LinesText())
	}
	if f.Suggestion != nil {
		text += fmt.Sprintf("; try %s %s", strings.ReplaceAll(f.Suggestion.Option, "_", " "), f.Suggestion.Value)
	}
	return text
}

// LinesText lists the first lines of a kind of fault, with dots where there are more.
func (f Fault) LinesText() string {
	text := strings.Trim(strings.ReplaceAll(fmt.Sprint(f.Lines), " ", ", "), "[]")
	if f.Count > int64(len(f.Lines)) {
		text += ", …"
	}
	return text
}

// kind is what faults of one kind have in common: all but the digits of what was expected.
func (f *Fault) kind() string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return -1
		}
		return r
	}, f.Expected)
}

// ReadError is the error of a file that could not be read on, whatever it holds.
type ReadError struct{ Err error }

func (e *ReadError) Error() string { return "the file could not be read on: " + e.Err.Error() }

// Unwrap returns what went wrong.
func (e *ReadError) Unwrap() error { return e.Err }

// Faults is the error of a file that was refused: up to MaxFaults kinds of wrong values, in the order of the file.
type Faults struct {
	Kinds []Fault
	More  bool // there are other kinds, or may be where reading had to stop
}

// faulty is the error of a file that can be read no further than one fault.
func faulty(f Fault) *Faults {
	faults := &Faults{More: true}
	faults.add(f)
	return faults
}

// add takes one more fault in, or one kind of them.
func (f *Faults) add(one Fault) {
	if one.Count == 0 {
		one.Count, one.Lines = 1, []int{one.Line}
	}
	kind := one.kind()
	at := slices.IndexFunc(f.Kinds, func(k Fault) bool { return k.File == one.File && k.Column == one.Column && k.kind() == kind })
	switch {
	case at >= 0:
		k := &f.Kinds[at]
		k.Count += one.Count
		k.Lines = append(k.Lines, one.Lines[:min(len(one.Lines), faultLines-len(k.Lines))]...)
	case len(f.Kinds) == MaxFaults:
		f.More = true
	default:
		f.Kinds = append(f.Kinds, one)
	}
}

// merge takes the faults of a later part in.
func (f *Faults) merge(later *Faults) {
	for _, k := range later.Kinds {
		f.add(k)
	}
	f.More = f.More || later.More
}

func (f *Faults) Error() string {
	var lines []string
	for _, k := range f.Kinds {
		lines = append(lines, k.String())
	}
	if f.More {
		lines = append(lines, "and there may be more: the rest was not read")
	}
	return strings.Join(lines, "\n")
}
