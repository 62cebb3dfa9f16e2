package store

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
)

// settle waits until the copies that were begun are made.
func (cs *rollupCache) settle() { cs.wait.Wait() }

// held brings a dataset's day sums into memory and gives them.
func (s *Store) held(t *testing.T, name string) (*Dataset, *rollup) {
	t.Helper()
	d, err := s.Dataset(context.Background(), name)
	if err != nil {
		t.Fatal(err)
	}
	if ok, err := s.Preload(context.Background(), d); err != nil || !ok {
		t.Fatalf("%v, %v", ok, err)
	}
	c, err := s.rollups.current(context.Background(), d.daySums())
	if err != nil || c == nil {
		t.Fatalf("there is no copy in memory: %v", err)
	}
	return d, c
}

func (s *Store) sums(t *testing.T, d *Dataset, column string) string {
	t.Helper()
	p, err := tally.NewPlan(
		tally.Request{
			Periods: tally.EachOfDays(civil.SetOf(civil.AllDays)),
			Figures: figuresOf("count", "sum "+column, "min "+column, "max "+column),
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	r, err := tally.Run(context.Background(), p, s.Source(d))
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprint(r.Coverage.Undated, " ", r.At(0, nil))
}

// A copy in memory belongs to one version of its dataset: after a load, and after one was undone,
// it is not used, whether another is there yet or not.
func TestRollupsBelongToOneVersion(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	w := ingest.ColumnHints{Date: "day", Amounts: []string{"x"}, Categories: []string{"c"}}
	s.mustLoad(t, "versions", "day,c,x\n2026-01-01,a,1\n,b,2.5\n", w, true)
	d, first := s.held(t, "versions")
	if got := s.sums(t, d, "x"); got != "1 [1 1 1 1]" {
		t.Errorf("at first %s", got)
	}
	second := s.mustLoad(t, "versions", "day,c,x\n2026-01-01,a,-3\n2026-01-02,,\n", w, true)
	if c, err := s.rollups.current(ctx, d.daySums()); err != nil || c == first {
		t.Errorf("the copy of another version is used: %v", err)
	}
	for range 3 { // by SQL, or from the copy that was begun
		if got := s.sums(t, d, "x"); got != "1 [3 -2 -3 1]" {
			t.Errorf("after a load %s", got)
		}
		s.rollups.settle()
	}
	if _, err := s.UndoLoad(ctx, "versions", second.ID); err != nil {
		t.Fatal(err)
	}
	if got := s.sums(t, d, "x"); got != "1 [1 1 1 1]" {
		t.Errorf("after it was undone %s", got)
	}
	s.rollups.settle()
	if err := s.RemoveDataset(ctx, "versions", func(*Dataset) error { return nil }); err != nil {
		t.Fatal(err)
	}
	if n := len(s.rollups.copies); n != 0 {
		t.Errorf("%d copies are kept of datasets that are gone", n)
	}
}

// Numbers that do not fit a machine word, and decimals of several lengths, are as exact as others.
func TestRollupsStayExact(t *testing.T) {
	s := open(t)
	for name, c := range map[string]struct {
		values string
		held   bool
		want   string
	}{
		"even":   {"1.25 2.50 -0.75", true, "0 [3 3.00 -0.75 2.50]"},
		"mixed":  {"1 2.5 0.125", true, "0 [3 3.625 0.125 2.500]"},
		"large":  {"99999999999999999999 1 0.01", false, "0 [3 100000000000000000000.01 0.01 99999999999999999999.00]"},
		"many":   {"900000000000000000 900000000000000000 900000000000000000 900000000000000000 900000000000000000 900000000000000000", false, "0 [6 5400000000000000000 900000000000000000 900000000000000000]"},
		"blanks": {"blank blank 7", true, "0 [3 7 7 7]"},
	} {
		var b strings.Builder
		b.WriteString("day,x\n")
		for i, v := range strings.Fields(c.values) {
			fmt.Fprintf(&b, "2026-01-%02d,%s\n", i+1, strings.TrimSuffix(v, "blank"))
		}
		s.mustLoad(t, "exact-"+name, b.String(), ingest.ColumnHints{Date: "day", Amounts: []string{"x"}}, false)
		d, columns := s.held(t, "exact-"+name)
		if columns.amounts[0].held != c.held {
			t.Errorf("%s: held is %v", name, columns.amounts[0].held)
		}
		if got := s.sums(t, d, "x"); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

// The copies that were used longest ago make way.
func TestRollupsKeepToTheirBudget(t *testing.T) {
	cs := newRollupCache(nil)
	key := func(id int64) copyKey { return copyKey{dataset: id} }
	for id := range int64(5) {
		cs.keep(key(id), &rollup{version: 1, bytes: cacheBudget / 3}, nil)
	}
	if len(cs.copies) != 3 || cs.copies[key(4)] == nil || cs.copies[key(0)] != nil || cs.copies[key(1)] != nil {
		t.Errorf("%d copies are kept: %v", len(cs.copies), cs.used)
	}
	cs.keep(key(9), nil, errTooLarge)
	if cs.copies[key(9)] != nil || len(cs.copies) != 3 {
		t.Error("what is too large is kept")
	}
	cs.evict(4)
	if len(cs.copies) != 2 || len(cs.used) != 2 {
		t.Errorf("after one is forgotten: %v", cs.used)
	}
}

// By many categories and amounts, day sums hold the first ones; what is asked of others comes from the
// records.
func TestDaySumsOfManyColumns(t *testing.T) {
	s := open(t)
	header, row := "day", "2026-01-01"
	w := ingest.ColumnHints{Date: "day"}
	for i := range maxRollupAmounts + 5 {
		header += fmt.Sprintf(",a%d", i)
		row += fmt.Sprintf(",%d", i)
		w.Amounts = append(w.Amounts, fmt.Sprintf("a%d", i))
	}
	for i := range maxRollupCategories + 2 {
		header += fmt.Sprintf(",c%d", i)
		row += ",v"
		w.Categories = append(w.Categories, fmt.Sprintf("c%d", i))
	}
	s.mustLoad(t, "broad", header+"\n"+row+"\n"+row+"\n", w, false)
	d, _ := s.held(t, "broad")
	last := fmt.Sprintf("a%d", maxRollupAmounts+4)
	for column, want := range map[string]string{"a7": "0 [2 14 7 7]", last: "0 [2 208 104 104]"} {
		if got := s.sums(t, d, column); got != want {
			t.Errorf("%s: %s, want %s", column, got, want)
		}
	}
	if v, err := s.Verify(context.Background(), d); err != nil || v.Wrong != 0 || v.DaySums != 1 {
		t.Errorf("%+v, %v", v, err)
	}
	for by, summed := range map[string]bool{"c0": true, fmt.Sprintf("c%d", maxRollupCategories+1): false} {
		p, err := tally.NewPlan(
			tally.Request{Periods: tally.EachOfDays(civil.SetOf(civil.AllDays)), Figures: figuresOf("count"), By: []string{by}},
		)
		if err != nil {
			t.Fatal(err)
		}
		if d.rollupKnows(p) != summed {
			t.Errorf("by %s day sums answer: %v", by, !summed)
		}
		if r, err := tally.Run(context.Background(), p, s.Source(d)); err != nil ||
			fmt.Sprint(r.At(0, []dataset.Label{dataset.All})) != "[2]" {
			t.Errorf("by %s: %v", by, err)
		}
	}
}

// Days may come in any order: a run grows by a part of itself, towards the past as well.
func TestDaysMayComeInAnyOrder(t *testing.T) {
	const days = 20_000
	for name, day := range map[string]func(i int) int{
		"oldest first": func(i int) int { return i },
		"newest first": func(i int) int { return days - 1 - i },
		"mixed":        func(i int) int { return i * 7919 % days },
	} {
		table, c := &sumTable{index: map[string]*combination{}}, &combination{}
		grown, length := 0, 0
		for i := range days {
			*table.slot(c, day(i)) = int32(day(i)) + 1
			if len(c.places) != length {
				grown, length = grown+1, len(c.places)
			}
		}
		for d := range days {
			if got := *table.slot(c, d); got != int32(d)+1 {
				t.Fatalf("%s: day %d holds %d", name, d, got)
			}
		}
		if len(c.places) > 2*days || table.slots != len(c.places) {
			t.Errorf("%s: the run of %d days is %d long, counted as %d", name, days, len(c.places), table.slots)
		}
		if name == "newest first" && grown > 100 {
			t.Errorf("%s: the run was made longer %d times", name, grown)
		}
	}
}

// The copy that grows with a load is the one that is read from the database.
func TestRollupsGrowWithLoads(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(14, 1))
	hints := ingest.ColumnHints{Date: "day", Amounts: []string{"fare", "people"}, Categories: []string{"route", "channel"}, Zone: "UTC"}
	for i, part := range append(inParts(randomCSV(rng, 400), 4), inParts(randomCSV(rng, 90), 2)...) {
		s.mustLoad(t, "growing", part, hints, true)
		d, err := s.Dataset(ctx, "growing")
		if err != nil {
			t.Fatal(err)
		}
		grown := s.rollups.at(d.daySums())
		if grown == nil {
			t.Fatalf("there is no copy after load %d", i)
		}
		read, err := s.readRollup(ctx, d.daySums())
		if err != nil {
			t.Fatal(err)
		}
		if got, want := listRollup(grown), listRollup(read); !slices.Equal(got, want) {
			t.Fatalf("after load %d the copy holds\n%s\nthe database\n%s", i, strings.Join(got, "\n"), strings.Join(want, "\n"))
		}
		if grown.coverage != read.coverage {
			t.Errorf("after load %d the copy covers %+v, the database %+v", i, grown.coverage, read.coverage)
		}
	}
}

// A copy has the columns that its version has, however the dataset was before.
func TestRollupsAreReadAsTheyAre(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	hints := ingest.ColumnHints{Date: "day", Amounts: []string{"fare"}, Categories: []string{"route"}, Zone: "UTC"}
	s.mustLoad(t, "turned", "day,route,code,fare\n2026-09-01,North,7,1\n", hints, true)
	before, err := s.Dataset(ctx, "turned")
	if err != nil {
		t.Fatal(err)
	}
	now, err := s.Describe(ctx, "turned", func(d *Dataset) error {
		for i := range d.Schema.Columns {
			if c := &d.Schema.Columns[i]; c.Name == "route" {
				c.Role = dataset.Detail
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	c, err := s.readRollup(ctx, before.daySums())
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, column := range c.categories {
		names = append(names, column.name)
	}
	if c.version != now.Version || !slices.Equal(names, now.rollupCategories()) {
		t.Errorf("a copy of version %d has %q, the dataset of version %d %q", c.version, names, now.Version, now.rollupCategories())
	}
}

// listRollup writes the rows of a copy down, sorted.
func listRollup(c *rollup) []string {
	var rows []string
	for row := range c.at {
		text := fmt.Sprint("undated ", c.records[row])
		if row < len(c.at)-len(c.undated) {
			text = fmt.Sprint(c.at[row], " ", c.records[row])
		}
		for _, column := range c.categories {
			text += fmt.Sprint(column.labels[column.codes[row]])
		}
		for _, a := range c.amounts {
			d := a.decimals
			if a.mixed {
				d = a.each[row]
			}
			if text += fmt.Sprint(" ", a.counts[row]); a.counts[row] > 0 {
				text += fmt.Sprint(" ", fixed(a.sums[row], d), fixed(a.mins[row], d), fixed(a.maxs[row], d))
			}
		}
		rows = append(rows, text)
	}
	slices.Sort(rows)
	return rows
}
