// Package columns keeps a form of a dataset's records in which any question is answered by running over a few columns: in
// files that are mapped into memory, typed, with texts as codes of a list, sorted by day. A form belongs to one content of its
// dataset, which the database names; it is made of what is loaded, checked by checksums, and made again from the database
// where it is missing or broken. The database stays the one place of truth.
package columns

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"vastspan/core/dataset"
	"vastspan/core/tally"
)

const (
	pieceSuffix    = ".piece"
	manifestSuffix = ".form"
)

// A Form is the records of one content of a dataset. It may be read by many at once.
type Form struct {
	Content string
	schema  *dataset.Schema
	pieces  []*piece
	names   []string
	unified unified
}

// A manifest says which pieces a form is made of.
type manifest struct {
	Content string
	Columns int
	Pieces  []string
	Rows    []int // of each piece
}

// Open opens the form of a content in a folder. Errors: fs.ErrNotExist where there is none, and others where it is broken.
func Open(folder, content string, s *dataset.Schema) (*Form, error) {
	text, err := os.ReadFile(filepath.Join(folder, content+manifestSuffix))
	if err != nil {
		return nil, err
	}
	var m manifest
	if err := json.Unmarshal(text, &m); err != nil {
		return nil, errors.Join(errBroken, err)
	}
	if m.Content != content || m.Columns != len(s.Columns) || len(m.Rows) != len(m.Pieces) {
		return nil, errBroken
	}
	f := &Form{Content: content, schema: s, names: m.Pieces}
	for i, name := range m.Pieces {
		p, err := openPiece(filepath.Join(folder, filepath.Base(name)))
		if err != nil {
			return nil, err
		}
		if p.Rows != m.Rows[i] || len(p.columns) != 1+len(s.Columns) {
			return nil, errBroken
		}
		f.pieces = append(f.pieces, p)
	}
	return f, nil
}

// Publish writes the form of a content, made of pieces that are in the folder.
func Publish(folder, content string, s *dataset.Schema, pieces []string) error {
	m := manifest{Content: content, Columns: len(s.Columns), Pieces: pieces}
	for _, name := range pieces {
		p, err := openPiece(filepath.Join(folder, name))
		if err != nil {
			return err
		}
		m.Rows = append(m.Rows, p.Rows)
	}
	text, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return writeFile(folder, content+manifestSuffix, text)
}

// writeFile writes a file whole or not at all.
func writeFile(folder, name string, text []byte) error {
	f, err := os.CreateTemp(folder, "new-*")
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	if err = errors.Join(err, f.Sync(), f.Close()); err == nil {
		err = os.Rename(f.Name(), filepath.Join(folder, name))
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	d, err := os.Open(folder)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}

// Pieces lists the files that the form is made of.
func (f *Form) Pieces() []string { return f.names }

// Sweep removes the files of a folder that do not belong to some forms.
func Sweep(folder string, keep ...*Form) error {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return err
	}
	kept := map[string]bool{}
	for _, f := range keep {
		kept[f.Content+manifestSuffix] = true
		for _, name := range f.names {
			kept[name] = true
		}
	}
	for _, e := range entries {
		if !kept[e.Name()] {
			err = errors.Join(err, os.Remove(filepath.Join(folder, e.Name())))
		}
	}
	return err
}

// Bytes is how long the form's files are together.
func (f *Form) Bytes() int64 {
	n := int64(0)
	for _, p := range f.pieces {
		n += int64(len(p.data))
	}
	return n
}

// Rows is how many records the form holds.
func (f *Form) Rows() int64 {
	n := int64(0)
	for _, p := range f.pieces {
		n += int64(p.Rows)
	}
	return n
}

const (
	// fewPieces is how many pieces a form may have in any case.
	fewPieces = 32
	// pieceRows is how many records a piece holds at least, on the whole, where there are more pieces.
	pieceRows = 100_000
)

// Scattered reports whether the form is in so many small pieces that it had better be made again: each load adds one.
func (f *Form) Scattered() bool {
	return len(f.pieces) > fewPieces && f.Rows() < int64(len(f.pieces))*pieceRows
}

// Coverage covers all records of the form, by the date that they are kept by.
func (f *Form) Coverage() tally.Coverage {
	var c tally.Coverage
	for _, p := range f.pieces {
		c.Merge(p.coverage())
	}
	return c
}

// Broken reports whether an error is that of a form that is not as it was written: the database has to answer.
func Broken(err error) bool { return errors.Is(err, errBroken) }

// Remove removes the files of a form that are not another's; nil is none.
func Remove(folder string, f, keep *Form) error {
	names := append([]string{f.Content + manifestSuffix}, f.names...)
	var err error
	for _, name := range names {
		if keep != nil && (name == keep.Content+manifestSuffix || slices.Contains(keep.names, name)) {
			continue
		}
		if gone := os.Remove(filepath.Join(folder, name)); !errors.Is(gone, fs.ErrNotExist) {
			err = errors.Join(err, gone)
		}
	}
	return err
}

// Withdraw removes what says that there is a form of a content.
func Withdraw(folder, content string) error {
	err := os.Remove(filepath.Join(folder, content+manifestSuffix))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}
