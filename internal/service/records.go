package service

import (
	"context"
	"fmt"
	"io"
	"strings"
	"time"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/core/tally"
	"vastspan/internal/access"
	"vastspan/internal/export"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// recordStore is what records are listed from.
type recordStore interface {
	snapshots
	Dataset(ctx context.Context, name string) (*store.Dataset, error)
	Records(ctx context.Context, d *store.Dataset, l store.Listing) (list []store.Record, more bool, err error)
	LongSnapshot(ctx context.Context, work func(context.Context) error) error
	EachRecord(ctx context.Context, d *store.Dataset, l store.Listing, take func(store.Record) error) error
	ChangesBetween(ctx context.Context, earlier, d *store.Dataset, l store.ChangedListing) (*store.StateChanges, error)
	LastChange(ctx context.Context, d *store.Dataset, zone *time.Location) (table.RecordChange, error)
	SumThrough(ctx context.Context, d *store.Dataset, l store.Listing, amount string) (decimal.Value, error)
	Around(ctx context.Context, d *store.Dataset, l store.Listing, past, future tally.Period) (before, from []store.Record, err error)
}

// Records are the records behind totals.
type Records struct {
	totals *Totals
	store  recordStore
}

// A RecordsQuery asks for the records of a span.
type RecordsQuery struct {
	Dataset     string
	Over        string // empty is all dates
	Where       dataset.Filters
	Date        string
	OldestFirst bool
	Running     string // an amount to add up from record to record, "" for none
	query.Context
}

// Listed says which records are listed: those of a span of a dataset.
type Listed struct {
	Dataset *store.Dataset
	Answer  *query.Answer // what they come to: the count, then the sum of each amount
	listing store.Listing
}

// Span returns the span whose records are listed.
func (l *Listed) Span() *table.Span { return &l.Answer.Spans[0] }

// A RecordPage is one page of records with what all records of the span come to.
type RecordPage struct {
	Listed
	Records []store.Record
	Running []decimal.Value // by record, what the amount adds up to through it
	Count   int64
	Amounts []string
	Sums    []decimal.Value
	Next    string
}

// listed resolves a query's span and counts its records.
func (s *Records) listed(ctx context.Context, q *RecordsQuery) (*Listed, error) {
	l := &Listed{listing: store.Listing{Date: q.Date, OldestFirst: q.OldestFirst}}
	var err error
	if l.Dataset, err = visible(ctx, s.store, q.Dataset, access.Records); err != nil {
		return nil, err
	}
	if q.Over == "" {
		q.Over = "all dates"
	}
	total := query.Query{
		Dataset: q.Dataset,
		Over:    []string{q.Over},
		Where:   q.Where,
		Date:    q.Date,
		Context: q.Context,
		Figures: []measure.Figure{{Kind: measure.Count}},
	}
	for _, name := range l.Dataset.Schema.Names(dataset.Amount) {
		total.Figures = append(total.Figures, measure.Figure{Kind: measure.Sum, Column: name})
	}
	if l.Answer, err = s.totals.Total(ctx, total); err != nil {
		return nil, err
	}
	l.listing.Period, l.listing.Where = tally.Period{Days: l.Span().Intervals, Moments: l.Span().Moments}, l.Answer.Query.Where
	l.listing.Lengths = l.Answer.Lengths
	return l, nil
}

// Page lists a dataset's records by the same span and filters as a total, and what they come to.
func (s *Records) Page(ctx context.Context, q RecordsQuery, p Paging) (*RecordPage, error) {
	return inState(ctx, s.store, s.totals.Clock, q.Context, func(ctx context.Context) (*RecordPage, error) { return s.page(ctx, q, p) })
}

func (s *Records) page(ctx context.Context, q RecordsQuery, p Paging) (*RecordPage, error) {
	l, err := s.listed(ctx, &q)
	if err != nil {
		return nil, err
	}
	if p.After != "" {
		if l.listing.After, err = readCursor(p.After); err != nil {
			return nil, err
		}
	}
	l.listing.Limit = p.Limit
	page := &RecordPage{Listed: *l, Amounts: l.Dataset.Schema.Names(dataset.Amount)}
	var more bool
	if page.Records, more, err = s.store.Records(ctx, l.Dataset, l.listing); err != nil {
		return nil, err
	}
	if more {
		page.Next = cursor(page.Records[len(page.Records)-1])
	}
	cells := l.Answer.Tables[0].Rows[0].Cells
	if page.Count, err = cells[0].Decimal.Int64(); err != nil {
		return nil, err
	}
	page.Sums = cells[1:]
	if q.Running != "" {
		err = s.run(ctx, page, q.Running)
	}
	return page, err
}

// run adds an amount up from record to record, from where the page before ended.
func (s *Records) run(ctx context.Context, p *RecordPage, amount string) error {
	if _, err := p.Dataset.Schema.Number(amount, "a running sum"); err != nil {
		return refused.Wrong(err)
	}
	so, err := s.store.SumThrough(ctx, p.Dataset, p.listing, amount)
	if err != nil {
		return err
	}
	at := p.Dataset.Schema.Index(amount)
	for _, r := range p.Records {
		if cell := r.Cells[at]; cell != nil {
			v, err := decimal.Parse(*cell)
			if err == nil {
				so, err = so.Plus(v)
			}
			if err != nil {
				return err
			}
		}
		p.Running = append(p.Running, so)
	}
	return nil
}

// A Boundary is where a period of days begins, or has ended the day before; of moments, the day that holds the moment.
type Boundary struct {
	Day          civil.Day
	At           string // the moment, with its offset; empty for days
	Begins       bool
	Before, From []store.Record
}

// maxBoundaries is how many boundaries of a span are looked at.
const maxBoundaries = 40

// Boundaries returns the last and the first few records on both sides of each boundary of a span: what is just
// in and what is just out.
func (s *Records) Boundaries(ctx context.Context, q RecordsQuery, each int) (l *Listed, list []Boundary, err error) {
	if ctx, err = s.totals.knowing(ctx, q.Context); err != nil {
		return nil, nil, err
	}
	err = s.store.Snapshot(ctx, func(ctx context.Context) (err error) {
		l, list, err = s.boundaries(ctx, q, each)
		return err
	})
	return l, list, err
}

func (s *Records) boundaries(ctx context.Context, q RecordsQuery, each int) (*Listed, []Boundary, error) {
	l, err := s.listed(ctx, &q)
	if err != nil {
		return nil, nil, err
	}
	l.listing.Limit = each
	period := l.listing.Period
	if 2*period.Len() > maxBoundaries {
		return nil, nil, refused.Wrongf(
			"%q has %d periods; boundaries are shown of at most %d",
			q.Over,
			period.Len(),
			maxBoundaries/2,
		)
	}
	list := []Boundary{}
	for _, edge := range edgesOf(period) {
		b := edge.Boundary
		if b.Before, b.From, err = s.store.Around(ctx, l.Dataset, l.listing, edge.past, edge.future); err != nil {
			return nil, nil, err
		}
		list = append(list, b)
	}
	return l, list, nil
}

// An edge is a boundary with all that is before and after it.
type edge struct {
	Boundary
	past, future tally.Period
}

// edgesOf lists where the runs of a period begin and end.
func edgesOf(p tally.Period) []edge {
	var list []edge
	if !p.Timed() {
		for v := range p.Days.Intervals() {
			for _, b := range []Boundary{{Day: v.Start, Begins: true}, {Day: v.End}} {
				if b.Day != civil.OpenStart && b.Day != civil.OpenEnd {
					list = append(list, edge{
						b, tally.OfDays(civil.SetOf(civil.Interval{Start: civil.OpenStart, End: b.Day})),
						tally.OfDays(civil.SetOf(civil.Interval{Start: b.Day, End: civil.OpenEnd})),
					})
				}
			}
		}
		return list
	}
	clock := p.Moments.Clock
	for v := range p.Moments.Runs() {
		for _, m := range []civil.Moment{v.Start, v.End} {
			if m != civil.BeginningOfTime && m != civil.EndOfTime {
				list = append(list, edge{
					Boundary{Day: clock.DayOf(m), At: clock.Format(m), Begins: m == v.Start},
					tally.OfMoments(clock, civil.MomentsOf(civil.Moments{Start: civil.BeginningOfTime, End: m})),
					tally.OfMoments(clock, civil.MomentsOf(civil.Moments{Start: m, End: civil.EndOfTime})),
				})
			}
		}
	}
	return list
}

// Download returns a function that writes all records of a span in a format, oldest first. The query is checked at once.
// With safe, cells of CSV are as table.SafeCell has them.
func (s *Records) Download(ctx context.Context, q RecordsQuery, f export.Format, safe bool) (func(io.Writer) error, error) {
	q.OldestFirst = true
	ctx, err := s.totals.knowing(ctx, q.Context)
	if err != nil {
		return nil, err
	}
	l, err := s.listed(ctx, &q)
	if err != nil {
		return nil, err
	}
	sheet := export.Sheet{Title: q.Dataset}
	for _, c := range l.Dataset.Schema.Columns {
		sheet.Columns = append(sheet.Columns, export.Column{Name: c.Name, Kind: exportKind(c.Type)})
	}
	return func(w io.Writer) error {
		return s.store.LongSnapshot(ctx, func(ctx context.Context) error { // a format may read the records several times
			row := make([]string, len(sheet.Columns))
			sheet.Rows = func(yield func([]string) error) error {
				return s.store.EachRecord(ctx, l.Dataset, l.listing, func(r store.Record) error {
					for i, c := range r.Cells {
						if row[i] = ""; c != nil {
							row[i] = *c
						}
					}
					return yield(row)
				})
			}
			return f.WriteSheet(w, sheet, safe, l.Answer.About()...)
		})
	}, nil
}

// exportKind says what a column of a type holds where it is taken away.
func exportKind(t dataset.Type) export.Kind {
	switch t {
	case dataset.Number:
		return export.Number
	case dataset.Date:
		return export.Day
	}
	return export.Text
}

func cursor(r store.Record) string { return fmt.Sprintf("%s.%d.%d", r.Day, r.Moment, r.ID) }

func readCursor(s string) (*store.Record, error) {
	day, rest, _ := strings.Cut(s, ".")
	moment, id, _ := strings.Cut(rest, ".")
	var r store.Record
	d, err := civil.ParseDay(day)
	if err == nil {
		_, err = fmt.Sscan(moment, &r.Moment)
	}
	if err == nil {
		_, err = fmt.Sscan(id, &r.ID)
	}
	if err == nil && !civil.UTC.Valid(civil.Moments{Start: r.Moment, End: r.Moment + 1}) {
		err = calendar.ErrRange
	}
	if err != nil {
		return nil, refused.Wrongf("after: %q is not the next of another page", s)
	}
	r.Day = d
	return &r, nil
}
