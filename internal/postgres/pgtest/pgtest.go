// Package pgtest runs the tests of a package beside a private PostgreSQL server.
package pgtest

import (
	"context"
	"fmt"
	"os"
	"testing"

	"vastspan/internal/postgres"
)

// Main starts a server in a folder of its own, runs the tests, stops the server and ends the process
// with their exit code. url is told the server's address before the tests run.
func Main(m *testing.M, url *string) { os.Exit(run(m, url)) }

func run(m *testing.M, url *string) int {
	failed := func(err error) int {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	folder, err := os.MkdirTemp("", "vastspan-test-")
	if err != nil {
		return failed(err)
	}
	defer os.RemoveAll(folder)
	server, err := postgres.Start(context.Background(), folder)
	if err != nil {
		return failed(err)
	}
	*url = server.URL
	code := m.Run()
	if err := server.Stop(); err != nil {
		return failed(err)
	}
	return code
}
