package columnstore

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A modelRow is a record of the naive model: until is 0 while it counts.
type modelRow struct {
	key   RecordKey
	until int64
	cells []dataset.Cell
}

// model is a dataset as a list of rows, with the contents after each change.
type model struct {
	rows     []modelRow
	contents []string // by change - 1
}

func (m *model) at(change int64) (list []modelRow) {
	for _, r := range m.rows {
		if r.key.Since <= change && (r.until == 0 || r.until > change) {
			list = append(list, r)
		}
	}
	return list
}

// answersOf answers from rows that are written at once.
func answersOf(t *testing.T, rows []modelRow) string {
	t.Helper()
	folder := t.TempDir()
	e := begun(t, folder, 1)
	for _, r := range rows {
		if err := e.Worker(0).Add(RecordKey{r.key.Record, 1}, r.cells); err != nil {
			t.Fatal(err)
		}
	}
	mustPublish(t, e, nil, "all")
	return mustAnswer(t, opened(t, folder, "all"))
}

// change makes a random change of a state.
func (m *model) change(t *testing.T, rng *rand.Rand, folder string, before *State) *State {
	t.Helper()
	number := int64(len(m.contents) + 1)
	e := begun(t, folder, number)
	last := civil.Of(2026, 1, 1+rng.IntN(90))
	for i := range m.rows {
		r := &m.rows[i]
		if r.until > 0 {
			continue
		}
		ends := false
		switch number % 4 {
		case 1: // a month is replaced
			ends = r.cells[0].Set && r.cells[0].Day >= last && r.cells[0].Day < last+30
		case 2: // some are
			ends = rng.IntN(20) == 0
		case 3:
			ends = number%11 == 0 // all are
		}
		if ends {
			r.until = number
			e.End(r.key)
		}
	}
	for range rng.IntN(300) {
		r := modelRow{key: RecordKey{int64(len(m.rows) + 1), number}, cells: record(rng)}
		m.rows = append(m.rows, r)
		if err := e.Worker(rng.IntN(2)).Add(r.key, r.cells); err != nil {
			t.Fatal(err)
		}
	}
	content := fmt.Sprint("content", number)
	m.contents = append(m.contents, content)
	mustPublish(t, e, before, content)
	return m.next(t, folder, before, content)
}

// next opens the state after another, whose files are removed.
func (m *model) next(t *testing.T, folder string, before *State, content string) *State {
	t.Helper()
	after := opened(t, folder, content)
	if before != nil && len(m.contents)%2 == 0 {
		var err error
		if after, err = before.OpenAfter(content, &schema); err != nil {
			t.Fatal(err)
		}
	}
	if before != nil {
		if err := Remove(folder, before, after); err != nil {
			t.Fatal(err)
		}
	}
	return after
}

// rebuild makes the parts again that hold some changes, all where none is given.
func (m *model) rebuild(t *testing.T, folder string, before *State, without []int64) *State {
	t.Helper()
	number := int64(len(m.contents))
	kept := before
	if len(without) == 0 {
		kept = nil
	}
	r, err := BeginRebuild(folder, &schema, kept, without, number, 1)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range m.rows {
		if len(without) > 0 && !slices.Contains(without, row.key.Since) {
			continue
		}
		if row.until > 0 {
			r.End(row.key, row.until)
		}
		if err := r.Worker(0, row.until > 0).Add(row.key, row.cells); err != nil {
			t.Fatal(err)
		}
	}
	for _, past := range []bool{false, true} {
		if err := r.Append(r.Worker(0, past).Take(), past); err != nil {
			t.Fatal(err)
		}
	}
	var history []RecordedContent
	for i, content := range m.contents[:number-1] {
		history = append(history, RecordedContent{int64(i + 1), content})
	}
	if err := r.Publish(m.contents[number-1], history); err != nil {
		t.Fatal(err)
	}
	return m.next(t, folder, before, m.contents[number-1])
}

