package columnstore

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

var schema = dataset.Schema{Zone: "UTC", Columns: []dataset.Column{
	{Name: "day", Type: dataset.Date, Role: dataset.DayRole},
	{Name: "seen", Type: dataset.Timestamp, Role: dataset.Detail},
	{Name: "pier", Type: dataset.Text, Role: dataset.Category},
	{Name: "fare", Type: dataset.Number, Role: dataset.Amount, Decimals: 2},
}}

var piers = []string{"North", "South", "Old Quay", "Ünder", "", "north", strings.Repeat("long ", 40)}

// record makes the cells of a record, any of them blank at times.
func record(rng *rand.Rand) []dataset.Cell {
	cells := make([]dataset.Cell, len(schema.Columns))
	some := func() bool { return rng.IntN(8) > 0 }
	if some() {
		cells[0] = dataset.Cell{Set: true, Day: civil.Of(2026, 1, 1+rng.IntN(90))}
	}
	if some() {
		at := time.Date(2026, 3, 1+rng.IntN(40), rng.IntN(24), rng.IntN(60), rng.IntN(60), 1000*rng.IntN(1e6), time.UTC)
		cells[1] = dataset.Cell{Set: true, Moment: at, Day: civil.OfTime(at, time.UTC)}
	}
	if text := piers[rng.IntN(len(piers))]; text != "" {
		cells[2] = dataset.Cell{Set: true, Text: text}
	}
	switch rng.IntN(6) {
	case 0:
	case 1: // beyond a machine word
		cells[3] = dataset.Cell{Set: true, Text: fmt.Sprintf("%d%018d.25", 1+rng.IntN(9), rng.IntN(1e9))}
	default:
		cells[3] = dataset.Cell{Set: true, Fixed: true, Number: decimal.Fixed{Digits: int64(rng.IntN(20_000) - 5_000), Decimals: 2}}
	}
	return cells
}

// written writes records, one change after the other, the last of which makes a content.
func written(t *testing.T, folder, content string, changes ...[][]dataset.Cell) {
	t.Helper()
	var before *State
	n := int64(0)
	for i, records := range changes {
		e := begun(t, folder, int64(i+1))
		for j, cells := range records {
			n++
			if err := e.Worker(j%2).Add(RecordKey{n, e.Change()}, cells); err != nil {
				t.Fatal(err)
			}
			if j%37 > 34 {
				if err := e.Append(e.Worker(j % 2).Take()); err != nil {
					t.Fatal(err)
				}
			}
		}
		name := fmt.Sprint(content, i)
		if i == len(changes)-1 {
			name = content
		}
		mustPublish(t, e, before, name)
		after := opened(t, folder, name)
		if before != nil {
			if err := Remove(folder, before, after); err != nil {
				t.Fatal(err)
			}
		}
		before = after
	}
}

func begun(t *testing.T, folder string, change int64) *Edit {
	t.Helper()
	e, err := Begin(folder, &schema, change, 2)
	if err != nil {
		t.Fatal(err)
	}
	return e
}

// mustPublish ends an edit with what its workers still hold.
func mustPublish(t *testing.T, e *Edit, before *State, content string) {
	t.Helper()
	for i := range 2 {
		if err := e.Append(e.Worker(i).Take()); err != nil {
			t.Fatal(err)
		}
	}
	if err := e.Publish(before, content); err != nil {
		t.Fatal(err)
	}
}

