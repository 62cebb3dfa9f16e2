package cli

import (
	"bytes"
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// comparisonRow runs a comparison of a file and returns its row by column.
func comparisonRow(t *testing.T, args ...string) map[string]string {
	t.Helper()
	var out, errOut bytes.Buffer
	if code := Main(args, strings.NewReader(""), &out, &errOut); code != 0 {
		t.Fatalf("%q: %d\n%s", args, code, errOut.String())
	}
	rows, err := csv.NewReader(&out).ReadAll()
	if err != nil || len(rows) != 2 {
		t.Fatalf("%q: %v, %v", args, rows, err)
	}
	row := map[string]string{}
	for i, name := range rows[0] {
		row[name] = rows[1][i]
	}
	return row
}

// The rows of testdata/comparisons say what comes of comparisons over records that begin late, end early, or
// cover everything (semantics §7), as they are and made like-for-like.
func TestComparisons(t *testing.T) {
	const folder = "testdata/comparisons"
	text, err := os.Open(filepath.Join(folder, "comparisons.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer text.Close()
	rows, err := csv.NewReader(text).ReadAll()
	if err != nil || len(rows) != 201 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	t.Setenv("VASTSPAN_SERVER", "http://127.0.0.1:1")
	wrong := 0
	for _, want := range rows[1:] {
		args := []string{
			"total", filepath.Join(folder, want[0]), "--over", want[1], "--against", want[2], "--as-of", want[3], "--sum", "amount", "--date", "day",
			"--book", filepath.Join(folder, "calendars.yaml"), "--output", "csv",
		}
		name := strings.ReplaceAll(want[2], " ", "_")
		if name == "prior" {
			name = "prior_period"
		}
		plain := comparisonRow(t, args...)
		alike := comparisonRow(t, append(args, "--like-for-like")...)
		got := []string{
			plain["sum_amount"], plain["sum_amount_"+name], plain["like_for_like"], plain["covered_days"], plain[name+"_covered_days"],
			alike["sum_amount"], alike["sum_amount_"+name],
		}
		if strings.Join(got, ",") != strings.Join(want[4:], ",") {
			wrong++
			t.Errorf("%q\n got %v\nwant %v", want[:4], got, want[4:])
		}
	}
	if wrong > 0 {
		t.Errorf("%d of %d rows are wrong", wrong, len(rows)-1)
	}
}
