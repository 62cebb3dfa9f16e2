package ingest

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"testing/iotest"
	"time"
	"unicode/utf16"

	"vastspan/core/dataset"
)

func infer(t *testing.T, text string, w ColumnHints) (Reader, *dataset.Schema, error) {
	t.Helper()
	r, err := Open(Options{}, strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	s, err := Infer(r.Header(), r.Sample(), w)
	return r, s, err
}

func TestInfer(t *testing.T) {
	var b strings.Builder
	b.WriteString("id,sold_on,seen_at,region,remark,price,pieces,none\n")
	for i := range 60 {
		fmt.Fprintf(
			&b,
			"%d,2026-03-%02d,2026-03-05T10:%02d:00Z,%s,remark %d,%d.%03d,%d,\n",
			1000+i,
			1+i%28,
			i,
			[]string{"North", "South"}[i%2],
			i,
			i,
			i,
			i%7,
		)
	}
	_, s, err := infer(t, b.String(), ColumnHints{Date: "sold_on"})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, c := range s.Columns {
		got = append(got, fmt.Sprintf("%s %s %s %d", c.Name, c.Type, c.Role, c.Decimals))
	}
	want := []string{
		"id number detail 0",
		"sold_on date day 0",
		"seen_at timestamp detail 0",
		"region text category 0",
		"remark text detail 0",
		"price number amount 3",
		"pieces number amount 0",
		"none text detail 0",
	}
	if !slices.Equal(got, want) {
		t.Errorf("the columns are %q, want %q", got, want)
	}
}

func TestInferRefuses(t *testing.T) {
	for _, c := range []struct {
		text string
		w    ColumnHints
		want string
	}{
		{"a,a\n1,2\n", ColumnHints{}, `names "a" twice`},
		{"a,,c\n1,2,3\n", ColumnHints{}, "names no column 2"},
		{"_day,b\n2026-01-01,2\n", ColumnHints{}, "begin with _"},
		{"a,b\nx,y\n", ColumnHints{}, "no column holds dates"},
		{"a,b\n2026-01-01,2026-01-02\n", ColumnHints{}, "2 columns hold dates: state which one"},
		{"a,b\n2026-01-01,x\n", ColumnHints{Date: "c"}, `there is no column "c"; the columns are a, b`},
		{"a,b\n2026-01-01,x\n", ColumnHints{Amounts: []string{"b"}}, "column b holds values of type text; an amount needs numbers"},
		{"a\n2026-01-01\n", ColumnHints{Zone: "Moon/Base"}, `"Moon/Base" is not an IANA time zone`},
		{strings.Repeat("x", 61) + "\n1\n", ColumnHints{}, "61 bytes long"},
	} {
		if _, _, err := infer(t, c.text, c.w); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%.40q gives %v, want %s", c.text, err, c.want)
		}
	}
}

func TestFaultsAreGathered(t *testing.T) {
	text := "day,amount\n2026-01-01,1\n2026-13-01,1\n2026-01-02,NaN\n2026-01-03\n,5\n2026-01-04,1e5\n2026-01-05,\"1,000\"\n2026-01-06,\xff\n"
	r, s, err := infer(t, text, ColumnHints{Date: "day", Amounts: []string{"amount"}})
	if err != nil {
		t.Fatal(err)
	}
	taken := 0
	err = Records(r, ScanOptions{Schema: s}, func([]dataset.Cell) error { taken++; return nil })
	var faults *Faults
	if !errors.As(err, &faults) {
		t.Fatalf("the error is %v", err)
	}
	var lines []int
	for _, f := range faults.Kinds {
		lines = append(lines, f.Lines...)
	}
	if !slices.Equal(lines, []int{3, 4, 7, 8, 9, 5, 6}) || taken != 1 { // from 4 on they are of one kind
		t.Errorf("faults on lines %v, %d rows taken:\n%v", lines, taken, err)
	}
	many := "day,n\n" + strings.Repeat("x,1\n", 30_000) + strings.Repeat("2026-01-01,y\n", 40)
	r, s, err = infer(t, many, ColumnHints{Date: "day"})
	if err != nil {
		t.Fatal(err)
	}
	want := "line 2, column day: \"x\": expected a date such as 2026-03-05 or 5 Mar 2026; 30000 in all, on lines 2, 3, 4, 5, 6, …\n" +
		"line 30002, column n: \"y\": expected a number in plain digits"
	err = Records(r, ScanOptions{Schema: s}, func([]dataset.Cell) error { return nil })
	if !errors.As(err, &faults) || len(faults.Kinds) != 2 || faults.Kinds[1].Count != 40 || faults.More || !strings.HasPrefix(err.Error(), want) {
		t.Errorf("of 30,040 faults: %v", err)
	}
}

