package ingest

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"runtime"
	"runtime/debug"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/klauspost/compress/gzip"
	"github.com/parquet-go/parquet-go"
	"github.com/xuri/excelize/v2"

	"vastspan/core/dataset"
)

// peakOf returns how many bytes of memory are in use at most while work runs, beyond those before it.
func peakOf(work func()) int64 {
	defer debug.SetGCPercent(debug.SetGCPercent(25)) // so that what is in use is little more than what is held
	runtime.GC()
	var before runtime.MemStats
	runtime.ReadMemStats(&before)
	var most atomic.Int64
	end, ended := make(chan struct{}), make(chan struct{})
	look := func() {
		var now runtime.MemStats
		runtime.ReadMemStats(&now)
		most.Store(max(most.Load(), int64(now.HeapInuse)-int64(before.HeapInuse)))
	}
	go func() {
		defer close(ended)
		for {
			select {
			case <-end:
				return
			case <-time.After(5 * time.Millisecond):
				look()
			}
		}
	}()
	work()
	close(end)
	<-ended
	look()
	return most.Load()
}

// readAll reads a file as it is loaded: all of its rows, typed.
func readAll(file []byte, room *Room) error {
	r, err := Open(Options{Room: room}, bytes.NewReader(file))
	if err != nil {
		return err
	}
	defer r.Close()
	schema, err := InferOf(r, ColumnHints{Zone: "UTC"})
	if err != nil {
		return err
	}
	return Scan(context.Background(), r, ScanOptions{Schema: schema, AllowUndated: true},
		func(_ int, rows Rows) (n int, err error) {
			err = rows(func(_ int, cells []dataset.Cell) error {
				for i := range cells {
					n += len(cells[i].Text)
				}
				return nil
			})
			return n, err
		}, func(int) error { return nil })
}

// repeated is a text that is written again and again, so many bytes in all.
func repeated(w io.Writer, text string, size int) {
	block := strings.Repeat(text, max(1, 1<<20/len(text)))
	for left := size; left > 0; left -= len(block) {
		_, _ = io.WriteString(w, block)
	}
}

// workbookOf writes a workbook with a sheet and texts of the test's own.
func workbookOf(t *testing.T, sheet, texts func(io.Writer)) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(name string, content func(io.Writer)) {
		f, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		content(f)
	}
	text := func(s string) func(io.Writer) { return func(w io.Writer) { _, _ = io.WriteString(w, s) } }
	put("xl/workbook.xml", text(`<workbook xmlns:r="r"><sheets><sheet name="Sheet1" sheetId="1" r:id="rId1"/></sheets></workbook>`))
	put("xl/_rels/workbook.xml.rels", text(`<Relationships><Relationship Id="rId1" Target="worksheets/sheet1.xml"/></Relationships>`))
	put("xl/worksheets/sheet1.xml", sheet)
	if texts != nil {
		put("xl/sharedStrings.xml", texts)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

const (
	sheetStart = `<worksheet><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>day</t></is></c></row>` +
		`<row r="2"><c r="A2" t="inlineStr"><is><t>2026-03-05</t></is></c></row>`
	sheetEnd = `</sheetData></worksheet>`
)

// hostileBytes is what the hostile files unpack to, at least.
const hostileBytes = 64 << 20

func TestHostileWorkbooksTakeLittleMemory(t *testing.T) {
	text := func(before, part, after string) func(io.Writer) {
		return func(w io.Writer) {
			_, _ = io.WriteString(w, before)
			if part != "" {
				repeated(w, part, hostileBytes)
			}
			_, _ = io.WriteString(w, after)
		}
	}
	inside := func(before, part, after string) func(io.Writer) {
		return text(sheetStart+before, part, after+sheetEnd)
	}
	plain := inside("", "", "")
	for _, c := range []struct {
		name         string
		sheet, texts func(io.Writer)
		want         string // of the error
	}{
		{"blanks between rows", inside("", " ", ""), nil, "a value in it has more than 1048576 bytes"},
		{"one cell", inside(`<row><c t="inlineStr"><is><t>`, "x", `</t></is></c></row>`), nil, "a cell holds a text of more than"},
		{"many texts of a cell", inside(`<row><c t="inlineStr"><is>`, "<t>xxxxxxxxxxxxxxxxx</t>", `</is></c></row>`), nil, "a cell holds a text of more than"},
		{"nested elements", inside("", "<a>", ""), nil, "nested more than 32 deep"},
		{"a long comment", inside("<!--", "> <", "-->"), nil, "a value in it has more than 1048576 bytes"},
		{"a long attribute", inside(`<row r="`, ">", `"></row>`), nil, "a value in it has more than 1048576 bytes"},
		{"cells without a place", inside(`<row>`, "<c/>", `</row>`), nil, "is not a cell"},
		{"one text", plain, text("<sst><si><t>", "x", "</t></si></sst>"), "a cell holds a text of more than"},
		{"empty texts", plain, text("<sst>", "<si/>", "</sst>"), "more than 128 MB of memory"},
		{"a count of texts", plain, text(`<sst count="99999999999999"><si><t>a`, "", "</t></si></sst>"), ""},
		{"a text with a number below zero", inside(`<row><c t="s"><v>-1</v></c></row>`, "", ""), text("<sst><si><t>a</t></si></sst>", "", ""), "there is no text number"},
		{"rows that go back", inside(`<row r="7"><c t="b"><v>1</v></c></row><row r="3"><c t="b"><v>1</v></c></row>`, "", ""), nil, "follows row 7"},
	} {
		file := workbookOf(t, c.sheet, c.texts)
		var err error
		peak := peakOf(func() { err = readAll(file, NewRoom(256<<20)) })
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v; want %q", c.name, err, c.want)
		}
		if peak > 48<<20 {
			t.Errorf("%s: %d MB of memory for a file of %d kB", c.name, peak>>20, len(file)>>10)
		}
	}
}

