// Package server routes requests of the HTTP interface to handlers, one for each operation of openapi.yaml. The routes and the types
// of requests and answers are generated from ../templates, over the few functions of this file.
package server

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"

	"github.com/gin-gonic/gin"
	"github.com/oapi-codegen/runtime"
)

// Errors answer requests that are not answered otherwise.
type Errors struct {
	Unfit  func(c *gin.Context, err error) // the request cannot be read
	Failed func(c *gin.Context, err error) // the handler, or writing its answer, returned an error
}

type routes struct {
	handlers Handlers
	errors   Errors
}

// answer calls a handler where its request could be read.
func (s *routes) answer(b *binder, handle func() error) {
	if b.err != nil {
		s.errors.Unfit(b.c, b.err)
		return
	}
	if err := handle(); err != nil {
		s.errors.Failed(b.c, err)
	}
}

// A binder reads the parts of a request and keeps the first error.
type binder struct {
	c   *gin.Context
	err error
}

func (b *binder) note(name string, err error) {
	if err != nil && b.err == nil {
		b.err = fmt.Errorf("parameter %s: %w", name, err)
	}
}

func (b *binder) path(name, kind string, into any) {
	b.note(name, runtime.BindStyledParameterWithOptions("simple", name, b.c.Param(name), into, runtime.BindStyledParameterOptions{
		ParamLocation: runtime.ParamLocationPath, Required: true, Type: kind, ValueIsUnescaped: true,
	}))
}

func (b *binder) query(name string, required bool, kind, format string, into any) {
	b.note(name, runtime.BindQueryParameterWithOptions("form", true, required, name, b.c.Request.URL.Query(), into,
		runtime.BindQueryParameterOptions{Type: kind, Format: format}))
}

// header reads a header into a text, or into a pointer to one, which stays nil where there is none.
func (b *binder) header(name string, required bool, into any) {
	values := b.c.Request.Header.Values(name)
	switch {
	case len(values) == 0 && !required:
	case len(values) != 1:
		b.note(name, fmt.Errorf("%d values, expected one", len(values)))
	default:
		text, err := json.Marshal(values[0])
		b.note(name, errors.Join(err, json.Unmarshal(text, into)))
	}
}

// readJSON reads the body; nil where a body is not required and there is none.
func readJSON[T any](b *binder, required bool) *T {
	body := new(T)
	err := b.c.ShouldBindJSON(body)
	switch {
	case err == nil:
		return body
	case b.err == nil && (required || !errors.Is(err, io.EOF)):
		b.err = err
	}
	return nil
}

// setHeader sets a header to what a pointer points to; nil sets none.
func setHeader(w http.ResponseWriter, name string, value *string) {
	if value != nil {
		w.Header().Set(name, *value)
	}
}

// writeJSON writes an answer, of which nothing goes out where it cannot be written as JSON.
func writeJSON(w http.ResponseWriter, status int, value any) error {
	var b bytes.Buffer
	if err := json.NewEncoder(&b).Encode(value); err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_, err := b.WriteTo(w)
	return err
}

// writeBody copies a body, and closes it.
func writeBody(w http.ResponseWriter, status int, contentType string, body io.Reader) error {
	if closer, ok := body.(io.Closer); ok {
		defer closer.Close()
	}
	w.Header().Set("Content-Type", contentType)
	w.WriteHeader(status)
	_, err := io.Copy(w, body)
	return err
}
