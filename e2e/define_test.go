package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// Calendars, holiday lists and briefs come from flags and files, and names are changed with all that refers to them.
func TestDefinitionsFromFlagsAndFiles(t *testing.T) {
	t.Parallel()
	s := start(t)
	says := func(out string, parts ...string) {
		t.Helper()
		for _, part := range parts {
			if !strings.Contains(out, part) {
				t.Errorf("%q is not in\n%s", part, out)
			}
		}
	}
	says(s.must("holidays", "add", "quay-days", "2026-12-25", "2026-05-01", "2026-05-01", "--years", "2026/2027"), "2 days")
	s.refused(1, "already exists", "holidays", "add", "quay-days", "2026-01-01")
	s.refused(1, `2026-02 has no day 30`, "holidays", "add", "other", "2026-02-30")
	s.refused(2, "expected a name and days", "holidays", "add", "other")
	says(s.must("holidays", "change", "quay-days", "--add", "2027-05-01,2026-10-08", "--remove", "2026-12-25", "--note", "Regatta"),
		"2 days added, 1 removed; it has 3 days")
	says(s.must("holidays", "add", "unstated", "2026-05-01", "2028-05-01"), "2 days")
	s.must("holidays", "change", "unstated", "--remove", "2028-05-01")
	says(s.must("holidays", "change", "unstated", "--add", "2028-10-08"), "it has 2 days") // the list still covers 2028
	s.refused(1, "quay-days has that day already", "holidays", "change", "quay-days", "--add", "2026-10-08")
	s.refused(1, "quay-days does not have that day", "holidays", "change", "quay-days", "--remove", "2026-12-25")
	s.refused(1, "complete for 2026 to 2027 only; state the years that it is complete for with the new day, such as --years 2026/2029",
		"holidays", "change", "quay-days", "--add", "2029-05-01")
	says(s.must("holidays", "change", "quay-days", "--add", "2029-05-01", "--years", "2026/2029"), "it has 4 days")
	s.refused(2, "is not a date", "holidays", "change", "quay-days", "--add", "8.10.2026")
	s.refused(2, "expected --add, --remove or --years", "holidays", "change", "quay-days")
	says(s.must("calendar", "add", "fiscal-july", "--year-starts", "07-01", "--year-label", "ending", "--holidays", "quay-days"),
		"years from 1 July", "holidays quay-days")
	says(s.must("calendar", "add", "retail", "--kind", "weeks", "--pattern", "4-5-4", "--year-ends", "the saturday nearest the end of january",
		"--year-label", "starting"), "ending on the Saturday nearest")
	s.refused(2, "expected last or nearest", "calendar", "add", "odd", "--kind", "weeks", "--year-ends", "sometime")
	s.refused(1, "year-starts", "calendar", "add", "odd", "--year-starts", "02-30")
	says(s.must("calendar", "change", "fiscal-july", "--about", "of the yard"), "years from 1 July", "version 2")
	file := s.write("name: from-file\nkind: months\nyear-starts: 10-01\nyear-label: ending\n")
	says(s.must("calendar", "add", "--file", file), "years from 1 October")
	s.refused(1, "year-begins", "calendar", "add", "--file", s.write("name: x\nkind: months\nyear-begins: 10-01\n"))
	says(s.must("calendar", "add", "as-json", "--file", s.write(`{"name":"x","kind":"months","year_starts":"04-01","year_label":"ending"}`)), "calendar as-json")

	s.must("load", "sales", s.write("day,region,amount\n2026-09-01,North,10.50\n2026-09-30,South,4\n2026-10-01,North,-2.25\n"), "--date", "day",
		"--amount", "amount", "--category", "region")
	s.must("span", "add", "closed", "last full month")
	s.must("span", "add", "back", "@closed, 1 year earlier")
	says(s.must("brief", "add", "quay", "--title", "The quay", "--item", "figure Fares: dataset=sales; over=@closed; figures=sum amount; spark=month",
		"--item", "table By region: dataset=sales; over=@closed; figures=sum amount; by=region"), "2 items")
	s.refused(2, "expected figure, table, bars, lines or drivers", "brief", "add", "odd", "--item", "chart Fares: dataset=sales")
	s.refused(2, "not a part of a query", "brief", "add", "odd", "--item", "table Fares: data=sales")
	s.refused(2, "expected --item", "brief", "add", "odd")
	says(s.must("brief", "add", "all-kinds", "--prompt", "window (Days to look at)=2026", "--item", "table Days: dataset=sales; over=?window; figures=count",
		"--item", "lines Two: each=month | this: dataset=sales; over=2026; figures=sum amount | before: dataset=sales; over=2025; figures=sum amount",
		"--item", `{kind: ageing, title: Lengths, dataset: sales, width: 6, ageing: {from: day, to: paid, bands: "0-7, 8+"}}`), "3 items")
	says(s.must("brief", "show", "all-kinds"), "window: 2026", "this: sum of amount of sales", "before: sum of amount", "there is no column \"paid\"")
	says(s.must("brief", "show", "all-kinds", "--prompt", "window=2026-10"), "window: 2026-10")
	s.refused(2, "write an item of ageing in braces", "brief", "add", "odd", "--item", "ageing Jobs: dataset=sales")
	s.refused(2, "expected lines after the query", "brief", "add", "odd", "--item", "lines Two: each=month")
	s.refused(2, "unknown field", "brief", "add", "odd", "--item", "{kind: figure, titel: x}")
	s.refused(2, "expected NAME=EXPRESSION", "brief", "add", "odd", "--prompt", "window", "--item", "figure A: dataset=sales")
	s.must("brief", "remove", "all-kinds")

	says(s.must("span", "rename", "closed", "last-month"), "renamed @closed @last-month", "span back, brief quay")
	says(s.must("dataset", "rename", "sales", "takings"), "renamed dataset sales takings", "brief quay")
	says(s.must("brief", "show", "quay"), "14.50", "@last-month: Tue 1 Sep 2026 to Wed 30 Sep 2026, 30 days")
	s.refused(1, "no dataset is named sales", "dataset", "show", "sales")
	s.must("span", "move", "back", "--before", "last-month")
	if rows := csvRows(t, s.must("span", "list", "--output", "csv")); rows[0]["name"] != "back" {
		t.Errorf("the spans are %v", rows)
	}
	s.refused(2, "expected --before", "span", "move", "back")
	s.refused(1, "still in use by brief quay", "dataset", "remove", "takings")
	s.must("dataset", "change", "takings", "--column", "region", "--role", "detail")
	s.refused(1, `not every value is a number in plain digits: "North" in 2, "South" in 1 records`,
		"dataset", "change", "takings", "--column", "region", "--type", "number")
	s.must("dataset", "remove", "takings", "--anyway")
	says(s.must("brief", "show", "quay"), "no dataset is named takings")
}

