package export

import (
	"bytes"
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"vastspan/core/table"
)

var sample = &table.Grid{
	Header: []string{"first_day", "route", "sum_fare", "zip", "big"},
	Rows: [][]string{
		{"2026-09-01", "Gull | Rock", "1234.50", "00501", "12345678901234567890.5"},
		{"2026-09-02", "=1+1", "-0.5", "10001", ""},
		{"", "*a_b*\n<c>", "", "", "7"},
	},
}

func TestMarkdown(t *testing.T) {
	var b bytes.Buffer
	if err := Write(&b, "markdown", "", sample); err != nil {
		t.Fatal(err)
	}
	want := "| first\\_day | route | sum\\_fare | zip | big |\n| --- | --- | ---: | --- | ---: |\n" +
		"| 2026-09-01 | Gull \\| Rock | 1234.50 | 00501 | 12345678901234567890.5 |\n" +
		"| 2026-09-02 | =1+1 | -0.5 | 10001 |  |\n|  | \\*a\\_b\\*<br>&lt;c> |  |  | 7 |\n"
	if b.String() != want {
		t.Errorf("the table is\n%s\nwant\n%s", b.String(), want)
	}
}

func TestJSONLines(t *testing.T) {
	var b bytes.Buffer
	if err := Write(&b, "json-lines", "", sample); err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(b.String()), "\n")
	want := `{"first_day":"2026-09-01","route":"Gull | Rock","sum_fare":1234.50,"zip":"00501","big":12345678901234567890.5}`
	if len(lines) != 3 || lines[0] != want || !strings.Contains(lines[2], `"route":"*a_b*\n<c>","sum_fare":null`) {
		t.Errorf("the lines are\n%s", b.String())
	}
	for _, line := range lines {
		if !json.Valid([]byte(line)) {
			t.Errorf("%s is no JSON", line)
		}
	}
}

// What is a name stays one, whatever it looks like.
func TestLabelsAreTexts(t *testing.T) {
	var b bytes.Buffer
	g := &table.Grid{Header: []string{"span", "n"}, Rows: [][]string{{"2026", "5"}}, Labels: table.AnswerLabels}
	if err := Write(&b, "json-lines", "", g); err != nil || b.String() != `{"span":"2026","n":5}`+"\n" {
		t.Errorf("the line is %s, %v", b.String(), err)
	}
}

func TestXLSX(t *testing.T) {
	var b bytes.Buffer
	if err := Write(&b, "xlsx", "Sums: by [route]", sample); err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(&b)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	sheet := book.GetSheetList()[0]
	rows, err := book.GetRows(sheet)
	if err != nil || sheet != "Sums  by  route" || len(rows) != 4 || !slices.Equal(rows[1], []string{
		"2026-09-01", "Gull | Rock", "1234.5", "00501", "12345678901234567890.5",
	}) {
		t.Errorf("sheet %q has the rows %q, %v", sheet, rows, err)
	}
	for at, want := range map[string]excelize.CellType{"C2": excelize.CellTypeUnset, "D2": excelize.CellTypeInlineString, "B3": excelize.CellTypeInlineString, "E2": excelize.CellTypeInlineString, "E4": excelize.CellTypeUnset} {
		kind, err := book.GetCellType(sheet, at)
		if err != nil || kind != want && (want == excelize.CellTypeUnset && kind != excelize.CellTypeNumber) {
			t.Errorf("cell %s is of type %d, want %d, %v", at, kind, want, err)
		}
	}
	if formula, err := book.GetCellFormula(sheet, "B3"); err != nil || formula != "" {
		t.Errorf("a text became the formula %q, %v", formula, err)
	}
	if raw, err := book.GetCellValue(sheet, "A2", excelize.Options{RawCellValue: true}); err != nil || raw != "46266" {
		t.Errorf("the day is kept as %q, %v", raw, err)
	}
}

func TestUnknownFormats(t *testing.T) {
	if err := Write(&bytes.Buffer{}, "pdf", "", sample); err == nil || !strings.Contains(err.Error(), "expected markdown, json-lines, xlsx") {
		t.Errorf("the error is %v", err)
	}
}
