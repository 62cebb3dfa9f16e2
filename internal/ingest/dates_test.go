package ingest

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/dataset"
)

func TestDatesInTheFormsPeopleHave(t *testing.T) {
	for _, c := range []struct {
		text  string
		grain calendar.Unit
		want  string // or the start of the error
	}{
		{"2015/01/02", calendar.Day, "2015-01-02"},
		{"2015.1.2", calendar.Day, "2015-01-02"},
		{"2015-1-2", calendar.Day, "2015-01-02"},
		{"20150102", calendar.Day, "2015-01-02"},
		{"2 Jan 2015", calendar.Day, "2015-01-02"},
		{"02-JAN-2015", calendar.Day, "2015-01-02"},
		{"Jan 2 2015", calendar.Day, "2015-01-02"},
		{"January 2, 2015", calendar.Day, "2015-01-02"},
		{"2015 Sept 2", calendar.Day, "2015-09-02"},
		{"Friday, 2 January 2015", calendar.Day, "2015-01-02"},
		{"Jan 2015", calendar.Month, "2015-01-01"},
		{"2015-03", calendar.Month, "2015-03-01"},
		{"2015/3", calendar.Month, "2015-03-01"},
		{"March 2015", calendar.Quarter, "2015-03-01"},
		{"1900", calendar.Year, "1900-01-01"},
		{"Jan 2015", calendar.Day, "it is a month"},
		{"1900", calendar.Month, "it is a year"},
		{"02/03/2015", calendar.Day, "expected a date such as 2026-03-05, or a date order"},
		{"Q1 2026", calendar.Quarter, "2026-01-01"},
		{"2026-Q4", calendar.Quarter, "2026-10-01"},
		{"2026q2", calendar.Year, "2026-04-01"},
		{"Q5 2026", calendar.Quarter, "expected a date"},
		{"Q1 2026", calendar.Month, "it is a quarter: expected a date such as 2026-03-05, or say that a record stands for a quarter (grain)"},
		{"March 5th, 2026", calendar.Day, "2026-03-05"},
		{"1st of March 2026", calendar.Day, "2026-03-01"},
		{"March 5th", calendar.Day, "it has no year"},
		{"5 March", calendar.Day, "it has no year"},
		{"2 Jan 15", calendar.Day, "the year has two digits: set the century, such as 1970"},
		{"Mar-26", calendar.Month, "the year has two digits"},
		{"31.08.26", calendar.Day, "the year has two digits: set the date order, such as dmy"},
		{"46000", calendar.Day, "expected a date such as 2026-03-05, or say that its numbers are the days of a spreadsheet"},
		{"Mittwoch, 8. Juli 2026", calendar.Day, "2026-07-08"},
		{"1er mars 2026", calendar.Day, "2026-03-01"},
		{"5 février 2026", calendar.Day, "2026-02-05"},
		{"8 de julio de 2026", calendar.Day, "2026-07-08"},
		{"8 de março de 2026", calendar.Day, "2026-03-08"},
		{"8 ott 2026", calendar.Day, "2026-10-08"},
		{"8 mrt 2026", calendar.Day, "2026-03-08"},
		{"3. März 2026", calendar.Day, "2026-03-03"},
		{"août 2026", calendar.Month, "2026-08-01"},
		{"8 jui 2026", calendar.Day, "expected a date"}, // juin or juillet
		{"mar 5 2026", calendar.Day, "2026-03-05"},
		{"31 Feb 2015", calendar.Day, "2015-02 has no day 31"},
		{"20151301", calendar.Day, "month 13 does not exist"},
		{"2015/02/30", calendar.Day, "2015-02 has no day 30"},
		{"Jan Feb 2015", calendar.Day, "expected a date"},
		{"12.50", calendar.Month, "expected a date"},
		{"2015.50", calendar.Month, "expected a date"},
		{"Ja 2 2015", calendar.Day, "expected a date"},
		{"1e3", calendar.Year, "expected a date"},
		{"", calendar.Day, "expected a date"},
	} {
		day, err := dateReader{grain: c.grain}.read(c.text)
		got := day.String()
		if err != nil {
			got = err.Error()
		}
		if !strings.HasPrefix(got, c.want) {
			t.Errorf("%q by %s is %s, want %s", c.text, c.grain, got, c.want)
		}
	}
}

