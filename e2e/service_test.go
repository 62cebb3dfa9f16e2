// Package e2e drives the built binary, its own database and a real browser, as a user would.
package e2e

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"vastspan/internal/postgres"
	"vastspan/internal/postgres/pgtest"
)

var (
	binary  string
	cluster *postgres.Server
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		folder, err := os.MkdirTemp("", "vastspan-binary-")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(folder)
		binary = filepath.Join(folder, "vastspan")
		if out, err := exec.Command("go", "build", "-o", binary, "../cmd/vastspan").CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "%v\n%s", err, out)
			return 1
		}
		if err := os.Chmod(folder, 0o755); err != nil { // the database account must reach it
			fmt.Fprintln(os.Stderr, err)
			return 1
		}

		if cluster, err = postgres.Start(context.Background(), filepath.Join(folder, "cluster"), postgres.Settings{Forgetful: true}); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		code := m.Run()
		if err := cluster.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		return code
	}())
}

// A running is a service that runs for a test, on a database of the cluster that all tests share, or on
// its own database server in its data folder.
type running struct {
	t       *testing.T
	folder  string
	command string // serve or demo
	url     string // of the database; empty where the server is its own
	config  string // a file; empty for none
	address string
	process *exec.Cmd
	log     *bytes.Buffer
	said    string // what it printed when it had started
	key     string // that commands show; empty for none
}

// start starts the service on a database of its own in the cluster; the test's end stops it.
func start(t *testing.T) *running {
	t.Helper()
	return launch(t, pgtest.Database(t, cluster.URL), "")
}

// startWith starts it with a configuration.
func startWith(t *testing.T, config string) *running {
	t.Helper()
	return launch(t, pgtest.Database(t, cluster.URL), config)
}

// startWhole starts the service with a database server of its own, as a user would; the test's end stops
// both.
func startWhole(t *testing.T) *running {
	t.Helper()
	return launch(t, "", "")
}

// startDemo starts the demo with a database server of its own; the test's end stops both.
func startDemo(t *testing.T) *running {
	t.Helper()
	s := prepare(t, "", "")
	s.command = "demo"
	s.launch()
	return s
}

func launch(t *testing.T, database, config string) *running {
	t.Helper()
	s := prepare(t, database, config)
	s.launch()
	return s
}

// prepare makes the folder of a service that is not started yet.
func prepare(t *testing.T, database, config string) *running {
	t.Helper()
	folder, err := os.MkdirTemp("", "vastspan-e2e-")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(folder, 0o755); err != nil { // the database account must reach it
		t.Fatal(err)
	}
	s := &running{t: t, folder: folder, url: database, command: "serve"}
	if config != "" {
		s.config = filepath.Join(folder, "vastspan.yaml")
		if err := os.WriteFile(s.config, []byte(config), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	t.Cleanup(func() {
		s.stop()
		os.RemoveAll(folder)
	})
	return s
}

func (s *running) launch() {
	s.t.Helper()
	s.log = &bytes.Buffer{}
	args := []string{s.command, "--data", s.folder, "--address", "127.0.0.1:0", "--zone", "UTC"}
	if s.config != "" {
		args = append(args, "--config", s.config)
	}
	s.process = exec.Command(binary, args...)
	if s.url != "" {
		s.process.Env = append(os.Environ(), "VASTSPAN_DATABASE="+s.url)
	}
	s.process.Stderr = s.log
	out, err := s.process.StdoutPipe()
	if err != nil {
		s.t.Fatal(err)
	}
	if err := s.process.Start(); err != nil {
		s.t.Fatal(err)
	}
	lines := bufio.NewReader(out)
	for s.said = ""; !strings.Contains(s.said, "Ctrl-C"); {
		line, err := lines.ReadString('\n')
		if err != nil {
			_ = s.process.Wait()
			s.t.Fatalf("the service did not start: %v\n%s", err, s.log)
		}
		s.said += line
	}
	first, _, _ := strings.Cut(s.said, "\n")
	s.address = strings.TrimPrefix(first, "Vast Span is at ")
}

// stop ends the service as Ctrl-C does and checks that it ends well and leaves no database behind.
func (s *running) stop() {
	s.t.Helper()
	if s.process == nil {
		return
	}
	_ = s.process.Process.Signal(os.Interrupt)
	if err := s.process.Wait(); err != nil {
		s.t.Errorf("the service ended with %v\n%s", err, s.log)
	}
	s.process = nil
	if _, err := os.Stat(filepath.Join(s.folder, s.command, "data", "postmaster.pid")); !errors.Is(err, os.ErrNotExist) {
		s.t.Errorf("the database server was left behind: %v", err)
	}
}

// kill ends the service without warning, as a crash does; its database server is left running.
func (s *running) kill() {
	s.t.Helper()
	if err := s.process.Process.Signal(syscall.SIGKILL); err != nil {
		s.t.Fatal(err)
	}
	_ = s.process.Wait()
	s.process = nil
}

// A result is what a command printed and how it ended.
type result struct {
	out, err string
	code     int
}

// run runs a command line against the service.
func (s *running) run(args ...string) result {
	s.t.Helper()
	return s.runWith(nil, args...)
}

func (s *running) runWith(in io.Reader, args ...string) result {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, binary, args...)
	cmd.Env = append(os.Environ(), "VASTSPAN_SERVER="+s.address, "VASTSPAN_DATABASE="+s.url, "VASTSPAN_DATA="+s.folder,
		"VASTSPAN_KEY="+s.key, "XDG_CONFIG_HOME="+filepath.Join(s.folder, "settings"))
	cmd.Stdin = in
	var out, errOut bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errOut
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		s.t.Fatal(err)
	}
	return result{out.String(), errOut.String(), cmd.ProcessState.ExitCode()}
}

// must runs a command line that has to end well and gives what it printed.
func (s *running) must(args ...string) string {
	s.t.Helper()
	r := s.run(args...)
	if r.code != 0 {
		s.t.Fatalf("vastspan %s ended with %d:\n%s%s", strings.Join(args, " "), r.code, r.out, r.err)
	}
	return r.out
}

// refused runs a command line that has to be refused and checks what it says.
func (s *running) refused(code int, says string, args ...string) {
	s.t.Helper()
	r := s.run(args...)
	if r.code != code || !strings.Contains(r.err, says) {
		s.t.Errorf("vastspan %s ended with %d and said %q; want %d and %q", strings.Join(args, " "), r.code, r.err, code, says)
	}
}
