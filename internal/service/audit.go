package service

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"time"

	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// auditStore is what the audit is kept in.
type auditStore interface {
	Audit(ctx context.Context, q store.Search) ([]store.Entry, error)
	AuditAfter(ctx context.Context, id int64, limit int) ([]store.Entry, error)
	NewestEntry(ctx context.Context) (int64, error)
}

// Audit says who did what to which thing, and when. It is only ever added to.
type Audit struct{ store auditStore }

// An Entry is one thing that was done, and an AuditSearch says which are wanted.
type (
	Entry       = store.Entry
	AuditSearch = store.Search
)

// Search lists entries, newest first.
func (s *Audit) Search(ctx context.Context, q AuditSearch, p Paging) (Page[Entry], error) {
	page := Page[Entry]{Items: []Entry{}}
	var err error
	if q.Before, err = numberAfter(p.After); err != nil {
		return page, err
	}
	if !q.From.IsZero() && !q.Until.IsZero() && !q.From.Before(q.Until) {
		return page, refused.Wrongf("from %s is not before until %s", q.From.Format(time.RFC3339), q.Until.Format(time.RFC3339))
	}
	q.Limit = p.Limit + 1
	if page.Items, err = s.store.Audit(ctx, q); err == nil && len(page.Items) > p.Limit {
		page.Items = page.Items[:p.Limit]
		page.Next = itoa(int(page.Items[p.Limit-1].ID))
	}
	return page, err
}

// auditLine is an entry as a line of JSON.
type auditLine struct {
	ID      int64          `json:"id"`
	At      time.Time      `json:"at"`
	Account string         `json:"account"`
	Means   store.Means    `json:"means"`
	Address string         `json:"address,omitempty"`
	Request string         `json:"request,omitempty"`
	Action  store.Action   `json:"action"`
	Kind    string         `json:"kind"`
	Name    string         `json:"name,omitempty"`
	Detail  map[string]any `json:"detail,omitempty"`
}

// How the audit is written away: how often it is looked for entries, and how many are read at a time.
const (
	auditEvery  = time.Second
	auditAtOnce = 1000
)

// An AuditFile is where entries are written away as lines of JSON, next to the database.
type AuditFile struct {
	out  io.Writer
	last int64 // the number of the newest entry that is written
	stop func() error
}

// OpenAuditFile opens a file to write entries to, which goes on after the last entry that it holds: what was done while the
// service did not run is made up for. It is readable by its owner alone.
func OpenAuditFile(path string) (*AuditFile, error) {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return nil, err
	}
	last, err := lastEntry(f)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("%s is not an audit of this service: %w", path, err), f.Close())
	}
	return &AuditFile{f, last, f.Close}, nil
}

// AuditTo writes the entries from now on.
func (s *Audit) AuditTo(ctx context.Context, out io.Writer) (*AuditFile, error) {
	last, err := s.store.NewestEntry(ctx)
	return &AuditFile{out, last, func() error { return nil }}, err
}

// tailBytes is how much of the end of a file is read for its last line.
const tailBytes = 1 << 20

// entryBegins is how the line of an entry begins.
const entryBegins = `{"id":`

// lastEntry returns the number of the last entry of a file; 0 where it is empty. A line that was cut off is taken away: its entry
// is written again.
func lastEntry(f *os.File) (int64, error) {
	info, err := f.Stat()
	if err != nil {
		return 0, err
	}
	tail := make([]byte, min(info.Size(), tailBytes))
	if _, err := f.ReadAt(tail, info.Size()-int64(len(tail))); err != nil {
		return 0, err
	}
	whole := bytes.LastIndexByte(tail, '\n') + 1
	if cut := tail[whole:]; len(cut) > 0 {
		if !bytes.HasPrefix(cut, []byte(entryBegins)[:min(len(cut), len(entryBegins))]) {
			return 0, errNoEntries
		}
		if err := f.Truncate(info.Size() - int64(len(cut))); err != nil {
			return 0, err
		}
	}
	if whole == 0 {
		return 0, nil
	}
	lines := bytes.Split(tail[:whole-1], []byte("\n"))
	var l auditLine
	if err := json.Unmarshal(lines[len(lines)-1], &l); err != nil || l.ID < 1 {
		return 0, errNoEntries
	}
	return l.ID, nil
}

var errNoEntries = errors.New("its last line is not an entry")

// Close closes the file.
func (f *AuditFile) Close() error { return f.stop() }

// Keep writes entries away as they come, until the context ends. What cannot be written is tried again.
func (s *Audit) Keep(ctx context.Context, f *AuditFile) {
	tick := time.NewTicker(auditEvery)
	defer tick.Stop()
	for {
		last := ctx.Err() != nil
		if err := s.write(context.WithoutCancel(ctx), f); err != nil {
			slog.Error("the audit cannot be written away", "error", err)
		}
		if last {
			return
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
		}
	}
}

// write writes the entries away that have come since.
func (s *Audit) write(ctx context.Context, f *AuditFile) error {
	for {
		list, err := s.store.AuditAfter(ctx, f.last, auditAtOnce)
		if err != nil {
			return err
		}
		for i := range list {
			e := &list[i]
			line, err := json.Marshal(auditLine{e.ID, e.At.UTC(), e.Account, e.Means, e.Address, e.Request, e.Action, e.Kind, e.Name, e.Detail})
			if err == nil {
				_, err = f.out.Write(append(line, '\n'))
			}
			if err != nil {
				return err
			}
			f.last = e.ID
		}
		if len(list) < auditAtOnce {
			return nil
		}
	}
}