// Whatever changes, merges and damages there were: a state and each one before it answer as rows do that are written at once.
func TestStatesOfTheLog(t *testing.T) {
	rounds, seeds := 100, uint64(3)
	if testing.Short() {
		rounds, seeds = 20, 1
	}
	ctx := context.Background()
	for seed := range seeds {
		rng := rand.New(rand.NewPCG(25, seed))
		folder := t.TempDir()
		m := &model{}
		var state *State
		merged, repaired := 0, 0
		for round := range rounds {
			state = m.change(t, rng, folder, state)
			if state.Fragmented() && rng.IntN(2) == 0 { // a file is damaged: nothing is made of it
				path := filepath.Join(folder, state.chunks[rng.IntN(len(state.chunks))].name)
				size := int64(len(state.chunks[0].data))
				if info, err := os.Stat(path); err == nil {
					size = info.Size()
				}
				if err := os.Truncate(path, size-1); err != nil {
					t.Fatal(err)
				}
				if _, err := state.Compact(ctx); !Broken(err) && !Faulted(err) {
					t.Fatalf("seed %d, round %d: a damaged state is merged: %v", seed, round, err)
				}
				damaged := opened(t, folder, state.Content)
				if _, err := damaged.Compact(ctx); !Broken(err) || damaged.Fragmented() {
					t.Fatalf("seed %d, round %d: a state without a part is merged: %v", seed, round, err)
				}
				state = m.rebuild(t, folder, damaged, damaged.Damaged())
			}
			if state.Fragmented() {
				compact, err := state.Compact(ctx)
				if err != nil {
					t.Fatal(err)
				}
				if err := Remove(folder, state, compact); err != nil {
					t.Fatal(err)
				}
				state = compact
				merged++
			}
			switch rng.IntN(12) {
			case 0, 1, 2:
				files := state.manifest.files()
				path := filepath.Join(folder, files[rng.IntN(len(files))])
				if filepath.Ext(path) != endedSuffix {
					if err := os.Truncate(path, int64(rng.IntN(200))); err != nil {
						t.Fatal(err)
					}
				}
				damaged := opened(t, folder, state.Content)
				if changes := damaged.Damaged(); len(changes) > 0 {
					state = m.rebuild(t, folder, damaged, changes)
					repaired++
				}
			case 3:
				if rng.IntN(4) == 0 {
					state = m.rebuild(t, folder, state, nil)
				}
			}
			want := answersOf(t, m.at(state.Change))
			if got := mustAnswer(t, state); got != want {
				t.Fatalf("seed %d, round %d: it answers\n%s\nwant\n%s", seed, round, got, want)
			}
			before := 1 + rng.Int64N(state.Change)
			earlier, ok, err := state.At(before, m.contents[before-1])
			if err != nil || !ok {
				t.Fatalf("seed %d, round %d: no state after change %d: %v", seed, round, before, err)
			}
			if got, want := mustAnswer(t, earlier), answersOf(t, m.at(before)); got != want {
				t.Fatalf("seed %d, round %d, after change %d: it answers\n%s\nwant\n%s", seed, round, before, got, want)
			}
			if _, ok, err := state.At(before, "another"); ok || err != nil {
				t.Errorf("another content is known: %v", err)
			}
			var digest Digest
			for _, r := range m.at(state.Change) {
				digest.Add(&schema, r.key, r.cells)
			}
			if got, err := state.Digest(ctx); err != nil || got != digest {
				t.Errorf("seed %d, round %d: %+v, want %+v, %v", seed, round, got, digest, err)
			}
			if _, wrong, err := state.CheckSums(ctx); err != nil || wrong > 0 {
				t.Errorf("seed %d, round %d: %d sums are wrong, %v", seed, round, wrong, err)
			}
			if left, err := os.ReadDir(folder); err != nil || len(left) != len(state.Files()) {
				t.Fatalf("seed %d, round %d: %d files, the state has %d; %v", seed, round, len(left), len(state.Files()), err)
			}
		}
		if merged == 0 || repaired == 0 {
			t.Errorf("seed %d: %d merged, %d repaired", seed, merged, repaired)
		}
	}
}

// Sets of rows do what lists of them do.
func TestRowSets(t *testing.T) {
	rng := rand.New(rand.NewPCG(25, 1))
	for range 2000 {
		n := 1 + rng.IntN(40)
		var sets [2]rowSet
		var lists [2][]bool
		for i := range sets {
			lists[i] = make([]bool, n)
			for row := range n {
				if lists[i][row] = rng.IntN(3) == 0; lists[i][row] {
					sets[i] = sets[i].add(row)
				}
			}
		}
		check := func(what string, got rowSet, want func(row int) bool) {
			t.Helper()
			count := 0
			for row := range n {
				if want(row) {
					count++
				}
				if got.meets(row, row+1) != want(row) {
					t.Fatalf("%s of %v: %v, and row %d is %v", what, sets, got, row, want(row))
				}
			}
			for i := 1; i < len(got); i++ {
				if got[i].start <= got[i-1].end {
					t.Fatalf("%s: %v is not in order, or meets", what, got)
				}
			}
			if got.count() != count || len(got.within(0, n, nil)) != count {
				t.Fatalf("%s: %v has %d rows, want %d", what, got, got.count(), count)
			}
		}
		a, b := lists[0], lists[1]
		check("itself", sets[0], func(row int) bool { return a[row] })
		check("union", union(sets[:]), func(row int) bool { return a[row] || b[row] })
		check("both", sets[0].both(sets[1]), func(row int) bool { return a[row] && b[row] })
		check("without", sets[0].without(n), func(row int) bool { return !a[row] })
	}
}
