package query

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
)

// clocked is a source of records with nothing but a moment; each counts.
type clocked struct {
	schema  *dataset.Schema
	clock   civil.Clock
	moments []civil.Moment
}

func (c clocked) Partials(_ context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	var found tally.Found
	if err := p.Check(c.schema); err != nil {
		return found, err
	}
	for _, m := range c.moments {
		day := c.clock.DayOf(m)
		found.Add(day)
		at := int64(day)
		if p.Timed {
			at = int64(m)
		}
		if segment := p.Segment(at); p.Wanted(segment) {
			f := tally.Partial{Segment: segment, Part: tally.Part{Count: 1}}
			for i := range p.By {
				place := p.Part(i).OfMoment(c.clock, m)
				if !p.Part(i).Hours() {
					place, _ = p.Part(i).OfDay(day)
				}
				f.Group = append(f.Group, p.Part(i).Values[place])
			}
			if err := into.Partial(f); err != nil {
				return found, err
			}
		}
	}
	return found, nil
}

func (c clocked) records() Records {
	return Records{Name: "gates", Schema: c.schema, Source: c, Covered: func(context.Context, string) (tally.Coverage, error) {
		var all tally.Coverage
		for _, m := range c.moments {
			all.Add(c.clock.DayOf(m))
		}
		return all, nil
	}}
}

// count counts the records in some moments before another.
func (c clocked) count(s civil.MomentSet, before civil.Moment) string {
	n := 0
	for _, m := range c.moments {
		if m < before && s.Contains(m) {
			n++
		}
	}
	return fmt.Sprint(n)
}

// gatesOf returns records around a moment, by a clock.
func gatesOf(t *testing.T, rng *rand.Rand, zone, starts string, around civil.Moment) clocked {
	t.Helper()
	clock, err := civil.ReadClock(zone, starts)
	if err != nil {
		t.Fatal(err)
	}
	c := clocked{clock: clock, schema: &dataset.Schema{Zone: zone, DayStarts: starts, Columns: []dataset.Column{
		{Name: "at", Type: dataset.Timestamp, Role: dataset.DayRole},
	}}}
	for range 900 {
		m := around + civil.Moment(rng.IntN(12*24*60)-6*24*60)*60*civil.Second
		if rng.IntN(3) == 0 {
			m = clock.Piece(m, 3600*civil.Second).Start
		}
		c.moments = append(c.moments, m)
	}
	return c
}

// at answers a query as of a moment.
func (c clocked) at(t *testing.T, now civil.Moment, q Query) *Answer {
	t.Helper()
	e := Evaluator{Scope: span.Scope{Clock: c.clock, AsOf: c.clock.DayOf(now), Now: now, HasNow: true, Calendar: calendar.Civil}}
	q.Figures = []measure.Figure{{Kind: measure.Count}}
	a, err := e.Answer(context.Background(), q, c.records())
	if err != nil {
		t.Fatalf("%+v: %v", q, err)
	}
	return a
}

func cellOf(t *testing.T, a *Answer, r *table.Row, role table.Role, comparison string) string {
	t.Helper()
	at := slices.IndexFunc(a.Tables[0].Columns, func(c table.Column) bool { return c.Role == role && c.Comparison == comparison })
	if at < 0 {
		t.Fatalf("there is no column of role %s", role)
	}
	return r.Cells[at].String()
}