// What is asked for is written into a file, whole or not at all, in the form that its ending names.
func TestAnswersIntoFiles(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "sales", s.write("day,region,amount\n2026-09-01,North,10.50\n2026-09-30,South,4\n2026-10-01,=1+1,-2.25\n"), "--date", "day",
		"--amount", "amount", "--category", "region")
	folder := t.TempDir()
	at := func(name string) string { return filepath.Join(folder, name) }
	total := []string{"total", "sales", "--over", "2026", "--sum", "amount", "--by", "region", "--as-of", "latest"}
	s.must(append(total, "--to", at("a.xlsx"))...)
	book, err := excelize.OpenFile(at("a.xlsx"))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if sheets := book.GetSheetList(); len(sheets) != 2 || sheets[1] != "About" {
		t.Errorf("the sheets are %q", sheets)
	}
	if rows, err := book.GetRows("sales"); err != nil || len(rows) != 4 || rows[3][5] != "South" || rows[1][5] != "=1+1" {
		t.Errorf("the rows are %q, %v", rows, err)
	}
	// What is written can be loaded, and comes to the same.
	for _, name := range []string{"r.parquet", "r.jsonl", "r.xlsx", "r.csv"} {
		s.must("records", "sales", "--over", "all dates", "--all", "--as-of", "latest", "--to", at(name))
		rows := csvRows(t, s.must("total", at(name), "--over", "all dates", "--sum", "amount", "--by", "region", "--as-of", "latest", "--output", "csv"))
		if len(rows) != 3 || rows[1]["region"] != "North" || rows[1]["sum_amount"] != "10.50" && rows[1]["sum_amount"] != "10.5" {
			t.Errorf("%s comes to %v", name, rows)
		}
	}
	s.refused(2, "its ending names no form", append(total, "--to", at("a.doc"))...)
	s.refused(1, "there is no folder", append(total, "--to", at("nowhere/a.csv"))...)
	s.refused(1, "no dataset is named nobody", "total", "nobody", "--over", "2026", "--to", at("b.csv"))
	left, err := os.ReadDir(folder)
	if err != nil || len(left) != 5 {
		t.Errorf("the folder holds %v, %v", left, err)
	}
}
