package ageing

import (
	"context"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/span"
)

// list is a source that gives its records one after the other.
type list []Lifetime

func (l list) Lifetimes(_ context.Context, _ *Request, take func(Lifetime) error) error {
	for _, s := range l {
		if err := take(s); err != nil {
			return err
		}
	}
	return nil
}

var schema = &dataset.Schema{Columns: []dataset.Column{
	{Name: "opened", Type: dataset.Date, Role: dataset.DayRole}, {Name: "closed", Type: dataset.Date, Role: dataset.Detail},
	{Name: "kind", Type: dataset.Text, Role: dataset.Category}, {Name: "cost", Type: dataset.Number, Role: dataset.Amount},
}}

func ask(t *testing.T, l list, q Question, asOf civil.Day) (*Answer, error) {
	t.Helper()
	if q.From == "" {
		q.From, q.To = "opened", "closed"
	}
	return q.Answer(context.Background(), Records{Name: "jobs", Schema: schema, Source: l}, span.Scope{AsOf: asOf, Calendar: calendar.Civil})
}

func randomList(rng *rand.Rand, n int) list {
	l := make(list, n)
	for i := range l {
		s := Lifetime{Begin: civil.Of(2025, 1, 1) + civil.Day(rng.IntN(500)), Begun: rng.IntN(30) > 0, Ended: rng.IntN(4) > 0, Records: 1}
		s.End = s.Begin + civil.Day(rng.IntN(90)-3)
		if kind := []string{"hull", "deck", ""}[rng.IntN(3)]; kind != "" {
			s.Label = dataset.LabelOf(kind)
		}
		if rng.IntN(5) > 0 {
			s.Sum = decimal.Int(int64(rng.IntN(1000)))
		}
		l[i] = s
	}
	return l
}

// lengthOf counts from one day to another, day by day.
func lengthOf(unit string, from, to civil.Day) int {
	n := 0
	for d := from; d < to; d++ {
		w := d.Weekday()
		switch {
		case unit == "days", unit == "business days" && w != civil.Saturday && w != civil.Sunday:
			n++
		case unit == "calendar months":
			if _, _, day := (d + 1).Date(); day == 1 {
				n++
			}
		}
	}
	return n
}

// Figures, bands and shares are those of an obvious loop over the records, as they stood on a past day.
func TestAgainstALoop(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 10))
	for round := range 400 {
		l := randomList(rng, rng.IntN(120))
		asOf := civil.Of(2025, 3, 1) + civil.Day(rng.IntN(500))
		within := rng.IntN(40)
		q := Question{
			Unit: []string{"days", "business days", "calendar months"}[rng.IntN(3)], Bands: "0-7, 8-30,31+", Within: &within,
			Only: []string{"", All, Open, Closed}[rng.IntN(4)], By: []string{"", "kind"}[rng.IntN(2)], Amount: "cost",
			Over: []string{"", "2025"}[rng.IntN(2)],
		}
		a, err := ask(t, l, q, asOf)
		if err != nil {
			t.Fatal(err)
		}
		for i := range a.Groups {
			g := &a.Groups[i]
			var lengths, ages []int
			due, inTime := 0, 0
			bands, sums := [3]int{}, [3]*int64{}
			for _, s := range l {
				if !s.Begun || s.Begin > asOf || s.Ended && s.End < s.Begin || q.Over != "" && s.Begin.Year() != 2025 || !g.Label.IsAll() && s.Label != g.Label {
					continue
				}
				end, isOpen := s.End, !s.Ended || s.End > asOf
				if isOpen {
					end = asOf
				}
				if q.Only == Open && !isOpen || q.Only == Closed && isOpen {
					continue
				}
				n := lengthOf(q.Unit, s.Begin, end)
				if isOpen {
					ages = append(ages, n)
				} else {
					lengths = append(lengths, n)
				}
				if lengthOf(q.Unit, s.Begin, asOf) > within {
					if due++; !isOpen && n <= within {
						inTime++
					}
				}
				band := 0
				if n > 7 {
					band++
				}
				if n > 30 {
					band++
				}
				bands[band]++
				if s.Sum.Set {
					v, _ := s.Sum.Decimal.Int64()
					if sums[band] == nil {
						sums[band] = new(int64)
					}
					*sums[band] += v
				}
			}
			if got, want := told(g), wanted(lengths, ages, within, due, inTime, bands, sums); got != want {
				t.Fatalf("round %d, %+v as of %s, %v:\n got %s\nwant %s", round, q, asOf, g.Label, got, want)
			}
		}
	}
}

