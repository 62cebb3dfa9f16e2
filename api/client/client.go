// Package client calls the HTTP interface: one method for each operation of openapi.yaml, generated from ../templates/client.tmpl, over
// the few functions of this file.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"reflect"
	"strings"
)

// A Client calls one service.
type Client struct {
	HTTP    *http.Client
	server  string // the address of the interface, without a slash at the end
	editors []RequestEditor
	into    io.Writer // takes the bodies of answers instead of Reply; nil for none
}

// A RequestEditor changes a request before it is sent.
type RequestEditor func(ctx context.Context, r *http.Request) error

// New returns a client of the interface at an address such as http://127.0.0.1:7420/api/v1. Its editors change every request.
func New(server string, editors ...RequestEditor) *Client {
	return &Client{HTTP: http.DefaultClient, server: strings.TrimSuffix(server, "/"), editors: editors}
}

// Into returns a client that copies the body of a successful answer to a writer while it arrives, however long it is.
func (c *Client) Into(w io.Writer) *Client {
	copied := *c
	copied.into = w
	return &copied
}

// A Reply is what the service answered, whatever its status.
type Reply struct {
	Body         []byte
	HTTPResponse *http.Response
}

// Received returns the reply; every response has it.
func (r *Reply) Received() *Reply { return r }

// decode says into what the body of an answer is read, by its status.
type decode struct {
	status int
	into   any
}

// A request is being put together.
type request struct {
	method, path string
	values       url.Values
	headers      http.Header
	content      io.Reader
	err          error
}

// newRequest begins a request; the format has a place for each part of the path.
func newRequest(method, format string, parts ...any) *request {
	escaped := make([]any, len(parts))
	for i, part := range parts {
		escaped[i] = url.PathEscape(fmt.Sprint(part))
	}
	return &request{method: method, path: fmt.Sprintf(format, escaped...), values: url.Values{}, headers: http.Header{}}
}

// query adds a parameter, or one for each value of a list. What is nil is left out.
func (q *request) query(name string, value any) {
	for _, text := range texts(reflect.ValueOf(value)) {
		q.values.Add(name, text)
	}
}

func (q *request) header(name string, value any) {
	for _, text := range texts(reflect.ValueOf(value)) {
		q.headers.Set(name, text)
	}
}

// texts writes a parameter: what a pointer points to, each value of a list, any other as it is printed.
func texts(v reflect.Value) []string {
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			return nil
		}
		return texts(v.Elem())
	case reflect.Slice:
		var list []string
		for i := range v.Len() {
			list = append(list, texts(v.Index(i))...)
		}
		return list
	}
	return []string{fmt.Sprint(v.Interface())}
}

func (q *request) body(contentType string, content io.Reader) {
	q.content = content
	q.headers.Set("Content-Type", contentType)
}

func (q *request) json(value any) {
	text, err := json.Marshal(value)
	q.err = err
	q.body("application/json", bytes.NewReader(text))
}

// send sends a request and reads its answer. Errors are those of the connection, and of JSON that does not fit; a status that
// refuses is none.
func (c *Client) send(ctx context.Context, q *request, editors []RequestEditor, into *Reply, results ...decode) error {
	if q.err != nil {
		return q.err
	}
	address := c.server + q.path
	if len(q.values) > 0 {
		address += "?" + q.values.Encode()
	}
	r, err := http.NewRequestWithContext(ctx, q.method, address, q.content)
	if err != nil {
		return err
	}
	r.Header = q.headers
	for _, list := range [][]RequestEditor{c.editors, editors} {
		for _, edit := range list {
			if err := edit(ctx, r); err != nil {
				return err
			}
		}
	}
	answer, err := c.HTTP.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	into.HTTPResponse = answer
	if c.into != nil && answer.StatusCode < http.StatusMultipleChoices {
		_, err = io.Copy(c.into, answer.Body)
		return err
	}
	if into.Body, err = io.ReadAll(answer.Body); err != nil || !strings.Contains(answer.Header.Get("Content-Type"), "json") {
		return err
	}
	for _, result := range results {
		if result.status == answer.StatusCode {
			return json.Unmarshal(into.Body, result.into)
		}
	}
	return nil
}
