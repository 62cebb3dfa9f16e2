package span

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
)

func parse1(t *testing.T, text string) Node {
	t.Helper()
	n, err := Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return n
}

func TestRehearse(t *testing.T) {
	asOf := civil.Of(2026, 10, 19)
	for _, c := range []struct {
		text string
		days int
		want string
	}{
		{"last full month", 60, "10-19 begins stays 30; 11-01 rolls over stays 31; 12-01 rolls over stays 30"},
		{"month to date", 40, "10-19 begins grows 19; 11-01 rolls over grows 1"},
		{"month to date excluding today", 40, "10-19 begins grows 18; 11-01 becomes empty stays 0; 11-02 becomes non-empty grows 1"},
		{"trailing 90 days", 400, "10-19 begins slides 90"},
		{"trailing 10 business days", 400, "10-19 begins moves on 14"},
		{"last full week", 15, "10-19 begins stays 7; 10-26 rolls over stays 7; 11-02 rolls over stays 7"},
		{"rest of this month", 30, "10-19 begins shrinks 12; 10-31 becomes empty stays 0; 11-01 becomes non-empty shrinks 29"},
		{"2026", 400, "10-19 begins stays 365"},
		{"month 5 of last full month or today", 3, "10-19 fails"},
	} {
		turns, _ := Rehearse(context.Background(), parse1(t, c.text), Scope{AsOf: asOf}, c.days)
		var got []string
		for i, turn := range turns {
			if turn.Err != nil {
				got = append(got, turn.First.String()[5:]+" fails")
				continue
			}
			got = append(got, fmt.Sprintf("%s %s %s %d", turn.First.String()[5:], turn.Change, turn.Motion, turn.From.Days()))
			if i > 0 && turns[i-1].Last+1 != turn.First {
				t.Errorf("%s: a day is missing before %s", c.text, turn.First)
			}
		}
		if text := strings.Join(got, "; "); text != c.want {
			t.Errorf("%s:\n%s, want\n%s", c.text, text, c.want)
		}
		if last := turns[len(turns)-1].Last; last != asOf+civil.Day(c.days)-1 {
			t.Errorf("%s ends on %s", c.text, last)
		}
	}
	if turns, _ := Rehearse(context.Background(), parse1(t, "today"), Scope{AsOf: civil.MaxDay - 3}, 400); turns[len(turns)-1].Last != civil.MaxDay {
		t.Errorf("at the end of days: %+v", turns)
	}
}

func TestCheck(t *testing.T) {
	members := func(texts ...string) []Member {
		var list []Member
		for _, text := range texts {
			list = append(list, Member{Name: text, Node: parse1(t, text)})
		}
		return list
	}
	kinds := func(findings []Finding) string {
		var list []string
		for _, f := range findings {
			list = append(list, string(f.Kind)+" "+strings.Join(f.Spans, " + "))
			if f.Text == "" || f.Advice == "" || len(f.AsOf) == 0 {
				t.Errorf("%+v says too little", f)
			}
		}
		return strings.Join(list, "; ")
	}
	asOf := Scope{AsOf: civil.Of(2026, 3, 1)}
	for _, c := range []struct {
		texts []string
		want  string
	}{
		{[]string{"last full month", "month to date"}, ""}, // they meet without gap or overlap
		{[]string{"last full month", "trailing 10 days"}, "overlap last full month + trailing 10 days"},
		{[]string{"2026-01", "2026-03"}, "gap 2026-01 + 2026-03"},
		{[]string{"this month, only Sat/Sun"}, ""}, // gaps of its own are no gaps
		{[]string{"month to date", "today"}, "same-days month to date + today"},
		{[]string{"month to date excluding today"}, "no-days month to date excluding today"},
		{[]string{"last full month excluding today"}, "caution last full month excluding today"},
		{[]string{"last full month", "last full month, 1 month earlier"}, ""}, // 28 days next to 31: less than one in ten
		{[]string{"month 13 of this year"}, "refused month 13 of this year"},
		{[]string{"this quarter, 1 month earlier"}, "caution this quarter, 1 month earlier"},
	} {
		got := kinds(must(t, members(c.texts...), asOf))
		if got != c.want {
			t.Errorf("%q: %s, want %s", c.texts, got, c.want)
		}
	}
	uneven := must(t, members("month to date", "month to date, 1 business day earlier"), Scope{AsOf: civil.Of(2026, 3, 2)})
	if got := kinds(uneven); !strings.Contains(got, "unlike-pair month to date + month to date, 1 business day earlier") {
		t.Errorf("a to-date and its move by a business day: %s", got)
	}
	year, _ := CheckYear(
		context.Background(),
		members("month to date excluding today", "MTD excluding today", "last full month"),
		asOf,
		365,
	)
	if got := kinds(year); !strings.Contains(got, "no-days month to date excluding today") || !strings.Contains(got, "same-days") ||
		len(year[0].AsOf) != 12 {
		t.Errorf("over a year: %s", got)
	}
}

