package store

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"vastspan/core/ageing"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// A remembered state is what was answered after a change.
type remembered struct {
	change int64
	at     time.Time
	load   int64 // 0 where the change was none
	totals string
	listed []string
}

// A history makes random changes of a dataset.
type history struct {
	*Store
	name   string
	rng    *rand.Rand
	asked  tally.Request
	loads  []int64
	states []remembered
}

// step makes one change, or is refused one.
func (h *history) step(t *testing.T) {
	t.Helper()
	ctx := context.Background()
	var err error
	switch n := len(h.loads); {
	case n > 2 && h.rng.IntN(4) == 0:
		_, err = h.UndoLoad(ctx, h.name, h.loads[max(0, n-1-h.rng.IntN(3))])
	case n > 2 && h.rng.IntN(6) == 0:
		_, err = h.RedoLoad(ctx, h.name, h.loads[max(0, n-1-h.rng.IntN(3))])
	default:
		err = h.loadOne(ctx)
	}
	if err != nil && !strings.Contains(err.Error(), "undo that one first") && !strings.Contains(err.Error(), "load the file again") &&
		!strings.Contains(err.Error(), "undone") {
		t.Fatal(err)
	}
	if err == nil {
		h.note(t)
	}
}

func (h *history) loadOne(ctx context.Context) error {
	mode := []Mode{Append, Replace, Upsert}[h.rng.IntN(3)]
	first := civil.Of(2026, 3, 1+h.rng.IntN(25))
	within := civil.Through(civil.Of(2026, 3, 1), civil.Of(2026, 3, 31))
	var days *civil.Set
	if len(h.loads) == 0 {
		mode = Append
	}
	if mode == Replace && h.rng.IntN(4) > 0 {
		within = civil.Through(first, first+3)
		set := civil.SetOf(within)
		days = &set
	}
	var b strings.Builder
	b.WriteString("day,ticket,fee,until\n")
	for i, key := range h.rng.Perm(60)[:1+h.rng.IntN(25)] {
		day := within.Start + civil.Day(h.rng.IntN(int(within.End-within.Start)))
		until := ""
		if i == 0 || h.rng.IntN(3) > 0 { // a column without any value would be one of texts
			until = (day + civil.Day(h.rng.IntN(9))).String()
		}
		fmt.Fprintf(&b, "%s,k%d,%d.%02d,%s\n", day, key, h.rng.IntN(50)-10, h.rng.IntN(100), until)
	}
	r, err := ingest.Open(ingest.Options{}, strings.NewReader(b.String()))
	if err != nil {
		return err
	}
	load, err := h.LoadFile(ctx, LoadInput{
		Dataset: h.name, File: "made.csv", Author: "test", Reader: r, Mode: mode, Days: days, Columns: []string{"ticket"},
		Describe: func() (*dataset.Schema, error) {
			return ingest.Infer(r.Header(), r.Sample(), ingest.ColumnHints{Date: "day", Amounts: []string{"fee"}, Categories: []string{"ticket"}})
		},
	})
	if err == nil {
		h.loads = append(h.loads, load.ID)
	}
	return err
}

// note keeps what is answered now.
func (h *history) note(t *testing.T) {
	t.Helper()
	ctx := context.Background()
	d, err := h.Dataset(ctx, h.name)
	if err != nil {
		t.Fatal(err)
	}
	list, err := h.changes(ctx, d, 1)
	if err != nil {
		t.Fatal(err)
	}
	one := remembered{change: d.Version, at: list[0].At, totals: h.totals(t, d), listed: h.listed(t, d)}
	if list[0].Kind == LoadChange {
		one.load = *list[0].LoadID
	}
	h.states = append(h.states, one)
}

