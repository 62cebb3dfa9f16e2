package ingest

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go"
	"github.com/xuri/excelize/v2"

	"vastspan/core/dataset"
)

// crossing is a record as a program writes it.
type crossing struct {
	SoldOn   int32    `parquet:"sold_on,date"`
	BookedAt int64    `parquet:"booked_at,timestamp(microsecond)"`
	Pier     string   `parquet:"pier"`
	Price    int64    `parquet:"price,decimal(2:18)"`
	Weight   *float64 `parquet:"weight,optional"`
	Paid     bool     `parquet:"paid"`
	Pieces   uint32   `parquet:"pieces"`
}

var crossings = []crossing{
	{20500, 1771200000123456, "North Quay", 1250, ref(0.1), true, 4_000_000_000},
	{-1, -1, "Ærø; \"east\"", -5, nil, false, 0},
	{20501, 0, "", 100, ref(1e21), true, 7},
}

func ref[T any](v T) *T { return &v }

// crossingRows are the records above as text.
var crossingRows = [][]string{
	{"2026-02-16", "2026-02-16T00:00:00.123456Z", "North Quay", "12.50", "0.1", "true", "4000000000"},
	{"1969-12-31", "1969-12-31T23:59:59.999999Z", "Ærø; \"east\"", "-0.05", "", "false", "0"},
	{"2026-02-17", "1970-01-01T00:00:00Z", "", "1.00", "1000000000000000000000", "true", "7"},
}

