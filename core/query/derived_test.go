package query

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"vastspan/core/civil"
	"vastspan/core/measure"
	"vastspan/core/table"
)

// derivedFigures are all derivations of the sum, and the sum.
func derivedFigures(t *testing.T) []measure.Figure {
	t.Helper()
	figures := []measure.Figure{{Kind: measure.Sum, Column: "amount"}}
	for _, d := range measure.Derivations() {
		figures = append(figures, measure.Figure{Kind: measure.Sum, Column: "amount", Derived: d.Derivation})
	}
	return figures
}

// naiveDerived recomputes derived figures with a calendar of its own: loops over days and records.
type naiveDerived struct {
	list        []sale
	days        map[civil.Day]bool // of the records
	first, last civil.Day          // of the records
	asOf        civil.Day
}

func (n *naiveDerived) covers(d civil.Day) bool { return d >= n.first && d <= n.last && d <= n.asOf }

// count counts days through a day, and of those the ones from Monday to Friday.
func (n *naiveDerived) count(from, through civil.Day, counted func(civil.Day) bool) (days, business int64) {
	for d := from; d <= through; d++ {
		if !counted(d) {
			continue
		}
		days++
		if w := date(d).Weekday(); w != time.Saturday && w != time.Sunday {
			business++
		}
	}
	return days, business
}

func (n *naiveDerived) sum(from, through civil.Day) *big.Rat {
	var sum *big.Rat
	for _, s := range n.list {
		if s.day >= from && s.day <= through && s.day <= n.asOf {
			if sum == nil {
				sum = new(big.Rat)
			}
			sum.Add(sum, big.NewRat(s.cents, 100))
		}
	}
	return sum
}

func date(d civil.Day) time.Time {
	at, err := time.Parse(time.DateOnly, d.String())
	if err != nil {
		panic(err)
	}
	return at
}

// aYear returns the same day of the year before; 29 February is the 28th there.
func aYear(d civil.Day) civil.Day {
	at := date(d)
	if at.Month() == time.February && at.Day() == 29 {
		at = at.AddDate(0, 0, -1)
	}
	return dayOf(at.AddDate(-1, 0, 0))
}

func dayOf(at time.Time) civil.Day { return civil.Of(at.Year(), int(at.Month()), at.Day()) }

// figures returns what the derivations of a period come to; through is its last day, whole that of its whole unit.
func (n *naiveDerived) figures(from, through, whole civil.Day, yearFrom, yearWhole civil.Day) []string {
	days, business := n.count(from, through, n.covers)
	all := func(civil.Day) bool { return true }
	wholeDays, wholeBusiness := n.count(from, whole, all)
	sum := n.sum(from, through)
	by := func(a, b int64) string {
		if sum == nil || b == 0 {
			return ""
		}
		if a == b {
			return sum.FloatString(2)
		}
		return new(big.Rat).Mul(sum, big.NewRat(a, b)).FloatString(6)
	}
	per := func(covered int64) string {
		if sum == nil || covered == 0 {
			return ""
		}
		return new(big.Rat).Mul(sum, big.NewRat(1, covered)).FloatString(6)
	}
	year := by(days, days)
	if days > 0 && days < wholeDays && sum != nil {
		year = ""
		before, beforeWhole := n.sum(yearFrom, aYear(min(through, n.asOf, n.last))), n.sum(yearFrom, yearWhole)
		if before != nil && before.Sign() != 0 {
			year = new(big.Rat).Quo(new(big.Rat).Mul(sum, beforeWhole), before).FloatString(6)
		}
	}
	plain := ""
	if sum != nil {
		plain = sum.FloatString(2)
	}
	return []string{plain, per(days), per(business), by(wholeDays, days), by(wholeBusiness, business), year}
}

// Per day and pace are what loops over days and records give, whether records lag behind the as-of day or not, and by
// unit as well.
func TestDerivedFigures(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 21))
	months := 0
	for range 60 {
		n := naiveDerived{asOf: civil.Of(2024, 1, 1) + civil.Day(rng.IntN(700))}
		for d := n.asOf - 800; d < n.asOf+20; d++ {
			if rng.IntN(3) > 0 && (rng.IntN(40) > 0 || d < n.asOf-3) {
				n.list = append(n.list, sale{day: d, region: "North", cents: int64(rng.IntN(50_000) + 1)})
			}
		}
		for lag := rng.IntN(3) * rng.IntN(20); len(n.list) > 0 && n.list[len(n.list)-1].day > n.asOf-civil.Day(lag); {
			n.list = n.list[:len(n.list)-1]
		}
		n.first, n.last = n.list[0].day, n.list[len(n.list)-1].day
		at := date(n.asOf)
		monthStart := dayOf(time.Date(at.Year(), at.Month(), 1, 0, 0, 0, 0, time.UTC))
		monthEnd := dayOf(time.Date(at.Year(), at.Month()+1, 0, 0, 0, 0, 0, time.UTC))
		yearStart, yearEnd := civil.Of(at.Year(), 1, 1), civil.Of(at.Year(), 12, 31)
		monthBefore := [2]civil.Day{
			dayOf(time.Date(at.Year()-1, at.Month(), 1, 0, 0, 0, 0, time.UTC)), dayOf(time.Date(at.Year()-1, at.Month()+1, 0, 0, 0, 0, 0, time.UTC)),
		}
		for over, want := range map[string][]string{
			"this month":                    n.figures(monthStart, monthEnd, monthEnd, monthBefore[0], monthBefore[1]),
			"month to date":                 n.figures(monthStart, n.asOf, monthEnd, monthBefore[0], monthBefore[1]),
			"month to date excluding today": n.figures(monthStart, n.asOf-1, monthEnd, monthBefore[0], monthBefore[1]),
			"this month so far":             n.figures(monthStart, n.asOf, monthEnd, monthBefore[0], monthBefore[1]),
			"year to date":                  n.figures(yearStart, n.asOf, yearEnd, civil.Of(at.Year()-1, 1, 1), civil.Of(at.Year()-1, 12, 31)),
			"trailing 20 days":              n.figures(n.asOf-19, n.asOf, n.asOf, aYear(n.asOf)-19, aYear(n.asOf)),
		} {
			a, err := ask(t, n.list, n.asOf, Query{Over: []string{over}, Figures: derivedFigures(t)})
			if err != nil {
				t.Fatal(err)
			}
			if got := cellTexts(a.Tables[0].Rows[0]); !sameNumbers(got, want) {
				t.Errorf("%s as of %s (records to %s): %v, want %v", over, n.asOf, n.last, got, want)
			}
		}
		a, err := ask(t, n.list, n.asOf, Query{Over: []string{"year to date"}, Each: "month", Figures: derivedFigures(t)})
		if err != nil {
			t.Fatal(err)
		}
		for i, r := range rowsOf(a, table.Group) {
			start := civil.Of(at.Year(), i+1, 1)
			end := dayOf(time.Date(at.Year(), time.Month(i+2), 0, 0, 0, 0, 0, time.UTC))
			before := dayOf(time.Date(at.Year()-1, time.Month(i+2), 0, 0, 0, 0, 0, time.UTC))
			want := n.figures(start, min(end, n.asOf), end, civil.Of(at.Year()-1, i+1, 1), before)
			if got := cellTexts(r); !sameNumbers(got, want) {
				t.Errorf("%s as of %s: %v, want %v", r.Unit.Label, n.asOf, got, want)
			}
			months++
		}
	}
	if months < 200 {
		t.Errorf("only %d months were looked at", months)
	}
}