// Two-digit years are read by a stated century, and numbers as days of spreadsheets where that is stated.
func TestDatesThatAreStated(t *testing.T) {
	for _, c := range []struct {
		text string
		r    dateReader
		want string // or the start of the error
	}{
		{"31.08.26", dateReader{order: dataset.DayMonthYear, century: 1970}, "2026-08-31"},
		{"31.08.70", dateReader{order: dataset.DayMonthYear, century: 1970}, "1970-08-31"},
		{"31.08.69", dateReader{order: dataset.DayMonthYear, century: 1970}, "2069-08-31"},
		{"8/31/26", dateReader{order: dataset.MonthDayYear, century: 1950}, "2026-08-31"},
		{"26-08-31", dateReader{order: dataset.YearMonthDay, century: 2000}, "2026-08-31"},
		{"31.02.26", dateReader{order: dataset.DayMonthYear, century: 1970}, "2026-02 has no day 31"},
		{"31.08.26", dateReader{order: dataset.DayMonthYear}, "the year has two digits: set the century"},
		{"31.08.2026", dateReader{order: dataset.DayMonthYear, century: 1970}, "2026-08-31"},
		{"5-Mar-26", dateReader{century: 1970}, "2026-03-05"},
		{"Mar-26", dateReader{century: 1970, grain: calendar.Month}, "2026-03-01"},
		{"46000", dateReader{serial: true}, "2025-12-09"},
		{"46000.0", dateReader{serial: true}, "2025-12-09"},
		{"46000.5", dateReader{serial: true}, "expected the number of a spreadsheet's day, such as 46000, without a fraction"},
		{"60", dateReader{serial: true}, "expected the number of a spreadsheet's day from 61"},
		{"61", dateReader{serial: true}, "1900-03-01"},
		{"2958466", dateReader{serial: true}, "expected the number of a spreadsheet's day up to"},
		{"2026-03-05", dateReader{serial: true}, "2026-03-05"},
	} {
		day, err := c.r.read(c.text)
		got := day.String()
		if err != nil {
			got = err.Error()
		}
		if !strings.HasPrefix(got, c.want) {
			t.Errorf("%q by %+v is %s, want %s", c.text, c.r, got, c.want)
		}
	}
}

// The beginning of a month's name means the same month in all languages, or none.
func TestNamesOfMonths(t *testing.T) {
	for _, names := range months {
		for i, name := range names {
			for n := 3; n <= len(name); n++ {
				if got := monthOf(strings.ToUpper(name[:n])); got != i+1 && got != 0 || n == len(name) && got == 0 {
					t.Errorf("%s is month %d, want %d", name[:n], got, i+1)
				}
			}
		}
	}
}

