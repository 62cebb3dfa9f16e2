// Package ageing measures, of records that begin on one day and end on another, how long they last, how old those are that are
// open, and how a backlog goes (semantics §10).
package ageing

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/elapsed"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/table"
)

// A Question asks how long the records of a dataset last.
type Question struct {
	Dataset string `json:"dataset,omitempty" yaml:"dataset,omitempty"`
	From    string `json:"from"              yaml:"from"` // the column of the day on which a record begins
	To      string `json:"to"                yaml:"to"`   // that of the day on which it ends, blank while it is open
	Unit    string `json:"unit,omitempty"    yaml:"unit,omitempty"`
	Bands   string `json:"bands,omitempty"   yaml:"bands,omitempty"`
	// Within asks for the share of records that last at most that long.
	Within *int   `json:"within,omitempty" yaml:"within,omitempty"`
	By     string `json:"by,omitempty"     yaml:"by,omitempty"`     // a category
	Amount string `json:"amount,omitempty" yaml:"amount,omitempty"` // added up in each band
	// Over keeps the records that begin in a span.
	Over string `json:"over,omitempty" yaml:"over,omitempty"`
	// Only is open, closed or all; empty is all.
	Only string `json:"only,omitempty" yaml:"only,omitempty"`
	// Each asks for what was opened, closed and open at the end of each unit of the calendar.
	Each string `json:"each,omitempty"  yaml:"each,omitempty"`
	// Show keeps the units of the course that a span meets; the backlog that they start from stays as it is.
	Show          string          `json:"show,omitempty"  yaml:"show,omitempty"`
	Where         dataset.Filters `json:"where,omitempty" yaml:"where,flow,omitempty"`
	query.Context ` yaml:",inline"`
}

// Check refuses what no dataset could answer.
func (q *Question) Check() error {
	if q.From == "" || q.To == "" || q.From == q.To {
		return errors.New("expected two columns of dates: from and to")
	}
	if _, err := elapsed.ParseUnit(q.Unit); err != nil {
		return err
	}
	if _, err := ParseBands(q.Bands); err != nil {
		return err
	}
	if err := q.checkOnly(); err != nil {
		return err
	}
	p := plan{question: *q}
	return p.readEach()
}

func (q *Question) checkOnly() error {
	if !slices.Contains([]string{"", All, Open, Closed}, q.Only) {
		return fmt.Errorf("%q: expected %s, %s or %s", q.Only, Open, Closed, All)
	}
	return nil
}

// What Only may say.
const (
	All    = "all"
	Open   = "open"
	Closed = "closed"
)

// A Lifetime is records with the same two days and the same value of the category.
type Lifetime struct {
	Begin civil.Day
	Begun bool // the first date is not blank
	End   civil.Day
	Ended bool // the second date is not blank
	// From and To are the moments, where those are asked for.
	From, To civil.Moment
	Label    dataset.Label
	Records  int64
	Sum      decimal.Value // of the amount, where one is asked for
}

// A Request is what a source is asked for: columns and filters that fit the schema.
type Request struct {
	From, To, By, Amount string
	Where                dataset.Filters
	Moments              bool // the two are wanted to the microsecond; both are columns of times
}

// A Source holds records.
type Source interface {
	// Lifetimes passes the records to take, those that are alike together or not, in any order.
	Lifetimes(ctx context.Context, r *Request, take func(Lifetime) error) error
}

// Records are a source with its schema.
type Records struct {
	Name   string
	Schema *dataset.Schema
	Source Source
	// Known says which state of the records this is, where it is not the newest.
	Known *table.Known
}

// plan is a question that was checked.
type plan struct {
	question Question
	scope    span.Scope
	unit     *elapsed.Unit
	bands    []Band
	each     calendar.Unit
	over     civil.Set
	show     civil.Set
	request  Request
	cautions []string
	nodes    []span.Node  // of the span and of the filters' spans
	end      civil.Moment // of the as-of day, where lengths are hours
}

// newPlan checks a question; errors are *query.Error.
func newPlan(q Question, schema *dataset.Schema, scope span.Scope) (*plan, error) {
	p := &plan{question: q, scope: scope, over: civil.SetOf(civil.AllDays), show: civil.SetOf(civil.AllDays)}
	if p.scope.Calendar == nil {
		p.scope.Calendar = calendar.Civil
	}
	for _, step := range []struct {
		pointer string
		check   func() error
	}{
		{"/from", func() error { return p.checkDates(schema) }},
		{"/unit", func() error { return p.readUnit(schema) }},
		{"/bands", func() (err error) { p.bands, err = ParseBands(q.Bands); return err }},
		{"/within", func() error {
			if q.Within != nil && *q.Within < 0 {
				return fmt.Errorf("within %d: expected 0 or more", *q.Within)
			}
			return nil
		}},
		{"/only", q.checkOnly},
		{"/each", p.readEach},
		{"/by", func() error {
			if q.By == "" {
				return nil
			}
			return schema.CheckCategory(q.By)
		}},
		{"/amount", func() error {
			if q.Amount == "" {
				return nil
			}
			_, err := schema.Number(q.Amount, "the amount")
			return err
		}},
		{"/over", func() error { return p.readSpan(&p.question.Over, &p.over) }},
		{"/show", func() error {
			if q.Show != "" && q.Each == "" {
				return fmt.Errorf("show %q: expected each as well: the unit of the rows to show", q.Show)
			}
			return p.readSpan(&p.question.Show, &p.show)
		}},
		{"/where", func() error { return p.readFilters(schema) }},
	} {
		if err := step.check(); err != nil {
			return nil, &query.Error{Pointer: step.pointer, Err: err}
		}
	}
	p.request.From, p.request.To, p.request.By, p.request.Amount = q.From, q.To, q.By, q.Amount
	return p, nil
}