func told(g *Group) string {
	text := fmt.Sprintf("%d open %d closed %d", g.Records, g.Open, g.Closed)
	for _, l := range []Lengths{g.ClosedLengths, g.OpenAges} {
		text += fmt.Sprintf(" mean %s median %s 90 %s longest %s", short(l.Mean), short(l.Median), short(l.Percentile90), short(l.Longest))
	}
	text += fmt.Sprintf(" within %d %s due %d %s", *g.Within, short(g.WithinShare), *g.Due, short(g.DueShare))
	for _, b := range g.Bands {
		text += fmt.Sprintf(" %d:%s", b.Records, strings.TrimSuffix(b.Sum.String(), ".00"))
	}
	return text
}

// short writes a number to two decimals; blank where it is.
func short(v decimal.Value) string {
	if !v.Set {
		return ""
	}
	r, _ := new(big.Rat).SetString(v.String())
	return r.FloatString(2)
}

func wanted(lengths, ages []int, within, due, inTime int, bands [3]int, sums [3]*int64) string {
	text := fmt.Sprintf("%d open %d closed %d", len(lengths)+len(ages), len(ages), len(lengths))
	in := 0
	for _, n := range lengths {
		if n <= within {
			in++
		}
	}
	for _, list := range [][]int{lengths, ages} {
		slices.Sort(list)
		n := len(list)
		mean, median, ninety, longest := "", "", "", ""
		if n > 0 {
			total := int64(0)
			for _, v := range list {
				total += int64(v)
			}
			mean = big.NewRat(total, int64(n)).FloatString(2)
			median = big.NewRat(int64(list[(n-1)/2]+list[n/2]), 2).FloatString(2)
			for i, v := range list { // the shortest that at least 90 of 100 do not pass
				if 10*(i+1) >= 9*n {
					ninety = fmt.Sprintf("%d.00", v)
					break
				}
			}
			longest = fmt.Sprintf("%d.00", list[n-1])
		}
		text += fmt.Sprintf(" mean %s median %s 90 %s longest %s", mean, median, ninety, longest)
	}
	part := func(a, b int) string {
		if b == 0 {
			return ""
		}
		return big.NewRat(int64(a), int64(b)).FloatString(2)
	}
	text += fmt.Sprintf(" within %d %s due %d %s", in, part(in, len(lengths)), due, part(inTime, due))
	for i := range bands {
		sum := ""
		if sums[i] != nil {
			sum = fmt.Sprint(*sums[i])
		}
		text += fmt.Sprintf(" %d:%s", bands[i], sum)
	}
	return text
}

// The course adds up in every unit and ends with what is open as of the day; what was closed later counts as open then.
func TestCourse(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 11))
	for range 100 {
		l := randomList(rng, 1+rng.IntN(150))
		asOf := civil.Of(2025, 3, 1) + civil.Day(rng.IntN(500))
		each := []string{"day", "week", "month", "quarter"}[rng.IntN(4)]
		a, err := ask(t, l, Question{Each: each}, asOf)
		if err != nil {
			t.Fatal(err)
		}
		before := int64(0)
		for i, turn := range a.Course {
			open := int64(0)
			for _, s := range l {
				if s.Begun && s.Begin <= turn.LastDay && !(s.Ended && s.End < s.Begin) && (!s.Ended || s.End > turn.LastDay) {
					open++
				}
			}
			if turn.OpenAtStart != before || turn.OpenAtEnd != turn.OpenAtStart+turn.Opened-turn.Closed || turn.OpenAtEnd != open ||
				i > 0 && turn.FirstDay != a.Course[i-1].LastDay+1 {
				t.Fatalf("%s of %s as of %s: %+v; %d are open", turn.Unit, each, asOf, turn, open)
			}
			before = turn.OpenAtEnd
		}
		if all := a.Groups[len(a.Groups)-1]; len(a.Course) > 0 && (before != all.Open || a.Course[len(a.Course)-1].LastDay != asOf) {
			t.Fatalf("the course ends with %d open, the figures say %d", before, all.Open)
		}
	}
}

