// Package pgtest runs the tests of a package with a private PostgreSQL server.
package pgtest

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

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
	server, err := postgres.Start(context.Background(), folder, postgres.Settings{Forgetful: true})
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

var serial atomic.Int64

// Database makes a database of its own on the server at an address, and returns its address.
func Database(t *testing.T, server string) string {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	name := fmt.Sprintf("own_%d", serial.Add(1))
	if _, err := conn.Exec(ctx, "CREATE DATABASE "+name); err != nil {
		t.Fatal(err)
	}
	address, err := url.Parse(server)
	if err != nil {
		t.Fatal(err)
	}
	address.Path = "/" + name
	return address.String()
}