// Hours, minutes and days of spans with times add up to the span, whatever the clock does: each row holds what records of
// its moments come to by the as-of moment, running figures what has run since the day began, rolling ones the hours before,
// and each hour is next to the one before it (semantics §8, §9).
func TestHoursAgainstALoop(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 9))
	spans := []string{
		"trailing 30 hours", "last 5 full hours", "this day", "yesterday, only 09:00-17:00", "from yesterday 22:00 until today 06:00",
		"hour to date", "trailing 3 days, only 22:00-06:00", "from yesterday 22:15 until now", "coming 4 hours", "last 2 full days",
	}
	rounds := 12
	if testing.Short() {
		rounds = 3
	}
	for _, c := range []struct {
		zone, starts string
		around       int64 // seconds since 1970
	}{
		{"Europe/Lisbon", "04:00", 1792890000},        // 2026-10-25, an hour twice
		{"Europe/Lisbon", "", 1774746000},             // 2026-03-29, an hour skipped
		{"Australia/Lord_Howe", "", 1775314800},       // half an hour twice
		{"America/New_York", "02:30", 1793512800},     // a day that starts within the hour that comes twice
		{"America/Sao_Paulo", "00:00", 1541300400},    // midnight skipped
		{"Asia/Kathmandu", "06:00", 1792890000},       // hours that begin at a quarter
		{"Pacific/Apia", "", 1325239200},              // a day skipped
		{"America/St_Johns", "", 1162089060 - 5*3600}, // a minute past midnight goes back into the day before
	} {
		gates := gatesOf(t, rng, c.zone, c.starts, civil.Moment(c.around)*civil.Second)
		for range rounds {
			now := civil.Moment(c.around)*civil.Second + civil.Moment(rng.IntN(4*24*60)-2*24*60)*60*civil.Second
			for _, over := range spans {
				each := []string{"hour", "hour", "day", "minute"}[rng.IntN(4)]
				if each == "minute" && !strings.Contains(over, "hour") || over == "coming 4 hours" && each == "minute" {
					each = "hour"
				}
				q := Query{Over: []string{over}, Each: each, Rolling: Window{Units: 3}, Previous: true, Running: "span"}
				if each == "hour" && rng.IntN(2) == 0 {
					q.Running = "day"
				}
				checkHours(t, gates, now, q)
			}
		}
	}
}

func checkHours(t *testing.T, gates clocked, now civil.Moment, q Query) {
	t.Helper()
	a := gates.at(t, now, q)
	clock := gates.clock
	name := fmt.Sprintf("%s by %s as of %s in %s", q.Over[0], q.Each, clock.Format(now), clock)
	whole := tally.Period{Days: a.Spans[0].Intervals, Moments: a.Spans[0].Moments}.By(clock).Moments.MomentSet
	rows := a.Tables[0].Rows
	var together civil.MomentSet
	for i := range rows[:len(rows)-1] {
		r := &rows[i]
		own := tally.Period{Days: r.Intervals, Moments: r.Moments}.By(clock).Moments.MomentSet
		if !together.Intersect(own).Empty() {
			t.Fatalf("%s: row %s lies in another, too", name, r.Unit.Label)
		}
		together = together.Union(own)
		future := slices.Contains(r.Flags, table.Future)
		want := gates.count(own, now)
		if over := a.Spans[0]; over.Moments == nil && q.Each == "day" { // days are known through the as-of day
			want = gates.count(own, clock.StartOf(clock.DayOf(now)+1))
		}
		if got := r.Cells[0].String(); got != want {
			t.Fatalf("%s: row %s holds %s, want %s", name, r.Unit.Label, got, want)
		}
		if future || own.Empty() {
			continue
		}
		start, end := own.Bounds().Start, own.Bounds().End
		length := 3600 * civil.Second
		if q.Each == "minute" {
			length = 60 * civil.Second
		}
		if q.Each != "day" {
			if piece := clock.Piece(start, length); piece.End < end || clock.Name(piece.Start) != r.Unit.Label {
				t.Fatalf("%s: row %s is no %s: %s", name, r.Unit.Label, q.Each, clock.FormatRun(own.Bounds()))
			}
			rolled := civil.MomentsOf(civil.Moments{Start: clock.Pieces(clock.Piece(start, length).Start, length, -2), End: end})
			if got, want := cellOf(t, a, r, table.Rolling, ""), gates.count(rolled, now); got != want {
				t.Fatalf("%s: row %s rolls %s, want %s", name, r.Unit.Label, got, want)
			}
		}
		from := whole.Bounds().Start
		run := whole.Intersect(civil.MomentsOf(civil.Moments{Start: from, End: end}))
		if q.Running == "day" {
			v := civil.Moments{Start: clock.StartOf(clock.DayOf(start)), End: end}
			if run = civil.MomentsOf(v); whole.Len() > 1 {
				run = whole.Intersect(run)
			}
		}
		before := now
		if a.Spans[0].Moments == nil && q.Each == "day" {
			before = clock.StartOf(clock.DayOf(now) + 1)
		}
		if got, want := cellOf(t, a, r, table.Running, ""), gates.count(run, before); got != want {
			t.Fatalf("%s: row %s runs to %s, want %s", name, r.Unit.Label, got, want)
		}
		if i > 0 {
			if got := cellOf(t, a, r, table.Counterpart, "previous"); got != rows[i-1].Cells[0].String() {
				t.Fatalf("%s: before row %s stands %s, want %s", name, r.Unit.Label, got, rows[i-1].Cells[0])
			}
		}
	}
	if !together.Equal(whole) {
		t.Fatalf("%s: the rows are not the span", name)
	}
}