func cellTexts(r table.Row) []string {
	list := make([]string, len(r.Cells))
	for i, c := range r.Cells {
		list[i] = c.String()
	}
	return list
}

// sameNumbers compares numbers, blank or not, to the last digit but one of rounding.
func sameNumbers(a, b []string) bool {
	for i := range a {
		x, xok := new(big.Rat).SetString(a[i])
		y, yok := new(big.Rat).SetString(b[i])
		if xok != yok || xok && new(big.Rat).Abs(new(big.Rat).Sub(x, y)).Cmp(big.NewRat(1, 1_000_000)) > 0 {
			return false
		}
	}
	return len(a) == len(b)
}

// A pace is compared with the whole of what it is compared with, and says how it comes about.
func TestPacesAreCompared(t *testing.T) {
	var list []sale
	for d := civil.Of(2025, 1, 1); d <= civil.Of(2026, 10, 19); d++ {
		list = append(list, sale{day: d, region: "North", cents: 100})
	}
	asOf := civil.Of(2026, 10, 10)
	pace := measure.Figure{Kind: measure.Sum, Column: "amount", Derived: measure.PaceByDays}
	sum := measure.Figure{Kind: measure.Sum, Column: "amount"}
	q := Query{Over: []string{"month to date"}, Against: []string{"1 year earlier", "prior"}, Figures: []measure.Figure{sum, pace}}
	a, err := ask(t, list, asOf, q)
	if err != nil {
		t.Fatal(err)
	}
	columns := []string{
		"sum_amount", "sum_amount_1_year_earlier", "sum_amount_prior_period",
		"sum_amount_pace_by_days", "sum_amount_pace_by_days_1_year_earlier", "sum_amount_pace_by_days_prior_period",
	}
	if got := cells(a, a.Tables[0].Rows[0], columns...); got != "10.00 10.00 10.00 31.00 31.00 30.00" {
		t.Errorf("the figures are %s", got)
	}
	if !hasNote(a, table.Derived, "month to date: records cover 10 of the 31 days of its whole unit; the pace is 31/10 of what is there") {
		t.Errorf("the notes are %+v", a.Notes)
	}
	q.Each, q.Over = "month", []string{"quarter to date"}
	if a, err = ask(t, list, civil.Of(2026, 8, 10), q); err != nil {
		t.Fatal(err)
	}
	rows := rowsOf(a, table.Group)
	if got := cells(a, rows[1], columns...); got != "10.00 10.00 10.00 31.00 31.00 31.00" {
		t.Errorf("August is %s", got)
	}
	q = Query{Over: []string{"all dates"}, Figures: []measure.Figure{pace}}
	if a, err = ask(t, list, asOf, q); err != nil || a.Tables[0].Rows[0].Cells[0].Set || !hasNote(a, table.Derived, "there is no pace") {
		t.Errorf("all dates: %+v, %v", a, err)
	}
	for text, want := range map[string]string{
		"mean amount per day": "only what adds up", "ratio amount/amount pace by days": "only what adds up", "ratio amount/region": "needs numbers",
	} {
		f, err := measure.ParseFigure(text)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := ask(t, list, asOf, Query{Over: []string{"2026"}, Figures: []measure.Figure{f}}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s gives %v, want %q", text, err, want)
		}
	}
	_, err = ask(t, list, asOf, Query{Over: []string{"this month"}, Against: []string{"prior"}, LikeForLike: true, Figures: []measure.Figure{pace}})
	if err == nil || !strings.Contains(fmt.Sprint(err), "take one of them") {
		t.Errorf("a pace that is made like for like gives %v", err)
	}
}

func hasNote(a *Answer, code table.Code, part string) bool {
	for _, n := range a.Notes {
		if n.Code == code && strings.Contains(n.Text, part) {
			return true
		}
	}
	return false
}