// The laws that hold whatever the day: cuts and unions, moves, neighbours that meet.
func TestLaws(t *testing.T) {
	resolve := func(text string, s Scope) civil.Set {
		t.Helper()
		set, err := Resolve(parse1(t, text), s)
		if err != nil {
			t.Fatalf("%s as of %s: %v", text, s.AsOf, err)
		}
		return set
	}
	for a := civil.Of(2023, 12, 1); a < civil.Of(2025, 3, 1); a++ {
		s := Scope{AsOf: a}
		today := civil.SetOf(civil.One(a))
		for _, u := range []calendar.Unit{calendar.Week, calendar.Month, calendar.Quarter, calendar.Half, calendar.Year} {
			full, toDate, rest := resolve(
				"last full "+u.String(),
				s,
			), resolve(
				u.String()+" to date",
				s,
			), resolve(
				"rest of this "+u.String(),
				s,
			)
			whole := resolve("this "+u.String(), s)
			if full.Bounds().End != toDate.Bounds().Start || !full.Intersect(toDate).Empty() {
				t.Fatalf("as of %s the last full %s %s and the one to date %s do not meet", a, u, full, toDate)
			}
			if !toDate.Union(rest).Equal(whole) || !toDate.Intersect(rest).Empty() {
				t.Fatalf("as of %s this %s is not what is past and what is left of it", a, u)
			}
			if got := resolve(u.String()+" to date excluding today", s); !got.Equal(toDate.Except(today)) {
				t.Fatalf("as of %s excluding today gives %s", a, got)
			}
			if got := resolve("this "+u.String()+" so far", s); !got.Equal(toDate) {
				t.Fatalf("as of %s this %s so far is %s", a, u, got)
			}
			moved, _, err := calendar.Civil.Move(a, -1, u)
			if err != nil {
				t.Fatal(err)
			}
			if got := resolve(u.String()+" to date, 1 "+u.String()+" earlier", s); !got.Equal(
				resolve(u.String()+" to date", Scope{AsOf: moved}),
			) {
				t.Fatalf("as of %s a move by a %s gives %s", a, u, got)
			}
		}
		x, y, z := "trailing 40 days", "this quarter", "last 5 full weeks"
		X, Y, Z := resolve(x, s), resolve(y, s), resolve(z, s)
		for text, want := range map[string]civil.Set{
			x + " or " + y:                         X.Union(Y),
			x + " and " + y:                        X.Intersect(Y),
			x + " except " + y:                     X.Except(Y),
			"(" + x + " or " + y + ") and " + z:    X.Intersect(Z).Union(Y.Intersect(Z)),
			x + " except (" + y + " or " + z + ")": X.Except(Y).Except(Z),
			"(" + x + " except " + y + ") or (" + x + " and " + y + ")": X,
		} {
			if got := resolve(text, s); !got.Equal(want) {
				t.Fatalf("as of %s %s is %s, want %s", a, text, got, want)
			}
		}
	}
}

func must(t *testing.T, m []Member, s Scope) []Finding {
	t.Helper()
	list, err := Check(context.Background(), m, s)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// What takes long ends with its request.
func TestCancelledWorkEnds(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	s := Scope{AsOf: civil.Of(2026, 10, 19)}
	n := parse1(t, "this month")
	if _, err := Rehearse(ctx, n, s, 400); err == nil {
		t.Error("a rehearsal goes on")
	}
	if _, err := Check(ctx, []Member{{Name: "a", Node: n}}, s); err == nil {
		t.Error("a check goes on")
	}
	if _, err := CheckYear(ctx, []Member{{Name: "a", Node: n}}, s, 365); err == nil {
		t.Error("a check of a year goes on")
	}
	if _, err := Follow(ctx, "this month", s, s.AsOf+100, new(int)); err == nil {
		t.Error("a timeline goes on")
	}
}

// Work and answers are bounded by days and periods, however few words ask for them.
func TestWorkIsBounded(t *testing.T) {
	s := Scope{AsOf: civil.Of(2026, 10, 19)}
	one := "(0001-01-01/9999-12-31, only Mon/Wed/Fri)"
	heavy := strings.TrimSuffix(strings.Repeat(one+" or ", 40), " or ")
	for _, text := range []string{one, heavy} {
		n, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		_, err = Resolve(n, s)
		if refuse := text == heavy; (err != nil) != refuse || refuse && !strings.Contains(err.Error(), "days and periods are gone through") {
			t.Errorf("%.50s…: %v", text, err)
		}
	}
	changing := one + " except today"
	if _, err := Follow(context.Background(), changing, s, s.AsOf+10, new(int)); !errors.Is(err, ErrTooLong) {
		t.Errorf("a timeline of all of them: %v", err)
	}
	n, err := Parse(changing)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := Rehearse(context.Background(), n, s, 10); !errors.Is(err, ErrTooLong) {
		t.Errorf("a rehearsal of all of them: %v", err)
	}
}
