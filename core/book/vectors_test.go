package book

import (
	"encoding/csv"
	"fmt"
	"os"
	"strconv"
	"strings"
	"testing"

	"vastspan/core/civil"
	"vastspan/core/elapsed"
	"vastspan/core/span"
)

// rows reads a CSV table of testdata and counts its rows, so that none can go missing unseen.
func rows(t *testing.T, name string, want int) [][]string {
	t.Helper()
	f, err := os.Open("testdata/" + name)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	all, err := csv.NewReader(f).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	if len(all)-1 != want {
		t.Fatalf("%s has %d rows, want %d", name, len(all)-1, want)
	}
	return all[1:]
}

func library(t testing.TB) *Library { return libraryOf(t, "calendars.yaml") }

func libraryOf(t testing.TB, file string) *Library {
	t.Helper()
	data, err := os.ReadFile("testdata/" + file)
	if err != nil {
		t.Fatal(err)
	}
	l, err := Read(data)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func TestSpanVectors(t *testing.T) { spanVectors(t, library(t), rows(t, "spans.csv", 900)) }

func TestSeasonVectors(t *testing.T) {
	spanVectors(t, libraryOf(t, "seasons.yaml"), rows(t, "seasons.csv", 260))
}

// spanVectors resolves rows of expression, calendar, as-of day and whether it is at close, to intervals and days.
func spanVectors(t *testing.T, l *Library, rows [][]string) {
	t.Helper()
	for _, row := range rows {
		n, err := span.Parse(row[0])
		if err != nil {
			t.Errorf("%s: %v", row[0], err)
			continue
		}
		cal, err := l.Calendar(row[1])
		if err != nil {
			t.Fatal(err)
		}
		asOf, _ := civil.ParseDay(row[2])
		scope := span.Scope{AsOf: asOf, AtClose: row[3] == "yes", Calendar: cal, Names: l}
		set, err := span.Resolve(n, scope)
		if err != nil {
			t.Errorf("%v: %v", row, err)
			continue
		}
		if set.String() != row[4] || strconv.Itoa(set.Days()) != row[5] {
			t.Errorf("%v\n  gives %s, %d days", row, set, set.Days())
		}
		explained, err := span.Explain(n, scope)
		if err != nil || !explained.Days.Equal(set) {
			t.Errorf("%v: explained as %v, %v", row, explained.Days, err)
		}
		if last := explained.Steps[len(explained.Steps)-1]; last.Note == "" && !last.Days.Equal(set) {
			t.Errorf("%v: the last step %q gives %v", row, last.Words, last.Days)
		}
	}
}

func TestTextVectors(t *testing.T) {
	for _, row := range rows(t, "text.csv", 92) {
		n, err := span.Parse(row[0])
		switch {
		case row[1] == "!":
			if err == nil {
				t.Errorf("%q is read as %q, want a refusal", row[0], n)
			}
		case err != nil:
			t.Errorf("%q: %v", row[0], err)
		case n.String() != row[1]:
			t.Errorf("%q is written %q, want %q", row[0], n, row[1])
		}
	}
}

func TestRefusedVectors(t *testing.T) {
	for _, row := range rows(t, "refused.csv", 55) {
		n, err := span.Parse(row[0])
		if err == nil {
			t.Errorf("%q is read as %q, want a refusal", row[0], n)
			continue
		}
		refused := err.(*span.Error)
		if refused.Column < 1 || refused.Message == "" {
			t.Errorf("%q: %+v names no place", row[0], refused)
		}
		t.Logf("%-60q %v", row[0], err)
		for _, want := range strings.Split(row[1], ";") {
			found := want == ""
			for _, offer := range refused.Offers {
				found = found || offer == want
			}
			if !found {
				t.Errorf("%q offers %q, want %q among them", row[0], refused.Offers, want)
			}
		}
	}
}

func TestElapsedVectors(t *testing.T) {
	data, err := os.ReadFile("testdata/calendars.yaml")
	if err != nil {
		t.Fatal(err)
	}
	l, err := Read(data)
	if err != nil {
		t.Fatal(err)
	}
	cal, err := l.Calendar("civil")
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range rows(t, "elapsed.csv", 150) {
		from, err := civil.ParseDay(row[0])
		if err != nil {
			t.Fatal(err)
		}
		to, err := civil.ParseDay(row[1])
		if err != nil {
			t.Fatal(err)
		}
		f, err := elapsed.Between(from, to, cal, false)
		if err != nil {
			t.Fatal(err)
		}
		got := fmt.Sprintf("%d,%d,%d,%d,%s,%s", f.Days, f.BusinessDays, f.Months, f.Years, f.Period, f.YearFraction)
		if want := strings.Join(row[2:], ","); got != want {
			t.Errorf("from %s to %s: %s, want %s", from, to, got, want)
		}
	}
}
