// Package postgres finds Debian's PostgreSQL server, and starts, watches and stops a private one on
// loopback. What the database holds is none of its business.
package postgres

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// superuser is the database role that owns the private server.
const superuser = "vastspan"

// A Server is a running private PostgreSQL server.
type Server struct {
	URL string // for clients, with the password

	folder  string
	process *os.Process
	adopted bool          // left by a crash and taken over: not our child
	exited  chan struct{} // closed when our child has ended
}

// FindBinaries returns the folder of the newest PostgreSQL server that Debian's packages installed.
func FindBinaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		return "", errors.New("no PostgreSQL server is installed: expected Debian's package postgresql below /usr/lib/postgresql")
	}
	version := func(path string) int {
		n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
		return n
	}
	newest := slices.MaxFunc(found, func(a, b string) int { return version(a) - version(b) })
	return filepath.Dir(newest), nil
}

// owner returns the account that the server runs as: nil for our own, postgres for root, as the
// server refuses to run as root.
func owner() (*syscall.Credential, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL refuses to run as root, and there is no user postgres to run it as: %w", err)
	}
	uid, err1 := strconv.ParseUint(u.Uid, 10, 32)
	gid, err2 := strconv.ParseUint(u.Gid, 10, 32)
	if err := errors.Join(err1, err2); err != nil {
		return nil, err
	}
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, nil
}

// Start brings a server up whose files are in a folder: made if it is not there, taken over if one
// left by a crash still runs on it. The folder must be reachable by the account that the server
// runs as.
func Start(ctx context.Context, folder string) (*Server, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	bin, err := FindBinaries()
	if err != nil {
		return nil, err
	}
	cred, err := owner()
	if err != nil {
		return nil, err
	}
	password, err := prepare(ctx, bin, folder, cred)
	if err != nil {
		return nil, err
	}
	s, err := adopt(folder, password)
	if err != nil {
		return nil, err
	}
	if s == nil {
		if s, err = launch(bin, folder, password, cred); err != nil {
			return nil, err
		}
	}
	if err := s.awaitReady(ctx); err != nil {
		return nil, errors.Join(err, s.Stop())
	}
	return s, nil
}

func dataFolder(folder string) string   { return filepath.Join(folder, "data") }
func passwordFile(folder string) string { return filepath.Join(folder, "password") }

// prepare makes the data folder where there is none and gives the server's password. initdb works
// in a folder beside, which is moved into place when it is whole, so that a break leaves nothing
// half made.
func prepare(ctx context.Context, bin, folder string, cred *syscall.Credential) (string, error) {
	if _, err := os.Stat(dataFolder(folder)); err == nil {
		password, err := os.ReadFile(passwordFile(folder))
		if err != nil {
			return "", fmt.Errorf("the database in %s has lost its password file: %w", folder, err)
		}
		return string(bytes.TrimSpace(password)), nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", err
	}
	secret := make([]byte, 24)
	if _, err := rand.Read(secret); err != nil {
		return "", err
	}
	password := hex.EncodeToString(secret)
	if err := os.WriteFile(passwordFile(folder), []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	making := dataFolder(folder) + ".making"
	if err := os.RemoveAll(making); err != nil {
		return "", err
	}
	if err := os.Mkdir(making, 0o700); err != nil {
		return "", err
	}
	if cred != nil {
		for _, path := range []string{making, folder, passwordFile(folder)} {
			if err := os.Chown(path, int(cred.Uid), int(cred.Gid)); err != nil {
				return "", err
			}
		}
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), "--pgdata", making, "--username", superuser,
		"--encoding", "UTF8", "--locale", "C.UTF-8", "--auth", "scram-sha-256", "--pwfile", passwordFile(folder))
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	cmd.Dir = "/"
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("initdb: %w\n%s", err, out)
	}
	return password, os.Rename(making, dataFolder(folder))
}

// adopt takes over a server that still runs on the folder; nil where none does.
func adopt(folder, password string) (*Server, error) {
	text, err := os.ReadFile(filepath.Join(dataFolder(folder), "postmaster.pid"))
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	lines := strings.Split(string(text), "\n")
	if len(lines) < 4 {
		return nil, nil
	}
	pid, err1 := strconv.Atoi(strings.TrimSpace(lines[0]))
	port, err2 := strconv.Atoi(strings.TrimSpace(lines[3]))
	if err1 != nil || err2 != nil || !isServer(pid) {
		return nil, nil
	}
	process, err := os.FindProcess(pid)
	if err != nil {
		return nil, err
	}
	return &Server{URL: serverURL(port, password), folder: folder, process: process, adopted: true}, nil
}

// isServer reports whether a process is alive and a PostgreSQL server: a number left by a crash may
// belong to somebody else by now.
func isServer(pid int) bool {
	name, err := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	return err == nil && strings.TrimSpace(string(name)) == "postgres"
}

func serverURL(port int, password string) string {
	u := url.URL{
		Scheme: "postgres",
		User:   url.UserPassword(superuser, password),
		Host:   fmt.Sprintf("127.0.0.1:%d", port),
		Path:   "/postgres",
	}
	return u.String()
}

// launch starts the server as a child in a process group of its own, so that a Ctrl-C in the
// terminal reaches the service alone, which then stops the server in order.
func launch(bin, folder, password string, cred *syscall.Credential) (*Server, error) {
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	logFile, err := os.OpenFile(filepath.Join(folder, "server.log"), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o640)
	if err != nil {
		return nil, err
	}
	defer logFile.Close()
	cmd := exec.Command(filepath.Join(bin, "postgres"), "-D", dataFolder(folder), "-p", strconv.Itoa(port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "max_connections=60",
		"-c", "shared_buffers=512MB", "-c", "max_wal_size=4GB", "-c", "timezone=UTC",
		// Nobody follows this server: a table that is made and filled in one transaction need not be logged.
		"-c", "wal_level=minimal", "-c", "max_wal_senders=0", "-c", "maintenance_work_mem=256MB",
		// Compiling a statement takes longer than most of ours do.
		"-c", "jit=off")
	cmd.Dir = "/"
	cmd.Stdout, cmd.Stderr = logFile, logFile
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred, Setpgid: true}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	s := &Server{URL: serverURL(port, password), folder: folder, process: cmd.Process, exited: make(chan struct{})}
	go func() {
		_ = cmd.Wait() // how it ended is in its log
		close(s.exited)
	}()
	return s, nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// awaitReady waits until the server answers.
func (s *Server) awaitReady(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	for {
		conn, err := pgx.Connect(ctx, s.URL)
		if err == nil {
			return conn.Close(ctx)
		}
		select {
		case <-s.exited:
			return fmt.Errorf("the PostgreSQL server ended at once; see %s", filepath.Join(s.folder, "server.log"))
		case <-ctx.Done():
			return fmt.Errorf("the PostgreSQL server does not answer: %w", err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// Done is closed when the server has ended by itself; never for one that was taken over.
func (s *Server) Done() <-chan struct{} { return s.exited }

// Stop ends the server in order: open transactions are rolled back, files are left clean.
func (s *Server) Stop() error {
	if err := s.process.Signal(syscall.SIGINT); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	deadline := time.Now().Add(time.Minute)
	for time.Now().Before(deadline) {
		if s.adopted && !isServer(s.process.Pid) {
			return nil
		}
		select {
		case <-s.exited:
			return nil
		case <-time.After(20 * time.Millisecond):
		}
	}
	return errors.New("the PostgreSQL server did not stop within a minute")
}