// Spans with times are compared with the period just before, or moved; made like-for-like both sides end at the same place
// of their hour or day.
func TestSpansWithTimesAreCompared(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 10))
	const june = 1781000000 // 2026-06-09, no change of the clock is near
	gates := gatesOf(t, rng, "Europe/Lisbon", "", june*civil.Second)
	now, err := gates.clock.Parse("2026-06-09T14:20")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		over, against string
		own, other    string // with the like-for-like cut
		warns         bool   // without it
	}{
		{"last 3 full hours", "prior", "11:00/14:00", "08:00/11:00", false},
		{"trailing 90 minutes", "prior", "12:50/14:20", "11:20/12:50", false},
		{"from yesterday 22:00 until today 06:00", "prior", "8T22:00/06:00", "7T22:00/8T06:00", false},
		{"today, only 09:00-17:00", "1 day earlier", "09:00/14:20", "8T09:00/8T14:20", true},
		{"today, only 09:00-17:00", "prior", "09:00/14:20", "8T09:00/8T14:20", true},
		{"from today 08:00 until today 20:00", "1 week earlier", "08:00/14:20", "2T08:00/2T14:20", true},
		{"this hour", "prior", "14:00/14:20", "13:00/13:20", true},
		{"hour 3 of today", "prior", "02:00/03:00", "01:00/02:00", false},
		{"first 2 hours of today", "1 day earlier", "00:00/02:00", "8T00:00/8T02:00", false},
		{"2026-06-09T10:00/2026-06-09T12:00", "yesterday", "10:00/12:00", "8T00:00/00:00", true},
	} {
		edge := func(text string) string {
			day, clock, dated := strings.Cut(text, "T")
			if !dated {
				day, clock = "9", text
			}
			return fmt.Sprintf("2026-06-%02sT%s:00+01:00", "0"+day, clock)
		}
		run := func(text string) string {
			from, until, _ := strings.Cut(text, "/")
			return edge(from) + "/" + edge(until)
		}
		q := Query{Over: []string{c.over}, Against: []string{c.against}, LikeForLike: true}
		a := gates.at(t, now.Moment, q)
		own := a.Spans[0].Moments.Text()
		other := tally.Period{Days: a.Spans[0].Comparisons[0].Intervals, Moments: a.Spans[0].Comparisons[0].Moments}.By(gates.clock)
		if own != run(c.own) || other.Moments.Text() != run(c.other) {
			t.Errorf("%s against %s: %s and %s, want %s and %s", c.over, c.against, own, other.Moments.Text(), run(c.own), run(c.other))
		}
		row := &a.Tables[0].Rows[0]
		if got, want := cellOf(t, a, row, table.Counterpart, a.Spans[0].Comparisons[0].Name), gates.count(other.Moments.MomentSet, now.Moment); got != want {
			t.Errorf("%s against %s holds %s, want %s", c.over, c.against, got, want)
		}
		q.LikeForLike = false
		plain := gates.at(t, now.Moment, q).Spans[0].Comparisons[0]
		if plain.LikeForLike == c.warns {
			t.Errorf("%s against %s: like-for-like is %v: %+v", c.over, c.against, plain.LikeForLike, plain.Cause)
		}
	}
}

