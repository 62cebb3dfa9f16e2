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
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// superuser is the database role that owns the private server.
const superuser = "vastspan"

// A Server is a running private PostgreSQL server. Where it ends by itself it is started again, at the
// same address.
type Server struct {
	URL string // of its superuser, with the password; see Ordinary for what a service connects by

	bin, folder, password string
	cred                  *syscall.Credential
	port                  int
	forgetful             bool

	mu      sync.Mutex
	process *process
	trouble error         // why it does not run; nil while it does
	stopped chan struct{} // closed when Stop is called
	watched sync.WaitGroup
}

// FindBinaries returns the folder of the newest PostgreSQL server that Debian's packages installed.
func FindBinaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		return "", errors.New("PostgreSQL is not installed: run apt-get install postgresql, or give the address of a database with --database")
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

// Address is that of the server that runs on a folder, with its password, for those who may read the folder. Errors say that none
// runs there.
func Address(folder string) (string, error) {
	role := serviceRole
	password, err := os.ReadFile(servicePassword(folder))
	if errors.Is(err, fs.ErrNotExist) { // it was started by an earlier version
		role = superuser
		password, err = os.ReadFile(passwordFile(folder))
	}
	if err != nil {
		return "", err
	}
	old, port, err := running(dataFolder(folder))
	if err == nil && old == nil {
		err = fmt.Errorf("no database runs on %s", folder)
	}
	if err != nil {
		return "", err
	}
	return serverURL(port, role, strings.TrimSpace(string(password))), nil
}

// Settings say how a server runs.
type Settings struct {
	// Port is where it listens; 0 takes one that is free.
	Port int
	// Forgetful is for tests and trials: nothing waits for the disk, so that a crash of the machine, though not of the
	// server, leaves files that are worth nothing.
	Forgetful bool
}

// Start brings a server up whose files are in a folder: made if it is not there, taken over if one
// left by a crash still runs on it. The folder must be reachable by the account that the server
// runs as, and no other service may be at work on it: see Lock.
func Start(ctx context.Context, folder string, settings Settings) (*Server, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	s := &Server{folder: folder, port: settings.Port, forgetful: settings.Forgetful, stopped: make(chan struct{})}
	if s.bin, err = FindBinaries(); err != nil {
		return nil, err
	}
	if s.cred, err = owner(); err != nil {
		return nil, err
	}
	if s.password, err = s.prepare(ctx); err != nil {
		return nil, err
	}
	if err := s.up(ctx); err != nil {
		return nil, err
	}
	s.watched.Go(s.watch)
	return s, nil
}

// up takes over the server that runs on the folder, or launches one, and waits until it answers.
func (s *Server) up(ctx context.Context) error {
	old, port, err := running(dataFolder(s.folder))
	if err != nil {
		return err
	}
	if old != nil {
		s.setPort(port)
		switch err := s.awaitReady(ctx, old); {
		case err == nil:
			s.set(old, nil)
			return nil
		case !errors.Is(err, errEnded): // it is left alone
			return err
		}
	}
	if s.port == 0 {
		if s.port, err = freePort(); err != nil {
			return err
		}
	}
	s.setPort(s.port)
	for until := time.Now().Add(leftoverWait); ; {
		p, err := s.launch()
		if err != nil {
			return err
		}
		err = s.awaitReady(ctx, p)
		if err == nil {
			s.set(p, nil)
			return nil
		}
		p.end()
		// What is left of a server that was killed ends soon.
		if !errors.Is(err, errEnded) || !strings.Contains(s.lastLog(), "pre-existing shared memory block") || time.Now().After(until) {
			return err
		}
	}
}

// leftoverWait is how long the processes of a server that was killed are waited for.
const leftoverWait = 20 * time.Second

func (s *Server) setPort(port int) { s.port, s.URL = port, serverURL(port, superuser, s.password) }

func (s *Server) set(p *process, trouble error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.process, s.trouble = p, trouble
}

// Trouble says why the server does not run; nil while it does.
func (s *Server) Trouble() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.trouble
}