// An archive whose directory alone would fill the memory is not opened.
func TestTheDirectoryOfAnArchiveIsBounded(t *testing.T) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := range 80_000 {
		if _, err := z.Create(fmt.Sprintf("xl/%08d", i)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	if err := readAll(b.Bytes(), nil); err == nil || !strings.Contains(err.Error(), "directory of the archive") {
		t.Error(err)
	}
}

// Each object of a JSON file with keys of its own: the limit of columns holds while they come up.
func TestKeysThatComeUpAreBounded(t *testing.T) {
	var b strings.Builder
	for i := range 5000 {
		b.WriteString(`{"day":"2026-01-01"`)
		for j := range 200 {
			fmt.Fprintf(&b, `,"k%d_%d":1`, i, j)
		}
		b.WriteString("}\n")
	}
	var err error
	peak := peakOf(func() { err = readAll([]byte(b.String()), nil) })
	if err == nil || !strings.Contains(err.Error(), "at most 1500") {
		t.Error(err)
	}
	if peak > 100<<20 {
		t.Errorf("%d MB of memory", peak>>20)
	}
}

// Rows and objects without an end, packed into small files.
func TestHostileTextTakesLittleMemory(t *testing.T) {
	for _, c := range []struct{ name, before, part, want string }{
		{"a CSV row", "day,x\n2026-01-01,", "x", "a row that ends within 16 MB"},
		{"an open quote", "day,x\n2026-01-01,\"", "x\n", "a quote may be left open"},
		{"a JSON object", `{"day":"2026-01-01","x":"`, "x", "a row that ends within 16 MB"},
		{"an object of an array", `[{"day":"2026-01-01","x":"`, "x", "object 1 is longer than 16 MB"},
		{"a header", "day", ",c", "16 MB"},
		{"long rows of a sample", "day,x\n", "2026-01-01," + strings.Repeat("x", 1<<20) + "\n", ""},
	} {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		_, _ = io.WriteString(z, c.before)
		repeated(z, c.part, hostileBytes)
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		var err error
		peak := peakOf(func() { err = readAll(b.Bytes(), nil) })
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v; want %q", c.name, err, c.want)
		}
		if peak > 150<<20 {
			t.Errorf("%s: %d MB of memory for a file of %d kB", c.name, peak>>20, b.Len()>>10)
		}
	}
}

