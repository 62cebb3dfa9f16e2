package cli

import (
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

// coverageRows reads a table of testdata/coverage.
func coverageRows(t *testing.T, name string, want int) [][]string {
	t.Helper()
	f, err := os.Open(filepath.Join("testdata/coverage", name))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil || len(rows) != want+1 {
		t.Fatalf("%s has %d rows, %v", name, len(rows), err)
	}
	t.Setenv("VASTSPAN_SERVER", "http://127.0.0.1:1")
	return rows[1:]
}

// Comparisons of records with times whose newest day, or as-of moment, is part of a day only (semantics §7).
func TestHalfDays(t *testing.T) {
	for _, want := range coverageRows(t, "halves.csv", 120) {
		args := []string{
			"total", filepath.Join("testdata/coverage", want[0]), "--over", want[1], "--against", want[2], "--as-of", want[3], "--sum", "n",
			"--zone", "UTC", "--no-records", "zero", "--offline", "--output", "csv",
		}
		name := strings.ReplaceAll(want[2], " ", "_")
		if name == "prior" {
			name = "prior_period"
		}
		plain := comparisonRow(t, args...)
		alike := comparisonRow(t, append(args, "--like-for-like")...)
		got := []string{plain["sum_n"], plain["sum_n_"+name], plain["like_for_like"], alike["sum_n"], alike["sum_n_"+name]}
		if strings.Join(got, ",") != strings.Join(want[4:], ",") {
			t.Errorf("%q\n got %v\nwant %v", want[:4], got, want[4:])
		}
	}
}

// Records that stand for a year, a quarter or a month cover all of it (semantics §7).
func TestGrains(t *testing.T) {
	rows := coverageRows(t, "grains.csv", 18)
	for _, want := range rows {
		row := comparisonRow(t, "total", filepath.Join("testdata/coverage", want[0]), "--grain", want[1], "--over", want[2], "--sum", "v", "--per", "day",
			"--as-of", "latest", "--offline", "--output", "csv")
		perDay, err := strconv.ParseFloat(row["sum_v_per_day"], 64)
		got := []string{row["first_day"], row["last_day"], row["sum_v"], row["covered_days"], fmt.Sprintf("%.6f", perDay)}
		if err != nil || strings.Join(got, ",") != strings.Join(want[3:], ",") {
			t.Errorf("%q\n got %v, %v\nwant %v", want[:3], got, err, want[3:])
		}
	}
}
