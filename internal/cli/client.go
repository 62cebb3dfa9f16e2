package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"strings"
	"syscall"

	"vastspan/api/client"
	"vastspan/internal/cli/print"
	"vastspan/internal/export"
	"vastspan/internal/refused"
)

const (
	// defaultAddress is where a service listens unless it is told otherwise.
	defaultAddress = "127.0.0.1:7420"
	// defaultServer is where clients look for a service unless they are told otherwise.
	defaultServer = "http://" + defaultAddress
)

// serverURL returns the address of the service: --server, else $VASTSPAN_SERVER, else the default. Nothing
// is remembered.
func (a *app) serverURL() (string, error) {
	server := a.server
	if server == "" {
		server = os.Getenv("VASTSPAN_SERVER")
	}
	if server == "" {
		return defaultServer, nil
	}
	if !strings.Contains(server, "://") {
		server = "http://" + server
	}
	u, err := url.Parse(server)
	if err != nil || u.Host == "" {
		return "", usagef("--server: %q is not an address: expected one such as %s", server, defaultServer)
	}
	return strings.TrimSuffix(server, "/"), nil
}

// client talks to the service.
func (a *app) client() (*client.Client, error) {
	server, err := a.serverURL()
	if err != nil {
		return nil, err
	}
	var editors []client.RequestEditor
	if key, err := shownKey(server); err != nil {
		return nil, err
	} else if key != nil {
		editors = append(editors, key)
	}
	return client.New(server+"/api/v1", editors...), nil
}

// response is what the client returns for an operation.
type response interface{ Received() *client.Reply }

// call makes one call to the service and returns its answer. The request is what its problems point into.
func call[R response](a *app, request any, ask func(c *client.Client) (R, error)) (R, error) {
	var zero R
	c, err := a.client()
	if err != nil {
		return zero, err
	}
	r, err := ask(c)
	if err != nil {
		return zero, a.callError(err)
	}
	return r, checkResponse(r.Received(), request)
}

// noService is the error of an address where nothing answers.
type noService struct{ server string }

func (e *noService) Error() string {
	return fmt.Sprintf(
		"no service answers at %s: start one with vastspan serve or vastspan demo, or say where it is with --server",
		e.server,
	)
}

func (a *app) callError(err error) error {
	server, _ := a.serverURL()
	switch {
	case errors.Is(err, syscall.ECONNREFUSED):
		return &noService{server}
	case errors.Is(err, context.Canceled):
		return errors.New("cancelled")
	}
	return err
}

// checkResponse returns the problem that an answer is, if it is one.
func checkResponse(r *client.Reply, request any) error {
	if r.HTTPResponse.StatusCode < http.StatusMultipleChoices {
		return nil
	}
	p := &problemError{request: request}
	if json.Unmarshal(r.Body, &p.Problem) != nil || p.Detail == "" {
		return fmt.Errorf("the service answered %s", r.HTTPResponse.Status)
	}
	if p.Code == refused.CodeNoOperation {
		return fmt.Errorf("%s at the address of --server: give it without a path; a service of another version may not have the operation",
			strings.TrimSuffix(p.Detail, "."))
	}
	return p
}

// accept asks for an answer in a form that is taken away; other forms are made of JSON.
func (a *app) accept(out print.Output) client.RequestEditor {
	return func(_ context.Context, r *http.Request) error {
		f, ok := export.Lookup(string(out))
		switch {
		case !ok:
		case out == print.AsCSV && a.print.SafeCells:
			r.Header.Set("Accept", f.Type+"; cells=safe")
		default:
			r.Header.Set("Accept", f.Type)
		}
		return nil
	}
}

// writeBody writes an answer that is a file already.
func (a *app) writeBody(body []byte, out print.Output) error {
	if _, err := a.print.Format(out); err != nil {
		return err
	}
	_, err := a.out.Write(body)
	return err
}

// ifMatch says which version is changed.
func ifMatch(r *http.Response) *string { return ptrOrNil(r.Header.Get("ETag")) }

// pageSize is how many items are asked for at a time.
const pageSize = 1000

// all collects the pages of a list.
func all[T any](page func(limit *int, after *string) (items []T, next *string, err error)) ([]T, error) {
	list := []T{}
	limit := pageSize
	var after *string
	for {
		items, next, err := page(&limit, after)
		list = append(list, items...)
		if err != nil || next == nil {
			return list, err
		}
		after = next
	}
}

// at says which service something was done to.
func (a *app) at() string {
	server, _ := a.serverURL()
	return "at " + server
}
