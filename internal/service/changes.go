package service

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// A ChangesQuery asks what changed among the records of a span between two states of a dataset (semantics §13). Known of the context
// is the later state.
type ChangesQuery struct {
	RecordsQuery
	Since string   // a moment, load N, or receipt N: when it was made
	Key   []string // columns by which records that went and came are the same
}

// What changed, as the store finds it.
type (
	// ChangedRecord is a record that came, went or changed.
	ChangedRecord = store.ChangedRecord
	// ChangedSum is how many did, and what that did to each amount.
	ChangedSum = store.ChangedSum
)

// Changes are what changed, and what that did to the count of records and to each amount.
type Changes struct {
	Listed
	Since, Until table.RecordChange
	Amounts      []string
	// Before and After are the figures of either state: the count, then each amount. What came, went and changed adds up to their
	// difference.
	Before, After []decimal.Value
	*store.StateChanges
	Next string
}

// Changes lists what changed. Errors: states that cannot be asked, the later one before the earlier one.
func (s *Records) Changes(ctx context.Context, q ChangesQuery, p Paging) (*Changes, error) {
	var c *Changes
	err := s.store.Snapshot(ctx, func(ctx context.Context) (err error) {
		c, err = s.changes(ctx, q, p)
		return err
	})
	return c, err
}

func (s *Records) changes(ctx context.Context, q ChangesQuery, p Paging) (*Changes, error) {
	since, err := s.stateOf(ctx, q.Since)
	if err != nil {
		return nil, err
	}
	until, err := s.totals.knowing(ctx, q.Context)
	if err != nil {
		return nil, err
	}
	l, err := s.listed(until, &q.RecordsQuery)
	if err != nil {
		return nil, err
	}
	if len(l.Answer.Lengths) > 0 {
		return nil, Refused(&query.Error{Pointer: "/where", Err: fmt.Errorf("lengths are not asked of what changed: filter by dates")})
	}
	earlier, err := visible(since, s.store, q.Dataset, access.Records)
	if err != nil {
		return nil, err
	}
	if earlier.Version > l.Dataset.Version {
		return nil, refused.Wrongf("the later state comes before the earlier one: swap them")
	}
	for _, name := range q.Key {
		if _, err := l.Dataset.Schema.Find(name); err != nil {
			return nil, Refused(&query.Error{Pointer: "/key", Err: err})
		}
	}
	c := &Changes{Listed: *l, Amounts: l.Dataset.Schema.Names(dataset.Amount), Since: earlier.Known().After}
	if c.Until, err = s.store.LastChange(ctx, l.Dataset, s.totals.Zone()); err != nil {
		return nil, err
	}
	c.After = l.Answer.Tables[0].Rows[0].Cells
	// The earlier state is asked about the same days, and as of the same day.
	before := query.Query{Dataset: q.Dataset, Over: q.over(), Where: q.Where, Date: q.Date, Context: q.Context}
	before.AsOf, before.Known = l.Answer.AsOf.String(), ""
	if l.Answer.AsOfMoment != "" {
		before.AsOf = l.Answer.AsOfMoment
	}
	before.Figures = []measure.Figure{{Kind: measure.Count}}
	for _, name := range c.Amounts {
		before.Figures = append(before.Figures, measure.Figure{Kind: measure.Sum, Column: name})
	}
	was, err := s.totals.Total(since, before)
	if err != nil {
		return nil, err
	}
	c.Before = was.Tables[0].Rows[0].Cells
	offset, err := readOffset(p.After)
	if err != nil {
		return nil, err
	}
	period := l.listing.Period
	if period.Timed() {
		period = period.Through(l.Answer.AsOf)
	} else {
		period.Days = period.Through(l.Answer.AsOf).Days
	}
	c.StateChanges, err = s.store.ChangesBetween(ctx, earlier, l.Dataset, store.ChangedListing{
		Period: period, Where: slices.Clone(l.listing.Where), Date: q.Date, Key: q.Key, Amounts: c.Amounts, Limit: p.Limit, Offset: offset,
	})
	if err == nil && c.More {
		c.Next = strconv.FormatInt(offset+int64(len(c.Records)), 10)
	}
	return c, err
}

// over is the span of a query of records.
func (q *RecordsQuery) over() []string { return []string{q.Over} }

func readOffset(after string) (int64, error) {
	if after == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(after, 10, 64)
	if err != nil || n < 0 {
		return 0, refused.Wrongf("after: %q is not the next of another page", after)
	}
	return n, nil
}

// stateOf returns a context of the state that a text names: a moment, load N, or receipt N.
func (s *Records) stateOf(ctx context.Context, text string) (context.Context, error) {
	if strings.TrimSpace(text) == "" {
		return ctx, refused.Wrongf("since: expected a state, such as 2026-10-05T09:00, load 12 or receipt 4")
	}
	return s.totals.knowing(ctx, query.Context{Known: text})
}
