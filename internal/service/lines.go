package service

import (
	"context"
	"fmt"
	"regexp"
	"slices"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

// A Line is one figure over one span, broken down into units: actual so far, last year, a plan.
type Line struct {
	Label   string
	Dataset string
	Over    string
	Figure  tally.Figure
	Where   []tally.Filter
	Date    string
	Against string // what each unit of it is compared with, or ""
	Planned bool   // its records are planned: units that are ahead count like the others
}

// A LinesQuestion asks for several lines, lined up by the position of the unit in the year.
type LinesQuestion struct {
	Lines   []Line
	Each    string
	Running string // each line adds up from the start of this unit, or of its span; "" for not
	Known   bool   // leave records after the as-of day out, unless they are planned
	Reading
}

// MaxLines is how many lines can be lined up.
const MaxLines = 20

// A Lineup is the answer: positions down, lines across.
type Lineup struct {
	Question  LinesQuestion
	AsOf      civil.Day
	Calendar  string
	Lines     []LineTotal
	Positions []Position
}

// A LineTotal is one line: its days, what it adds up to over all of them, and where its records end.
type LineTotal struct {
	Line
	Total *Total
}

// A Position is a place in the year, with the row of each line that has one there.
type Position struct {
	Number int // 1 is the first unit of the year; a span that runs on into the next year counts on
	Label  string
	Rows   []*Row // by line; nil where it has none
}

// Lines answers several lines at once. As of latest is the newest day of the first line's dataset.
func (s *Service) Lines(ctx context.Context, q LinesQuestion) (*Lineup, error) {
	if n := len(q.Lines); n < 1 || n > MaxLines {
		return nil, invalidf("%d lines are given; expected 1 to %d", n, MaxLines)
	}
	if q.Each == "" {
		return nil, invalidf("lines need each: the unit that they are lined up by")
	}
	asOf, err := s.day(q.AsOf, func() (civil.Day, bool, error) { return s.newest(ctx, q.Lines[0].Dataset, q.Lines[0].Date) })
	if err != nil {
		return nil, err
	}
	q.AsOf = AsOf(asOf.String())
	l, err := s.Library(ctx)
	if err != nil {
		return nil, err
	}
	scope, err := Scope(l, asOf, q.Reading)
	if err != nil {
		return nil, err
	}
	up := &Lineup{Question: q, AsOf: asOf, Calendar: scope.Calendar.Name()}
	for i, line := range q.Lines {
		if line.Label == "" {
			line.Label = fmt.Sprintf("line %d", i+1)
		}
		if slices.ContainsFunc(up.Lines, func(other LineTotal) bool { return other.Label == line.Label }) {
			return nil, invalidf("two lines are labelled %q", line.Label)
		}
		question := Question{Over: []string{line.Over}, Figures: []tally.Figure{line.Figure}, Where: line.Where, Date: line.Date, Planned: line.Planned,
			Each: q.Each, Running: q.Running, Known: q.Known, Reading: q.Reading}
		if line.Against != "" {
			question.Against = []string{line.Against}
		}
		t, err := s.Total(ctx, line.Dataset, question)
		if err != nil {
			return nil, lineError(line.Label, err)
		}
		up.Lines = append(up.Lines, LineTotal{line, t})
	}
	return up, up.lineUp(scope.Calendar)
}

// lineError says which line is wrong, without hiding what kind of error it is.
func lineError(label string, err error) error { return fmt.Errorf("line %s: %w", label, err) }

// lineUp puts each row at the position of its unit in the year.
func (up *Lineup) lineUp(cal *calendar.Calendar) error {
	each, _ := calendar.ParseUnit(up.Question.Each) // it has been read by each line
	places := map[int]*Position{}
	for i := range up.Lines {
		rows := up.Lines[i].Total.Spans[0].Rows
		if len(rows) == 0 {
			continue
		}
		first, err := positionOf(cal, each, rows[0].Unit)
		if err != nil {
			return invalid(err)
		}
		for j := range rows {
			p := places[first+j]
			if p == nil {
				p = &Position{Number: first + j, Rows: make([]*Row, len(up.Lines))}
				places[p.Number] = p
			}
			p.Rows[i] = &rows[j]
		}
	}
	for _, p := range places {
		p.Label = p.label(each)
		up.Positions = append(up.Positions, *p)
	}
	slices.SortFunc(up.Positions, func(a, b Position) int { return a.Number - b.Number })
	return nil
}

// yearIn is a year in a unit's label, alone or with the one it ends in.
var yearIn = regexp.MustCompile(`\s*\b\d{4}(/\d{2,4})?\b\s*`)

// label names a position by what the labels of its units have in common without their years: Mar.
func (p *Position) label(each calendar.Unit) string {
	common := ""
	for _, r := range p.Rows {
		if r == nil {
			continue
		}
		name := yearIn.ReplaceAllString(r.Unit.Label, "")
		if name == "" || common != "" && common != name {
			return fmt.Sprintf("%s %d", each, p.Number)
		}
		common = name
	}
	return common
}

// positionOf gives a unit's number in its year, from 1. A week that belongs to the year before that in
// which the span begins is 0: the year's own first week stays the first.
func positionOf(cal *calendar.Calendar, u calendar.Unit, first *tally.Unit) (int, error) {
	if u == calendar.Year {
		return 1, nil
	}
	if u == calendar.Week {
		days := first.Days.Hull()
		of, err := cal.Index(calendar.Year, first.Whole.Start+3) // a week belongs to the year of its fourth day
		if err != nil {
			return 0, err
		}
		if own, err := cal.Index(calendar.Year, days.First()); err != nil || of < own {
			return 0, err
		}
	}
	return cal.Number(u, calendar.Year, first.Whole.Start)
}

// parseCovers gives the unit that each record stands for; false for the day alone.
func parseCovers(s *tabular.Schema) (calendar.Unit, bool) {
	u, ok := calendar.ParseUnit(s.Covers)
	return u, ok && u != calendar.Day
}
