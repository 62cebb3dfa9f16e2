package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"vastspan/api"
)

// defaultAddress is where a service listens unless it is told otherwise.
const defaultAddress = "127.0.0.1:7420"

// baseFolder is where services on this machine keep their data: for root a folder that the database
// account can reach.
func baseFolder() (string, error) {
	if dir := os.Getenv("VASTSPAN_DATA"); dir != "" {
		return filepath.Abs(dir)
	}
	if os.Geteuid() == 0 {
		return "/var/lib/vastspan", nil
	}
	if dir := os.Getenv("XDG_DATA_HOME"); dir != "" {
		return filepath.Join(dir, "vastspan"), nil
	}
	home, err := os.UserHomeDir()
	return filepath.Join(home, ".local", "share", "vastspan"), err
}

// addressFile holds the address of the service started last.
func addressFile(base string) string { return filepath.Join(base, "address") }

func (a *app) serverURL() string {
	if a.server != "" {
		return a.server
	}
	if s := os.Getenv("VASTSPAN_SERVER"); s != "" {
		return s
	}
	if base, err := baseFolder(); err == nil {
		if text, err := os.ReadFile(addressFile(base)); err == nil {
			return strings.TrimSpace(string(text))
		}
	}
	return "http://" + defaultAddress
}

// client talks to the service.
func (a *app) client() (*api.ClientWithResponses, error) {
	server := a.serverURL()
	if !strings.Contains(server, "://") {
		server = "http://" + server
	}
	u, err := url.Parse(server)
	if err != nil || u.Host == "" {
		return nil, usagef("--server: %q is no address: expected one such as http://%s", server, defaultAddress)
	}
	return api.NewClientWithResponses(strings.TrimSuffix(server, "/") + "/api/v1")
}

// problemError is a refusal that came from the service.
type problemError struct{ api.Problem }

func (e *problemError) Error() string { return e.Detail }

// answered checks a call to the service: an error of the connection, or a problem in place of the
// answer that was expected.
func (a *app) answered(r *http.Response, body []byte, err error) error {
	if err != nil {
		if errors.Is(err, syscall.ECONNREFUSED) {
			return fmt.Errorf("no service answers at %s: start one with vastspan serve or vastspan demo, or say where it is with --server", a.serverURL())
		}
		if errors.Is(err, context.Canceled) {
			return errors.New("broken off")
		}
		return err
	}
	if r.StatusCode < 300 {
		return nil
	}
	p := &problemError{}
	if json.Unmarshal(body, &p.Problem) != nil || p.Detail == "" {
		return fmt.Errorf("the service answered %s", r.Status)
	}
	return p
}

// call makes one call to the service and gives its answer.
func call[R any](a *app, ask func(c *api.ClientWithResponses) (R, error), parts func(R) (*http.Response, []byte)) (R, error) {
	var zero R
	c, err := a.client()
	if err != nil {
		return zero, err
	}
	r, err := ask(c)
	if err != nil {
		return zero, a.answered(nil, nil, err)
	}
	response, body := parts(r)
	return r, a.answered(response, body, nil)
}
