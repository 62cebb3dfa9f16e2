package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/store"
)

// A Brief is a saved page as it stands.
type Brief struct {
	book.Brief
	Version   int64
	Author    string
	Note      string
	ChangedAt time.Time
}

// Briefs lists the briefs in the order in which they were made.
func (s *Service) Briefs(ctx context.Context) ([]Brief, error) {
	defs, _, err := s.store.Definitions(ctx)
	if err != nil {
		return nil, err
	}
	briefs := []Brief{}
	for _, d := range defs {
		if d.Kind != store.BriefDefinition {
			continue
		}
		b := Brief{Version: d.Version, Author: d.Author, Note: d.Note, ChangedAt: d.ChangedAt}
		if err := json.Unmarshal(d.Body, &b.Brief); err != nil {
			return nil, err
		}
		briefs = append(briefs, b)
	}
	return briefs, nil
}

// Brief finds a brief.
func (s *Service) Brief(ctx context.Context, name string) (*Brief, error) {
	briefs, err := s.Briefs(ctx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(briefs, func(b Brief) bool { return b.Name == strings.ToLower(name) })
	if i < 0 {
		return nil, &store.NotFound{Kind: "brief", Name: name}
	}
	return &briefs[i], nil
}

// PutBrief keeps a brief: in place of the version that it was made from, or a new one where that is
// 0. It is refused where another version is in place by now.
func (s *Service) PutBrief(ctx context.Context, b book.Brief, from int64, author, note string) (*Brief, error) {
	canonicalBrief(&b)
	body, err := json.Marshal(b)
	if err != nil {
		return nil, err
	}
	change := store.Change{Kind: store.BriefDefinition, Name: b.Name, Body: body, From: from, Author: author, Note: note}
	if err := s.change(ctx, []store.Change{change}); err != nil {
		return nil, err
	}
	return s.Brief(ctx, b.Name)
}

// canonicalBrief puts the expressions of a brief in their canonical text.
func canonicalBrief(b *book.Brief) {
	for i := range b.Items {
		it := &b.Items[i]
		for j := range it.Over {
			it.Over[j] = canonical(it.Over[j])
		}
		for j := range it.Lines {
			it.Lines[j].Over = canonical(it.Lines[j].Over)
		}
	}
}

// A BriefView is a brief as of a day. Records after that day are left out, planned ones excepted, so
// that the page shows what it would have shown then.
type BriefView struct {
	Brief    book.Brief
	AsOf     civil.Day
	AtClose  bool
	Calendar string
	Asks     map[string]string // what was given for each ask
	Items    []ItemView
}

// An ItemView is an item with its answer, or why it has none.
type ItemView struct {
	Item   book.Item
	Err    error
	Total  *Total
	Spark  []Row // of a figure, by unit
	Lineup *Lineup
}

// atOnce is how many items of a brief are answered at a time.
const atOnce = 4

// ViewBrief answers a brief. The reading's as-of day, closing and calendar stand in for the brief's
// own where they are given; asks for what the brief asks.
func (s *Service) ViewBrief(ctx context.Context, b *book.Brief, r Reading, asks map[string]string) (*BriefView, error) {
	if err := b.Check(); err != nil {
		return nil, invalid(err)
	}
	v := &BriefView{Brief: *b, Asks: map[string]string{}, Items: make([]ItemView, len(b.Items))}
	for _, a := range b.Asks {
		v.Asks[a.Name] = a.Default
	}
	for name, text := range asks {
		if _, ok := v.Asks[name]; !ok {
			return nil, invalidf("brief %s asks for no %s", b.Name, name)
		}
		n, err := span.Parse(text)
		if err != nil {
			return nil, invalid(fmt.Errorf("%q: %w", text, err))
		}
		v.Asks[name] = n.String()
	}
	if r.AsOf == "" {
		r.AsOf = AsOf(b.AsOf)
	}
	if r.Calendar == "" {
		r.Calendar = b.Calendar
	}
	r.AtClose = r.AtClose || b.AtClose
	var err error
	if v.AsOf, err = s.briefDay(ctx, b, r.AsOf); err != nil {
		return nil, err
	}
	r.AsOf = AsOf(v.AsOf.String())
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	scope, err := Scope(l, v.AsOf, r)
	if err != nil {
		return nil, err
	}
	v.Calendar, v.AtClose = scope.Calendar.Name(), r.AtClose
	free := make(chan struct{}, atOnce)
	var wait sync.WaitGroup
	for i := range b.Items {
		wait.Go(func() {
			free <- struct{}{}
			defer func() { <-free }()
			v.Items[i] = s.viewItem(ctx, b.Items[i], r, v.Asks)
		})
	}
	wait.Wait()
	for i := range v.Items {
		if err := v.Items[i].Err; err != nil && !Refusal(err) {
			return nil, err
		}
	}
	return v, ctx.Err()
}

// Refusal tells errors that say what is wrong with a question from those of the machine.
func Refusal(err error) bool {
	var wrong *Invalid
	var missing *store.NotFound
	return errors.As(err, &wrong) || errors.As(err, &missing)
}

// briefDay finds the day that a brief reads as of; latest is the newest day of the first of its
// datasets that holds any.
func (s *Service) briefDay(ctx context.Context, b *book.Brief, asOf AsOf) (civil.Day, error) {
	if asOf != "" && asOf != Latest {
		return s.day(asOf, nil)
	}
	for i := range b.Items {
		it := &b.Items[i]
		dataset, date := it.Dataset, it.Date
		if it.Kind == book.LinesItem {
			dataset, date = it.Lines[0].Dataset, it.Lines[0].Date
		}
		day, ok, err := s.newest(ctx, dataset, date)
		if err != nil && !Refusal(err) {
			return 0, err
		}
		if ok && err == nil {
			return day, nil
		}
	}
	return s.Today(), nil
}

func (s *Service) viewItem(ctx context.Context, it book.Item, r Reading, asks map[string]string) ItemView {
	v := ItemView{Item: it}
	if it.Kind == book.LinesItem {
		var q LinesQuestion
		if q, v.Err = linesOf(&it, r, asks); v.Err == nil {
			v.Lineup, v.Err = s.Lines(ctx, q)
		}
		return v
	}
	var q Question
	if q, v.Err = questionOf(&it, r, asks); v.Err != nil {
		return v
	}
	if v.Total, v.Err = s.Total(ctx, it.Dataset, q); v.Err != nil || it.Spark == "" {
		return v
	}
	spark := Question{Over: []string{fmt.Sprintf("%d %s to date", sparkUnits, it.Spark)}, Figures: q.Figures, Where: q.Where, Date: q.Date, Each: it.Spark, Known: true, Reading: r}
	t, err := s.Total(ctx, it.Dataset, spark)
	if err != nil {
		v.Err = err
		return v
	}
	v.Spark = t.Spans[0].Rows
	return v
}

// sparkUnits is how many units a spark line shows.
const sparkUnits = 13

// given puts what was asked for in the place of its name.
func given(text string, asks map[string]string) string {
	if name, ok := strings.CutPrefix(text, "?"); ok {
		return asks[name]
	}
	return text
}

// questionOf reads an item as a question.
func questionOf(it *book.Item, r Reading, asks map[string]string) (Question, error) {
	q := Question{By: it.By, Top: it.Top, Date: it.Date, Against: it.Against, Even: it.Even, Each: it.Each, Running: it.Running, Rolling: it.Rolling,
		Previous: it.Previous, Share: it.Share, Planned: it.Planned, Edges: it.Across != "", Known: true, Reading: r}
	for _, text := range it.Over {
		q.Over = append(q.Over, given(text, asks))
	}
	var err error
	if q.Where, err = ReadWhere(it.Where); err != nil {
		return q, invalid(err)
	}
	for _, text := range it.Figures {
		f, err := ReadFigure(text)
		if err != nil {
			return q, invalid(err)
		}
		q.Figures = append(q.Figures, f)
	}
	for _, text := range it.Beside {
		b, err := ReadBeside(text)
		if err != nil {
			return q, invalid(err)
		}
		q.Beside = append(q.Beside, b)
	}
	return q, nil
}

func linesOf(it *book.Item, r Reading, asks map[string]string) (LinesQuestion, error) {
	q := LinesQuestion{Each: it.Each, Running: it.Running, Known: true, Reading: r}
	for _, l := range it.Lines {
		f, err := ReadFigure(l.Figure)
		if err != nil {
			return q, invalid(fmt.Errorf("line %s: %w", l.Label, err))
		}
		where, err := ReadWhere(l.Where)
		if err != nil {
			return q, invalid(fmt.Errorf("line %s: %w", l.Label, err))
		}
		q.Lines = append(q.Lines, Line{Label: l.Label, Dataset: l.Dataset, Over: given(l.Over, asks), Figure: f, Where: where, Date: l.Date, Planned: l.Planned})
	}
	return q, nil
}

// A BriefTurn is an as-of day on which items of a brief change kind: roll over, empty, fill.
type BriefTurn struct {
	Day    civil.Day
	Items  []int
	Events []string // what happens, each once
}

// BriefTurns finds the days of a run on which any item of a brief changes kind.
func (s *Service) BriefTurns(ctx context.Context, b *book.Brief, from civil.Day, days int, r Reading) ([]BriefTurn, error) {
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	if r.Calendar == "" {
		r.Calendar = b.Calendar
	}
	found := map[civil.Day]*BriefTurn{}
	for i := range b.Items {
		for _, text := range b.Items[i].Expressions() {
			if strings.HasPrefix(text, "?") {
				continue
			}
			rehearsal, err := RehearseIn(l, text, from, days, r)
			if err != nil {
				if Refusal(err) {
					continue // the item itself says what is wrong
				}
				return nil, err
			}
			for _, turn := range rehearsal.Turns {
				if turn.Event == span.Begins {
					continue
				}
				t := found[turn.First]
				if t == nil {
					t = &BriefTurn{Day: turn.First}
					found[turn.First] = t
				}
				if event := string(turn.Event); !slices.Contains(t.Events, event) {
					t.Events = append(t.Events, event)
				}
				if !slices.Contains(t.Items, i) {
					t.Items = append(t.Items, i)
				}
			}
		}
	}
	turns := []BriefTurn{}
	for _, t := range found {
		turns = append(turns, *t)
	}
	slices.SortFunc(turns, func(a, b BriefTurn) int { return int(a.Day - b.Day) })
	return turns, nil
}
