package ingest

import (
	"bufio"
	"bytes"
	"compress/bzip2"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

// Options say how a file is written; what is empty is found out from its content.
type Options struct {
	// Format is csv, json, xlsx or parquet.
	Format string
	// Delimiter separates the fields of a CSV file: a comma, a semicolon, a tab or a bar.
	Delimiter string
	// Encoding is that of a CSV or JSON file: utf-8, utf-16 or windows-1252, which is never guessed.
	Encoding string
	// Sheet is that of an XLSX file, by its name; empty is the first.
	Sheet string
	// HeaderRow is the row of an XLSX file that names the columns, from 1 on; 0 is the first that holds any.
	HeaderRow int
	// SkipFooter is how many rows at the end of the file are left out, such as a total line.
	SkipFooter int
	// Room is the memory that files are read in; nil bounds each by itself.
	Room *Room
}

// A Written says how a file is written: what was stated and what was found out.
type Written struct {
	Format      string `json:"format"`
	Compression string `json:"compression,omitempty"`
	Delimiter   string `json:"delimiter,omitempty"`
	Encoding    string `json:"encoding,omitempty"`
	Sheet       string `json:"sheet,omitempty"`
	HeaderRow   int    `json:"header_row,omitempty"`
	OtherSheets string `json:"-"` // those of the workbook that are not read, by their names
}

// The formats that records are read from.
const (
	CSV     = "csv"
	JSON    = "json" // lines of objects, or one array of them
	XLSX    = "xlsx"
	Parquet = "parquet"
)

// Formats lists the formats by name.
var Formats = []string{CSV, JSON, XLSX, Parquet}

// Open reads the header and the sample of a file, which may be compressed by gzip, zstd or bzip2. What its format is, is reported
// by its content unless it is stated. The reader is to be closed.
func Open(o Options, r io.Reader) (Reader, error) {
	if o.SkipFooter < 0 || o.SkipFooter > maxFooter {
		return nil, fmt.Errorf("skip footer %d: expected 0 to %d rows", o.SkipFooter, maxFooter)
	}
	reader, err := open(o, r)
	if err != nil || o.SkipFooter == 0 {
		return reader, err
	}
	return &footless{Reader: reader, rows: o.SkipFooter}, nil
}

func open(o Options, r io.Reader) (Reader, error) {
	if o.Format != "" && !slices.Contains(Formats, o.Format) {
		return nil, fmt.Errorf("format %q: expected %s", o.Format, strings.Join(Formats, ", "))
	}
	if file, ok := r.(*os.File); ok { // it can be read at any place where it is no pipe
		if reader, err := openFile(o, file); reader != nil || err != nil {
			return reader, err
		}
	}
	var w Written
	plain, err := decompressed(r, &w)
	if err != nil {
		return nil, err
	}
	head := bufio.NewReaderSize(plain, lookAhead)
	start, err := peek(head, 512)
	if err != nil {
		return nil, err
	}
	if w.Format = o.Format; w.Format == "" {
		if w.Format, err = formatOf(start); err != nil {
			return nil, err
		}
	}
	switch w.Format {
	case XLSX, Parquet:
		file, size, err := spooled(head)
		if err != nil {
			return nil, err
		}
		reader, err := openAt(o, w, file, size)
		if err != nil {
			_ = file.Close()
		}
		return reader, err
	case JSON:
		return openJSON(o, w, head)
	}
	return openCSV(o, w, head)
}

// openFile opens a file of a format that is read at any place; nil where it is another, which is read from its start.
func openFile(o Options, file *os.File) (Reader, error) {
	info, err := file.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return nil, nil
	}
	at, err := file.Seek(0, io.SeekCurrent)
	if err != nil || at != 0 {
		return nil, nil
	}
	start := make([]byte, 512)
	n, err := file.ReadAt(start, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, &ReadError{err}
	}
	w := Written{Format: o.Format}
	if w.Format == "" {
		if w.Format, err = formatOf(start[:n]); err != nil {
			return nil, err
		}
	}
	if w.Format != XLSX && w.Format != Parquet || compressionOf(start[:n]) != "" {
		return nil, nil
	}
	return openAt(o, w, noClose{file}, info.Size())
}

// noClose is a file that belongs to the caller.
type noClose struct{ *os.File }

func (noClose) Close() error { return nil }

// A randomFile is a file that is read at any place.
type randomFile interface {
	io.ReaderAt
	io.Closer
}

func openAt(o Options, w Written, file randomFile, size int64) (Reader, error) {
	if w.Format == XLSX {
		return openXLSX(o, w, file, size)
	}
	return openParquet(o, w, file, size)
}