// Parts of time come whole and in their natural order, and hours need times.
func TestPartsOfTime(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 11))
	gates := gatesOf(t, rng, "Europe/Lisbon", "", 1781000000*civil.Second)
	for by, want := range map[string]string{
		"Weekday": "weekday: Mon Tue Wed Thu Fri Sat Sun", "month of year": "month of year: Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec",
		"quarters of year": "quarter of year: Q1 Q2 Q3 Q4", "month of quarter": "month of quarter: 1 2 3", "HOUR of day": "hour: 00:00 01:00 02:00 03:00",
		"day of week of at": "day of week: 1 2 3 4 5 6 7", "week of month": "week of month: 1 2 3 4 5",
	} {
		a := gates.at(t, 1781000000*civil.Second, Query{Over: []string{"trailing 2 days"}, By: []string{by}})
		told := a.Query.By[0] + ":"
		sum := 0
		for _, r := range a.Tables[0].Rows {
			var n int
			if _, err := fmt.Sscan(r.Cells[0].String(), &n); err != nil {
				t.Fatal(err)
			}
			if r.Kind == table.Total {
				if n != sum {
					t.Errorf("%s: %d in parts, %d in all", by, sum, n)
				}
				continue
			}
			told, sum = told+" "+r.Group[0].Text, sum+n
		}
		if !strings.HasPrefix(told, want) || by != "HOUR of day" && told != want {
			t.Errorf("by %s gives %s, want %s", by, told, want)
		}
	}
	for _, text := range []string{"hour of", "weekday of", "year of", "business day of month", "month", "hours", "month of week of"} {
		if IsPart(text) {
			t.Errorf("%q is taken for a part of time", text)
		}
	}
	_, err := ask(t, nil, civil.Of(2026, 10, 19), Query{Over: []string{"yesterday"}, By: []string{"hour"}})
	if err == nil || !strings.Contains(err.Error(), "days without times") {
		t.Errorf("hours of days give %v", err)
	}
	_, err = ask(t, nil, civil.Of(2026, 10, 19), Query{Over: []string{"yesterday 09:00"}, Each: "hour"})
	if err == nil {
		t.Error("hours of days are answered")
	}
}

// A list of limits is read in its order, with what is next to.
func TestLimits(t *testing.T) {
	l, err := NewLimits([]string{"crew", "from", "until"})
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range [][]string{
		{"B", "2026-10-18T14:00", "2026-10-18 22:00"}, {"A", "2026-10-18", "2026-10-19"}, {"C", "", "2026-10-18T06:00:30"}, {"D", "2026-10-18", ""},
	} {
		if err := l.Add(row); err != nil {
			t.Error(err)
		}
	}
	want := "from 2026-10-18T14:00 until 2026-10-18T22:00|from 2026-10-18 until 2026-10-19|until 2026-10-18T06:00:30|from 2026-10-18 onward"
	if got := strings.Join(l.Over, "|"); got != want || fmt.Sprint(l.Beside) != "{[crew] [[B] [A] [C] [D]]}" {
		t.Errorf("%s, %v", got, l.Beside)
	}
	for want, row := range map[string][]string{
		"both blank": {"x", "", ""}, "until: \"noon\"": {"x", "2026-10-18", "noon"}, "from: \"2026-13-01\"": {"x", "2026-13-01", ""},
		"without an offset": {"x", "2026-10-18T06:00:00+02:00", ""},
	} {
		if err := l.Add(row); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v gives %v, want %s", row, err, want)
		}
	}
	for _, header := range [][]string{{"expression", "from"}, {"from"}, {"a", "b"}} {
		if _, err := NewLimits(header); err == nil {
			t.Errorf("%v is taken", header)
		}
	}
}

// Records of two datasets that become days by different clocks are distinguished.
func TestClocksAreTold(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 12))
	const june = 1781000000 * civil.Second
	lisbon, tokyo := gatesOf(t, rng, "Europe/Lisbon", "", june), gatesOf(t, rng, "Asia/Tokyo", "04:00", june)
	e := Evaluator{Scope: span.Scope{Clock: lisbon.clock, AsOf: lisbon.clock.DayOf(june), Calendar: calendar.Civil},
		Find: func(context.Context, string) (Records, error) { r := tokyo.records(); r.Name = "tokyo"; return r, nil }}
	for over, days := range map[string]bool{"yesterday": true, "yesterday, only 09:00-17:00": false} {
		q := Query{Over: []string{over}, Figures: []measure.Figure{{Kind: measure.Count}}, AgainstDataset: []Other{{Dataset: "tokyo"}}}
		a, err := e.Answer(context.Background(), q, lisbon.records())
		if err != nil {
			t.Fatal(err)
		}
		if !slices.ContainsFunc(a.Notes, func(n table.Note) bool {
			return n.Code == table.Clocks && strings.Contains(n.Text, "Asia/Tokyo, day starts 04:00")
		}) {
			t.Errorf("%s: %v", over, a.Notes)
		}
		own := tally.Period{Days: a.Spans[0].Intervals, Moments: a.Spans[0].Moments}
		if days { // each by its own days, but moments are the same for both
			own = own.By(tokyo.clock)
		}
		if got, want := cellOf(t, a, &a.Tables[0].Rows[0], table.Counterpart, "tokyo"), tokyo.count(own.Moments.MomentSet, june+civil.Second*1e6); got != want {
			t.Errorf("%s: the other records come to %s, want %s", over, got, want)
		}
	}
}

