package drivers

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/event"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/tally"
)

var schema = &dataset.Schema{Columns: []dataset.Column{
	{Name: "day", Type: dataset.Date, Role: dataset.DayRole}, {Name: "route", Type: dataset.Text, Role: dataset.Category},
	{Name: "fare", Type: dataset.Number, Role: dataset.Amount},
}}

// A sale is a record; a fare of "" is blank.
type sale struct{ day, route, fare string }

// sales are records as a source of totals.
type sales []sale

func (list sales) Partials(_ context.Context, p *tally.Plan, into tally.Collector) (tally.Found, error) {
	var found tally.Found
	for _, s := range list {
		day, err := civil.ParseDay(s.day)
		if err != nil {
			return found, err
		}
		found.Add(day)
		segment := p.Segment(int64(day))
		if !p.Wanted(segment) {
			continue
		}
		one := tally.Partial{Segment: segment, Part: *p.NewPart()}
		for range p.By {
			one.Group = append(one.Group, dataset.LabelOf(s.route))
		}
		one.Count++
		for i := range p.Amounts {
			if cell := (dataset.Cell{Set: true, Text: s.fare}); s.fare != "" {
				if err := one.Sums[i].AddCell(&cell); err != nil {
					return found, err
				}
			}
		}
		if err := into.Partial(one); err != nil {
			return found, err
		}
	}
	found.Whole = &found.Coverage
	return found, nil
}

// small are a fair's sales in two Septembers.
var small = sales{
	{"2025-09-01", "north", "10.00"}, {"2025-09-02", "north", "20.00"}, {"2025-09-02", "south", "5.00"}, {"2025-09-30", "east", ""},
	{"2026-09-01", "north", "12.00"}, {"2026-09-02", "south", "9.50"}, {"2026-09-03", "west", "1.00"}, {"2026-09-30", "east", ""},
}

func ask(t *testing.T, list sales, figure string, change func(*Question, *query.Records)) (*Answer, error) {
	t.Helper()
	f, err := measure.ParseFigure(figure)
	if err != nil {
		t.Fatal(err)
	}
	q := Question{query.Query{Over: []string{"2026-09"}, Against: []string{"1 year earlier"}, Figures: []measure.Figure{f}}}
	r := query.Records{Name: "sales", Schema: schema, Source: list}
	if change != nil {
		change(&q, &r)
	}
	fair, err := event.New("fair", []event.Occurrence{{Days: civil.Through(civil.Of(2026, 9, 1), civil.Of(2026, 9, 2))}}, 2025, 2026, true)
	if err != nil {
		t.Fatal(err)
	}
	e := query.Evaluator{
		Scope: span.Scope{AsOf: civil.Of(2026, 10, 19), Calendar: calendar.Civil, Clock: civil.UTC}, Events: []*event.List{fair},
	}
	return q.Answer(context.Background(), e, r)
}

// lines writes an answer down, its sentence first.
func lines(t *testing.T, a *Answer, top int) string {
	t.Helper()
	v, err := a.View(top)
	if err != nil {
		t.Fatal(err)
	}
	text := v.Sentence + "\n"
	for _, row := range v.Grid().Rows {
		text += strings.Join(row, ",") + "\n"
	}
	return text
}

