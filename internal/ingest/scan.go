package ingest

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime"
	"strings"
	"unicode/utf8"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// ScanOptions say how the rows of a file are taken as typed values.
type ScanOptions struct {
	Schema *dataset.Schema
	// Columns are those whose values are wanted; nil wants all. What is not wanted is not looked at.
	Columns []int
	// AllowUndated accepts records whose day is blank; else that is a fault.
	AllowUndated bool
	// Within, where it is set, are the days that all records have to be on.
	Within *civil.Set
	// InOrder says that the file's columns are the schema's, in its order, whatever they are named.
	InOrder bool
}

// Rows yields the rows of one block: take is called with each row's line and cells, which hold until
// it returns. Faults are gathered; after the first one no more rows are given, though all are looked at.
type Rows func(take func(line int, cells []dataset.Cell) error) error

// Workers is how many blocks of a file are worked on at a time.
func Workers() int { return runtime.GOMAXPROCS(0) }

// Scan reads all rows of a file on all processors. Each block of rows is worked on by itself, by one
// of Workers workers, and what work makes of the blocks is handed to gather in the order of the file,
// one at a time. Faults are the error; nothing is gathered of a block that has one, nor after it, but the
// file is looked through to its end so that they are counted.
func Scan[T any](ctx context.Context, t Reader, o ScanOptions, work func(worker int, rows Rows) (T, error), gather func(T) error) error {
	p, err := newParser(t.Header(), o)
	if err != nil {
		return err
	}
	p.choose(t)
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	type job struct {
		part   Part
		err    error // of reading
		done   chan struct{}
		made   T
		faults *Faults
	}
	workers := Workers()
	todo, ordered := make(chan *job), make(chan *job, 2*workers)
	for worker := range workers {
		go func() {
			for j := range todo {
				own := p.clone()
				own.faults = &Faults{}
				j.made, j.err = work(worker, func(take func(int, []dataset.Cell) error) error { return own.rows(j.part, take) })
				j.faults = own.faults
				close(j.done)
			}
		}()
	}
	go func() {
		defer close(ordered)
		defer close(todo)
		for {
			b, err := t.Next()
			if errors.Is(err, io.EOF) {
				return
			}
			j := &job{part: b, err: err, done: make(chan struct{})}
			if err != nil {
				close(j.done)
			}
			select {
			case ordered <- j:
			case <-ctx.Done():
				return
			}
			if err != nil {
				return
			}
			select {
			case todo <- j:
			case <-ctx.Done():
				close(j.done)
				return
			}
		}
	}()
	faults := &Faults{}
	finish := func(err error) error {
		stop()
		for j := range ordered { // the goroutines end before this does
			<-j.done
		}
		return err
	}
	for j := range ordered {
		<-j.done
		if err := ctx.Err(); err != nil {
			return finish(err)
		}
		if j.faults != nil {
			faults.merge(j.faults)
		}
		if j.err != nil && !errors.Is(j.err, errFaulty) {
			return finish(faults.and(j.err))
		}
		if len(faults.Kinds) == 0 {
			if err := gather(j.made); err != nil {
				return finish(err)
			}
		}
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	return p.told(faults, t)
}

// told returns faults as the error that they are, with what to do about them.
func (p *parser) told(faults *Faults, t Reader) error {
	if len(faults.Kinds) == 0 {
		return nil
	}
	if len(Names(t)) == 1 {
		for i := range faults.Kinds {
			faults.Kinds[i].File = ""
		}
	}
	faults.suggest(p, t.Sample())
	return faults
}

// errFaulty ends a block's work after its rows had faults.
var errFaulty = errors.New("the block has faults")

// Records reads all rows one after the other, each given with its cells to take, which may keep nothing
// of them.
func Records(t Reader, o ScanOptions, take func([]dataset.Cell) error) error {
	p, err := newParser(t.Header(), o)
	if err != nil {
		return err
	}
	p.choose(t)
	p.faults = &Faults{}
	for {
		b, err := t.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err == nil {
			err = p.rows(b, func(_ int, cells []dataset.Cell) error { return take(cells) })
		}
		if err != nil && !errors.Is(err, errFaulty) {
			return p.faults.and(err)
		}
	}
	return p.told(p.faults, t)
}

// A parser turns rows into cells.
type parser struct {
	schema       *dataset.Schema
	fields       int // in the header
	at           []int
	columns      []int // those wanted
	day          int
	allowUndated bool
	within       *civil.Set // the days that all records have to be on; nil for any
	times        timeReader
	grain        calendar.Unit // that a record stands for
	dates        dateReader
	numbers      NumberStyle
	valid        bool // the part is UTF-8 throughout
	cells        []dataset.Cell
	faults       *Faults
}

func newParser(header []string, o ScanOptions) (*parser, error) {
	at := o.Schema.Indexes(o.Schema.Names())
	if !o.InOrder {
		var err error
		if at, err = match(o.Schema, header); err != nil {
			return nil, err
		}
	}
	times, err := newTimeReader(o.Schema)
	if err != nil {
		return nil, err
	}
	grain, _ := o.Schema.GrainUnit()
	p := &parser{
		grain:        grain,
		dates:        newDateReader(o.Schema, grain),
		schema:       o.Schema,
		fields:       len(header),
		at:           at,
		columns:      o.Columns,
		day:          o.Schema.Day(),
		allowUndated: o.AllowUndated,
		within:       o.Within,
		times:        times,
	}
	if p.columns == nil {
		for i := range o.Schema.Columns {
			p.columns = append(p.columns, i)
		}
	}
	if p.numbers, err = ParseNumberStyle(o.Schema.Numbers); err != nil {
		return nil, err
	}
	return p.clone(), nil
}

// choose keeps the columns that are wanted of a reader that can leave others out.
func (p *parser) choose(t Reader) {
	if s, ok := t.(Selector); ok {
		var at []int
		for _, i := range p.columns {
			at = append(at, p.at[i])
		}
		s.Select(at)
	}
}

// clone returns a parser with cells of its own.
func (p *parser) clone() *parser {
	own := *p
	own.times.clock = own.times.clock.Clone()
	own.cells = make([]dataset.Cell, len(p.schema.Columns))
	return &own
}

// rows yields the rows of a block as cells, and gathers its faults.
func (p *parser) rows(b Part, take func(int, []dataset.Cell) error) error {
	p.valid = b.Valid()
	file := fileOf(b)
	direct, _ := b.(directPart)
	given := make([]bool, len(p.schema.Columns))
	for _, i := range p.columns {
		given[i] = direct != nil && direct.Direct(p.at[i], p.schema.Columns[i].Type)
	}
	err := b.Rows(func(line int, row []string) error {
		sound := len(row) == p.fields
		if !sound {
			p.faults.add(Fault{
				File: file, Line: line, Expected: fmt.Sprintf("the row has %d fields; expected %d, as in the header", len(row), p.fields),
			})
		}
		for _, i := range p.columns {
			if !sound {
				break
			}
			c := &p.schema.Columns[i]
			text, fault := row[p.at[i]], ""
			if !given[i] || !direct.Cell(p.at[i], &p.cells[i]) {
				fault = p.cell(c, text, &p.cells[i])
			}
			if fault == "" && i == p.day && !p.cells[i].Set && !p.allowUndated {
				fault = "expected a date; records without one are accepted only on request (allow undated)"
			}
			if i == p.day && fault == "" && p.within != nil && !(p.cells[i].Set && p.within.Contains(p.cells[i].Day)) {
				fault = "expected a day of those that are replaced"
			}
			if fault != "" {
				p.faults.add(Fault{File: file, Line: line, Column: c.Name, Value: shorten(text), Expected: fault})
			}
		}
		if len(p.faults.Kinds) > 0 {
			return nil
		}
		return take(line, p.cells)
	})
	if err == nil && len(p.faults.Kinds) > 0 {
		return errFaulty
	}
	return err
}

func (p *parser) cell(c *dataset.Column, s string, into *dataset.Cell) (fault string) {
	if !p.valid && c.Type == dataset.Text && !utf8.ValidString(s) {
		return "expected text in UTF-8"
	}
	if err := p.parse(c, s, into); err != nil {
		return err.Error()
	}
	return ""
}

// and adds the error that ended reading to the faults before it.
func (f *Faults) and(err error) error {
	var last *Faults
	if errors.As(err, &last) {
		f.merge(last)
		return f
	}
	return err
}

func shorten(s string) string {
	if len(s) > 80 {
		return strings.ToValidUTF8(s[:80], "") + "…"
	}
	return s
}
