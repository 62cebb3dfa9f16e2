package postgres

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// A process is a PostgreSQL server that runs: a child of ours, or one that a crash has left.
type process struct {
	pid    int
	exited chan struct{} // closed when it has ended
}

// watchInterval is how often a server is looked at that is not our child.
const watchInterval = 100 * time.Millisecond

// running finds the server that runs on a data folder, and its port; nil where none does. The number in
// the folder's pid file may belong to something else by now: the server is the one that works there.
func running(data string) (*process, int, error) {
	lines, err := pidFile(data)
	if err != nil || len(lines) < 4 {
		return nil, 0, err
	}
	pid, err1 := strconv.Atoi(strings.TrimSpace(lines[0]))
	port, err2 := strconv.Atoi(strings.TrimSpace(lines[3]))
	if err1 != nil || err2 != nil || !isServer(pid) {
		return nil, 0, nil
	}
	worksIn := fmt.Sprintf("/proc/%d/cwd", pid)
	switch {
	case sameFile(worksIn, data):
	case !sameFile(lines[1], data) && sameFile(worksIn, lines[1]):
		return nil, 0, fmt.Errorf(
			"%s was copied while its database was running in %s and may be torn: copy it again when that service has been stopped",
			filepath.Dir(data), lines[1],
		)
	default:
		return nil, 0, nil
	}
	p := &process{pid: pid, exited: make(chan struct{})}
	go func() {
		for isServer(pid) && sameFile(worksIn, data) {
			time.Sleep(watchInterval)
		}
		close(p.exited)
	}()
	return p, port, nil
}

// pidFile returns the lines of the pid file of a data folder; none where there is no such file.
func pidFile(data string) ([]string, error) {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	return strings.Split(string(text), "\n"), err
}

// disown takes the number of a server that runs no more out of the pid file of a data folder: another
// process may have it by now, and the next server would not start. The rest of the file stays, by which
// that server finds out whether anything is left of the old one.
func disown(data string) error {
	lines, err := pidFile(data)
	if err != nil || len(lines) < 4 {
		return err
	}
	lines[0] = strconv.Itoa(os.Getpid()) // its parent's, which it takes for none
	file, err := openOwned(filepath.Join(data, "postmaster.pid"), os.O_WRONLY|os.O_TRUNC, nil)
	if err != nil {
		return err
	}
	_, err = file.WriteString(strings.Join(lines, "\n"))
	return errors.Join(err, file.Close())
}

// isServer reports whether a process is alive and a PostgreSQL server. One that has ended and is not
// reaped yet is not.
func isServer(pid int) bool {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	before, after, found := bytes.Cut(stat, []byte(") ")) // number (name) state …
	return found && bytes.HasSuffix(before, []byte("(postgres")) && len(after) > 0 && after[0] != 'Z' && after[0] != 'X'
}

func sameFile(a, b string) bool {
	one, err1 := os.Stat(a)
	other, err2 := os.Stat(b)
	return err1 == nil && err2 == nil && os.SameFile(one, other)
}

// stop ends the process in order.
func (p *process) stop() error {
	select {
	case <-p.exited: // its number may be another's
		return nil
	default:
	}
	if err := syscall.Kill(p.pid, syscall.SIGINT); err != nil && !errors.Is(err, syscall.ESRCH) {
		return err
	}
	select {
	case <-p.exited:
		return nil
	case <-time.After(time.Minute):
		return errors.New("the PostgreSQL server did not stop within a minute")
	}
}

// end ends a process that did not come up.
func (p *process) end() { _ = p.stop() }

// openOwned opens a file in a folder that belongs to another account, or makes it: never what a link
// points to. It is that account's afterwards, where one is given.
func openOwned(path string, flags int, cred *syscall.Credential) (*os.File, error) {
	f, err := os.OpenFile(path, flags&^os.O_TRUNC|os.O_CREATE|syscall.O_NOFOLLOW, 0o600)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil {
		if stat, ok := info.Sys().(*syscall.Stat_t); !info.Mode().IsRegular() || ok && stat.Nlink > 1 {
			err = fmt.Errorf("%s is not a file of its own", path)
		}
	}
	if err == nil && flags&os.O_TRUNC != 0 {
		err = f.Truncate(0)
	}
	if err == nil && cred != nil {
		err = f.Chown(int(cred.Uid), int(cred.Gid))
	}
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// Lock keeps two services from running on one folder, which is made where it is not there.
func Lock(folder string) (unlock func(), err error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("the data folder cannot be made: %w: state another one with --data", err)
	}
	f, err := openOwned(filepath.Join(folder, "lock"), os.O_RDWR, nil)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return nil, errors.Join(fmt.Errorf("another service already runs on %s: vastspan stop ends it", folder), f.Close())
	}
	err = f.Truncate(0)
	if err == nil {
		_, err = fmt.Fprintln(f, os.Getpid())
	}
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return func() { _ = f.Close() }, nil // closing gives the lock up
}

// Holder returns the process of the service that runs on a folder, 0 where that is not known; false where none does.
func Holder(folder string) (pid int, runs bool) {
	f, err := os.Open(filepath.Join(folder, "lock"))
	if err != nil {
		return 0, false
	}
	defer f.Close()
	if syscall.Flock(int(f.Fd()), syscall.LOCK_SH|syscall.LOCK_NB) == nil {
		return 0, false // it is free; closing gives it up again
	}
	text, err := io.ReadAll(io.LimitReader(f, 32))
	if err != nil {
		return 0, true
	}
	pid, _ = strconv.Atoi(strings.TrimSpace(string(text)))
	return pid, true
}