// Waits between two attempts to start a server again that has ended by itself.
const (
	firstWait = 100 * time.Millisecond
	longWait  = 10 * time.Second
)

// watch starts the server again whenever it has ended by itself, until it is stopped.
func (s *Server) watch() {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	go func() {
		select {
		case <-s.stopped:
			cancel()
		case <-ctx.Done():
		}
	}()
	for {
		select {
		case <-s.stopped:
			return
		case <-s.process.exited:
		}
		wait := firstWait
		s.set(s.process, s.ended())
		slog.Error("the database server has ended by itself and is started again", "reason", s.Trouble())
		for {
			select {
			case <-s.stopped:
				return
			case <-time.After(wait):
			}
			err := s.up(ctx)
			if err == nil {
				slog.Info("the database server runs again")
				break
			}
			if ctx.Err() != nil {
				return
			}
			wait = min(2*wait, longWait)
			s.set(s.process, err)
			slog.Error("the database server does not start", "error", err, "next", wait)
		}
	}
}

// ended says that the server has ended, and why where its log does.
func (s *Server) ended() error { return errors.New("the database server has ended: " + s.reason()) }

// reason says why the server has ended, where its log does.
func (s *Server) reason() string {
	text := s.lastLog()
	if strings.Contains(text, "No space left on device") {
		return "no space is left on the device of " + s.folder
	}
	for line := range strings.SplitSeq(text, "\n") {
		_, reason, found := strings.Cut(line, "PANIC:  ")
		if !found {
			_, reason, found = strings.Cut(line, "FATAL:  ")
		}
		// Sessions end with FATAL, too.
		if found && !strings.Contains(reason, "the database system is") && !strings.Contains(reason, "connection") {
			return reason + "; its log is " + s.logFile()
		}
	}
	return "see its log, " + s.logFile()
}

// lastLog returns the end of the log, of the server that ran last.
func (s *Server) lastLog() string {
	text := tail(s.logFile(), 16<<10)
	return text[max(0, strings.LastIndex(text, "starting PostgreSQL")):]
}

// tail returns the last bytes of a file.
func tail(path string, bytes int64) string {
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer f.Close()
	if _, err := f.Seek(-bytes, io.SeekEnd); err != nil {
		_, _ = f.Seek(0, io.SeekStart) // it is shorter
	}
	text, _ := io.ReadAll(f)
	return string(text)
}

func dataFolder(folder string) string   { return filepath.Join(folder, "data") }
func passwordFile(folder string) string { return filepath.Join(folder, "password") }

func (s *Server) logFile() string { return filepath.Join(s.folder, "server.log") }

// prepare makes the data folder where there is none and gives the server's password. initdb works
// in a folder beside, which is moved into place when it is whole, so that a break leaves nothing
// half made.
func (s *Server) prepare(ctx context.Context) (string, error) {
	folder, cred := s.folder, s.cred
	// What breaks have left; an orphan may still be writing there, and its folder then goes the next time.
	if left, err := filepath.Glob(dataFolder(folder) + ".making*"); err == nil {
		for _, path := range left {
			_ = os.RemoveAll(path)
		}
	}
	if _, err := os.Stat(dataFolder(folder)); err == nil {
		text, err := os.ReadFile(passwordFile(folder))
		if err != nil {
			return "", fmt.Errorf("the database in %s has lost its password file: %w", folder, err)
		}
		password := string(bytes.TrimSpace(text))
		if password == "" {
			return "", fmt.Errorf("the password file of the database in %s is empty", folder)
		}
		return password, nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", err
	}
	secret := make([]byte, 24)
	if _, err := rand.Read(secret); err != nil {
		return "", err
	}
	password := hex.EncodeToString(secret)
	file, err := openOwned(passwordFile(folder), os.O_WRONLY|os.O_TRUNC, cred)
	if err != nil {
		return "", err
	}
	if _, err = file.WriteString(password + "\n"); err != nil {
		return "", errors.Join(err, file.Close())
	}
	if err := file.Close(); err != nil {
		return "", err
	}
	making, err := os.MkdirTemp(folder, "data.making-*")
	if err != nil {
		return "", err
	}
	if cred != nil {
		for _, path := range []string{making, folder} {
			if err := os.Lchown(path, int(cred.Uid), int(cred.Gid)); err != nil {
				return "", err
			}
		}
	}
	args := []string{
		"--pgdata", making, "--username", superuser, "--data-checksums",
		"--encoding", "UTF8", "--locale", "C.UTF-8", "--auth", "scram-sha-256", "--pwfile", passwordFile(folder),
	}
	if s.forgetful {
		args = append(args, "--no-sync")
	}
	cmd := exec.CommandContext(ctx, filepath.Join(s.bin, "initdb"), args...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	cmd.Dir = "/"
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", errors.Join(fmt.Errorf("initdb: %w\n%s", err, out), os.RemoveAll(making))
	}
	return password, os.Rename(making, dataFolder(folder))
}

