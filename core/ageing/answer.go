package ageing

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/elapsed"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/table"
)

// An Answer reports how long records last as of a day.
type Answer struct {
	// Question is what was asked, with what was left out: the as-of day, the calendar, the unit.
	Question
	// Nodes are the expressions of the span and of the filters' spans.
	Nodes []span.Node `json:"-"`
	// OverDays are the days of the span that records begin in.
	OverDays civil.Set `json:"over_days"`
	// Cautions are those of the span and of the filters' spans.
	Cautions []string `json:"cautions,omitempty"`
	// Known says which state of the records the answer is of, where it is not the newest; the first caution says it in words.
	Known *table.Known `json:"known,omitempty"`
	// Groups are the values of the category in order, then all records together.
	Groups []Group `json:"groups"`
	// Course is what each unit opened and closed, in time order.
	Course []Turn `json:"course,omitempty"`
	// Faults are records that end before they begin: they are listed, and count nowhere else.
	Faults       []Fault `json:"faults,omitempty"`
	FaultRecords int64   `json:"fault_records"`
	// NotBegun begin after the as-of day, Undated have no first date: both are left out.
	NotBegun int64 `json:"not_begun"`
	Undated  int64 `json:"undated"`
}

// A Group is the records of one value of the category, or all of them.
type Group struct {
	Label   dataset.Label `json:"label"`
	Records int64         `json:"records"`
	Open    int64         `json:"open"`
	Closed  int64         `json:"closed"`
	// ClosedLengths are those of closed records, OpenAges those of open ones, on the as-of day.
	ClosedLengths Lengths `json:"closed_lengths"`
	OpenAges      Lengths `json:"open_ages"`
	// Within counts the closed records that last no longer than asked for, WithinShare is their share of the closed.
	Within      *int64        `json:"within_records,omitempty"`
	WithinShare decimal.Value `json:"within_share"`
	// Due counts the records that began longer ago than asked for, and DueShare is the share of them that closed in time.
	Due      *int64        `json:"due_records,omitempty"`
	DueShare decimal.Value `json:"due_share"`
	Bands    []BandCount   `json:"bands,omitempty"`
}

// Lengths say how long some records last, or how old they are; blank if there are no records. The median is midway between the two
// middle ones of an even number; the 90th percentile is the shortest length that at least 90 of 100 records do not pass.
type Lengths struct {
	Mean         decimal.Value `json:"mean"`
	Median       decimal.Value `json:"median"`
	Percentile90 decimal.Value `json:"percentile_90"`
	Longest      decimal.Value `json:"longest"`
}

// A BandCount is the records of a band.
type BandCount struct {
	Band    string        `json:"band"`
	Records int64         `json:"records"`
	Sum     decimal.Value `json:"sum"`
}

// A Turn is what a unit of the calendar did to a backlog: open at the start + opened - closed = open at the end.
type Turn struct {
	Unit        string    `json:"unit"`
	FirstDay    civil.Day `json:"first_day"`
	LastDay     civil.Day `json:"last_day"` // the as-of day where the unit is not over
	OpenAtStart int64     `json:"open_at_start"`
	Opened      int64     `json:"opened"`
	Closed      int64     `json:"closed"`
	OpenAtEnd   int64     `json:"open_at_end"`
}

// A Fault is records whose second date comes before the first.
type Fault struct {
	From    civil.Day     `json:"from"`
	To      civil.Day     `json:"to"`
	Label   dataset.Label `json:"label"`
	Records int64         `json:"records"`
}

const (
	// maxFaults is how many faults are listed; all are counted.
	maxFaults = 100
	// maxGroups is how many values a category may have.
	maxGroups = 10_000
	// maxCourse is how many units a course may have.
	maxCourse = 4000
)

// pair is the two days of a lifetime; to is the as-of day while it is open.
type pair struct{ from, to civil.Day }

// knownLengths remembers lengths by their two days: those of a first day in a list by the second.
type knownLengths struct {
	by   map[civil.Day][]int32 // 0 where a length is not known, else the length and 1
	from civil.Day             // the first day that was asked for last, and its list
	list []int32
}

