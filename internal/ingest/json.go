package ingest

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/cockroachdb/apd/v3"
	"github.com/valyala/fastjson"
)

// jsonReader reads objects, one a line or in one array. The columns are the keys of the first objects, in the order in which
// they come up; a key that is missing is blank, and so is null.
type jsonReader struct {
	header  []string
	index   map[string]int
	sample  []Row
	size    int // of the sample, in bytes
	written Written
	source  objects
	ready   []*jsonPart // read already, for the sample
}

// objects returns the texts of objects, some at a time; io.EOF at the end.
type objects interface {
	next() (*jsonPart, error)
}

// A jsonPart is the texts of some objects. Line is that of the first, in an array its number and 1.
type jsonPart struct {
	index map[string]int
	texts []string
	lines []int
}

// openJSON reads the first objects of a file.
func openJSON(o Options, w Written, r io.Reader) (Reader, error) {
	r, err := plainText(r, o.Encoding, &w)
	if err != nil {
		return nil, err
	}
	head := bufio.NewReaderSize(r, lookAhead)
	for { // some programs write it twice
		start, err := peek(head, 3)
		if err != nil {
			return nil, err
		}
		if !bytes.HasPrefix(start, []byte("\ufeff")) {
			break
		}
		_, _ = head.Discard(3)
	}
	t := &jsonReader{written: w, index: map[string]int{}}
	if t.source, err = objectsOf(head); err != nil {
		return nil, err
	}
	for len(t.sample) < SampleRows && t.size < sampleSize {
		part, err := t.source.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		t.ready = append(t.ready, part)
		if err := t.learn(part); err != nil {
			return nil, err
		}
	}
	if len(t.header) == 0 {
		return nil, errors.New("the file holds no objects: expected lines of objects, or an array of them")
	}
	return t, nil
}