func parquetFile[T any](t *testing.T, rows []T, options ...parquet.WriterOption) []byte {
	t.Helper()
	var b bytes.Buffer
	w := parquet.NewGenericWriter[T](&b, options...)
	for _, row := range rows { // a group of its own for each
		if _, err := w.Write([]T{row}); err != nil {
			t.Fatal(err)
		}
		if err := w.Flush(); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// all reads a file through: the rows, each with its line before it.
func all(o Options, r io.Reader) (rows [][]string, lines []int, w Written, err error) {
	reader, err := Open(o, r)
	if err != nil {
		return nil, nil, w, err
	}
	for {
		part, err := reader.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err == nil {
			err = part.Rows(func(line int, row []string) error {
				var kept []string
				for _, cell := range row {
					kept = append(kept, strings.Clone(cell))
				}
				rows, lines = append(rows, kept), append(lines, line)
				return nil
			})
		}
		if err != nil {
			return rows, lines, reader.Written(), errors.Join(err, reader.Close())
		}
	}
	return rows, lines, reader.Written(), reader.Close()
}

func TestParquetIsRead(t *testing.T) {
	for _, codec := range []parquet.WriterOption{
		parquet.Compression(&parquet.Uncompressed), parquet.Compression(&parquet.Snappy), parquet.Compression(&parquet.Zstd),
		parquet.Compression(&parquet.Gzip), parquet.Compression(&parquet.Lz4Raw), parquet.Compression(&parquet.Brotli),
		parquet.DataPageVersion(1),
	} {
		rows, lines, w, err := all(Options{}, bytes.NewReader(parquetFile(t, crossings, codec)))
		if err != nil || w.Format != Parquet || !slices.Equal(lines, []int{2, 3, 4}) || !slices.EqualFunc(rows, crossingRows, slices.Equal) {
			t.Errorf("the rows are %q, lines %v, written %+v, %v", rows, lines, w, err)
		}
	}
}

func TestParquetColumnsAreLeftOut(t *testing.T) {
	r, err := Open(Options{}, bytes.NewReader(parquetFile(t, crossings)))
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	r.(Selector).Select([]int{0, 3})
	part, err := r.Next()
	if err != nil {
		t.Fatal(err)
	}
	if err := part.Rows(func(_ int, row []string) error {
		if want := []string{"2026-02-16", "", "", "12.50", "", "", ""}; !slices.Equal(row, want) {
			t.Errorf("the row is %q, want %q", row, want)
		}
		return nil
	}); err != nil {
		t.Error(err)
	}
}

func TestParquetIsRefused(t *testing.T) {
	type inner struct {
		A, B int
	}
	nested := parquetFile(t, []struct {
		Day  int32 `parquet:"day,date"`
		Pier inner
		Tags []string `parquet:"tags,list"`
	}{{}})
	if _, _, _, err := all(Options{}, bytes.NewReader(nested)); err == nil || !strings.Contains(err.Error(), "the columns Pier, tags are nested") {
		t.Errorf("nested columns: %v", err)
	}
	whole := parquetFile(t, crossings)
	random := rand.New(rand.NewPCG(4, 5))
	for range 300 { // no damage brings reading down
		broken := slices.Clone(whole)
		if random.IntN(3) == 0 {
			broken = broken[:random.IntN(len(broken))]
		} else {
			for range 1 + random.IntN(8) {
				broken[4+random.IntN(len(broken)-4)] = byte(random.IntN(256))
			}
		}
		_, _, _, _ = all(Options{Format: Parquet}, bytes.NewReader(broken))
	}
	if _, _, _, err := all(Options{}, bytes.NewReader(whole[:len(whole)-20])); err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("a file cut off: %v", err)
	}
}

const linesOfJSON = `{"day":"2026-03-05","pier":"North \"Quay\"","price":12.50,"paid":true,"note":null}

{"pier":"Ærø\n2","day":"2026-03-06","price":1.5e3,"tags":["a",1],"paid":false}
`

func TestJSONIsRead(t *testing.T) {
	want := [][]string{
		{"2026-03-05", `North "Quay"`, "12.50", "true", "", ""},
		{"2026-03-06", "Ærø\n2", "1500", "false", "", `["a",1]`},
	}
	lines := strings.Split(strings.TrimSpace(linesOfJSON), "\n\n")
	for name, c := range map[string]struct {
		text string
		at   []int
	}{
		"lines":                {linesOfJSON, []int{1, 3}},
		"lines with a mark":    {"\ufeff" + linesOfJSON, []int{1, 3}},
		"an array":             {"[" + strings.Join(lines, ",\n") + "]\n", []int{2, 3}},
		"spread out":           {strings.ReplaceAll(linesOfJSON, `,"price`, ",\n\"price"), []int{2, 3}},
		"an array over blanks": {" \n [ " + strings.Join(lines, " ,\n\n") + "\n]", []int{2, 3}},
	} {
		for _, r := range []io.Reader{strings.NewReader(c.text), iotest.HalfReader(strings.NewReader(c.text))} {
			rows, at, w, err := all(Options{}, r)
			if err != nil || w.Format != JSON || !slices.Equal(at, c.at) || !slices.EqualFunc(rows, want, slices.Equal) {
				t.Errorf("%s: the rows are %q, lines %v, %+v, %v", name, rows, at, w, err)
			}
		}
	}
}

func TestJSONIsRefused(t *testing.T) {
	many := strings.Repeat(`{"day":"2026-03-05"}`+"\n", 2*blockSize/20)
	for text, want := range map[string]string{
		`[{"day":"2026-03-05"}`:                       "cut off",
		`[{"day":"2026-03-05"},`:                      "cut off",
		`[{"day":"2026-03-05"}] x`:                    "nothing may follow it",
		`[{"day":"2026-03-05"}, 7]`:                   "expected an object",
		`[{"day":2026-03-05}]`:                        "object 1 is not JSON",
		`[]`:                                          "holds no objects",
		`{"day":"2026-03-05"}` + "\n{\"day\":\n":      "line 2: expected an object in JSON",
		many + `{"day":"2026-03-05","late":1}` + "\n": "column late",
		`{}`: "holds no objects",
	} {
		if _, _, _, err := all(Options{}, strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.40q gives %v, want %s", text, err, want)
		}
	}
}

// workbookFile writes a workbook with two sheets: figures, and notes with a title over its header.
func workbookFile(t *testing.T) []byte {
	t.Helper()
	book := excelize.NewFile()
	defer book.Close()
	set := func(sheet, cell string, v any) {
		if err := book.SetCellValue(sheet, cell, v); err != nil {
			t.Fatal(err)
		}
	}
	for i, name := range []string{"day", "price", "pier", "seen", "share"} {
		set("Sheet1", fmt.Sprintf("%c1", 'A'+i), name)
	}
	set("Sheet1", "A2", time.Date(2026, 3, 5, 0, 0, 0, 0, time.UTC))
	set("Sheet1", "B2", 0.30000000000000004)
	set("Sheet1", "C2", "North & <South>")
	set("Sheet1", "D2", time.Date(2026, 3, 5, 14, 30, 15, 250e6, time.UTC))
	set("Sheet1", "E2", true)
	set("Sheet1", "A4", time.Date(1900, 3, 1, 0, 0, 0, 0, time.UTC))
	set("Sheet1", "B4", 1e12)
	set("Sheet1", "C4", "merged")
	if err := errors.Join(
		book.MergeCell("Sheet1", "C4", "D4"),
		book.SetCellFormula("Sheet1", "E4", "B4*2"),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := book.NewSheet("Notes"); err != nil {
		t.Fatal(err)
	}
	set("Notes", "A1", "Lantern Bay Ferries")
	set("Notes", "B3", "day")
	set("Notes", "C3", "note")
	set("Notes", "B4", "2026-03-05")
	set("Notes", "C4", "calm")
	var b bytes.Buffer
	if err := book.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// What is refused of a workbook says where else its records may be.
func TestAnotherSheetIsNamed(t *testing.T) {
	book := excelize.NewFile()
	defer book.Close()
	if _, err := book.NewSheet("Data"); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(book.SetCellValue("Sheet1", "A1", "hello"), book.SetCellValue("Sheet1", "A2", "reader"),
		book.SetCellValue("Data", "A1", "day"), book.SetCellValue("Data", "A2", "2026-03-05")); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := book.Write(&b); err != nil {
		t.Fatal(err)
	}
	for sheet, want := range map[string]string{"": "read was the sheet Sheet1, others are Data: state which one is meant", "Data": ""} {
		none := func() (Named, error) { return Named{}, io.EOF }
		r, err := OpenAll(Options{Sheet: sheet}, Named{Name: "book.xlsx", Body: bytes.NewReader(b.Bytes())}, none, nil)
		if err != nil {
			t.Fatal(err)
		}
		_, err = InferOf(r, ColumnHints{})
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("sheet %q: %v, want %q", sheet, err, want)
		}
		if err := r.Close(); err != nil {
			t.Error(err)
		}
	}
}

func TestXLSXIsRead(t *testing.T) {
	file := workbookFile(t)
	rows, lines, w, err := all(Options{}, bytes.NewReader(file))
	want := [][]string{
		{"2026-03-05", "0.3", "North & <South>", "2026-03-05T14:30:15.25", "true"},
		{"1900-03-01", "1000000000000", "merged", "", ""},
	}
	if err != nil || w != (Written{Format: XLSX, Sheet: "Sheet1", OtherSheets: "Notes", HeaderRow: 1}) || !slices.Equal(lines, []int{2, 4}) ||
		!slices.EqualFunc(rows, want, slices.Equal) {
		t.Errorf("the rows are %q, lines %v, %+v, %v", rows, lines, w, err)
	}
	rows, lines, _, err = all(Options{Sheet: "Notes", HeaderRow: 3}, bytes.NewReader(file))
	if err != nil || !slices.Equal(lines, []int{4}) || !slices.EqualFunc(rows, [][]string{{"2026-03-05", "calm"}}, slices.Equal) {
		t.Errorf("the notes are %q, %v, %v", rows, lines, err)
	}
	for want, o := range map[string]Options{
		`no sheet "Tides"; the sheets are Sheet1, Notes`:        {Sheet: "Tides"},
		"sheet Notes has no row 9":                              {Sheet: "Notes", HeaderRow: 9},
		"row 2 of sheet Notes is empty":                         {Sheet: "Notes", HeaderRow: 2},
		"does not name; if the names are further down":          {Sheet: "Notes"},
		`format "xls": expected csv, json, xlsx, parquet`:       {Format: "xls"},
		"the Parquet file is damaged":                           {Format: Parquet},
		`encoding "latin": expected utf-8, utf-16 or windows-1`: {Format: CSV, Encoding: "latin"},
	} {
		if _, _, _, err := all(o, bytes.NewReader(file)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v gives %v, want %s", o, err, want)
		}
	}
	for _, n := range []int{len(file) / 2, len(file) - 10, 100} {
		if _, _, _, err := all(Options{}, bytes.NewReader(file[:n])); err == nil {
			t.Errorf("a workbook cut off after %d bytes is read", n)
		}
	}
}

func TestReadingASheetEndsWithIt(t *testing.T) {
	file := workbookFile(t)
	before := runtime.NumGoroutine()
	for range 50 {
		r, err := Open(Options{}, bytes.NewReader(file))
		if err != nil {
			t.Fatal(err)
		}
		if err := r.Close(); err != nil {
			t.Fatal(err)
		}
	}
	for range 100 {
		if runtime.NumGoroutine() <= before {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	t.Errorf("%d goroutines, before %d", runtime.NumGoroutine(), before)
}

func TestDelimitersAreFound(t *testing.T) {
	for sign, name := range delimiterNames {
		c := string(sign)
		text := strings.NewReplacer(",", c).Replace("day,price,pier\n2026-03-05,\"1,5\",\"North, or South\"\n")
		want := [][]string{{"2026-03-05", strings.ReplaceAll("1,5", ",", c), strings.ReplaceAll("North, or South", ",", c)}}
		rows, _, w, err := all(Options{}, strings.NewReader(text))
		if err != nil || w.Delimiter != name || !slices.EqualFunc(rows, want, slices.Equal) {
			t.Errorf("%s: the rows are %q, %+v, %v", name, rows, w, err)
		}
	}
	rows, _, w, err := all(Options{Delimiter: "bar"}, strings.NewReader("a,b|c\n1,2|3\n"))
	if err != nil || w.Delimiter != "bar" || !slices.Equal(rows[0], []string{"1,2", "3"}) {
		t.Errorf("a stated bar: %q, %+v, %v", rows, w, err)
	}
	if _, _, _, err := all(Options{Delimiter: ":"}, strings.NewReader("a:b\n")); err == nil {
		t.Error("a colon is taken for a delimiter")
	}
	rows, _, _, err = all(Options{Encoding: "windows-1252"}, strings.NewReader("day,pier\n2026-03-05,\xc6r\xf8 \x80\n"))
	if err != nil || rows[0][1] != "Ærø €" {
		t.Errorf("Windows-1252: %q, %v", rows, err)
	}
}

func TestMixedLineEnds(t *testing.T) {
	rows, lines, _, err := all(Options{}, strings.NewReader("day,n\r\n2026-03-05,1\n2026-03-06,2\r\n\r\n2026-03-07,3"))
	want := [][]string{{"2026-03-05", "1"}, {"2026-03-06", "2"}, {"2026-03-07", "3"}}
	if err != nil || !slices.EqualFunc(rows, want, slices.Equal) || !slices.Equal(lines, []int{2, 3, 5}) {
		t.Errorf("the rows are %q, %v, %v", rows, lines, err)
	}
}

func gzipped(t *testing.T, text []byte) []byte {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if _, err := w.Write(text); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestCompressedFilesAreRead(t *testing.T) {
	var big bytes.Buffer
	big.WriteString("day,n\n")
	for i := range 300_000 {
		fmt.Fprintf(&big, "2026-03-05,%d\n", i)
	}
	encoder, err := zstd.NewWriter(nil)
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		file []byte
		rows int
		want Written
	}{
		"gzip": {gzipped(t, big.Bytes()), 300_000, Written{Format: CSV, Compression: "gzip", Delimiter: "comma", Encoding: "utf-8"}},
		"zstd": {
			encoder.EncodeAll(big.Bytes(), nil), 300_000,
			Written{Format: CSV, Compression: "zstd", Delimiter: "comma", Encoding: "utf-8"},
		},
		"JSON":    {gzipped(t, []byte(linesOfJSON)), 2, Written{Format: JSON, Compression: "gzip", Encoding: "utf-8"}},
		"XLSX":    {gzipped(t, workbookFile(t)), 2, Written{Format: XLSX, Compression: "gzip", Sheet: "Sheet1", OtherSheets: "Notes", HeaderRow: 1}},
		"Parquet": {encoder.EncodeAll(parquetFile(t, crossings), nil), 3, Written{Format: Parquet, Compression: "zstd"}},
	} {
		rows, _, w, err := all(Options{}, bytes.NewReader(c.file))
		if err != nil || len(rows) != c.rows || w != c.want {
			t.Errorf("%s: %d rows, written %+v, want %+v, %v", name, len(rows), w, c.want, err)
		}
		if _, _, _, err := all(Options{}, bytes.NewReader(c.file[:len(c.file)-9])); err == nil {
			t.Errorf("%s: cut off, it is read", name)
		}
	}
	short := gzipped(t, big.Bytes())
	_, _, _, err = all(Options{}, bytes.NewReader(short[:len(short)/2]))
	if err == nil || err.Error() != "the gzip file is cut off: its end is missing" {
		t.Errorf("half a gzip gives %v", err)
	}
}

func TestOtherFilesAreRefused(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"an archive":    {"PK\x03\x04 and no more", "the XLSX file is damaged"},
		"a PDF":         {"%PDF-1.7\n", "the file is a PDF"},
		"an old binary": {"\xd0\xcf\x11\xe0\xa1\xb1", "save it as .xlsx"},
		"nothing":       {"", "the file is empty"},
	} {
		if _, _, _, err := all(Options{}, strings.NewReader(c.text)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s gives %v, want %s", name, err, c.want)
		}
	}
}

// A file that is on a disk is not copied, and is the caller's to close.
func TestFilesOnDiskAreReadInPlace(t *testing.T) {
	path := filepath.Join(t.TempDir(), "crossings.parquet")
	if err := os.WriteFile(path, parquetFile(t, crossings), 0o600); err != nil {
		t.Fatal(err)
	}
	file, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	rows, _, _, err := all(Options{}, file)
	if err != nil || len(rows) != 3 {
		t.Errorf("%d rows, %v", len(rows), err)
	}
	if err := file.Close(); err != nil {
		t.Errorf("the file is closed: %v", err)
	}
}

// An archive that is no workbook is told to be one, whatever its name says.
func TestAnArchiveWithAWrongName(t *testing.T) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	f, err := z.Create("sales.csv")
	if err == nil {
		_, err = f.Write([]byte("day,n\n2026-01-01,1\n"))
	}
	if err = errors.Join(err, z.Close()); err != nil {
		t.Fatal(err)
	}
	for _, o := range []Options{{}, {Format: "xlsx"}} {
		if _, err := Open(o, bytes.NewReader(b.Bytes())); err == nil || !strings.Contains(err.Error(), "the file is a ZIP archive and not a workbook: unpack it first") {
			t.Errorf("%+v: %v", o, err)
		}
	}
}

func TestFixedNumbers(t *testing.T) {
	for _, c := range []struct {
		n     int64
		scale int
		want  string
	}{
		{0, 0, "0"}, {0, 2, "0.00"}, {5, 2, "0.05"}, {-5, 2, "-0.05"}, {123450, 2, "1234.50"}, {-7, 0, "-7"}, {1, 18, "0.000000000000000001"},
		{math.MinInt64, 0, "-9223372036854775808"}, {math.MaxInt64, 18, "9.223372036854775807"},
	} {
		if got := string(appendFixed(nil, c.n, c.scale)); got != c.want {
			t.Errorf("%d with %d digits is %s, want %s", c.n, c.scale, got, c.want)
		}
	}
}

// Values that are given as they are come to what their texts do, and those that do not fit a machine word or the calendar are
// read as text.
func TestParquetWithoutTexts(t *testing.T) {
	type record struct {
		Day   int32  `parquet:"day,date"`
		Price int64  `parquet:"price,decimal(2:18)"`
		Whole int64  `parquet:"whole"`
		Small *int32 `parquet:"small,optional"`
	}
	seven := int32(-7)
	records := []record{{20000, 123450, 5, nil}, {-719162, -5, math.MaxInt64, &seven}, {20001, 0, -1_000_000_000_000_000_000, nil}}
	read := func(list []record) ([]string, error) {
		var b bytes.Buffer
		if err := parquet.Write(&b, list); err != nil {
			t.Fatal(err)
		}
		r, err := Open(Options{}, bytes.NewReader(b.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		defer r.Close()
		s, err := Infer(r.Header(), r.Sample(), ColumnHints{Date: "day"})
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		err = Records(r, ScanOptions{Schema: s}, func(cells []dataset.Cell) error {
			text := cells[0].Day.String()
			for i := 1; i < len(cells); i++ {
				if !cells[i].Set {
					text += " blank"
					continue
				}
				d, err := cells[i].Decimal()
				if err != nil {
					return err
				}
				text += fmt.Sprintf(" %s %t", d.Text('f'), cells[i].Fixed)
			}
			got = append(got, text)
			return nil
		})
		return got, err
	}
	got, err := read(records)
	want := []string{
		"2024-10-04 1234.50 true 5 true blank", "0001-01-01 -0.05 true 9223372036854775807 false -7 true",
		"2024-10-05 0.00 true -1000000000000000000 false blank",
	}
	if err != nil || !slices.Equal(got, want) {
		t.Errorf("the records are %q, %v, want %q", got, err, want)
	}
	if _, err := read([]record{{20000, 1, 1, nil}, {-800000, 1, 1, nil}}); err == nil || !strings.Contains(err.Error(), "column day") {
		t.Errorf("a day before the calendar: %v", err)
	}
}

// A second byte order mark is not part of a name, and a duplicate key in an object is reported.
func TestMarksAndKeysThatAreThereTwice(t *testing.T) {
	for _, text := range []string{"\ufeff\ufeffday,v\n2026-03-05,1\n", "\ufeff\ufeff{\"day\":\"2026-03-05\",\"v\":1}\n"} {
		r, err := Open(Options{}, strings.NewReader(text))
		if err != nil || r.Header()[0] != "day" {
			t.Errorf("%q: %v %v", text, r, err)
		}
	}
	for _, text := range []string{`{"day":"2026-03-05","v":1,"v":2}`, `[{"day":"2026-03-05","v":1,"v":1}]`} {
		if _, err := Open(Options{}, strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), "each key once") {
			t.Errorf("%s: %v", text, err)
		}
	}
}