// maxKnown is how many days after the first one a second day is remembered.
const maxKnown = 4096

// at returns where a length is remembered; nil where it is not.
func (k *knownLengths) at(p pair) *int32 {
	if p.to < p.from || p.to-p.from >= maxKnown {
		return nil
	}
	if k.list == nil || k.from != p.from {
		k.from, k.list = p.from, k.by[p.from]
	}
	if n := int(p.to-p.from) + 1; n > len(k.list) {
		k.list = append(k.list, make([]int32, n-len(k.list))...)
		k.by[p.from] = k.list
	}
	return &k.list[p.to-p.from]
}

// gathering is what the records of a group come to.
type gathering struct {
	closed, open lengthCounts
	due, inTime  int64                 // records that began longer ago than asked for, and those of them that closed in time
	sums         map[int]decimal.Value // the amount in each band
}

// lengthCounts are records by how long they last.
type lengthCounts struct {
	records int64
	short   []int64 // by length, of those below maxShort
	long    map[int]int64
}

// maxShort is below which length records are counted in a list.
const maxShort = 1 << 14

func (c *lengthCounts) add(length int, records int64) {
	c.records += records
	if length < 0 || length >= maxShort {
		if c.long == nil {
			c.long = map[int]int64{}
		}
		c.long[length] += records
		return
	}
	if length >= len(c.short) {
		c.short = append(c.short, make([]int64, length+1-len(c.short))...)
	}
	c.short[length] += records
}

// each yields lengths in order, with their records.
func (c *lengthCounts) each(yield func(length int, records int64) bool) {
	long := slices.Sorted(maps.Keys(c.long))
	for len(long) > 0 && long[0] < 0 {
		if !yield(long[0], c.long[long[0]]) {
			return
		}
		long = long[1:]
	}
	for length, records := range c.short {
		if records > 0 && !yield(length, records) {
			return
		}
	}
	for _, length := range long {
		if !yield(length, c.long[length]) {
			return
		}
	}
}

// collector adds lifetimes up.
type collector struct {
	plan    *plan
	asOf    civil.Day
	groups  map[dataset.Label]*gathering
	all     *gathering
	lengths knownLengths
	opened  map[civil.Day]int64 // for the course
	closed  map[civil.Day]int64
	faults  map[Fault]int64 // their records, which a Fault here does not say
	told    Answer
}

func newGathering() *gathering {
	return &gathering{sums: map[int]decimal.Value{}}
}

func newCollector(p *plan) *collector {
	return &collector{
		plan: p, asOf: p.scope.AsOf, groups: map[dataset.Label]*gathering{}, all: newGathering(),
		lengths: knownLengths{by: map[civil.Day][]int32{}},
		opened:  map[civil.Day]int64{}, closed: map[civil.Day]int64{}, faults: map[Fault]int64{},
	}
}

// take adds a lifetime.
func (c *collector) take(s Lifetime) error {
	a := &c.told
	switch {
	case !s.Begun:
		a.Undated += s.Records
		return nil
	case !c.plan.over.Contains(s.Begin):
		return nil
	case s.Ended && (s.End < s.Begin || s.To < s.From):
		a.FaultRecords += s.Records
		c.faults[Fault{From: s.Begin, To: s.End, Label: s.Label}] += s.Records
		return nil
	case s.Begin > c.asOf:
		a.NotBegun += s.Records
		return nil
	}
	p := pair{s.Begin, s.End}
	open := !s.Ended || s.End > c.asOf // what was closed later counts as open then
	if open {
		p.to = c.asOf
	}
	if c.plan.question.Each != "" {
		c.opened[s.Begin] += s.Records
		if !open {
			c.closed[s.End] += s.Records
		}
	}
	if only := c.plan.question.Only; only == Open && !open || only == Closed && open {
		return nil // the course is of all
	}
	length, err := c.length(&s, p, open)
	if err != nil {
		return err
	}
	group := c.groups[s.Label]
	if group == nil {
		if len(c.groups) == maxGroups {
			return &query.Error{
				Pointer: "/by", Err: fmt.Errorf("%s has more than %d values: take another category, or filter", c.plan.question.By, maxGroups),
			}
		}
		group = newGathering()
		c.groups[s.Label] = group
	}
	due, err := c.due(&s, p)
	if err != nil {
		return err
	}
	for _, g := range []*gathering{group, c.all} {
		if due {
			g.due += s.Records
			if !open && length <= *c.plan.question.Within {
				g.inTime += s.Records
			}
		}
		if err := g.add(&s, open, length, find(c.plan.bands, length)); err != nil {
			return err
		}
	}
	return nil
}

