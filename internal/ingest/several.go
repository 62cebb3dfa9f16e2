package ingest

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// Omit returns a reader without some columns of another.
func Omit(r Reader, columns []string) (Reader, error) {
	if len(columns) == 0 {
		return r, nil
	}
	v := &view{Reader: r}
	for _, name := range columns {
		if !slices.Contains(r.Header(), name) {
			return nil, fmt.Errorf("there is no column %q to omit; the columns are %s", name, strings.Join(r.Header(), ", "))
		}
	}
	for i, name := range r.Header() {
		if !slices.Contains(columns, name) {
			v.at = append(v.at, i)
		}
	}
	return v, nil
}

// A view is a reader of some columns of another, in an order of its own.
type view struct {
	Reader
	at []int
}

// Header returns the names of the columns.
func (v *view) Header() []string { return pick(v.at, v.Reader.Header()) }

// Sample returns the first rows.
func (v *view) Sample() []Row {
	sample := slices.Clone(v.Reader.Sample())
	for i, row := range sample {
		if len(row.Cells) == len(v.Reader.Header()) { // else it stays the fault that it is
			sample[i].Cells = pick(v.at, row.Cells)
		}
	}
	return sample
}

// Next returns the next part.
func (v *view) Next() (Part, error) {
	part, err := v.Reader.Next()
	if err != nil {
		return nil, err
	}
	return &viewPart{part, v.at, len(v.Reader.Header())}, nil
}

// Select keeps the columns at some positions.
func (v *view) Select(columns []int) {
	if s, ok := v.Reader.(Selector); ok {
		s.Select(pick(columns, v.at))
	}
}

func pick[T any](at []int, from []T) []T {
	picked := make([]T, len(at))
	for i, j := range at {
		if j < len(from) {
			picked[i] = from[j]
		}
	}
	return picked
}

type viewPart struct {
	Part
	at     []int
	fields int
}

// Rows yields the rows; one of another length than the header stays so.
func (p *viewPart) Rows(take func(line int, row []string) error) error {
	picked := make([]string, len(p.at))
	return p.Part.Rows(func(line int, row []string) error {
		if len(row) != p.fields {
			return take(line, make([]string, max(0, len(p.at)+len(row)-p.fields)))
		}
		for i, j := range p.at {
			picked[i] = row[j]
		}
		return take(line, picked)
	})
}

// A Named is a file with its name.
type Named struct {
	Name string
	Body io.Reader
}

// OpenAll reads several files as one, each after the one before; more returns the next, and io.EOF where there is none.
// They have the same columns, in any order. Faults name the file where there is more than one.
func OpenAll(o Options, first Named, more func() (Named, error), omit []string) (Reader, error) {
	r, err := openNamed(o, first, omit)
	if err != nil {
		return nil, err
	}
	return &several{Reader: r, now: r, o: o, omit: omit, names: []string{first.Name}, more: more}, nil
}

func openNamed(o Options, f Named, omit []string) (Reader, error) {
	r, err := Open(o, f.Body)
	if err != nil {
		return nil, err
	}
	without, err := Omit(r, omit)
	if err != nil {
		return nil, errors.Join(err, r.Close())
	}
	return without, nil
}

// several are files read as one. The first is embedded: it has the header and the sample.
type several struct {
	Reader
	now      Reader
	others   []Reader
	o        Options
	omit     []string
	names    []string
	selected []int
	more     func() (Named, error)
}

// Names lists the files that a reader has read from, where it was opened by OpenAll.
func Names(r Reader) []string {
	if s, ok := r.(*several); ok {
		return s.names
	}
	return nil
}

// Select keeps the columns at some positions.
func (s *several) Select(columns []int) {
	if s.selected = columns; s.selected != nil {
		if first, ok := s.Reader.(Selector); ok {
			first.Select(columns)
		}
	}
}

// Next returns the next part, of the next file where one ends.
func (s *several) Next() (Part, error) {
	for {
		part, err := s.now.Next()
		if err == nil {
			return &filePart{part, s.names[len(s.names)-1]}, nil
		}
		if !errors.Is(err, io.EOF) {
			return nil, s.about(err)
		}
		next, err := s.more()
		if err != nil {
			return nil, err
		}
		s.names = append(s.names, next.Name)
		if err := s.open(next); err != nil {
			return nil, s.about(err)
		}
	}
}

// about names the file of an error, where there are several.
func (s *several) about(err error) error {
	name := s.names[len(s.names)-1]
	var faults *Faults
	switch {
	case len(s.names) == 1:
		return err
	case errors.As(err, &faults):
		for i := range faults.Kinds {
			faults.Kinds[i].File = name
		}
		return err
	}
	return fmt.Errorf("%s: %w", name, err)
}

// open opens the next file, whose columns may be in another order.
func (s *several) open(next Named) error {
	r, err := openNamed(s.o, next, s.omit)
	if err != nil {
		return err
	}
	v := &view{Reader: r}
	for _, name := range s.Header() {
		at := slices.Index(r.Header(), name)
		if at < 0 {
			return errors.Join(&HeaderError{fmt.Sprintf("the file has no column %q, which %s has; its columns are %s",
				name, s.names[0], strings.Join(r.Header(), ", "))}, r.Close())
		}
		v.at = append(v.at, at)
	}
	for _, name := range r.Header() {
		if !slices.Contains(s.Header(), name) {
			return errors.Join(&HeaderError{fmt.Sprintf("the file has a column %q, which %s does not have", name, s.names[0])}, r.Close())
		}
	}
	if s.selected != nil {
		v.Select(s.selected)
	}
	s.now, s.others = v, append(s.others, v)
	return nil
}

// Close closes all files that were read from.
func (s *several) Close() error {
	err := s.Reader.Close()
	for _, r := range s.others {
		err = errors.Join(err, r.Close())
	}
	return err
}

// A filePart is a part of one of several files.
type filePart struct {
	Part
	file string
}

// fileOf returns the name of the file that a part is of, where it has one.
func fileOf(p Part) string {
	if f, ok := p.(*filePart); ok {
		return f.file
	}
	return ""
}