func (p *plan) checkDates(schema *dataset.Schema) error {
	q := &p.question
	if q.From == "" || q.To == "" {
		return fmt.Errorf("expected two columns of dates: the day on which a record begins, and the one on which it ends; there are %v",
			schema.Dates())
	}
	for _, name := range []string{q.From, q.To} {
		if _, err := schema.DateColumn(name); err != nil {
			return err
		}
	}
	if q.From == q.To {
		return fmt.Errorf("%s is both: expected two columns", q.From)
	}
	return nil
}

// readUnit reads the unit; hours need columns of times, and end with the as-of day as the dataset's clock has it.
func (p *plan) readUnit(schema *dataset.Schema) error {
	var err error
	if p.unit, err = elapsed.ParseUnit(p.question.Unit); err != nil || p.unit.Count != nil {
		return err
	}
	for _, name := range []string{p.question.From, p.question.To} {
		if c, err := schema.Find(name); err != nil || c.Type != dataset.Timestamp {
			return fmt.Errorf("hours are measured between times: column %s holds days", name)
		}
	}
	clock, err := schema.Clock()
	if err != nil {
		return err
	}
	p.request.Moments, p.end = true, clock.StartOf(p.scope.AsOf+1)
	return nil
}

func (p *plan) readEach() error {
	if p.question.Each == "" {
		return nil
	}
	u, ok := calendar.ParseUnit(p.question.Each)
	if !ok || u == calendar.BusinessDay {
		return fmt.Errorf("each %q: expected day, week, month, quarter, half or year", p.question.Each)
	}
	p.each, p.question.Each = u, u.String()
	return nil
}

// readSpan reads one of the question's spans, where it has one.
func (p *plan) readSpan(text *string, into *civil.Set) error {
	if *text == "" {
		return nil
	}
	n, err := p.scope.Parse(*text)
	if err != nil {
		return err
	}
	r, err := span.ResolveCautiously(n, p.scope)
	*into, *text = r.Days, n.String()
	p.caution(n, r.Cautions)
	if err == nil && into.Len() > span.MaxListed {
		err = span.ErrTooLong // the answer says which days they are
	}
	return err
}

// caution notes what is right about a span and may still surprise.
func (p *plan) caution(n span.Node, list []span.Caution) {
	p.nodes = append(p.nodes, n)
	for _, c := range list {
		p.cautions = append(p.cautions, n.String()+": "+c.Text)
	}
}

func (p *plan) readFilters(schema *dataset.Schema) error {
	part := func(text string) (*dataset.DatePart, string, error) {
		return query.FilterPart(text, schema, p.question.From, &p.scope)
	}
	resolved, err := p.question.Where.Resolved(schema, dataset.Resolver{Part: part, Span: func(text string) (civil.Set, string, error) {
		n, err := p.scope.Parse(text)
		if err != nil {
			return civil.Set{}, "", err
		}
		r, err := span.ResolveCautiously(n, p.scope)
		p.caution(n, r.Cautions)
		return r.Days, n.String(), err
	}})
	if err != nil {
		return err
	}
	p.request.Where = resolved
	return schema.CheckFilters(resolved)
}

// Answer answers a question as of the day of a scope. Errors are *query.Error, or those of the source.
func (q Question) Answer(ctx context.Context, r Records, scope span.Scope) (*Answer, error) {
	p, err := newPlan(q, r.Schema, scope)
	if err != nil {
		return nil, err
	}
	c := newCollector(p)
	if err := r.Source.Lifetimes(ctx, &p.request, c.take); err != nil {
		return nil, err
	}
	if err := p.request.Where.Failed(); err != nil {
		return nil, &query.Error{Pointer: "/where", Err: err}
	}
	a, err := c.answer(r.Name)
	if err == nil && r.Known != nil {
		a.Known, a.Cautions = r.Known, append([]string{r.Known.Text()}, a.Cautions...)
	}
	return a, err
}

// errTooLong is the error of a course with too many units.
var errTooLong = errors.New("the course would have more than 4,000 units: choose a longer one, or fewer records with over")