func TestColumnsOfDates(t *testing.T) {
	for _, c := range []struct {
		text string
		h    ColumnHints
		want string
	}{
		{"q,n\nQ1 2026,1\nQ2 2026,2\n", ColumnHints{}, "q date day, n number amount, by quarter"},
		{"day,n\n5-Mar-26,1\n", ColumnHints{Century: 1970}, "day date day, n number amount, by "},
		{"day,n\n5-Mar-26,1\n", ColumnHints{}, "the dates in column day have years of two digits: set the century"},
		{"month,n\nMar-26,1\n", ColumnHints{Century: 1970}, "month date day, n number amount, by month"},
		{"day,form,n\n2026-03-05,Mar-26,1\n", ColumnHints{}, "day date day, form text category, n number amount, by "},
		{"day,n\n46000,1\n9000,1\n", ColumnHints{Date: "day", Epoch: dataset.SpreadsheetDays}, "day date day, n number amount, by "},
		{"at,n\n46000.25,1\n", ColumnHints{Date: "at", Epoch: dataset.SpreadsheetDays}, "at timestamp day, n number amount, by "},
		{"year,n\n1900,1\n1901,2\n", ColumnHints{}, "year date day, n number amount, by year"},
		{"sold,n\n20260301,1\n20260302,2\n", ColumnHints{}, "sold date day, n number amount, by "},
		{"sold,year\n2026-03-01,2026\n", ColumnHints{}, "sold date day, year number detail, by "},
		{"month,n\nJan 2026,1\nFeb 2026,2\n", ColumnHints{}, "month date day, n number amount, by month"},
		{"month,n\nJan 2026,1\n2026-02,2\n", ColumnHints{Grain: "quarter"}, "month date day, n number amount, by quarter"},
		{"at,n\n1 Jan 2026 10:00 PM,1\n", ColumnHints{}, "at timestamp day, n number amount, by "},
		{"day,zip,n\n2026-03-01,00501,1\n2026-03-01,10001,2\n", ColumnHints{}, "day date day, zip text category, n number amount, by "},
		{"day,share\n2026-03-01,0.5\n2026-03-02,0\n", ColumnHints{}, "day date day, share number amount, by "},
		{"from,until\n1980,1981\n1980,1982\n", ColumnHints{Date: "from"}, "from date day, until number amount, by year"},
		{"from,until\n1980,1981\n", ColumnHints{}, "2 columns hold dates: state which one is the day (date): from, until"},
		{"a,n\n1980,1\nx,2\n", ColumnHints{}, "no column holds dates"},
		{"day,n\n2026-03-01,1\n", ColumnHints{Grain: "fortnight"}, `grain "fortnight"`},
	} {
		_, s, err := infer(t, c.text, c.h)
		var got []string
		if err != nil {
			got = []string{err.Error()}
		} else {
			for _, col := range s.Columns {
				got = append(got, fmt.Sprintf("%s %s %s", col.Name, col.Type, col.Role))
			}
			got = append(got, "by "+s.Grain)
		}
		if !strings.HasPrefix(strings.Join(got, ", "), c.want) {
			t.Errorf("%q is %q, want %s", c.text, got, c.want)
		}
	}
}

func TestWhatToDoIsSuggested(t *testing.T) {
	for _, c := range []struct {
		text string
		h    ColumnHints
		want *Suggestion
	}{
		{"day,n\n03/14/2026,1\n", ColumnHints{}, &Suggestion{"date_order", "mdy"}},
		{"day,n\n03/04/2026,1\n24/04/2026,1\n", ColumnHints{}, &Suggestion{"date_order", "dmy"}},
		{"day,n\n03/04/2026,1\n", ColumnHints{}, nil}, // both go
		{"at,n\n03/14/2026 10:00,1\n", ColumnHints{}, &Suggestion{"date_order", "mdy"}},
		{"day;n\n2026-03-01;15\n2026-03-01;1.234,5\n", ColumnHints{Amounts: []string{"n"}}, &Suggestion{"numbers", "1.234,56"}},
		{"day;n\n2026-03-01;15\n2026-03-01;1,500\n", ColumnHints{Amounts: []string{"n"}}, nil}, // it goes in three ways
		{"day,n\n2026-03-01,1\n,2\n", ColumnHints{}, &Suggestion{"allow_undated", "true"}},
		{"day,n\n2026-03-01,1\nMar 2026,1\n", ColumnHints{Date: "day"}, &Suggestion{"grain", "month"}},
		{"day,pier\n2026-03-01,\xc6r\xf8\n", ColumnHints{}, &Suggestion{"encoding", "windows-1252"}},
		{"day,n\nsoon,1\n", ColumnHints{Date: "day"}, nil},
	} {
		r, s, err := infer(t, c.text, c.h)
		if err != nil {
			t.Errorf("%q: %v", c.text, err)
			continue
		}
		err = Records(r, ScanOptions{Schema: s}, func([]dataset.Cell) error { return nil })
		var faults *Faults
		if !errors.As(err, &faults) {
			t.Errorf("%q gives %v", c.text, err)
			continue
		}
		got := faults.Kinds[0].Suggestion
		if got == nil != (c.want == nil) || got != nil && *got != *c.want {
			t.Errorf("%q: %v, want %v", c.text, got, c.want)
		}
	}
}

// fromNames returns files by their texts.
func fromNames(texts ...string) func() (Named, error) {
	n := 1
	return func() (Named, error) {
		if n > len(texts) {
			return Named{}, io.EOF
		}
		n++
		return Named{fmt.Sprintf("%d.csv", n), strings.NewReader(texts[n-2])}, nil
	}
}

