package columnstore

import (
	"context"
	"errors"
	"fmt"
	"hash/crc32"
	"maps"
	"os"
	"runtime"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

// Files are mapped, and a disk, a memory or a hand may change them while they are. Three things keep that from ever becoming a
// figure, or the end of the process: each question looks whether a file was changed before it and while it ran, and then checks
// the file by its checksums; Verify checks all of a state, and is called now and then in the background; and a fault of memory, or
// a place that is out of bounds, fails the question that met it.

// A stamp identifies the state of a file.
type stamp struct {
	size              int64
	modified, changed time.Time
	removed           bool
}

// racy is how long after a change a further one may have the same times.
const racy = 50 * time.Millisecond

func (s stamp) same(o stamp) bool {
	// What is removed while it is read changes no byte.
	return s.size == o.size && s.modified.Equal(o.modified) && (s.changed.Equal(o.changed) || o.removed)
}

func stampOf(f *os.File) (stamp, error) {
	var info unix.Stat_t
	if err := unix.Fstat(int(f.Fd()), &info); err != nil {
		return stamp{}, err
	}
	return stamp{info.Size, time.Unix(info.Mtim.Unix()), time.Unix(info.Ctim.Unix()), info.Nlink == 0}, nil
}

// checks are what is known of a file's state.
type checks struct {
	mu      sync.Mutex
	checked stamp
	at      time.Time // when its checksums were looked at
}

// sound reports whether a chunk is as it was written, as far as its file was not changed since that was last looked at.
func (p *chunk) sound() error {
	p.checks.mu.Lock()
	defer p.checks.mu.Unlock()
	now, err := stampOf(p.file)
	if err != nil {
		return errors.Join(errBroken, err)
	}
	if p.checks.checked.same(now) && p.checks.at.Sub(now.modified) > racy {
		return nil
	}
	if now.size != int64(len(p.data)) {
		return fmt.Errorf("%s: %w: its length is another", p.file.Name(), errBroken)
	}
	before := time.Now()
	if err := p.verify(); err != nil {
		return fmt.Errorf("%s: %w", p.file.Name(), err)
	}
	p.checks.checked, p.checks.at = now, before
	return nil
}

// verify looks at every checksum of a chunk.
func (p *chunk) verify() error {
	if err := p.checkFooter(); err != nil {
		return err
	}
	all := []extent{p.Days, p.Starts}
	for _, c := range p.Columns {
		all = append(all, c.Codes, c.Each, c.Ends, c.Bytes)
	}
	for _, e := range all {
		if _, err := p.extent(e); err != nil {
			return err
		}
	}
	return nil
}

// checkFooter compares the footer with the one that was read when the chunk was opened.
func (p *chunk) checkFooter() error {
	if crc32.Checksum(p.data[len(p.data)-tailLength-p.footer:], castagnoli) != p.footerSum {
		return errBroken
	}
	return nil
}

// errFaulted is that a file turned out to be damaged in the middle of a question, some of which may have been answered.
var errFaulted = errors.New("a file of columns was damaged while it was read")

// Faulted reports whether an error is that of a state that was damaged while a question was answered: the question is to be asked
// again.
func Faulted(err error) bool { return errors.Is(err, errFaulted) }

// guarded runs work that reads mapped files: where that fails, it is the error of the work and not the end of the process.
func guarded(work func() error) (err error) {
	defer debug.SetPanicOnFault(debug.SetPanicOnFault(true))
	defer func() {
		if cause := recover(); cause != nil {
			err = fmt.Errorf("%w: %v\n%s", errFaulted, cause, debug.Stack())
		}
	}()
	return work()
}

// Read puts a question to the state. Errors: one that is Broken where its files are not as they were written and nothing was
// answered, one that is Faulted where that came out later, and the question's own.
func (f *State) Read(ask func() error) error {
	defer runtime.KeepAlive(f)
	begun := time.Now()
	if err := f.sound(); err != nil {
		return err
	}
	err := guarded(ask)
	for _, p := range f.files() {
		now, wrong := stampOf(p.file)
		if wrong == nil && p.checks.sameAs(now) && now.modified.Before(begun) {
			continue
		}
		if wrong := guarded(p.sound); wrong != nil {
			return fmt.Errorf("%w: %w", errFaulted, wrong)
		}
	}
	return err
}

func (c *checks) sameAs(now stamp) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.checked.same(now)
}

// sound looks at all chunks whose files were changed since they were last looked at.
func (f *State) sound() error {
	for _, p := range f.files() {
		if err := guarded(p.sound); err != nil {
			return broken(err)
		}
	}
	return nil
}

// files are the chunks of all parts, those of sums among them.
func (f *State) files() (list []*chunk) {
	for _, p := range f.parts {
		list = append(list, p.files()...)
	}
	return list
}

func (p *part) files() (list []*chunk) {
	for _, h := range p.chunks {
		list = append(list, h.chunk)
	}
	for _, m := range p.sums {
		for _, h := range m.chunks {
			list = append(list, h.chunk)
		}
	}
	return list
}

// Verify looks at every checksum of the state, and returns how many files it has. Errors: one that is Broken, after which Damaged
// lists the parts concerned, and that of the context.
func (f *State) Verify(ctx context.Context) (files int, err error) {
	defer runtime.KeepAlive(f)
	for _, p := range f.parts {
		for _, one := range p.files() {
			if err := ctx.Err(); err != nil {
				return files, err
			}
			files++
			if wrong := guarded(one.verify); wrong != nil {
				err = broken(fmt.Errorf("%s: %w", one.file.Name(), wrong))
				f.damage(p)
			}
		}
	}
	return files, err
}

// Damaged lists the changes whose rows are to be made again from the database: those of parts of which a file is missing, or is not as
// it was written, and of parts that share changes with them. A state with damaged parts answers nothing.
func (f *State) Damaged() (changes []int64) {
	f.damagedMu.Lock()
	defer f.damagedMu.Unlock()
	if len(f.damaged) == 0 {
		return nil
	}
	again := map[int64]bool{}
	for p := range f.damaged {
		for _, c := range p.Changes {
			again[c] = true
		}
	}
	for before := 0; before < len(again); {
		before = len(again)
		for _, p := range f.parts {
			if slices.ContainsFunc(p.Changes, func(c int64) bool { return again[c] }) {
				for _, c := range p.Changes {
					again[c] = true
				}
			}
		}
	}
	return slices.Sorted(maps.Keys(again))
}

func (f *State) damage(p *part) {
	f.damagedMu.Lock()
	defer f.damagedMu.Unlock()
	if f.damaged == nil {
		f.damaged = map[*part]bool{}
	}
	f.damaged[p] = true
}

// broken is an error before anything was answered.
func broken(err error) error {
	if Faulted(err) {
		return fmt.Errorf("%w: %v", errBroken, err)
	}
	return err
}