// A span shows only some units of the course, and changes nothing about the backlog that they start from.
func TestShownUnits(t *testing.T) {
	l := randomList(rand.New(rand.NewPCG(7, 12)), 200)
	asOf := civil.Of(2026, 6, 10)
	whole, err := ask(t, l, Question{Each: "month"}, asOf)
	if err != nil {
		t.Fatal(err)
	}
	part, err := ask(t, l, Question{Each: "month", Show: "2026"}, asOf)
	if err != nil {
		t.Fatal(err)
	}
	var want []Turn
	for _, turn := range whole.Course {
		if turn.FirstDay.Year() == 2026 {
			want = append(want, turn)
		}
	}
	if !slices.Equal(part.Course, want) || len(want) != 6 || want[0].OpenAtStart == 0 {
		t.Errorf("2026 is %+v, want %+v", part.Course, want)
	}
	if _, err := ask(t, l, Question{Show: "2026"}, asOf); err == nil || !strings.Contains(err.Error(), "each as well") {
		t.Errorf("without units: %v", err)
	}
}

func TestFaultsAndWhatIsLeftOut(t *testing.T) {
	day := civil.Of
	l := list{
		{Begin: day(2026, 3, 5), Begun: true, End: day(2026, 3, 1), Ended: true, Records: 2},
		{End: day(2026, 3, 1), Ended: true, Records: 3}, {Begin: day(2026, 5, 1), Begun: true, Records: 4},
		{Begin: day(2026, 4, 1), Begun: true, Records: 1},
	}
	a, err := ask(t, l, Question{}, day(2026, 4, 30))
	if err != nil {
		t.Fatal(err)
	}
	if a.FaultRecords != 2 || len(a.Faults) != 1 || a.Undated != 3 || a.NotBegun != 4 || a.Groups[0].Records != 1 || a.Groups[0].OpenAges.Longest.String() != "29" {
		t.Errorf("%+v", a)
	}
}

func TestCautionsAreTold(t *testing.T) {
	a, err := ask(t, nil, Question{Over: "today and yesterday"}, civil.Of(2026, 4, 30))
	if err != nil || len(a.Cautions) != 1 || !strings.HasPrefix(a.Cautions[0], "today and yesterday: no days") {
		t.Errorf("%+v, %v", a, err)
	}
}

func TestQuestionsAreChecked(t *testing.T) {
	minus := -1
	for want, q := range map[string]Question{
		"no column":                     {From: "opened", To: "nobody"},
		"is both":                       {From: "opened", To: "opened"},
		"expected two columns of dates": {From: "opened"},
		"holds":                         {From: "opened", To: "cost"},
		`unit "fortnights"`:             {Unit: "fortnights"},
		"a gap before 9+":               {Bands: "0-7,9+"},
		"8-30 overlaps":                 {Bands: "0-8,8-30,31+"},
		"end with 31+":                  {Bands: "0-7,8-30"},
		"comes last":                    {Bands: "0-7,8+,9-10"},
		"is not a band":                 {Bands: "0-7,x"},
		"ends before it begins":         {Bands: "0-7,8-3,9+"},
		"a gap before 1+":               {Bands: "1+"},
		"within -1":                     {Within: &minus},
		"expected open, closed or all":  {Only: "some"},
		`each "fortnight"`:              {Each: "fortnight"},
		`no column "nobody"`:            {By: "nobody"},
		"two meanings":                  {Over: "last month"},
		"has times":                     {Over: "yesterday, only 09:00-17:00"},
		"would list more than 200000":   {Over: "0001-01-01/9999-12-31, only Mon/Wed/Fri"},
	} {
		_, err := ask(t, nil, q, civil.Of(2026, 1, 1))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v, want %q", q, err, want)
		}
	}
}