// Pages of a Parquet file that unpack to more than they state, or to more than fits.
func TestHostileParquetTakesLittleMemory(t *testing.T) {
	type row struct {
		Day string `parquet:"day"`
		X   string `parquet:"x"`
	}
	long := strings.Repeat("x", 66<<20)
	codecs := []parquet.WriterOption{parquet.Compression(&parquet.Snappy)}
	if !testing.Short() {
		codecs = append(codecs, parquet.Compression(&parquet.Zstd), parquet.Compression(&parquet.Lz4Raw), parquet.Compression(&parquet.Gzip),
			parquet.Compression(&parquet.Brotli))
	}
	for _, codec := range codecs {
		file := parquetOf(t, []row{{"2026-03-05", long}}, codec)
		var err error
		peak := peakOf(func() { err = readAll(file, NewRoom(1<<30)) })
		if err == nil || !strings.Contains(err.Error(), "a page of the Parquet file has more than 64 MB") {
			t.Errorf("%.200v", err)
		}
		if peak > 100<<20+2*int64(len(file)) { // the statistics in it hold the text as well
			t.Errorf("%d MB of memory for a file of %d MB", peak>>20, len(file)>>20)
		}
	}
	rows := make([]row, 40)
	for i := range rows {
		rows[i] = row{"2026-03-05", long[:1<<20]}
	}
	type repeatedText struct {
		Day string `parquet:"day"`
		X   string `parquet:"x,dict"`
	}
	same := make([]repeatedText, 300)
	for i := range same {
		same[i] = repeatedText{"2026-03-05", long[:1<<20]}
	}
	for name, file := range map[string][]byte{
		"long texts":             parquetOf(t, rows, parquet.Compression(&parquet.Zstd)),
		"a text again and again": parquetOf(t, same),
	} {
		peak := peakOf(func() {
			if err := readAll(file, NewRoom(1<<30)); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		})
		if peak > 300<<20 {
			t.Errorf("%s: %d MB of memory", name, peak>>20)
		}
	}
}

// damage changes a few bytes of a file, cuts it off or doubles a part of it.
func damage(rnd *rand.Rand, file []byte) []byte {
	out := bytes.Clone(file)
	switch rnd.IntN(6) {
	case 0:
		return out[:rnd.IntN(len(out))]
	case 1:
		at := rnd.IntN(len(out))
		to := min(len(out), at+rnd.IntN(64))
		return append(out[:to:to], out[at:]...)
	case 2:
		at := rnd.IntN(len(out))
		clear(out[at:min(len(out), at+1+rnd.IntN(256))])
	default:
		for range 1 + rnd.IntN(4) {
			out[rnd.IntN(len(out))] ^= 1 << rnd.IntN(8)
		}
	}
	return out
}

// Damaged files of every format are refused or read, and nothing else happens.
func TestDamagedFiles(t *testing.T) {
	book := excelize.NewFile()
	for i, line := range [][]any{{"day", "x", "y"}, {"2026-03-05", 1.5, "one"}, {time.Date(2026, 3, 6, 0, 0, 0, 0, time.UTC), 2, "two"}} {
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &line); err != nil {
			t.Fatal(err)
		}
	}
	var workbook bytes.Buffer
	if err := book.Write(&workbook); err != nil {
		t.Fatal(err)
	}
	type row struct {
		Day string  `parquet:"day,dict"`
		X   float64 `parquet:"x"`
		Y   string  `parquet:"y,zstd"`
	}
	var rows []row
	for i := range 300 {
		rows = append(rows, row{fmt.Sprintf("2026-03-%02d", 1+i%28), float64(i) / 4, fmt.Sprint("value ", i%7)})
	}
	columns := parquetOf(t, rows)
	rounds := 5000
	if testing.Short() {
		rounds = 150
	}
	rnd := rand.New(rand.NewPCG(24, 1))
	room := NewRoom(1 << 30)
	for range rounds {
		for _, file := range [][]byte{workbook.Bytes(), columns, unpackedParts(t, rnd, workbook.Bytes())} {
			err := readAll(damage(rnd, file), room)
			var large *TooLargeError
			if errors.As(err, &large) && large.Need < large.Most {
				t.Error(err)
			}
		}
	}
	if !room.free.TryAcquire(room.size) {
		t.Error("memory was taken and not given back")
	}
}

// unpackedParts is a workbook one of whose parts is damaged before it is packed, so that its checksum is right.
func unpackedParts(t *testing.T, rnd *rand.Rand, file []byte) []byte {
	t.Helper()
	in, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	out := zip.NewWriter(&b)
	hurt := rnd.IntN(len(in.File))
	for i, f := range in.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		content, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if i == hurt && len(content) > 0 {
			content = damage(rnd, content)
		}
		w, err := out.Create(f.Name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write(content); err != nil {
			t.Fatal(err)
		}
	}
	if err := out.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// parquetOf writes rows as one group.
func parquetOf[T any](t *testing.T, rows []T, options ...parquet.WriterOption) []byte {
	t.Helper()
	var b bytes.Buffer
	w := parquet.NewGenericWriter[T](&b, options...)
	if _, err := w.Write(rows); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}
