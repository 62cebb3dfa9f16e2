package book

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"
)

// Decode reads the definitions of a book from YAML, strictly: an unknown key or a wrong value is an
// error with its line. What they name is not looked up, so that a book may lean on another.
func Decode(data []byte) (Book, error) {
	var b Book
	if len(bytes.TrimSpace(data)) == 0 {
		return b, errors.New("the book is empty: expected book: 1")
	}
	if err := checkShape(data); err != nil {
		return b, err
	}
	var top map[string]any
	if !bytes.Contains(data, []byte("book:")) && yaml.Unmarshal(data, &top) != nil {
		return b, errors.New("this is not a span book: expected YAML that begins with book: 1")
	}
	decoder := yaml.NewDecoder(bytes.NewReader(data), yaml.Strict())
	if err := decoder.Decode(&b); err != nil {
		return b, place(err)
	}
	var second any
	if err := decoder.Decode(&second); err == nil && second != nil {
		return b, errors.New("the book holds a second document, behind ---: expected one")
	} else if err != nil && !errors.Is(err, io.EOF) {
		return b, place(err)
	}
	if b.Version != 1 {
		return b, fmt.Errorf("line %d: book: %d: expected 1, the version of the format", lineOf(data, "$.book"), b.Version)
	}
	return b, checkTexts(&b)
}

// checkTexts refuses texts that nobody would read.
func checkTexts(b *Book) error {
	about := func(kind, name, text string) error {
		if n := utf8.RuneCountInString(text); n > maxAbout {
			return fmt.Errorf("%s %s: about has %d characters; at most %d", kind, name, n, maxAbout)
		}
		return nil
	}
	for _, s := range b.Spans {
		if err := about("span", s.Name, s.About); err != nil {
			return err
		}
		if len(s.Tags) > maxTags || slices.ContainsFunc(s.Tags, func(tag string) bool { return len(tag) > maxTag }) {
			return fmt.Errorf("span %s: expected at most %d tags of at most %d bytes", s.Name, maxTags, maxTag)
		}
	}
	for _, c := range b.Calendars {
		if err := about("calendar", c.Name, c.About); err != nil {
			return err
		}
	}
	for _, e := range b.Events {
		if err := about("event list", e.Name, e.About); err != nil {
			return err
		}
		for _, label := range e.Labels {
			if n := utf8.RuneCountInString(label); n > maxLabel {
				return fmt.Errorf("event list %s: a label has %d characters; at most %d", e.Name, n, maxLabel)
			}
		}
	}
	for _, brief := range b.Briefs {
		if err := about("brief", brief.Name, brief.About); err != nil {
			return err
		}
	}
	return nil
}

// How much may be said about a definition.
const (
	maxAbout = 2000 // characters
	maxLabel = 200  // characters
	maxTags  = 50
	maxTag   = 100 // bytes
)

const (
	// MaxBytes is how long a book may be.
	MaxBytes = 4 << 20
	// maxDepth is how deep a book may be nested; its own form needs seven levels.
	maxDepth = 30
)

// checkShape refuses what would take the parser long, before it is parsed.
func checkShape(data []byte) error {
	if len(data) > MaxBytes {
		return fmt.Errorf("the book has %d bytes: at most %d", len(data), MaxBytes)
	}
	flow, line := 0, 0
	var columns []int // at which the open blocks begin
	for _, t := range lexer.Tokenize(string(data)) {
		at := t.Position
		switch t.Type {
		case token.SequenceStartType, token.MappingStartType:
			flow++
		case token.SequenceEndType, token.MappingEndType:
			flow--
		case token.AnchorType, token.AliasType:
			return fmt.Errorf("line %d: a book has no anchors: write out what %q stands for", at.Line, t.Value)
		}
		if at.Line > line || t.Type == token.SequenceEntryType || t.Type == token.MappingKeyType || t.Type == token.MappingValueType {
			for len(columns) > 0 && columns[len(columns)-1] >= at.Column {
				columns = columns[:len(columns)-1]
			}
			columns = append(columns, at.Column)
		}
		if line = at.Line; flow+len(columns) > 2*maxDepth {
			return fmt.Errorf("line %d: the book is nested more than %d deep", at.Line, maxDepth)
		}
	}
	return nil
}

// Read reads a book on its own, and returns its compiled Library. A clash, a circle or a
// name that is not there is an error with its line, too.
func Read(data []byte) (*Library, error) {
	b, err := Decode(data)
	if err != nil {
		return nil, err
	}
	l, err := Compile(b)
	var fault *Fault
	if errors.As(err, &fault) {
		return nil, fmt.Errorf("line %d: %w", lineOf(data, fmt.Sprintf("$.%s[%d]", fault.List, fault.Index)), fault.Err)
	}
	return l, err
}

// place returns a decoder's error with its line first, without the source that it quotes.
func place(err error) error {
	var y yaml.Error
	if errors.As(err, &y) && y.GetToken() != nil {
		return fmt.Errorf("line %d: %s", y.GetToken().Position.Line, y.GetMessage())
	}
	return err
}

// lineOf finds the line on which a path of the document begins; 1 where there is none.
func lineOf(data []byte, path string) int {
	file, err := parser.ParseBytes(data, 0)
	if err != nil {
		return 1
	}
	p, err := yaml.PathString(path)
	if err != nil {
		return 1
	}
	node, err := p.FilterFile(file)
	if err != nil {
		return 1
	}
	return node.GetToken().Position.Line
}

// Write returns a book as YAML, in the form that Read takes.
func Write(b Book) ([]byte, error) {
	b.Version = 1
	return yaml.MarshalWithOptions(b, yaml.IndentSequence(true))
}

// LineOf writes a definition that is given as JSON as YAML on one line.
func LineOf(data []byte) (string, error) {
	var def yaml.MapSlice
	if err := yaml.UnmarshalWithOptions(data, &def, yaml.UseOrderedMap()); err != nil {
		return "", err
	}
	text, err := yaml.MarshalWithOptions(def, yaml.Flow(true))
	return strings.TrimSpace(string(text)), err
}

// DecodeOne reads one definition, strictly: a calendar, a holiday list or a brief as a span book has it in YAML, or as JSON.
func DecodeOne[T any](data []byte) (def T, err error) {
	if bytes.HasPrefix(bytes.TrimSpace(data), []byte("{")) && json.Valid(data) {
		decoder := json.NewDecoder(bytes.NewReader(data))
		decoder.DisallowUnknownFields()
		return def, decoder.Decode(&def)
	}
	if err := checkShape(data); err != nil {
		return def, err
	}
	return def, place(yaml.NewDecoder(bytes.NewReader(data), yaml.Strict()).Decode(&def))
}