// due reports whether a record began longer ago than is asked for.
func (c *collector) due(s *Lifetime, p pair) (bool, error) {
	if c.plan.question.Within == nil {
		return false, nil
	}
	age, err := c.length(s, pair{p.from, c.asOf}, true)
	return age > *c.plan.question.Within, err
}

// length returns how long a record lasts, or how old it is; between days it is found once for each two.
func (c *collector) length(s *Lifetime, p pair, open bool) (int, error) {
	if c.plan.unit.Count == nil {
		to := s.To
		if open {
			to = c.plan.end
		}
		return elapsed.Hours(s.From, to), nil
	}
	known := c.lengths.at(p)
	if known != nil && *known > 0 {
		return int(*known) - 1, nil
	}
	length, err := c.plan.unit.Count(p.from, p.to, c.plan.scope.Calendar)
	if err != nil {
		return 0, &query.Error{Pointer: "/unit", Err: err}
	}
	if known != nil && length >= 0 && length < math.MaxInt32 {
		*known = int32(length) + 1
	}
	return length, nil
}

func (g *gathering) add(s *Lifetime, open bool, length, band int) error {
	if open {
		g.open.add(length, s.Records)
	} else {
		g.closed.add(length, s.Records)
	}
	if band < 0 || !s.Sum.Set {
		return nil
	}
	have := g.sums[band]
	if !have.Set {
		g.sums[band] = s.Sum
		return nil
	}
	sum, err := have.Plus(s.Sum)
	g.sums[band] = sum
	return err
}

// answer puts everything together.
func (c *collector) answer(name string) (*Answer, error) {
	a := c.told
	a.Question, a.OverDays, a.Cautions, a.Nodes = c.plan.question, c.plan.over, c.plan.cautions, c.plan.nodes
	a.Dataset, a.Unit, a.Question.AsOf, a.Question.Calendar = name, c.plan.unit.Name, c.asOf.String(), c.plan.scope.Calendar.Name()
	if a.Only == "" {
		a.Only = All
	}
	if c.plan.question.By != "" {
		for _, l := range slices.SortedFunc(maps.Keys(c.groups), dataset.Label.Compare) {
			g, err := c.group(l, c.groups[l])
			if err != nil {
				return nil, err
			}
			a.Groups = append(a.Groups, g)
		}
	}
	all, err := c.group(dataset.All, c.all)
	if err != nil {
		return nil, err
	}
	a.Groups = append(a.Groups, all)
	for f, n := range c.faults {
		f.Records = n
		a.Faults = append(a.Faults, f)
	}
	slices.SortFunc(a.Faults, func(x, y Fault) int {
		return cmp.Or(cmp.Compare(x.From, y.From), cmp.Compare(x.To, y.To), x.Label.Compare(y.Label))
	})
	a.Faults = a.Faults[:min(len(a.Faults), maxFaults)]
	if c.plan.question.Each != "" {
		a.Course, err = c.course()
	}
	return &a, err
}

