package book

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/parser"
)

// Decode reads the definitions of a book from YAML, strictly: an unknown key or a wrong value is an
// error with its line. What they name is not looked up, so that a book may lean on another.
func Decode(data []byte) (Book, error) {
	var b Book
	if len(bytes.TrimSpace(data)) == 0 {
		return b, errors.New("the book is empty: expected book: 1")
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
	return b, nil
}

// Read reads a book that stands by itself, and gives its compiled Library. A clash, a circle or a
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