// learn takes the keys of some objects in, and adds them to the sample.
func (t *jsonReader) learn(part *jsonPart) error {
	var parser fastjson.Parser
	for i, text := range part.texts {
		object, err := parsed(&parser, text, part.lines[i])
		if err != nil {
			return err
		}
		object.Visit(func(key []byte, _ *fastjson.Value) {
			if _, known := t.index[string(key)]; !known {
				t.index[string(key)] = len(t.header)
				t.header = append(t.header, string(key))
			}
		})
		if err := checkWidth(len(t.header)); err != nil {
			return err
		}
	}
	part.index = t.index
	err := part.Rows(func(line int, row []string) error {
		if len(t.sample) == SampleRows || t.size > sampleSize {
			return errEnough
		}
		t.size += sizeOf(row)
		t.sample = append(t.sample, Row{line, append([]string(nil), row...)})
		return nil
	})
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

func parsed(parser *fastjson.Parser, text string, line int) (*fastjson.Object, error) {
	v, err := parser.Parse(text)
	if err != nil {
		return nil, faulty(Fault{Line: line, Expected: "expected an object in JSON: " + jsonError(err)})
	}
	object, err := v.Object()
	if err != nil {
		expected := "expected an object, such as {\"day\": \"2026-03-05\"}, not " + v.Type().String()
		return nil, faulty(Fault{Line: line, Expected: expected})
	}
	return object, nil
}

// jsonError shortens an error that repeats the text.
func jsonError(err error) string {
	text, _, _ := strings.Cut(err.Error(), "; unparsed tail")
	return strings.TrimPrefix(text, "cannot parse JSON: ")
}

// Header returns the keys.
func (t *jsonReader) Header() []string { return t.header }

// Sample returns the first objects.
func (t *jsonReader) Sample() []Row {
	for i := range t.sample { // keys that came up later
		for len(t.sample[i].Cells) < len(t.header) {
			t.sample[i].Cells = append(t.sample[i].Cells, "")
		}
	}
	return t.sample
}

// Written says how the file is written.
func (t *jsonReader) Written() Written { return t.written }

// Close does nothing: the file belongs to the caller.
func (t *jsonReader) Close() error { return nil }

// Next returns the next objects.
func (t *jsonReader) Next() (Part, error) {
	if len(t.ready) > 0 {
		part := t.ready[0]
		t.ready = t.ready[1:]
		return part, nil
	}
	part, err := t.source.next()
	if err != nil {
		return nil, err
	}
	part.index = t.index
	return part, nil
}

// Valid reports whether the texts are UTF-8: JSON is read as that.
func (p *jsonPart) Valid() bool { return false }

// Rows yields the objects as rows.
func (p *jsonPart) Rows(take func(line int, row []string) error) error {
	var parser fastjson.Parser
	row, seen := make([]string, len(p.index)), make([]int, len(p.index)) // seen in which object last, and 1
	var scratch []byte
	for i, text := range p.texts {
		object, err := parsed(&parser, text, p.lines[i])
		if err != nil {
			return err
		}
		clear(row)
		var unknown, twice []byte
		scratch = scratch[:0]
		object.Visit(func(key []byte, v *fastjson.Value) {
			at, known := p.index[string(key)]
			if !known {
				unknown = key
				return
			}
			if seen[at] == i+1 {
				twice = key
				return
			}
			seen[at] = i + 1
			row[at], scratch = jsonText(v, scratch)
		})
		if unknown != nil {
			return faulty(Fault{Line: p.lines[i], Column: string(unknown), Expected: fmt.Sprintf(
				"a key that none of the first %d objects has: put an object that has all keys first", SampleRows)})
		}
		if twice != nil {
			return faulty(Fault{Line: p.lines[i], Column: string(twice), Expected: "each key once in an object"})
		}
		if err := take(p.lines[i], row); err != nil {
			return err
		}
	}
	return nil
}

// jsonText returns a value as text: null is blank, what is nested stays JSON. Texts are copied where the parser's memory
// would be used again.
func jsonText(v *fastjson.Value, scratch []byte) (string, []byte) {
	switch v.Type() {
	case fastjson.TypeNull:
		return "", scratch
	case fastjson.TypeString:
		text, _ := v.StringBytes()
		return string(text), scratch
	case fastjson.TypeTrue:
		return "true", scratch
	case fastjson.TypeFalse:
		return "false", scratch
	}
	text := string(v.MarshalTo(scratch[:0]))
	if v.Type() == fastjson.TypeNumber && strings.ContainsAny(text, "eE") {
		if d, _, err := apd.NewFromString(text); err == nil {
			text = d.Text('f')
		}
	}
	return text, scratch
}

// objectsOf distinguishes lines of objects from an array of them.
func objectsOf(head *bufio.Reader) (objects, error) {
	start, err := peek(head, lookAhead)
	if err != nil {
		return nil, err
	}
	if first := bytes.TrimLeft(start, " \t\r\n"); len(first) > 0 && first[0] == '[' {
		a := newArray(head)
		if _, err := a.decoder.Token(); err != nil {
			return nil, arrayError(err, 1)
		}
		return a, nil
	}
	// One object may also go over several lines, one after the other: then a line alone is no object.
	line, _, ended := bytes.Cut(bytes.TrimLeft(start, " \t\r\n"), []byte{'\n'})
	if !json.Valid(line) && (ended || len(start) < lookAhead) {
		a := newArray(head)
		a.loose = true
		return a, nil
	}
	return &lines{blocks{in: head, line: 1}}, nil
}

// lines are objects that are on a line each.
type lines struct{ blocks }

func (l *lines) next() (*jsonPart, error) {
	b, err := l.read()
	if err != nil {
		return nil, err
	}
	part := &jsonPart{}
	line := b.line - 1
	for text := b.text; text != ""; {
		var one string
		one, text, _ = strings.Cut(text, "\n")
		line++
		if strings.TrimSpace(one) != "" {
			part.texts, part.lines = append(part.texts, one), append(part.lines, line)
		}
	}
	return part, nil
}

// array is objects in one array, or one after the other where they are loose.
type array struct {
	in      *tokenReader
	decoder *json.Decoder
	n       int
	loose   bool
	ended   bool
}

func newArray(in io.Reader) *array {
	bounded := &tokenReader{in: in, left: maxRow, most: maxRow}
	return &array{in: bounded, decoder: json.NewDecoder(bounded)}
}

func (a *array) next() (*jsonPart, error) {
	part := &jsonPart{}
	size := 0
	for size < blockSize {
		a.in.left = maxRow
		if !a.loose && !a.decoder.More() {
			if len(part.texts) > 0 {
				break
			}
			return nil, a.end()
		}
		var raw json.RawMessage
		err := a.decoder.Decode(&raw)
		if a.loose && errors.Is(err, io.EOF) {
			if len(part.texts) > 0 {
				break
			}
			return nil, io.EOF
		}
		if err != nil {
			return nil, arrayError(err, a.n+1)
		}
		a.n++
		size += len(raw)
		part.texts, part.lines = append(part.texts, string(raw)), append(part.lines, a.n+1)
	}
	return part, nil
}

// end reads the end of an array, behind which nothing may stand.
func (a *array) end() error {
	if a.ended {
		return io.EOF
	}
	if _, err := a.decoder.Token(); err != nil {
		return arrayError(err, a.n+1)
	}
	a.ended = true
	if _, err := a.decoder.Token(); !errors.Is(err, io.EOF) {
		return faulty(Fault{Line: a.n + 1, Expected: "the array has ended: nothing may follow it"})
	}
	return io.EOF
}

func arrayError(err error, element int) error {
	var broken *DamagedError
	var reading *ReadError
	switch {
	case errors.As(err, &broken), errors.As(err, &reading):
		return err
	case errors.Is(err, errTooLong):
		return faulty(Fault{Line: element, Expected: fmt.Sprintf("object %d is longer than %d MB", element, maxRow>>20)})
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return damaged("JSON", io.ErrUnexpectedEOF)
	}
	return faulty(Fault{Line: element, Expected: fmt.Sprintf("object %d is not JSON: %v", element, err)})
}
