package ingest

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vastspan/core/dataset"
)

// slow hands out few bytes at a time, so that blocks end anywhere.
type slow struct {
	text string
	rng  *rand.Rand
}

func (s *slow) Read(b []byte) (int, error) {
	if s.text == "" {
		return 0, io.EOF
	}
	n := min(len(b), len(s.text), 1+s.rng.IntN(60_000))
	copy(b, s.text[:n])
	s.text = s.text[n:]
	return n, nil
}

// Blocks read on all processors give the rows that one reader gives, in order, whatever their quotes
// and line breaks.
func TestScanAgainstOneReader(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 6))
	for round := range 6 {
		var b strings.Builder
		w := csv.NewWriter(&b)
		w.UseCRLF = round%2 == 1
		_ = w.Write([]string{"day", "text", "n"})
		for i := range 60_000 {
			text := []string{"plain", "a, b", "say \"no\"", "two\nlines", "", "ünï"}[rng.IntN(6)]
			if round < 2 {
				text = "plain"
			}
			_ = w.Write([]string{"2026-01-02", text + strings.Repeat("x", rng.IntN(30)), fmt.Sprint(i)})
		}
		w.Flush()
		r, err := Open(Options{}, &slow{b.String(), rng})
		if err != nil {
			t.Fatal(err)
		}
		s, err := Infer(r.Header(), r.Sample(), ColumnHints{Date: "day", Details: []string{"text"}})
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		err = Scan(context.Background(), r, ScanOptions{Schema: s}, func(_ int, rows Rows) ([]string, error) {
			var part []string
			return part, rows(func(line int, cells []dataset.Cell) error {
				part = append(part, fmt.Sprint(line, " ", cells[1].Label().Text, " ", cells[2].Text))
				return nil
			})
		}, func(part []string) error { got = append(got, part...); return nil })
		if err != nil {
			t.Fatal(err)
		}
		one := csv.NewReader(strings.NewReader(b.String()))
		_, _ = one.Read()
		var want []string
		for {
			row, err := one.Read()
			if err != nil {
				break
			}
			line, _ := one.FieldPos(0)
			want = append(want, fmt.Sprint(line, " ", row[1], " ", row[2]))
		}
		if !slices.Equal(got, want) {
			i := 0
			for i < len(got) && i < len(want) && got[i] == want[i] {
				i++
			}
			t.Fatalf(
				"round %d: %d rows, want %d; they differ at %d: %q, want %q",
				round,
				len(got),
				len(want),
				i,
				got[min(i, len(got)-1)],
				want[min(i, len(want)-1)],
			)
		}
	}
}

func TestScanGathersFaultsInOrderAndStops(t *testing.T) {
	text := "day,n\n" + strings.Repeat(
		"2026-01-01,1\n",
		150_000,
	) + "2026-01-01,x\n2026-02-30,2\n" + strings.Repeat(
		"2026-01-01,1\n",
		150_000,
	)
	read := func() (Reader, *dataset.Schema) {
		r, err := Open(Options{}, strings.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		s, err := Infer(r.Header(), r.Sample(), ColumnHints{Date: "day", Amounts: []string{"n"}})
		if err != nil {
			t.Fatal(err)
		}
		return r, s
	}
	count := func(_ int, rows Rows) (int, error) {
		n := 0
		return n, rows(func(int, []dataset.Cell) error { n++; return nil })
	}
	r, s := read()
	var faults *Faults
	err := Scan(context.Background(), r, ScanOptions{Schema: s}, count, func(int) error { return nil })
	if !errors.As(err, &faults) || len(faults.Kinds) != 2 || faults.Kinds[0].Line != 150_002 || faults.Kinds[1].Column != "day" {
		t.Errorf("the faults are %v", err)
	}
	r, s = read()
	stop := errors.New("stop")
	if err := Scan(context.Background(), r, ScanOptions{Schema: s}, count, func(int) error { return stop }); !errors.Is(err, stop) {
		t.Errorf("the error is %v", err)
	}
	r, s = read()
	ctx, cancel := context.WithCancel(context.Background())
	if err := Scan(ctx, r, ScanOptions{Schema: s}, count, func(int) error { cancel(); return nil }); !errors.Is(err, context.Canceled) {
		t.Errorf("the error is %v", err)
	}
	// Only what is wanted is looked at.
	r, s = read()
	if err := Scan(context.Background(), r, ScanOptions{Schema: s, Columns: []int{0}, AllowUndated: true}, count, func(int) error { return nil }); !errors.As(
		err,
		&faults,
	) ||
		len(faults.Kinds) != 1 {
		t.Errorf("of the day alone: %v", err)
	}
}

func TestNumberStyles(t *testing.T) {
	for _, c := range []struct{ style, text, want string }{
		{"", "1234.50", "1234.50"}, {"", "1,234.50", ""},
		{"1,234.56", "1,234,567.5", "1234567.5"}, {"1,234.56", "1234.5", "1234.5"}, {"1,234.56", "12,34.5", ""}, {"1,234.56", "1,2345", ""}, {"1,234.56", "1.234,5", ""},
		{"1.234,56", "-1.234,50", "-1234.50"}, {"1.234,56", "12,5", "12.5"}, {"1.234,56", "1.5", ""},
		{"1234,56", "12,5", "12.5"}, {"1 234,56", "1 234,5", "1234.5"}, {"1 234,56", "1\u202f234,5", "1234.5"}, {"1'234.56", "1’234.5", "1234.5"}, {"1234,56", "NaN", ""}, {"1234,56", "", ""},
	} {
		style, err := ParseNumberStyle(c.style)
		if err != nil {
			t.Fatal(err)
		}
		got, ok := style.reads(c.text, true)
		if !ok {
			got = ""
		}
		if got != c.want {
			t.Errorf("%q in the style %q is %q, want %q", c.text, c.style, got, c.want)
		}
	}
}

func FuzzBlocks(f *testing.F) {
	f.Add("a,b\n1,\"x\ny\"\n\n2,z\r\n")
	f.Add("a\n\"\n")
	f.Add("a,b\n\"1\"\"\",2\n3,4")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := Open(Options{}, strings.NewReader(text))
		if err != nil {
			return
		}
		one := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\ufeff")))
		one.FieldsPerRecord = -1
		_, _ = one.Read()
		for _, row := range r.Sample() {
			want, err := one.Read()
			if err != nil || !slices.Equal(row.Cells, want) {
				t.Fatalf("%q gives the row %v, one reader %q, %v", text, row, want, err)
			}
		}
	})
}