func opened(t *testing.T, folder, content string) *State {
	t.Helper()
	f, err := Open(folder, content, &schema)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func random(seed uint64, sizes ...int) (chunks [][][]dataset.Cell) {
	rng := rand.New(rand.NewPCG(15, seed))
	for _, n := range sizes {
		var records [][]dataset.Cell
		for range n {
			records = append(records, record(rng))
		}
		chunks = append(chunks, records)
	}
	return chunks
}

// answers puts every question to a state that one can be asked.
func answers(f *State) (string, error) {
	ctx := context.Background()
	var text strings.Builder
	var figures []measure.Figure
	for _, name := range []string{
		"count", "sum fare", "min fare", "max fare", "median fare", "distinct pier", "first fare", "last fare", "distinct seen",
	} {
		figure, err := measure.ParseFigure(name)
		if err != nil {
			return "", err
		}
		figures = append(figures, figure)
	}
	half := civil.SetOf(civil.Through(civil.Of(2026, 1, 20), civil.Of(2026, 2, 14)))
	north := dataset.Filters{{{Column: "pier", Op: dataset.IsNot, Values: []string{"North"}}}}
	for _, q := range []tally.Request{{Figures: figures}, {Figures: figures[:4]}, {Figures: figures[:4], Where: north}} { // the last two by sums
		q.Periods, q.By = tally.EachOfDays(civil.SetOf(civil.AllDays), half), []string{"pier"}
		p, err := tally.NewPlan(q)
		if err != nil {
			return "", err
		}
		r, err := tally.Run(ctx, p, f.Source())
		if err != nil {
			return "", err
		}
		fmt.Fprintln(&text, r.Coverage)
		for _, group := range append(r.Groups, nil) {
			fmt.Fprintln(&text, group, r.At(0, group), r.At(1, group))
		}
	}
	for _, c := range schema.Columns {
		values, ok, err := f.Values(ctx, c.Name, 5)
		if err != nil {
			return "", err
		}
		fmt.Fprintln(&text, c.Name, values, ok)
	}
	for _, date := range []string{"day", "seen"} {
		covered, err1 := f.CoverageBy(ctx, date)
		newest, err2 := f.Newest(ctx, date)
		if err := errors.Join(err1, err2); err != nil {
			return "", err
		}
		fmt.Fprintln(&text, date, covered, newest)
	}
	fmt.Fprintln(&text, f.Rows(), f.Coverage())
	return text.String(), nil
}

func mustAnswer(t *testing.T, f *State) string {
	t.Helper()
	text, err := answers(f)
	if err != nil {
		t.Fatal(err)
	}
	return text
}

// What a state reports of its columns is what a loop over the records finds, in however many chunks they are.
func TestFormsAgainstALoop(t *testing.T) {
	folder := t.TempDir()
	ctx := context.Background()
	for i, sizes := range [][]int{{0}, {1}, {500}, {100, 3, 0, 400}, {40, 40, 40, 40, 40}} {
		content := fmt.Sprintf("content%d", i)
		chunks := random(uint64(i), sizes...)
		written(t, folder, content, chunks...)
		f := opened(t, folder, content)
		all := slices.Concat(chunks...)
		if f.Rows() != int64(len(all)) {
			t.Errorf("%v: %d rows", sizes, f.Rows())
		}
		for at, date := range map[int]string{0: "day", 1: "seen"} {
			var covered tally.Coverage
			var newest dataset.Cell
			for _, cells := range all {
				c := cells[at]
				if !c.Set {
					covered.Undated++
					continue
				}
				covered.AddMany(1, c.Day, c.Day)
				if !newest.Set || c.Day > newest.Day || c.Day == newest.Day && c.Moment.After(newest.Moment) {
					newest = c
				}
			}
			if got, err := f.CoverageBy(ctx, date); err != nil || got != covered {
				t.Errorf("%v by %s: %+v, want %+v, %v", sizes, date, got, covered, err)
			}
			if got, err := f.Newest(ctx, date); err != nil || got.Set != newest.Set || got.Day != newest.Day || !got.Moment.Equal(newest.Moment) {
				t.Errorf("%v by %s: the newest is %+v, want %+v, %v", sizes, date, got, newest, err)
			}
			if date == "day" && f.Coverage() != covered {
				t.Errorf("%v: %+v, want %+v", sizes, f.Coverage(), covered)
			}
		}
		for at, name := range map[int]string{2: "pier", 3: "fare"} {
			counts := map[dataset.Label]int64{}
			for _, cells := range all {
				label, err := schema.Columns[at].Label(&cells[at])
				if err != nil {
					t.Fatal(err)
				}
				counts[label]++
			}
			values, ok, err := f.Values(ctx, name, 10_000)
			if err != nil || !ok || len(values) != len(counts) {
				t.Fatalf("%v: %d values of %s, want %d, %v", sizes, len(values), name, len(counts), err)
			}
			for j, v := range values {
				if counts[v.Label] != v.Records {
					t.Errorf("%v: %d records of %s, want %d", sizes, v.Records, v.Text, counts[v.Label])
				}
				if j > 0 && v.Records > values[j-1].Records {
					t.Errorf("%v: %s comes behind what has fewer records", sizes, v.Text)
				}
			}
			if few, _, err := f.Values(ctx, name, 2); err != nil || !slices.Equal(few, values[:min(2, len(values))]) {
				t.Errorf("%v: the first two of %s are %v, %v", sizes, name, few, err)
			}
		}
		if _, ok, err := f.Values(ctx, "seen", 10); ok || err != nil {
			t.Errorf("times are counted: %v, %v", ok, err)
		}
	}
}

// The same records answer alike in one chunk and in many.
func TestPiecesMakeNoDifference(t *testing.T) {
	folder := t.TempDir()
	chunks := random(9, 60, 200, 7, 33)
	written(t, folder, "many", chunks...)
	written(t, folder, "one", slices.Concat(chunks...))
	if many, one := mustAnswer(t, opened(t, folder, "many")), mustAnswer(t, opened(t, folder, "one")); many != one {
		t.Errorf("in many chunks\n%s\nin one\n%s", many, one)
	}
}

// Whatever byte of a state is another, or wherever it ends: it answers as before, or says that it is broken.
func TestNoByteGoesUnnoticed(t *testing.T) {
	folder := t.TempDir()
	written(t, folder, "checked", random(3, 120, 40)...)
	want := mustAnswer(t, opened(t, folder, "checked"))
	names, err := os.ReadDir(folder)
	if err != nil || len(names) < 3 {
		t.Fatalf("%d files, %v", len(names), err)
	}
	broken, same := 0, 0
	try := func(what string) {
		t.Helper()
		f, err := Open(folder, "checked", &schema)
		if err == nil && len(f.Damaged()) > 0 {
			err = errBroken
		}
		if err == nil {
			var got string
			if got, err = answers(f); err == nil {
				if got != want {
					t.Fatalf("%s: it answers\n%s\ninstead of\n%s", what, got, want)
				}
				same++
				return
			}
		}
		if !Broken(err) && !errors.Is(err, fs.ErrNotExist) { // the name of a chunk may be another
			t.Fatalf("%s: %v", what, err)
		}
		broken++
	}
	for _, e := range names {
		path := filepath.Join(folder, e.Name())
		whole, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		write := func(text []byte) { // into a new file, as the old one is mapped
			if err := errors.Join(os.Remove(path), os.WriteFile(path, text, 0o600)); err != nil {
				t.Fatal(err)
			}
		}
		step := max(1, len(whole)/200)
		for at := 0; at < len(whole); at += step {
			spoiled := slices.Clone(whole)
			spoiled[at] ^= 1 << (at % 8)
			write(spoiled)
			try(fmt.Sprintf("%s, byte %d of %d", e.Name(), at, len(whole)))
		}
		for at := 0; at < len(whole); at += 5 * step {
			write(whole[:at])
			try(fmt.Sprintf("%s, cut at %d of %d", e.Name(), at, len(whole)))
		}
		write(whole)
	}
	if broken < 300 || same > broken/5 {
		t.Errorf("%d were found broken, %d were not", broken, same)
	}
	if got := mustAnswer(t, opened(t, folder, "checked")); got != want {
		t.Errorf("put right, it answers\n%s", got)
	}
}

// Files belong to the states that name them: what is removed or swept away is no other's.
func TestFilesOfForms(t *testing.T) {
	folder := t.TempDir()
	parts := random(5, 30, 20)
	written(t, folder, "before", parts[0])
	before := opened(t, folder, "before")
	want := mustAnswer(t, before)
	// The next content is the one before and a part more.
	e := begun(t, folder, 2)
	for i, cells := range parts[1] {
		if err := e.Worker(0).Add(RecordKey{int64(31 + i), 2}, cells); err != nil {
			t.Fatal(err)
		}
	}
	mustPublish(t, e, before, "after")
	after := opened(t, folder, "after")
	if err := Remove(folder, before, after); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(folder, "before", &schema); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("a state that was removed: %v", err)
	}
	if got := mustAnswer(t, before); got != want {
		t.Error("who still reads a state that was removed reads something else")
	}
	if got := opened(t, folder, "after").Rows(); got != 50 {
		t.Errorf("%d rows are left", got)
	}
	if err := os.WriteFile(filepath.Join(folder, "stray.rows"), []byte("nothing"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := Sweep(folder, after); err != nil {
		t.Fatal(err)
	}
	if left, err := os.ReadDir(folder); err != nil || len(left) != len(after.Files()) {
		t.Errorf("after sweeping there are %v, %v", left, err)
	}
	for range 2 { // what is not there is withdrawn as well
		if err := Withdraw(folder, "after"); err != nil {
			t.Fatal(err)
		}
	}
	if err := Remove(folder, after, nil); err != nil {
		t.Fatal(err)
	}
	if left, err := os.ReadDir(folder); err != nil || len(left) != 0 {
		t.Errorf("at the end there are %v, %v", left, err)
	}
}

// What was begun and abandoned leaves nothing, and a state of other columns is none of a schema's.
func TestFormsThatAreNotFinished(t *testing.T) {
	folder := t.TempDir()
	e := begun(t, folder, 1)
	rng := rand.New(rand.NewPCG(15, 4))
	for i := range 200 {
		if err := e.Worker(0).Add(RecordKey{int64(i), 1}, record(rng)); err != nil {
			t.Fatal(err)
		}
	}
	mustPublish(t, e, nil, "never")
	if err := e.Abandon(); err != nil {
		t.Fatal(err)
	}
	if left, err := os.ReadDir(folder); err != nil || len(left) != 0 {
		t.Errorf("abandoned, there are %v, %v", left, err)
	}
	late := begun(t, folder, 2)
	late.End(RecordKey{1, 1})
	if err := late.Publish(nil, "lost"); !Broken(err) {
		t.Errorf("records end of which there is no file: %v", err)
	}
	written(t, folder, "narrow", random(6, 10)...)
	wider := schema
	wider.Columns = append(slices.Clone(schema.Columns), dataset.Column{Name: "more", Type: dataset.Text, Role: dataset.Detail})
	if _, err := Open(folder, "narrow", &wider); !Broken(err) {
		t.Errorf("a state of fewer columns: %v", err)
	}
	if err := os.Rename(filepath.Join(folder, "narrow.state"), filepath.Join(folder, "other.state")); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(folder, "other", &schema); !Broken(err) {
		t.Errorf("a state of another content: %v", err)
	}
}
