package postgres

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

func folder(t *testing.T) string {
	t.Helper()
	path, err := os.MkdirTemp("", "vastspan-postgres-")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(path, 0o755); err != nil { // the database account must reach it
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(path) })
	return path
}

func ask(t *testing.T, url, query string) string {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	var text string
	if err := conn.QueryRow(ctx, query).Scan(&text); err != nil {
		t.Fatal(err)
	}
	return text
}

func keep(t *testing.T, url string) {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "CREATE TABLE kept AS SELECT 'still here'::text AS what"); err != nil {
		t.Fatal(err)
	}
}

// A server that runs already in the folder, as after a crash of the service, is taken over with what it
// holds, and is stopped in the end.
func TestAServerIsTakenOver(t *testing.T) {
	ctx := context.Background()
	path := folder(t)
	first, err := Start(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = first.Stop() }) // where the test fails early; it has ended otherwise
	keep(t, first.URL)
	second, err := Start(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	if second.URL != first.URL {
		t.Errorf("a second server runs at %s beside %s", second.URL, first.URL)
	}
	if got := ask(t, second.URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("it holds %q", got)
	}
	if err := second.Stop(); err != nil {
		t.Fatal(err)
	}
	select {
	case <-first.Done():
	case <-time.After(30 * time.Second):
		t.Error("the server that was taken over still runs")
	}
	if _, err := os.Stat(filepath.Join(dataFolder(path), "postmaster.pid")); !os.IsNotExist(err) {
		t.Errorf("its pid file is left: %v", err)
	}
	// The data is there at the next start.
	third, err := Start(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	if got := ask(t, third.URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("at the next start it holds %q", got)
	}
	if err := third.Stop(); err != nil {
		t.Error(err)
	}
}

// The server is for this machine alone, and asks for the password.
func TestTheServerIsPrivate(t *testing.T) {
	ctx := context.Background()
	path := folder(t)
	s, err := Start(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	}()
	if got := ask(t, s.URL, "SHOW listen_addresses"); got != "127.0.0.1" {
		t.Errorf("it listens on %s", got)
	}
	config, err := pgx.ParseConfig(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	config.Password = "guessed"
	if conn, err := pgx.ConnectConfig(ctx, config); err == nil {
		_ = conn.Close(ctx)
		t.Error("any password opens it")
	} else if strings.Contains(err.Error(), "refused the connection") {
		t.Errorf("it does not answer: %v", err)
	}
	info, err := os.Stat(filepath.Join(path, "password"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("its password lies open: %v, %v", info.Mode(), err)
	}
}