func TestSeveralFilesAreReadAsOne(t *testing.T) {
	read := func(omit []string, texts ...string) ([]string, *dataset.Schema, error) {
		r, err := OpenAll(Options{}, Named{"1.csv", strings.NewReader(texts[0])}, fromNames(texts[1:]...), omit)
		if err != nil {
			return nil, nil, err
		}
		defer r.Close()
		s, err := Infer(r.Header(), r.Sample(), ColumnHints{})
		if err != nil {
			return nil, nil, err
		}
		var got []string
		err = Scan(context.Background(), r, ScanOptions{Schema: s}, func(_ int, rows Rows) ([]string, error) {
			var some []string
			err := rows(func(line int, cells []dataset.Cell) error {
				some = append(some, fmt.Sprintf("%d %s %s", line, cells[0].Day, cells[1].Text))
				return nil
			})
			return some, err
		}, func(some []string) error {
			got = append(got, some...)
			return nil
		})
		return got, s, err
	}
	got, _, err := read(nil, "day,n\n2026-03-01,1\n", "n;day\n2;2026-03-02\n", `[{"n":3,"day":"2026-03-03"}]`)
	if want := []string{"2 2026-03-01 1", "2 2026-03-02 2", "2 2026-03-03 3"}; err != nil || !slices.Equal(got, want) {
		t.Errorf("the records are %q, want %q, %v", got, want, err)
	}
	got, s, err := read([]string{"_x"}, "_x,day,n\na,2026-03-01,1\n", "day,n,_x\n2026-03-02,2,b\n")
	if want := []string{"2 2026-03-01 1", "2 2026-03-02 2"}; err != nil || !slices.Equal(got, want) || len(s.Columns) != 2 {
		t.Errorf("without _x the records are %q, want %q, %v", got, want, err)
	}
	for _, c := range []struct {
		texts []string
		omit  []string
		want  string
	}{
		{[]string{"day,n\n2026-03-01,1\n", "day,n\n2026-03-02,x\n"}, nil, `2.csv, line 2, column n: "x"`},
		{[]string{"day,n\n2026-03-01,1\n,1\n"}, nil, `line 3, column day: ""`},
		{[]string{"day,n\n2026-03-01,1\n", "day\n2026-03-02\n"}, nil, `2.csv: the file has no column "n", which 1.csv has`},
		{[]string{"day,n\n2026-03-01,1\n", "day,n,m\n2026-03-02,1,2\n"}, nil, `2.csv: the file has a column "m"`},
		{[]string{"day,n\n2026-03-01,1\n", ""}, nil, "2.csv: the file is empty"},
		{[]string{"day,n\n2026-03-01,1\n"}, []string{"m"}, `there is no column "m" to omit; the columns are day, n`},
		{[]string{"_x,day,n\na,2026-03-01\n"}, []string{"_x"}, "the row has 1 fields; expected 2"},
		{[]string{"_x,day,n\na,2026-03-01,1\n"}, nil, "leave it out (omit)"},
	} {
		if _, _, err := read(c.omit, c.texts...); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%q gives %v, want %s", c.texts, err, c.want)
		}
	}
}

// A type that is stated holds, whatever the values look like, and the role goes with it.
func TestStatedTypes(t *testing.T) {
	header := []string{"day", "zip", "code", "paid", "on"}
	sample := []Row{{2, []string{"2026-09-01", "10001", "7", "1.50", "2026-09-02"}}, {3, []string{"2026-09-02", "10002", "12", "2", "2026-09-03"}}}
	s, err := Infer(header, sample, ColumnHints{Date: "day", Types: []string{"zip=text", "code=number", "on=text"}, Categories: []string{"code"}})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, c := range s.Columns {
		got = append(got, fmt.Sprintf("%s %s %s", c.Name, c.Type, c.Role))
	}
	want := []string{"day date day", "zip text category", "code number category", "paid number amount", "on text detail"}
	if !slices.Equal(got, want) {
		t.Errorf("the columns are %q, want %q", got, want)
	}
	for stated, says := range map[string]string{"zip": "expected COLUMN=TYPE", "zip=word": "expected text, number", "moon=text": "moon"} {
		if _, err := Infer(header, sample, ColumnHints{Date: "day", Types: []string{stated}}); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", stated, err)
		}
	}
}