func serverURL(port int, role, password string) string {
	u := url.URL{
		Scheme: "postgres",
		User:   url.UserPassword(role, password),
		Host:   fmt.Sprintf("127.0.0.1:%d", port),
		Path:   "/postgres",
	}
	return u.String()
}

// launch starts the server as a child in a process group of its own, so that a Ctrl-C in the
// terminal reaches the service alone, which then stops the server in order.
func (s *Server) launch() (*process, error) {
	if err := disown(dataFolder(s.folder)); err != nil {
		return nil, err
	}
	logFile, err := openOwned(s.logFile(), os.O_WRONLY|os.O_APPEND, s.cred)
	if err != nil {
		return nil, err
	}
	defer logFile.Close()
	args := []string{
		"-D", dataFolder(s.folder), "-p", strconv.Itoa(s.port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "max_connections=60",
		"-c", "shared_buffers=512MB", "-c", "max_wal_size=4GB", "-c", "timezone=UTC",
		// Nobody follows this server: a table that is made and filled in one transaction need not be logged.
		"-c", "wal_level=minimal", "-c", "max_wal_senders=0", "-c", "maintenance_work_mem=256MB",
		// Compiling a statement takes longer than most of ours do.
		"-c", "jit=off",
	}
	if s.forgetful {
		args = append(args, "-c", "fsync=off", "-c", "full_page_writes=off")
	}
	cmd := exec.Command(filepath.Join(s.bin, "postgres"), args...)
	cmd.Dir = "/"
	cmd.Stdout, cmd.Stderr = logFile, logFile
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: s.cred, Setpgid: true}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	p := &process{pid: cmd.Process.Pid, exited: make(chan struct{})}
	go func() {
		_ = cmd.Wait() // how it ended is in its log
		close(p.exited)
	}()
	return p, nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// errEnded is that a server has ended before it answered.
var errEnded = errors.New("the database server does not start")

// awaitReady waits until the server answers, and makes sure that it is the one of the folder.
func (s *Server) awaitReady(ctx context.Context, p *process) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	for {
		err := s.ask(ctx)
		var pg *pgconn.PgError
		switch {
		case err == nil:
			return nil
		case errors.As(err, &pg) && strings.HasPrefix(pg.Code, "28"): // the password
			return fmt.Errorf("the database in %s does not take the password in %s: %w", s.folder, passwordFile(s.folder), pg)
		case errors.Is(err, errForeign):
			return err
		}
		select {
		case <-p.exited:
			return fmt.Errorf("%w: %s", errEnded, s.reason())
		case <-ctx.Done():
			return fmt.Errorf("the PostgreSQL server does not answer: %w", err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

var errForeign = errors.New("another database answers at the port of this one")

// ask asks the server for its data folder, which has to be ours.
func (s *Server) ask(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	var folder string
	if err := conn.QueryRow(ctx, "SHOW data_directory").Scan(&folder); err != nil {
		return err
	}
	if !sameFile(folder, dataFolder(s.folder)) {
		return fmt.Errorf("%w: its files are in %s", errForeign, folder)
	}
	return nil
}

// Stop ends the server in order: open transactions are rolled back, files are left clean.
func (s *Server) Stop() error {
	close(s.stopped)
	s.watched.Wait()
	return s.process.stop()
}
