package ingest

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// lookAhead is how much of a file is looked at to find out how it is written, in bytes.
const lookAhead = 64 << 10

// plainText returns a file as UTF-8 whose lines end with line feeds: UTF-16 is read as that, and so are the
// carriage returns of a file that has no line feeds.
func plainText(r io.Reader, stated string, w *Written) (io.Reader, error) {
	head := bufio.NewReaderSize(r, lookAhead)
	start, err := peek(head, 64)
	if err != nil {
		return nil, err
	}
	stated = strings.ToLower(stated)
	w.Encoding = "utf-8"
	if !slices.Contains(encodings, stated) {
		return nil, fmt.Errorf("encoding %q: expected utf-8, utf-16 or windows-1252", stated)
	}
	if stated == "windows-1252" {
		w.Encoding = stated
		return feeds(bufio.NewReaderSize(transform.NewReader(head, charmap.Windows1252.NewDecoder()), lookAhead))
	}
	switch endianness, marked := utf16Order(start); {
	case bytes.HasPrefix(start, []byte("\xff\xfe\x00\x00")), bytes.HasPrefix(start, []byte("\x00\x00\xfe\xff")):
		return nil, errors.New("the file is UTF-32: expected UTF-8 or UTF-16")
	case endianness != nil && stated != "utf-8":
		w.Encoding = "utf-16"
		policy := unicode.IgnoreBOM
		if marked {
			policy = unicode.ExpectBOM
		}
		head = bufio.NewReaderSize(transform.NewReader(head, unicode.UTF16(*endianness, policy).NewDecoder()), lookAhead)
	}
	return feeds(head)
}

// encodings are those that may be stated; empty is told by the content.
var encodings = []string{"", "utf-8", "utf-16", "windows-1252"}

// feeds reads the carriage returns of a file without line feeds as such.
func feeds(head *bufio.Reader) (io.Reader, error) {
	start, err := peek(head, lookAhead)
	if err != nil {
		return nil, err
	}
	if bytes.IndexByte(start, '\r') >= 0 && bytes.IndexByte(start, '\n') < 0 {
		return lineFeeds{head}, nil
	}
	return head, nil
}

// peek looks at the next bytes, fewer where the file ends.
func peek(r *bufio.Reader, n int) ([]byte, error) {
	start, err := r.Peek(n)
	if errors.Is(err, io.EOF) {
		err = nil
	}
	if err != nil {
		return nil, readError(err)
	}
	return start, nil
}

// utf16Order reads the order of the bytes of UTF-16 off a mark, or from every other byte of the first few
// being zero, as in plain letters; nil where it is none.
func utf16Order(start []byte) (order *unicode.Endianness, marked bool) {
	little, big := unicode.LittleEndian, unicode.BigEndian
	switch {
	case bytes.HasPrefix(start, []byte{0xff, 0xfe}):
		return &little, true
	case bytes.HasPrefix(start, []byte{0xfe, 0xff}):
		return &big, true
	case len(start) < 4:
		return nil, false
	}
	zeros := [2]int{}
	for i, b := range start {
		if b == 0 {
			zeros[i%2]++
		}
	}
	half := len(start) / 2
	switch {
	case zeros[0] == 0 && zeros[1] > half*3/4:
		return &little, false
	case zeros[1] == 0 && zeros[0] > half*3/4:
		return &big, false
	}
	return nil, false
}

// lineFeeds reads carriage returns as line feeds.
type lineFeeds struct{ r io.Reader }

func (l lineFeeds) Read(p []byte) (int, error) {
	n, err := l.r.Read(p)
	for i, b := range p[:n] {
		if b == '\r' {
			p[i] = '\n'
		}
	}
	return n, err
}