func TestDatesAreNeverGuessed(t *testing.T) {
	for _, c := range []struct {
		text  string
		order dataset.DateOrder
		want  string
	}{
		{"2026-03-05", dataset.Unstated, "2026-03-05"}, {"2026-03-05", dataset.DayMonthYear, "2026-03-05"},
		{"03/04/2026", dataset.Unstated, ""}, {"31/12/2026", dataset.Unstated, ""},
		{"03/04/2026", dataset.DayMonthYear, "2026-04-03"}, {"03/04/2026", dataset.MonthDayYear, "2026-03-04"},
		{"3.4.2026", dataset.DayMonthYear, "2026-04-03"}, {"2026/4/3", dataset.YearMonthDay, "2026-04-03"},
		{"13/04/2026", dataset.MonthDayYear, ""}, {"03/04/26", dataset.DayMonthYear, ""}, {"2026-02-29", dataset.Unstated, ""}, {"tomorrow", dataset.DayMonthYear, ""},
	} {
		d, err := dataset.ParseDate(c.text, c.order)
		if c.want == "" && err == nil || c.want != "" && (err != nil || d.String() != c.want) {
			t.Errorf("%s in the order %q is %s, %v; want %q", c.text, c.order, d, err, c.want)
		}
	}
}

func TestQuotesNewlinesAndMarks(t *testing.T) {
	r, s, err := infer(t, "\ufeffday,note\r\n2026-01-01,\"a, \"\"b\"\"\r\nc\"\r\n2026-01-02,plain\r\n", ColumnHints{})
	if err != nil {
		t.Fatal(err)
	}
	var notes []string
	if err := Records(r, ScanOptions{Schema: s}, func(c []dataset.Cell) error { notes = append(notes, c[1].Text); return nil }); err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(notes, []string{"a, \"b\"\nc", "plain"}) {
		t.Errorf("the notes are %q", notes)
	}
	if _, err := Open(Options{}, strings.NewReader("")); err == nil {
		t.Error("an empty file is read")
	}
	r, s, err = infer(t, "day,amount\n", ColumnHints{Date: "day", Amounts: []string{"amount"}})
	if err != nil {
		t.Fatal(err)
	}
	if err := Records(r, ScanOptions{Schema: s}, func([]dataset.Cell) error { t.Error("a row of a file with none"); return nil }); err != nil {
		t.Error(err)
	}
	broken, err := Open(Options{}, strings.NewReader("day,note\n2026-01-01,\"never closed\n"))
	if err == nil {
		t.Errorf("an open quote is read: %v", broken.Sample())
	}
}