// spooled copies a stream to a temporary file, which is gone when it is closed.
func spooled(r io.Reader) (*os.File, int64, error) {
	file, err := os.CreateTemp("", "vastspan-")
	if err != nil {
		return nil, 0, err
	}
	if err := os.Remove(file.Name()); err != nil {
		return nil, 0, errors.Join(err, file.Close())
	}
	n, err := io.Copy(file, r)
	if err != nil {
		return nil, 0, errors.Join(readError(err), file.Close())
	}
	return file, n, nil
}

// The marks that files begin with.
var (
	gzipMark    = []byte{0x1f, 0x8b}
	zstdMark    = []byte{0x28, 0xb5, 0x2f, 0xfd}
	bzip2Mark   = []byte("BZh")
	zipMark     = []byte("PK\x03\x04")
	parquetMark = []byte("PAR1")
	oldOffice   = []byte{0xd0, 0xcf, 0x11, 0xe0}
)

// formatOf returns the format of a file by how it begins.
func formatOf(start []byte) (string, error) {
	switch {
	case bytes.HasPrefix(start, zipMark):
		return XLSX, nil
	case bytes.HasPrefix(start, parquetMark):
		return Parquet, nil
	case bytes.HasPrefix(start, oldOffice):
		return "", errors.New("the file is a workbook of the old binary kind (.xls), or protected by a password: save it as .xlsx without one")
	case bytes.HasPrefix(start, []byte("%PDF")):
		return "", errors.New("the file is a PDF: expected CSV, JSON, XLSX or Parquet")
	case isBinary(start):
		return "", errors.New("the file is not a table: expected CSV, JSON, XLSX or Parquet")
	}
	text := bytes.TrimLeft(start, "\ufeff \t\r\n")
	if bytes.HasPrefix(text, []byte("{")) || bytes.HasPrefix(text, []byte("[")) {
		return JSON, nil
	}
	return CSV, nil
}

// isBinary reports whether a file begins like one of a program: with NUL at even and at odd places, which text of UTF-16 does not,
// and other control characters.
func isBinary(start []byte) bool {
	var zeros [2]int
	controls := 0
	for i, b := range start {
		switch {
		case b == 0:
			zeros[i%2]++
		case b < '\t' || b > '\r' && b < ' ' && b != 0x1b:
			controls++
		}
	}
	return controls > 0 && zeros[0] > 1 && zeros[1] > 1
}

func compressionOf(start []byte) string {
	switch {
	case bytes.HasPrefix(start, gzipMark):
		return "gzip"
	case bytes.HasPrefix(start, zstdMark):
		return "zstd"
	case len(start) > 3 && bytes.HasPrefix(start, bzip2Mark) && start[3] >= '1' && start[3] <= '9':
		return "bzip2"
	}
	return ""
}

// decompressed reads a file through what it is compressed by.
func decompressed(r io.Reader, w *Written) (io.Reader, error) {
	head := bufio.NewReaderSize(r, lookAhead)
	start, err := peek(head, 4)
	if err != nil {
		return nil, err
	}
	var plain io.Reader
	switch w.Compression = compressionOf(start); w.Compression {
	case "gzip":
		plain, err = gzip.NewReader(head)
	case "zstd":
		var decoder *zstd.Decoder
		decoder, err = zstd.NewReader(head, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
		plain = decoder
	case "bzip2":
		plain = bzip2.NewReader(head)
	default:
		return head, nil
	}
	if err != nil {
		return nil, damaged(w.Compression, err)
	}
	return &unpacking{plain, w.Compression}, nil
}

// unpacking words the errors of compressed files.
type unpacking struct {
	io.Reader
	by string
}

func (u *unpacking) Read(p []byte) (int, error) {
	n, err := u.Reader.Read(p)
	if err != nil && !errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = damaged(u.by, err)
	}
	return n, err
}

// A DamagedError is the error of a file whose form is broken, such as one that was cut off.
type DamagedError struct {
	By  string
	Err error
}

func (e *DamagedError) Error() string {
	if errors.Is(e.Err, io.ErrUnexpectedEOF) {
		return fmt.Sprintf("the %s file is cut off: its end is missing", e.By)
	}
	return fmt.Sprintf("the %s file is damaged: %v", e.By, e.Err)
}

// Unwrap returns what is wrong.
func (e *DamagedError) Unwrap() error { return e.Err }

func damaged(by string, err error) error { return &DamagedError{by, err} }

// readError is the error of a source that could not be read on, unless the file itself is damaged.
func readError(err error) error {
	var broken *DamagedError
	var reading *ReadError
	if errors.As(err, &broken) || errors.As(err, &reading) {
		return err
	}
	return &ReadError{err}
}