// totals answers a request, and how long records last.
func (h *history) totals(t *testing.T, d *Dataset) string {
	t.Helper()
	p, err := tally.NewPlan(h.asked)
	if err != nil {
		t.Fatal(err)
	}
	r, err := tally.Run(t.Context(), p, h.Source(d))
	if err != nil {
		t.Fatal(err)
	}
	lasts, days := int64(0), 0
	err = h.LifetimeSource(d).Lifetimes(t.Context(), &ageing.Request{From: "day", To: "until"}, func(l ageing.Lifetime) error {
		if lasts += l.Records; l.Ended && l.Begun {
			days += int(l.End-l.Begin) * int(l.Records)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return describe(r, h.asked) + fmt.Sprint(" lasting ", lasts, days)
}

// listed lists the records as SQL does.
func (h *history) listed(t *testing.T, d *Dataset) (lines []string) {
	t.Helper()
	err := h.EachRecord(t.Context(), d, Listing{Period: tally.OfDays(civil.SetOf(civil.AllDays))}, func(r Record) error {
		lines = append(lines, fmt.Sprintln(*r.Cells[0], *r.Cells[1], *r.Cells[2], r.Cells[3] != nil))
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(lines)
	return lines
}

// check asks every state again, by its moment and by its load.
func (h *history) check(t *testing.T, when string) {
	t.Helper()
	for i, one := range h.states {
		asked := []Asked{{At: one.at, Zone: time.UTC}}
		if one.load > 0 {
			asked = append(asked, Asked{Load: one.load, Zone: time.UTC})
		}
		for _, state := range asked {
			d, err := h.Dataset(AsKnown(t.Context(), state), h.name)
			if state.Load > 0 && err != nil && strings.Contains(err.Error(), "was undone on") {
				continue
			}
			if err != nil {
				t.Fatalf("%s, %s, change %d: %v", h.name, when, one.change, err)
			}
			k := d.Known()
			if k.After.Number != one.change || k.LaterChanges != len(h.states)-1-i {
				t.Fatalf("%s, %s: %+v is asked, and %+v known, with %d changes after %d", h.name, when, state, k.After, k.LaterChanges, one.change)
			}
			if got := h.totals(t, d); got != one.totals {
				t.Fatalf("%s, %s, as known after change %d:\n%s\nit was\n%s", h.name, when, one.change, got, one.totals)
			}
			if got := h.listed(t, d); !slices.Equal(got, one.listed) {
				t.Fatalf("%s, %s, as known after change %d: %v, it was %v", h.name, when, one.change, got, one.listed)
			}
		}
	}
}

// between asks what changed between two states, with and without a key, and adds it up.
func (h *history) between(t *testing.T, a, b remembered) {
	t.Helper()
	at := func(one remembered) *Dataset {
		d, err := h.Dataset(AsKnown(t.Context(), Asked{At: one.at, Zone: time.UTC}), h.name)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	earlier, later := at(a), at(b)
	went, came := without(a.listed, b.listed), without(b.listed, a.listed)
	for _, key := range [][]string{nil, {"ticket"}} {
		c, err := h.ChangesBetween(t.Context(), earlier, later, ChangedListing{
			Period: tally.OfDays(civil.SetOf(civil.AllDays)), Key: key, Amounts: []string{"fee"}, Limit: 1000,
		})
		if err != nil {
			t.Fatal(err)
		}
		var gone, fresh []string
		for _, r := range c.Records {
			for _, side := range []struct {
				cells []*string
				into  *[]string
			}{{r.Before, &gone}, {r.After, &fresh}} {
				if side.cells != nil {
					*side.into = append(*side.into, fmt.Sprintln(*side.cells[0], *side.cells[1], *side.cells[2], side.cells[3] != nil))
				}
			}
			if key != nil && r.Before != nil && r.After != nil && *r.Before[1] != *r.After[1] {
				t.Errorf("%s: a record changed from %s to %s", h.name, *r.Before[1], *r.After[1])
			}
		}
		slices.Sort(gone)
		slices.Sort(fresh)
		if !slices.Equal(gone, went) || !slices.Equal(fresh, came) || key == nil && c.Altered.Records > 0 {
			t.Fatalf("%s, key %v, from change %d to %d: %v went and %v came, want %v and %v", h.name, key, a.change, b.change, gone, fresh, went, came)
		}
		effect := cents(t, c.Came.Effects[0], c.Went.Effects[0], c.Altered.Effects[0])
		if want := h.fees(b.listed) - h.fees(a.listed); effect != want {
			t.Fatalf("%s, key %v, from change %d to %d: the effects are %d together, want %d", h.name, key, a.change, b.change, effect, want)
		}
	}
}

// without returns the lines of a sorted list that another has not, as often as it has more of them.
func without(list, other []string) (left []string) {
	other = slices.Clone(other)
	for _, line := range list {
		if at, found := slices.BinarySearch(other, line); found {
			other = slices.Delete(other, at, at+1)
		} else {
			left = append(left, line)
		}
	}
	return left
}

// cents adds numbers up in cents.
func cents(t *testing.T, values ...decimal.Value) (sum int64) {
	t.Helper()
	for _, v := range values {
		sum += thousandths(v.String()) / 10
	}
	return sum
}

var feeOf = regexp.MustCompile(`k\d+ (-?[0-9.]+) `)

// fees adds the fees of lines up, in cents.
func (h *history) fees(lines []string) (sum int64) {
	for _, line := range lines {
		sum += thousandths(feeOf.FindStringSubmatch(line)[1]) / 10
	}
	return sum
}

// Whatever is loaded, replaced, undone and brought back: what was answered after each change is answered again, also when the files of
// columns were merged, lost, or opened by another service.
func TestStatesOfThePastAreRemembered(t *testing.T) {
	s := open(t)
	histories := 2000
	if testing.Short() {
		histories = 4
	}
	for i := range histories {
		h := &history{Store: s, name: fmt.Sprint("past-", i), rng: rand.New(rand.NewPCG(13, uint64(i)))}
		h.asked = tally.Request{Figures: figuresOf("count", "sum fee", "max fee", "median fee", "first fee", "distinct ticket")}
		for range 1 + h.rng.IntN(3) {
			first := civil.Of(2026, 3, 1) + civil.Day(h.rng.IntN(25))
			h.asked.Periods = append(h.asked.Periods, tally.OfDays(civil.SetOf(civil.Through(first, first+civil.Day(h.rng.IntN(20))))))
		}
		if h.rng.IntN(2) == 0 {
			h.asked.Figures = figuresOf("count", "sum fee", "min fee") // sums answer them
		}
		if h.rng.IntN(2) == 0 {
			h.asked.By = []string{"ticket"}
		}
		steps := 3 + h.rng.IntN(6)
		if i%10 == 0 {
			steps = 25 // enough for parts to be merged
		}
		for range steps {
			h.step(t)
		}
		h.check(t, "at once")
		for range 3 {
			at := h.rng.IntN(len(h.states))
			h.between(t, h.states[at], h.states[at+h.rng.IntN(len(h.states)-at)])
		}
		d, err := s.Dataset(t.Context(), h.name)
		if err != nil {
			t.Fatal(err)
		}
		s.columns.forget(d)
		if i%3 == 0 {
			if err := os.RemoveAll(s.columns.of(d.ID)); err != nil {
				t.Fatal(err)
			}
		}
		h.check(t, "after a restart")
		if err := s.RemoveDataset(t.Context(), h.name, func(*Dataset) error { return nil }); err != nil {
			t.Fatal(err)
		}
	}
}

// States that cannot be asked are refused, and it is said from when on the past can be.
func TestStatesThatAreRefused(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	first := s.mustLoad(t, "asked", "day,c,x\n2026-01-01,a,1\n", formHints, true)
	second := s.mustLoad(t, "asked", "day,c,x\n2026-01-02,b,2\n", formHints, true)
	if _, err := s.UndoLoad(ctx, "asked", second.ID); err != nil {
		t.Fatal(err)
	}
	for want, state := range map[string]Asked{
		"can be asked from 2":                             {At: first.LoadedAt.AddDate(0, 0, -1)},
		"that is after now":                               {At: time.Now().Add(time.Hour)},
		"was undone on":                                   {Load: second.ID},
		fmt.Sprint(second.ID + 1000):                      {Load: second.ID + 1000},
		"its first records came":                          {At: time.Unix(0, 0)},
		"such as " + second.LoadedAt.UTC().Format("2006"): {Load: second.ID},
	} {
		state.Zone = time.UTC
		if _, err := s.Dataset(AsKnown(ctx, state), "asked"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q is expected: %v", want, err)
		}
	}
	// The load of another dataset stands for its moment.
	other := s.mustLoad(t, "another", "day,c,x\n2026-01-01,a,1\n", formHints, true)
	d, err := s.Dataset(AsKnown(ctx, Asked{Load: other.ID, Zone: time.UTC}), "asked")
	if err != nil || d.Known().After.Number != 3 {
		t.Errorf("as known after the load of another dataset: %+v, %v", d, err)
	}
}