func TestFilters(t *testing.T) {
	r, s, err := infer(
		t,
		"day,seen_at,region,note,price\n2026-01-01,2026-01-01T23:30:00Z,North,a late boat,10.50\n2026-01-02,,,,\n2026-01-03,2026-01-03T01:00:00Z,South,fine,9\n",
		ColumnHints{Date: "day", Amounts: []string{"price"}, Categories: []string{"region"}, Zone: "Europe/Paris"},
	)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		where []string
		want  string // the days that stay
	}{
		{[]string{"region=North", "region="}, "01 02"},
		{[]string{"region!=North"}, "02 03"}, // a blank is not North
		{[]string{"region!=North", "region!="}, "03"},
		{[]string{"note~late"}, "01"},
		{[]string{"price>=9.5"}, "01"}, // as numbers, not as text
		{[]string{"price<=10.5"}, "01 03"},
		{[]string{"price=9.00"}, "03"},
		{[]string{"day>=2026-01-02"}, "02 03"},
		{[]string{"seen_at=2026-01-02"}, "01"}, // by its day in the zone
		{[]string{"seen_at="}, "02"},
	} {
		filters, err := dataset.ParseFilters(c.where)
		if err != nil {
			t.Fatal(err)
		}
		keep, err := s.Predicate(filters)
		if err != nil {
			t.Fatal(err)
		}
		var days []string
		if err := Records(SampleOnly(r), ScanOptions{Schema: s}, func(cells []dataset.Cell) error {
			if keep(cells) {
				days = append(days, cells[0].Day.String()[8:])
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		if got := strings.Join(days, " "); got != c.want {
			t.Errorf("%v keeps %s, want %s", c.where, got, c.want)
		}
	}
}

// Files are read whatever their line ends and their order of bytes, and names of columns without the blanks
// around them.
func TestEncodings(t *testing.T) {
	const text = "day ,\tv\n2026-01-01,größe\n2026-01-02,\"a,b\"\n"
	wide := func(order binary.ByteOrder, mark bool, text string) string {
		var b bytes.Buffer
		if mark {
			text = "\ufeff" + text
		}
		if err := binary.Write(&b, order, utf16.Encode([]rune(text))); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	returns := strings.ReplaceAll(text, "\n", "\r")
	for name, file := range map[string]string{
		"UTF-8": text, "marked": "\ufeff" + text, "CRLF": strings.ReplaceAll(text, "\n", "\r\n"), "CR": returns,
		"UTF-16LE": wide(binary.LittleEndian, true, text), "UTF-16BE": wide(binary.BigEndian, true, text),
		"UTF-16LE without a mark": wide(binary.LittleEndian, false, text), "UTF-16BE without a mark": wide(binary.BigEndian, false, text),
		"UTF-16 with CR": wide(binary.LittleEndian, true, returns),
	} {
		r, err := Open(Options{}, iotest.OneByteReader(strings.NewReader(file)))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		got := fmt.Sprintf("%q", r.Header())
		for _, row := range r.Sample() {
			got += fmt.Sprintf(" %q", row.Cells)
		}
		if want := `["day" "v"] ["2026-01-01" "größe"] ["2026-01-02" "a,b"]`; got != want {
			t.Errorf("%s is read as %s", name, got)
		}
	}
	if _, err := Open(Options{}, strings.NewReader("\xff\xfe\x00\x00d\x00\x00\x00")); err == nil || !strings.Contains(err.Error(), "UTF-32") {
		t.Errorf("UTF-32 gives %v", err)
	}
}

// Moments keep their fractions to the microsecond, on their day, and are in the years 1 to 9999 wherever
// they are read.
func TestMoments(t *testing.T) {
	for text, want := range map[string]string{
		"2026-03-05T14:30:00.123456Z":   "2026-03-05T14:30:00.123456Z",
		"2026-03-05T22:59:59.99999999Z": "2026-03-05T22:59:59.999999Z",
		"2026-03-05T14:30":              "2026-03-05T13:30:00Z",
		"9999-12-31T23:59:59Z":          "refused", // in Berlin it is the year 10000
		"0001-01-01T00:00:00":           "refused", // in UTC it is the year 0
		"0000-12-31T23:59:59+00:00":     "refused",
	} {
		m, err := readerOf(t, dataset.Schema{Zone: "Europe/Berlin"}).read(text)
		got := time.UnixMicro(int64(m)).UTC().Format(time.RFC3339Nano)
		if err != nil {
			got = "refused"
			if !strings.Contains(err.Error(), "0001") || !strings.Contains(err.Error(), "9999") {
				t.Errorf("%s: %v", text, err)
			}
		}
		if got != want {
			t.Errorf("%s is %s, want %s", text, got, want)
		}
	}
}