// Where the newest day is half there, a comparison is like for like exactly where at most one record in fifty of the counterpart
// came later in its day, by a loop over the moments; made like-for-like, both sides end at the same time (semantics §7).
func TestHalfDaysAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 5))
	rounds := 300
	if testing.Short() {
		rounds = 60
	}
	const second = civil.Second
	unlike := 0
	for i := range rounds {
		clock, err := civil.ReadClock("UTC", "")
		if err != nil {
			t.Fatal(err)
		}
		gates := clocked{clock: clock, schema: &dataset.Schema{Zone: "UTC", Columns: []dataset.Column{{Name: "at", Type: dataset.Timestamp, Role: dataset.DayRole}}}}
		newest := civil.Moment(1_781_000_000+rng.Int64N(40*86_400)) * second
		day := clock.DayOf(newest)
		if rng.IntN(2) == 0 { // late in the day
			newest = clock.StartOf(day+1) - civil.Moment(1+rng.Int64N(9_000))*second
		}
		gates.moments = append(gates.moments, newest)
		for range 400 + rng.IntN(3000) {
			gates.moments = append(gates.moments, newest-civil.Moment(rng.Int64N(40*86_400))*second)
		}
		gates.moments = append(gates.moments, newest-60*86_400*second)
		over := []string{"trailing 1 day", "trailing 3 days", "trailing 7 days", "trailing 14 days"}[rng.IntN(4)]
		move := []int{7, 14}[rng.IntN(2)]
		against := map[int]string{7: "1 week earlier", 14: "2 weeks earlier"}[move]
		q := Query{Over: []string{over}, Against: []string{against}}
		perDay := rng.IntN(2) == 0
		at := func(alike bool) *Answer {
			q := q
			q.Figures, q.LikeForLike = []measure.Figure{{Kind: measure.Count}}, alike
			if perDay {
				q.Figures = append(q.Figures, measure.Figure{Kind: measure.Count, Derived: measure.PerDay})
			}
			records := gates.records()
			covered := records.Covered
			records.Covered = func(ctx context.Context, date string) (tally.Coverage, error) {
				c, err := covered(ctx, date)
				c.Last = newest
				return c, err
			}
			a, err := Evaluator{Scope: span.Scope{Clock: clock, AsOf: day, Calendar: calendar.Civil}}.Answer(t.Context(), q, records)
			if err != nil {
				t.Fatal(err)
			}
			return a
		}
		plain := at(false)
		own, c := plain.Spans[0].Intervals, plain.Spans[0].Comparisons[0]
		moved := newest - civil.Moment(move*86_400)*second
		later, all, cut, until, toCome := 0, 0, 0, 0, 0
		week := newest - 7*86_400*second
		for _, m := range gates.moments {
			if m > week && clock.DayOf(m) == clock.DayOf(week) {
				toCome++
			}
			switch d := clock.DayOf(m); {
			case c.Intervals.Contains(d):
				all++
				if m <= moved {
					cut++
				} else {
					later++
				}
			}
			if own.Contains(clock.DayOf(m)) {
				until++
			}
		}
		what := fmt.Sprintf("round %d: %s against %s as of %s, the newest is of %s", i, over, against, day, clock.Format(newest))
		if alike := later*50 <= all; c.LikeForLike != alike {
			t.Fatalf("%s: like for like is %v; %d of %d came later", what, c.LikeForLike, later, all)
		}
		if later*50 > all {
			unlike++
		}
		noted := slices.ContainsFunc(plain.Notes, func(n table.Note) bool { return n.Code == table.HalfDay })
		if noted != (perDay && toCome*50 > until) {
			t.Fatalf("%s: per day is asked for: %v, a note: %v; a week earlier %d came later, %d records", what, perDay, noted, toCome, until)
		}
		made := at(true)
		row := &made.Tables[0].Rows[0]
		name := made.Spans[0].Comparisons[0].Name
		got := cellOf(t, made, row, table.Figure, "") + " " + cellOf(t, made, row, table.Counterpart, name)
		if want := fmt.Sprint(until, cut); got != want {
			t.Fatalf("%s: made like-for-like it is %s, want %s", what, got, want)
		}
	}
	t.Logf("%d of %d comparisons are not like for like", unlike, rounds)
}