// group returns the figures of a gathering.
func (c *collector) group(label dataset.Label, g *gathering) (Group, error) {
	out := Group{Label: label, Open: g.open.records, Closed: g.closed.records, Records: g.open.records + g.closed.records}
	var err1, err2 error
	out.ClosedLengths, err1 = g.closed.figures()
	out.OpenAges, err2 = g.open.figures()
	if err := errors.Join(err1, err2); err != nil {
		return out, err
	}
	if w := c.plan.question.Within; w != nil {
		var within int64
		for n, records := range g.closed.each {
			if n <= *w {
				within += records
			}
		}
		out.Within, out.Due = &within, &g.due
		out.WithinShare, err1 = share(within, g.closed.records)
		out.DueShare, err2 = share(g.inTime, g.due)
		if err := errors.Join(err1, err2); err != nil {
			return out, err
		}
	}
	for i, b := range c.plan.bands {
		one := BandCount{Band: b.String(), Sum: g.sums[i]}
		for _, counts := range []*lengthCounts{&g.closed, &g.open} {
			for n, records := range counts.each {
				if find(c.plan.bands, n) == i {
					one.Records += records
				}
			}
		}
		out.Bands = append(out.Bands, one)
	}
	return out, nil
}

// share returns a part of some records; blank where there are none.
func share(part, of int64) (decimal.Value, error) {
	f, err := decimal.Quotient(apd.New(part, 0), apd.New(of, 0))
	if err != nil {
		return decimal.Value{}, err
	}
	return f.Value()
}

// figures returns how long the records last.
func (c *lengthCounts) figures() (Lengths, error) {
	var out Lengths
	if c.records == 0 {
		return out, nil
	}
	var total int64
	for n, records := range c.each {
		total += int64(n) * records
	}
	var err1, err2 error
	out.Mean, err1 = share(total, c.records)
	low, high := c.ranked((c.records-1)/2), c.ranked(c.records/2)
	out.Median, err2 = decimal.Midway(apd.New(int64(low), 0), apd.New(int64(high), 0))
	out.Percentile90 = decimal.Int(int64(c.ranked((9*c.records+9)/10 - 1)))
	out.Longest = decimal.Int(int64(c.ranked(c.records - 1)))
	return out, errors.Join(err1, err2)
}

// ranked returns the length at a position, from 0, among all records by length.
func (c *lengthCounts) ranked(position int64) int {
	for n, records := range c.each {
		if position -= records; position < 0 {
			return n
		}
	}
	return 0
}

// course goes through the units from the first record's to that of the as-of day.
func (c *collector) course() ([]Turn, error) {
	if len(c.opened) == 0 {
		return nil, nil
	}
	cal, u := c.plan.scope.Calendar, c.plan.each
	first := slices.Min(slices.Collect(maps.Keys(c.opened)))
	from, err := cal.Index(u, first)
	if err != nil {
		return nil, &query.Error{Pointer: "/each", Err: err}
	}
	through, err := cal.Index(u, c.asOf)
	if err != nil {
		return nil, &query.Error{Pointer: "/each", Err: err}
	}
	if through-from >= maxCourse {
		return nil, &query.Error{Pointer: "/each", Err: errTooLong}
	}
	var turns []Turn
	var open int64
	for i := from; i <= through; i++ {
		t, err := turnOf(cal, u, i, c.asOf)
		if err != nil {
			return nil, &query.Error{Pointer: "/each", Err: err}
		}
		t.OpenAtStart = open
		for d := t.FirstDay; d <= t.LastDay; d++ {
			t.Opened += c.opened[d]
			t.Closed += c.closed[d]
		}
		open += t.Opened - t.Closed
		t.OpenAtEnd = open
		whole, err := cal.Unit(u, i)
		if err != nil {
			return nil, &query.Error{Pointer: "/each", Err: err}
		}
		if !c.plan.show.Within(whole).Empty() {
			turns = append(turns, t)
		}
	}
	return turns, nil
}

func turnOf(cal *calendar.Calendar, u calendar.Unit, index int, asOf civil.Day) (Turn, error) {
	days, err := cal.Unit(u, index)
	if err != nil {
		return Turn{}, err
	}
	label, err := cal.Label(u, days.Start)
	return Turn{Unit: label, FirstDay: days.Start, LastDay: min(days.Last(), asOf)}, err
}
