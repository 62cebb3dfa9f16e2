package service

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/store"
	"vastspan/internal/tabular"
)

// A RecordsQuestion asks for the records of a span.
type RecordsQuestion struct {
	Over        string
	Where       []tally.Filter
	Date        string
	OldestFirst bool
	Running     string // an amount to add up from record to record, "" for none
	Limit       int
	After       string
	Reading
}

// A Page is one page of records with what all records of the span add up to.
type Page struct {
	Dataset Dataset
	Date    string // the column of the day
	AsOf    civil.Day
	Span    Resolved
	Where   []tally.Filter
	Records []store.Record
	Running []tally.Value // by record, what the amount adds up to through it
	Count   int64
	Undated int64
	Amounts []string
	Sums    []tally.Value
	Next    string
}

// listing resolves a question's span and gives the listing of its records.
func (s *Service) listing(ctx context.Context, dataset string, q *RecordsQuestion) (*Dataset, *Total, store.Listing, error) {
	l := store.Listing{Where: q.Where, Date: q.Date, OldestFirst: q.OldestFirst}
	d, err := s.Dataset(ctx, dataset)
	if err != nil {
		return nil, nil, l, err
	}
	question := Question{Over: []string{q.Over}, Where: q.Where, Date: q.Date, Reading: q.Reading, Figures: []tally.Figure{{Kind: tally.Count}}}
	for _, name := range d.Schema.Names(tabular.Amount) {
		question.Figures = append(question.Figures, tally.Figure{Kind: tally.Sum, Column: name})
	}
	total, err := s.Total(ctx, dataset, question)
	if err != nil {
		return nil, nil, l, err
	}
	l.Days = total.Spans[0].Days
	return d, total, l, nil
}

// Records lists a dataset's records by the same span and filters as a total, and what they add up to.
func (s *Service) Records(ctx context.Context, dataset string, q RecordsQuestion) (*Page, error) {
	d, total, listing, err := s.listing(ctx, dataset, &q)
	if err != nil {
		return nil, err
	}
	if q.After != "" {
		if listing.After, err = readCursor(q.After); err != nil {
			return nil, err
		}
	}
	listing.Limit = q.Limit + 1
	records, err := s.store.Records(ctx, &d.Dataset, listing)
	if err != nil {
		return nil, err
	}
	p := &Page{Dataset: *d, Date: total.Date, AsOf: total.AsOf, Span: total.Spans[0].Resolved, Where: q.Where, Records: records, Undated: total.Extent.Undated,
		Amounts: d.Schema.Names(tabular.Amount)}
	if len(records) > q.Limit {
		p.Records = records[:q.Limit]
		p.Next = cursor(p.Records[q.Limit-1])
	}
	values := total.Spans[0].Total.Values
	if p.Count, err = values[0].Decimal.Int64(); err != nil {
		return nil, err
	}
	p.Sums = values[1:]
	if q.Running != "" {
		err = s.run(ctx, p, listing, q.Running)
	}
	return p, err
}

// run adds an amount up from record to record, from where the page before ended.
func (s *Service) run(ctx context.Context, p *Page, l store.Listing, amount string) error {
	if _, err := p.Dataset.Schema.AmountColumn(amount); err != nil {
		return invalid(err)
	}
	so, err := s.store.SumThrough(ctx, &p.Dataset.Dataset, l, amount)
	if err != nil {
		return err
	}
	at := slices.Index(p.Dataset.Schema.Names(), amount)
	for _, r := range p.Records {
		if cell := r.Cells[at]; cell.Valid {
			if so, err = so.Plus(cell.String); err != nil {
				return err
			}
		}
		p.Running = append(p.Running, so)
	}
	return nil
}

// An EdgesQuestion asks for the records around each edge of a span.
type EdgesQuestion struct {
	Over    string
	Where   []tally.Filter
	Date    string
	Records int // on each side
	Reading
}

// An Edge is where a stretch of days begins, or has ended the day before.
type Edge struct {
	Day          civil.Day
	Begins       bool
	Before, From []store.Record
}

// Edges is the answer: the edges of a span in time order.
type Edges struct {
	Dataset Dataset
	Date    string
	AsOf    civil.Day
	Span    Resolved
	Edges   []Edge
}

// maxEdges is how many edges of a span are looked at.
const maxEdges = 40

// Edges gives the last and the first few records on both sides of each edge of a span: what is just
// in and what is just out.
func (s *Service) Edges(ctx context.Context, dataset string, q EdgesQuestion) (*Edges, error) {
	d, total, listing, err := s.listing(ctx, dataset, &RecordsQuestion{Over: q.Over, Where: q.Where, Date: q.Date, Reading: q.Reading})
	if err != nil {
		return nil, err
	}
	listing.Limit = q.Records
	e := &Edges{Dataset: *d, Date: total.Date, AsOf: total.AsOf, Span: total.Spans[0].Resolved, Edges: []Edge{}}
	if 2*e.Span.Days.Len() > maxEdges {
		return nil, invalidf("%q has %d stretches of days; edges are looked at of at most %d", q.Over, e.Span.Days.Len(), maxEdges/2)
	}
	for v := range e.Span.Days.Intervals() {
		for _, edge := range []Edge{{Day: v.Start, Begins: true}, {Day: v.End}} {
			if edge.Day == civil.Since || edge.Day == civil.Onward {
				continue
			}
			if edge.Before, edge.From, err = s.store.Around(ctx, &d.Dataset, listing, edge.Day); err != nil {
				return nil, err
			}
			e.Edges = append(e.Edges, edge)
		}
	}
	return e, nil
}

// Download gives all records of a span, oldest first, as CSV: the header, then a row for each. It
// checks the question first and writes when the returned function is called.
func (s *Service) Download(ctx context.Context, dataset string, q RecordsQuestion) (func(io.Writer) error, error) {
	q.OldestFirst = true
	d, _, listing, err := s.listing(ctx, dataset, &q)
	if err != nil {
		return nil, err
	}
	return func(w io.Writer) error {
		out := csv.NewWriter(w)
		if err := out.Write(d.Schema.Names()); err != nil {
			return err
		}
		row := make([]string, len(d.Schema.Columns))
		err := s.store.EachRecord(ctx, &d.Dataset, listing, func(r store.Record) error {
			for i, c := range r.Cells {
				row[i] = c.String
			}
			return out.Write(row)
		})
		out.Flush()
		return errors.Join(err, out.Error())
	}, nil
}

func cursor(r store.Record) string { return fmt.Sprintf("%s.%d", r.Day, r.ID) }

func readCursor(s string) (*store.Record, error) {
	day, id, _ := strings.Cut(s, ".")
	var r store.Record
	d, err := civil.ParseDay(day)
	if err == nil {
		_, err = fmt.Sscan(id, &r.ID)
	}
	if err != nil {
		return nil, invalidf("after: %q is not the next of another page", s)
	}
	r.Day = d
	return &r, nil
}
