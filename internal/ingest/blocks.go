package ingest

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"unsafe"
)

// blocks cuts a text file into parts that hold whole lines.
type blocks struct {
	in     io.Reader
	quotes bool   // a line break between double quotes is none
	rest   []byte // read already, the start of a block
	line   int    // of the next block
	ended  bool
}

// read reads one more block of the file: as much as ends with a line break, outside quotes where they matter. A quote
// that is where none may be, is found when the rows are taken apart.
func (t *blocks) read() (block, error) {
	if t.ended {
		return block{}, io.EOF
	}
	buffer := make([]byte, max(blockSize, 2*len(t.rest)))
	n := copy(buffer, t.rest)
	quotes := t.count(buffer[:n])
	for {
		for n < len(buffer) {
			m, err := t.in.Read(buffer[n:])
			quotes += t.count(buffer[n : n+m])
			n += m
			if errors.Is(err, io.EOF) {
				t.ended, t.rest = true, nil
				if n == 0 {
					return block{}, io.EOF
				}
				return t.cut(buffer[:n]), nil
			}
			if err != nil {
				return block{}, readError(err)
			}
		}
		// Seen from the end, a line break is outside quotes where as many quotes as there are
		// after it leave an even number before it.
		for end, before := n, quotes; end > 0; {
			at := bytes.LastIndexByte(buffer[:end], '\n')
			if at < 0 {
				break
			}
			before -= t.count(buffer[at:end])
			if before%2 == 0 {
				t.rest = append([]byte(nil), buffer[at+1:n]...)
				return t.cut(buffer[:at+1]), nil
			}
			end = at
		}
		if len(buffer) >= maxRow {
			expected := fmt.Sprintf("a row that ends within %d MB", maxRow>>20)
			if t.quotes {
				expected += "; a quote may be left open"
			}
			return block{}, faulty(Fault{Line: t.line, Expected: expected})
		}
		buffer = append(buffer, make([]byte, len(buffer))...)
	}
}

func (t *blocks) count(text []byte) int {
	if !t.quotes {
		return 0
	}
	return bytes.Count(text, quote)
}

var quote = []byte{'"'}

func (t *blocks) cut(text []byte) block {
	// The buffer belongs to this block alone and is never written to again.
	b := block{text: unsafe.String(unsafe.SliceData(text), len(text)), line: t.line}
	t.line += bytes.Count(text, []byte{'\n'})
	return b
}