func TestAnswers(t *testing.T) {
	for figure, want := range map[string]string{
		"sum fare": `Fare fell 12.50 (35.7 %). By route, north brought 18.00 less; the others brought 5.50 more together. There were as many records, at a lower mean fare.
total,,,22.50,35.00,-12.50,-0.357143,,,
category,route,north,12.00,30.00,-18.00,-0.514286,,,
category,route,south,9.50,5.00,4.50,0.128571,,,
category,route,west,1.00,0,1.00,0.028571,,,new
category,route,east,0,0,0,0.000000,,,
count,,,3,3,0.00,0.000000,,,
size,,,7.50,11.6666666667,-12.50,-0.357143,,,
days,,,30,30,0.00,0.000000,,,
kinds_of_days,,,,,-2.00,-0.057143,,,
rest,,,,,-10.50,-0.300000,,,
event,,fair,21.50,0,21.50,0.614286,,,
`,
		"mean fare": `Mean of fare fell 4.1667 (35.7 %). By route, west moved it down by 3.5556, all others down by 0.6111. Other shares of the whole (mix) moved it down by 4.6667, other figures within the values (rate) up by 0.50.
total,,,7.50,11.6666666667,-4.16666666667,-0.357143,,,
category,route,west,1.00,,-3.55555555556,-0.304762,-3.55555555556,0,new
category,route,north,12.00,15.00,-2.11111111111,-0.180952,-1.11111111111,-1.00,
category,route,south,9.50,5.00,1.50,0.128571,0.00,1.50,
`,
		"count": `The number of records did not change.
total,,,4,4,0,0.000000,,,
category,route,north,1,2,-1,-0.250000,,,
category,route,west,1,0,1,0.250000,,,new
category,route,east,1,1,0,0.000000,,,
category,route,south,1,1,0,0.000000,,,
days,,,30,30,0,0.000000,,,
kinds_of_days,,,,,-0.2,-0.050000,,,
rest,,,,,0.2,0.050000,,,
event,,fair,2,0,2,0.500000,,,
`,
	} {
		a, err := ask(t, small, figure, nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := lines(t, a, 0); got != want {
			t.Errorf("%s:\n%s", figure, got)
		}
	}
}

// The effects of a category and of the days add up to the change, however many are put together.
func TestEffectsAddUp(t *testing.T) {
	for _, top := range []int{0, 1, 2} {
		a, err := ask(t, small, "sum fare", nil)
		if err != nil {
			t.Fatal(err)
		}
		v, err := a.View(top)
		if err != nil {
			t.Fatal(err)
		}
		sums := map[Part]decimal.Fraction{}
		for _, e := range v.Effects {
			d, err := decimal.Parse(e.Difference)
			if err != nil {
				t.Fatal(err)
			}
			part := map[Part]Part{Count: Size, Days: Rest, KindsOfDays: Rest}[e.Part]
			if part == "" {
				part = e.Part
			}
			if sums[part], err = sums[part].Plus(decimal.FractionOf(d)); err != nil {
				t.Fatal(err)
			}
		}
		for _, part := range []Part{Category, Size, Rest} {
			if sums[part].Cmp(sums[Total]) != 0 {
				t.Errorf("top %d: the effects of %s are %s together, the change is %s", top, part, sums[part], sums[Total])
			}
		}
	}
}

// Values of few records are put together where only totals may be seen, and single days and records are not looked at.
func TestSmallGroupsArePutTogether(t *testing.T) {
	var list sales
	for i := range 40 {
		day := fmt.Sprintf("%d-09-%02d", 2025+i%2, 1+i/2)
		list = append(list, sale{day, []string{"north", "south"}[i/20], "1.00"})
	}
	list = append(list, sale{"2026-09-01", "east", "100.00"}, sale{"2026-09-02", "west", "50.00"}, sale{"2025-09-02", "west", "7.00"})
	a, err := ask(t, list, "sum fare", func(_ *Question, r *query.Records) { r.MinRecords = 5 })
	if err != nil {
		t.Fatal(err)
	}
	text := lines(t, a, 0)
	if strings.Contains(text, "east") || strings.Contains(text, "west") || !strings.Contains(text, "category,route,(others),160.00,17.00,143.00") ||
		strings.Contains(text, "days") || strings.Contains(text, "\nrecord,") {
		t.Errorf("only totals may be seen:\n%s", text)
	}
	if _, err := ask(t, small[:5], "sum fare", func(_ *Question, r *query.Records) { r.MinRecords = 5 }); err == nil ||
		!strings.Contains(err.Error(), "too few records") {
		t.Errorf("the change of few records: %v", err)
	}
}

// Of a column with more values than a total may have, those that differ most are kept, and the others are one value.
func TestTooManyValues(t *testing.T) {
	var list sales
	for i := range tally.MaxGroups + 10 {
		list = append(list, sale{fmt.Sprintf("%d-09-05", 2025+i%2), fmt.Sprint("c", i), fmt.Sprint(i)})
	}
	a, err := ask(t, list, "sum fare", nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &a.Columns[0]
	largest, _, err := c.largest(0)
	if err != nil {
		t.Fatal(err)
	}
	if want := tally.MaxGroups + 10 - tally.MaxTop; c.Others != want || len(largest) != tally.MaxTop+1 || !largest[tally.MaxTop].Value.IsOther() {
		t.Errorf("%d values are put together, want %d; %d are kept", c.Others, want, len(largest))
	}
	if largest[0].Value.Text != fmt.Sprint("c", tally.MaxGroups+9) {
		t.Errorf("the value that differs most is %+v", largest[0])
	}
	sum := zero
	for _, e := range largest {
		if sum, err = sum.Plus(e.Difference); err != nil {
			t.Fatal(err)
		}
	}
	if sum.Cmp(a.Total.Difference) != 0 {
		t.Errorf("the effects are %s together, the change is %s", sum, a.Total.Difference)
	}
}

func TestRefusedQuestions(t *testing.T) {
	for want, change := range map[string]func(*Question){
		"drivers are of one span; 2 are given":     func(q *Question) { q.Over = append(q.Over, "2026-08") },
		"drivers are of one comparison":            func(q *Question) { q.Against = nil },
		"those have counts, sums, means and ratio": func(q *Question) { q.Figures[0].Kind = measure.Median },
		"drivers are of one figure; 0 are given":   func(q *Question) { q.Figures = nil },
		"sum of fare per day has no drivers":       func(q *Question) { q.Figures[0].Derived = "per day" },
		"no column \"town\"":                       func(q *Question) { q.By = []string{"town"} },
	} {
		_, err := ask(t, small, "sum fare", func(q *Question, _ *query.Records) { change(q) })
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q is expected: %v", want, err)
		}
	}
	_, err := ask(t, small, "mean fare", func(q *Question, _ *query.Records) { q.Against = []string{"5 years earlier"} })
	if err == nil || !strings.Contains(err.Error(), "nothing to divide by") {
		t.Errorf("a counterpart without records: %v", err)
	}
	// A sum against nothing has effects, and no contributions.
	a, err := ask(t, small, "sum fare", func(q *Question, _ *query.Records) { q.Against = []string{"5 years earlier"} })
	if err != nil || !strings.HasPrefix(lines(t, a, 0), "Fare rose 22.50. ") || a.Total.Contribution.Set() {
		t.Errorf("a sum against nothing: %v", err)
	}
}
