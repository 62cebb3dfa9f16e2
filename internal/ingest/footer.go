package ingest

import (
	"errors"
	"io"
	"strings"
)

// maxFooter is how many rows at the end of a file can be left out.
const maxFooter = 1000

// footless is a reader without the last rows of a file.
type footless struct {
	Reader
	rows int
	held []Part // what was read and may hold the last rows
	done bool
}

// Sample returns the first rows, without the last ones of the file where it ends among them.
func (f *footless) Sample() []Row {
	list := f.Reader.Sample()
	if len(list) < SampleRows {
		return list[:max(0, len(list)-f.rows)]
	}
	return list
}

// Next returns the next part; the last ones come as one, without the last rows.
func (f *footless) Next() (Part, error) {
	for !f.done {
		part, err := f.Reader.Next()
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, err
		}
		if err != nil {
			f.done = true
			return f.last()
		}
		if f.held = append(f.held, part); len(f.held) > 1 {
			// A part whose followers hold all of the last rows is whole.
			rows, err := allRowsOf(f.held[1:])
			if err != nil {
				return nil, err
			}
			if len(rows) >= f.rows {
				first := f.held[0]
				f.held = f.held[1:]
				return first, nil
			}
		}
	}
	return nil, io.EOF
}

// last returns what is left, without the last rows.
func (f *footless) last() (Part, error) {
	rows, err := allRowsOf(f.held)
	if err != nil {
		return nil, err
	}
	f.held = nil
	if len(rows) <= f.rows {
		return nil, io.EOF
	}
	return rows[:len(rows)-f.rows], nil
}

// allRowsOf returns the rows of some parts.
func allRowsOf(parts []Part) (rows, error) {
	var list rows
	for _, p := range parts {
		err := p.Rows(func(line int, cells []string) error {
			own := make([]string, len(cells)) // a row is good until the next one
			for i, c := range cells {
				own[i] = strings.Clone(c)
			}
			list = append(list, Row{line, own})
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return list, nil
}
