package export

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/parquet-go/parquet-go"
	"github.com/xuri/excelize/v2"

	"vastspan/core/table"
)

var sample = &table.Document{
	Title: "Fares",
	All: &table.Grid{
		Header: []string{"first_day", "route", "sum_fare", "zip", "big"},
		Rows: [][]string{
			{"2026-09-01", "Gull | Rock", "1234.50", "00501", "12345678901234567890.5"},
			{"2026-09-02", "=1+1", "-0.5", "10001", ""},
			{"", "*a_b*\n<c>", "", "", "7"},
		},
	},
	About: []table.Fact{{Name: "as of", Text: "2026-10-19"}, {Name: "span", Of: "last full month", Text: "2026-09-01 to 2026-09-30"}},
}

func written(t *testing.T, f Format, d *table.Document, safe bool) string {
	t.Helper()
	var b bytes.Buffer
	if err := f.Write(&b, d, safe); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func TestMarkdown(t *testing.T) {
	want := "| first day | route | sum fare | zip | big |\n| --- | --- | ---: | --- | ---: |\n" +
		"| 2026-09-01 | Gull \\| Rock | 1234.50 | 00501 | 12345678901234567890.5 |\n" +
		"| 2026-09-02 | =1+1 | -0.5 | 10001 |  |\n|  | \\*a\\_b\\*<br>&lt;c> |  |  | 7 |\n" +
		"\n- as of: 2026-10-19\n- span last full month: 2026-09-01 to 2026-09-30\n"
	if got := written(t, Markdown, sample, false); got != want {
		t.Errorf("the table is\n%s\nwant\n%s", got, want)
	}
	parts := &table.Document{Apart: []table.Sheet{
		{Title: "One", Grid: &table.Grid{Header: []string{"a"}, Rows: [][]string{{"1"}}}},
		{Title: "Two", Grid: &table.Grid{Header: []string{"b"}}},
	}}
	want = "## One\n\n| a |\n| ---: |\n| 1 |\n\n## Two\n\n| b |\n| --- |\n"
	if got := written(t, Markdown, parts, false); got != want {
		t.Errorf("the parts are\n%s\nwant\n%s", got, want)
	}
}

func TestCSV(t *testing.T) {
	want := "first_day,route,sum_fare,zip,big\n2026-09-01,Gull | Rock,1234.50,00501,12345678901234567890.5\n" +
		"2026-09-02,'=1+1,-0.5,10001,\n,\"*a_b*\n<c>\",,,7\n"
	if got := written(t, CSV, sample, true); got != want {
		t.Errorf("safe cells are\n%s\nwant\n%s", got, want)
	}
	if got := written(t, CSV, sample, false); got != strings.Replace(want, "'=1", "=1", 1) {
		t.Errorf("cells are\n%s", got)
	}
}

func TestJSONLines(t *testing.T) {
	got := written(t, JSONLines, sample, false)
	lines := strings.Split(strings.TrimSpace(got), "\n")
	want := `{"first_day":"2026-09-01","route":"Gull | Rock","sum_fare":1234.50,"zip":"00501","big":12345678901234567890.5}`
	if len(lines) != 3 || lines[0] != want || !strings.Contains(lines[2], `"route":"*a_b*\n<c>","sum_fare":null`) {
		t.Errorf("the lines are\n%s", got)
	}
	for _, line := range lines {
		if !json.Valid([]byte(line)) {
			t.Errorf("%s is no JSON", line)
		}
	}
}

// What is a name stays one, whatever it looks like.
func TestLabelsAreTexts(t *testing.T) {
	g := &table.Grid{Header: []string{"span", "n"}, Rows: [][]string{{"2026", "5"}}, Labels: table.AnswerLabels}
	if got := written(t, JSONLines, table.Plain("x", g), false); got != `{"span":"2026","n":5}`+"\n" {
		t.Errorf("the line is %s", got)
	}
}

func TestXLSX(t *testing.T) {
	d := *sample
	d.Apart = []table.Sheet{{Title: "Fares: by [route]?", Grid: sample.All}, {Title: "fares by route", Grid: sample.All}}
	book, err := excelize.OpenReader(strings.NewReader(written(t, XLSX, &d, false)))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if got := book.GetSheetList(); !slices.Equal(got, []string{"Fares by route", "fares by route 2", "About"}) {
		t.Fatalf("the sheets are %q", got)
	}
	for cell, want := range map[string]struct {
		value string
		kind  excelize.CellType
	}{
		"A1": {"first_day", excelize.CellTypeInlineString}, "A2": {"2026-09-01", excelize.CellTypeUnset}, // a number, shown as a day
		"B3": {"=1+1", excelize.CellTypeInlineString}, "C2": {"1234.5", excelize.CellTypeUnset}, "C3": {"-0.5", excelize.CellTypeUnset},
		"D2": {"00501", excelize.CellTypeInlineString},
		"E2": {"12345678901234567890.5", excelize.CellTypeInlineString}, "E3": {"", excelize.CellTypeUnset}, "E4": {"7", excelize.CellTypeUnset},
	} {
		value, err := book.GetCellValue("Fares by route", cell)
		if err != nil {
			t.Fatal(err)
		}
		kind, err := book.GetCellType("Fares by route", cell)
		if err != nil || value != want.value || kind != want.kind {
			t.Errorf("cell %s is %q of type %d, %v; want %q of %d", cell, value, kind, err, want.value, want.kind)
		}
	}
	if formula, err := book.GetCellFormula("Fares by route", "B3"); err != nil || formula != "" {
		t.Errorf("B3 is the formula %q, %v", formula, err)
	}
	rows, err := book.GetRows("About")
	if err != nil || len(rows) != 3 || !slices.Equal(rows[2], []string{"span", "last full month", "2026-09-01 to 2026-09-30"}) {
		t.Errorf("it rests on %q, %v", rows, err)
	}
}

func TestParquet(t *testing.T) {
	d := table.Plain("x", &table.Grid{
		Header: []string{"z_day", "n", "fare", "wide", "wider", "a_text"},
		Rows: [][]string{
			{"1969-12-31", "-5", "-0.05", "-12345678901234567890.5", strings.Repeat("9", 40), "Gull"},
			{"2026-09-02", "", "1234.5", "0.25", "1", ""},
		},
	})
	file := strings.NewReader(written(t, Parquet, d, false))
	f, err := parquet.OpenFile(file, file.Size())
	if err != nil {
		t.Fatal(err)
	}
	var columns []string
	for _, c := range f.Root().Columns() {
		columns = append(columns, c.Name()+" "+c.Type().String())
	}
	want := []string{
		"z_day DATE", "n INT(64,true)", "fare DECIMAL(18,2)", "wide DECIMAL(38,2)", "wider STRING", "a_text STRING",
	}
	if !slices.Equal(columns, want) {
		t.Errorf("the columns are %q, want %q", columns, want)
	}
	rows := f.RowGroups()[0].Rows()
	defer rows.Close()
	list := make([]parquet.Row, 3)
	if n, _ := rows.ReadRows(list); n != 2 {
		t.Fatalf("there are %d rows", n)
	}
	first, second := list[0], list[1]
	if first[0].Int32() != -1 || first[1].Int64() != -5 || first[2].Int64() != -5 || string(first[4].ByteArray()) != strings.Repeat("9", 40) {
		t.Errorf("the first row is %v", first)
	}
	if !second[1].IsNull() || second[2].Int64() != 123450 || !second[5].IsNull() {
		t.Errorf("the second row is %v", second)
	}
	if b := first[3].ByteArray(); b[0] != 0xff { // negative
		t.Errorf("%x is not negative", b)
	}
}

// An error of the rows is reported, and nothing has gone out where it comes before the first.
func TestErrorsOfRows(t *testing.T) {
	broken := errors.New("broken")
	for _, f := range Formats {
		s := Sheet{"x", nil, nil, []Column{{Name: "a", Kind: Text}}, func(func([]string) error) error { return broken }}
		var b bytes.Buffer
		if err := f.WriteSheet(&b, s, false); !errors.Is(err, broken) || f.Name != Parquet.Name && b.Len() > 0 {
			t.Errorf("%s: the error is %v, and %d bytes went out", f.Name, err, b.Len())
		}
	}
}

func TestFormatsAreFound(t *testing.T) {
	for _, f := range Formats {
		byName, _ := Lookup(f.Name)
		byType, _ := OfType(f.Type)
		byFile, ok := OfFile("Of September" + strings.ToUpper(f.Ending()))
		if byName.Name != f.Name || byType.Name != f.Name || !ok || byFile.Name != f.Name {
			t.Errorf("%s is found as %s, %s and %s", f.Name, byName.Name, byType.Name, byFile.Name)
		}
	}
	if _, ok := OfFile("x.txt"); ok {
		t.Error("a text is a format")
	}
}

func TestNamesOfColumnsDiffer(t *testing.T) {
	g := &table.Grid{Header: []string{"day", "day_2", "day", "day"}, Rows: [][]string{{"a", "b", "c", "d"}}}
	if got := written(t, JSONLines, table.Plain("x", g), false); got != `{"day":"a","day_2":"b","day_3":"c","day_4":"d"}`+"\n" {
		t.Errorf("the line is %s", got)
	}
}

// A workbook shows the columns of an answer under titles for people, with numbers in threes and percentages; other formats keep the
// names that programs read.
func TestLooksOfWorkbooks(t *testing.T) {
	two, one := 2, 1
	d := table.Plain("x", &table.Grid{
		Header: []string{"sum_fare", "sum_fare_1_year_earlier_change", "n", "id"},
		Rows:   [][]string{{"1234.5", "0.7270512", "1234567.125", "1234567"}},
		Looks: map[string]table.Look{
			"sum_fare":                       {Title: "sum of fare (EUR)", Decimals: &two},
			"sum_fare_1_year_earlier_change": {Title: "sum of fare, 1 year earlier, change", Percent: true, Decimals: &one},
			"n":                              {Title: "sum of fare (EUR)"},
		},
	})
	book, err := excelize.OpenReader(strings.NewReader(written(t, XLSX, d, false)))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	rows, err := book.GetRows(book.GetSheetList()[0])
	want := [][]string{
		{"sum of fare (EUR)", "sum of fare, 1 year earlier, change", "sum of fare (EUR) 2", "id"},
		{"1,234.50", "72.7%", "1,234,567.125", "1234567"},
	}
	if err != nil || fmt.Sprint(rows) != fmt.Sprint(want) {
		t.Errorf("the sheet shows %q, %v; want %q", rows, err, want)
	}
	if got := written(t, CSV, d, false); !strings.HasPrefix(got, "sum_fare,sum_fare_1_year_earlier_change,n,id\n1234.5,0.7270512,") {
		t.Errorf("CSV is %s", got)
	}
}
