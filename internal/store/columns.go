package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"vastspan/core/dataset"
	"vastspan/internal/columnstore"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

// The columns of each dataset are in a folder of their own. What a dataset holds has a name that changes in every transaction that
// changes its records (Content): columns belong to such a name, so that they never answer for another, whatever became of the service
// or of a transaction in the middle.

// columnCache opens the columns of datasets, and makes in the background what is missing or damaged.
type columnCache struct {
	store  *Store
	folder string
	own    bool // the folder is removed at the end
	ctx    context.Context
	stop   context.CancelFunc
	wait   sync.WaitGroup
	heavy  chan struct{} // one dataset is made again, or made faster, at a time

	mu      sync.Mutex
	entries map[int64]*columnEntry
}

// A columnEntry is the columns of one dataset.
type columnEntry struct {
	id      int64
	folder  string
	writing sync.Mutex // held while a change is published and committed, and while files are made again

	mu        sync.Mutex
	state     *columnstore.State
	described int64         // the version of the description that the state is read by
	making    chan struct{} // closed when what is being made is there, or could not be; nil where nothing is
	failed    error         // why it could not
}

func newColumnCache(s *Store, folder string) (*columnCache, error) {
	ctx, stop := context.WithCancel(context.Background())
	c := &columnCache{store: s, folder: folder, ctx: ctx, stop: stop, heavy: make(chan struct{}, 1), entries: map[int64]*columnEntry{}}
	if folder == "" {
		made, err := os.MkdirTemp("", "vastspan-columns-")
		c.folder, c.own = made, true
		return c, err
	}
	return c, os.MkdirAll(folder, 0o700)
}

func (c *columnCache) close() error {
	c.stop()
	c.wait.Wait()
	if c.own {
		return os.RemoveAll(c.folder)
	}
	return nil
}

// checkEvery is how often all checksums of the columns that are open are compared.
const checkEvery = 10 * time.Minute

// keep compares checksums now and then, until the cache is closed.
func (c *columnCache) keep() {
	c.wait.Go(func() {
		ticker := time.NewTicker(checkEvery)
		defer ticker.Stop()
		for {
			select {
			case <-ticker.C:
				c.store.sweep(c.ctx)
				c.check()
			case <-c.ctx.Done():
				return
			}
		}
	})
}

// check compares the checksums of the columns that are open; what is damaged is made again.
func (c *columnCache) check() {
	c.mu.Lock()
	entries := make([]*columnEntry, 0, len(c.entries))
	for _, e := range c.entries {
		entries = append(entries, e)
	}
	c.mu.Unlock()
	for _, e := range entries {
		if s := e.current(); s != nil {
			if _, err := s.Verify(c.ctx); columnstore.Broken(err) {
				c.repair(e, s, err)
			}
		}
	}
}

func (c *columnCache) of(id int64) string { return filepath.Join(c.folder, fmt.Sprint(id)) }

func (c *columnCache) entry(id int64) *columnEntry {
	c.mu.Lock()
	defer c.mu.Unlock()
	e := c.entries[id]
	if e == nil {
		e = &columnEntry{id: id, folder: c.of(id)}
		c.entries[id] = e
	}
	return e
}

func (e *columnEntry) current() *columnstore.State {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.state
}

// find returns the state of a content after a change, where it is open or a state before the open one.
func (e *columnEntry) find(d *Dataset, content string) (*columnstore.State, error) {
	e.mu.Lock()
	state, described := e.state, e.described
	e.mu.Unlock()
	if state == nil || len(state.Damaged()) > 0 {
		return nil, nil
	}
	if described != d.Described { // read by the description that the question is of
		private, err := state.OpenAfter(state.Content, &d.Schema)
		if err != nil || len(private.Damaged()) > 0 {
			return nil, nil
		}
		e.mu.Lock()
		if e.state == state && d.Described > e.described {
			e.state, e.described = private, d.Described
		}
		e.mu.Unlock()
		state = private
	}
	if state.Content == content {
		return state, nil
	}
	earlier, ok, err := state.At(d.Version, content)
	if !ok {
		return nil, err
	}
	return earlier, err
}

// state returns the columns of a dataset as it is now, or in a snapshot as it is there. What is missing is waited for. Errors: 503
// where that takes longer than the caller has.
func (c *columnCache) state(ctx context.Context, d *Dataset) (*columnstore.State, error) {
	now := *d
	if !InSnapshot(ctx) && d.known == nil { // in a snapshot the dataset was found as it is there
		var row struct {
			Content string
			Version int64
		}
		if err := c.store.reader(ctx).Model(&Dataset{}).Where("id = ?", d.ID).Select("content", "version").Take(&row).Error; err != nil {
			if errors.Is(err, gorm.ErrRecordNotFound) {
				err = refused.Missing("dataset", d.Name)
			}
			return nil, err
		}
		now.Content, now.Version = row.Content, row.Version
	}
	e := c.entry(d.ID)
	for range maxMakings {
		state, err := e.find(&now, now.Content)
		if state != nil || err != nil {
			return state, err
		}
		if err := c.await(ctx, c.make(e)); err != nil {
			return nil, err
		}
		e.mu.Lock()
		failed := e.failed
		e.mu.Unlock()
		if refused.IsMissing(failed) {
			return nil, failed
		}
		if failed != nil {
			return nil, refused.Unavailable(fmt.Sprintf("the columns of dataset %s could not be made", d.Name), failed)
		}
	}
	return nil, refused.Unavailable(fmt.Sprintf("dataset %s has changed while it was read", d.Name), errChanged)
}

// maxMakings is how often columns are waited for which a change has made out of date meanwhile.
const maxMakings = 5

// await waits until something is made, for as long as the caller has.
func (c *columnCache) await(ctx context.Context, made <-chan struct{}) error {
	patience := 10 * time.Minute
	if deadline, ok := ctx.Deadline(); ok {
		patience = max(0, time.Until(deadline)-time.Second)
	}
	timer := time.NewTimer(patience)
	defer timer.Stop()
	select {
	case <-made:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	case <-timer.C:
	case <-c.ctx.Done():
	}
	return refused.Unavailable("the columns of the dataset are being made again", errors.New("try again in a while"))
}

// make begins to open the columns of a dataset as it is now, or to make what is missing of them, and returns what is closed at the end.
func (c *columnCache) make(e *columnEntry) <-chan struct{} {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.making != nil {
		return e.making
	}
	made := make(chan struct{})
	e.making = made
	c.wait.Go(func() {
		err := c.bring(e)
		if err != nil && c.ctx.Err() == nil && !Gone(err) && !refused.IsMissing(err) {
			slog.Warn("the columns of a dataset could not be made", "dataset", e.id, "error", err)
		}
		e.mu.Lock()
		defer e.mu.Unlock()
		e.making, e.failed = nil, err
		close(made)
	})
	return made
}

// bring opens the columns of a dataset as it is now; what is missing or damaged is made again from the database.
func (c *columnCache) bring(e *columnEntry) error {
	e.writing.Lock()
	defer e.writing.Unlock()
	var d Dataset
	err := c.store.db.WithContext(c.ctx).Take(&d, e.id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) || err == nil && d.RemovedAt != nil {
		return refused.Missing("dataset", cmp.Or(d.RemovedName, fmt.Sprint(e.id)))
	}
	if err != nil {
		return err
	}
	state := e.current()
	if state != nil && state.Content == d.Content && len(state.Damaged()) == 0 {
		return nil
	}
	if state == nil || state.Content != d.Content {
		opened, err := columnstore.Open(e.folder, d.Content, &d.Schema)
		switch {
		case err == nil && len(opened.Damaged()) == 0:
			c.adopt(e, opened, d.Described)
			return nil
		case err == nil:
			state = opened
		case !errors.Is(err, fs.ErrNotExist):
			slog.Warn("the columns of a dataset are made again", "dataset", d.Name, "error", err)
			state = nil
		default: // another service on the same database may have made the change
			if state, err = c.earlier(e, &d); err != nil {
				return err
			}
		}
	}
	select {
	case c.heavy <- struct{}{}:
	case <-c.ctx.Done():
		return c.ctx.Err()
	}
	defer func() { <-c.heavy }()
	made, err := c.store.rebuildColumns(c.ctx, &d, e.folder, state)
	if err != nil {
		return err
	}
	if state != nil && state != e.current() { // it was opened here
		if err := columnstore.Remove(e.folder, state, made); err != nil {
			slog.Warn("files of columns are left", "error", err)
		}
	}
	c.adopt(e, made, d.Described)
	return nil
}

// earlier returns the newest state before a dataset's content that is whole, nil for none: later changes are added to it.
func (c *columnCache) earlier(e *columnEntry, d *Dataset) (*columnstore.State, error) {
	history, err := d.history(c.store.db.WithContext(c.ctx))
	if err != nil {
		return nil, err
	}
	open := e.current()
	for _, h := range slices.Backward(history) {
		if open != nil && open.Content == h.Content && len(open.Damaged()) == 0 {
			return open, nil
		}
		if s, err := columnstore.Open(e.folder, h.Content, &d.Schema); err == nil && len(s.Damaged()) == 0 {
			return s, nil
		}
	}
	return nil, nil
}

// adopt replaces the open state of a dataset, and removes files that no state needs; those who read them have them mapped.
// e.writing is held.
func (c *columnCache) adopt(e *columnEntry, s *columnstore.State, described int64) {
	e.mu.Lock()
	before := e.state
	e.state, e.described = s, described
	e.mu.Unlock()
	if before != nil && before != s {
		if err := columnstore.Remove(e.folder, before, s); err != nil {
			slog.Warn("files of columns are left", "error", err)
		}
	}
	if s.Fragmented() && c.ctx.Err() == nil {
		c.wait.Go(func() { c.compact(e, s, described) })
	}
}

// compact makes a state faster, unless it has changed meanwhile.
func (c *columnCache) compact(e *columnEntry, s *columnstore.State, described int64) {
	for !e.writing.TryLock() { // those who hold it may wait for their turn, which is not to be held meanwhile
		select {
		case <-time.After(busyPause):
		case <-c.ctx.Done():
			return
		}
		if e.current() != s {
			return
		}
	}
	defer e.writing.Unlock()
	select {
	case c.heavy <- struct{}{}:
		defer func() { <-c.heavy }()
	default: // another dataset has its turn: changes of this one do not wait for it
		c.wait.Go(func() {
			select {
			case <-time.After(busyPause):
				c.compact(e, s, described)
			case <-c.ctx.Done():
			}
		})
		return
	}
	if e.current() != s {
		return
	}
	made, err := s.Compact(c.ctx)
	switch {
	case err == nil:
		c.adopt(e, made, described)
	case columnstore.Broken(err), columnstore.Faulted(err):
		c.repair(e, s, err)
	case c.ctx.Err() == nil:
		slog.Warn("columns were not made faster", "dataset", e.id, "error", err)
	}
}

// repair begins to make the damaged parts of a state again.
func (c *columnCache) repair(e *columnEntry, s *columnstore.State, cause error) {
	if len(s.Damaged()) == 0 {
		if _, err := s.Verify(c.ctx); !columnstore.Broken(err) { // what was damaged is as it was
			return
		}
	}
	slog.Warn("damaged columns of a dataset are made again", "dataset", e.id, "error", cause)
	c.make(e)
}

// ask puts a question to the columns of a dataset. Where a file turns out to be damaged before anything was answered, the question
// waits until it is made again; in the middle, the caller has to ask again.
func (c *columnCache) ask(ctx context.Context, d *Dataset, ask func(*columnstore.State) error) error {
	for attempt := 1; ; attempt++ {
		s, err := c.state(ctx, d)
		if err != nil {
			return err
		}
		err = s.Read(func() error { return ask(s) })
		if !columnstore.Broken(err) && !columnstore.Faulted(err) {
			return err
		}
		e := c.entry(d.ID)
		if open := e.current(); open != nil {
			c.repair(e, open, err)
		}
		if columnstore.Faulted(err) || attempt == maxMakings {
			return refused.Unavailable("a file of columns was damaged while it was read, and is made again", err)
		}
	}
}

// bytes is how long the files of columns are that are open: of rows, and of sums.
func (c *columnCache) bytes() (rows, sums int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, e := range c.entries {
		if s := e.current(); s != nil {
			r, m := s.Bytes()
			rows, sums = rows+r, sums+m
		}
	}
	return rows, sums
}

// size is how long the files of a dataset are together.
func (c *columnCache) size(id int64) (n int64) {
	entries, err := os.ReadDir(c.of(id))
	if err != nil { // there are none
		return 0
	}
	for _, e := range entries {
		if info, err := e.Info(); err == nil {
			n += info.Size()
		}
	}
	return n
}

// evict drops the columns of a dataset that is gone.
func (c *columnCache) evict(id int64) {
	e := c.entry(id)
	e.writing.Lock()
	defer e.writing.Unlock()
	e.mu.Lock()
	e.state = nil
	e.mu.Unlock()
	c.mu.Lock()
	delete(c.entries, id)
	c.mu.Unlock()
	if err := os.RemoveAll(e.folder); err != nil {
		slog.Warn("files of columns are left", "error", err)
	}
}

// sweep removes what belongs to no dataset as it is now: when the service starts.
func (c *columnCache) sweep(ctx context.Context) error {
	entries, err := os.ReadDir(c.folder)
	if err != nil {
		return err
	}
	sets, err := c.store.Datasets(ctx)
	if err != nil {
		return err
	}
	for _, one := range entries {
		at := slices.IndexFunc(sets, func(d Dataset) bool { return fmt.Sprint(d.ID) == one.Name() })
		folder := filepath.Join(c.folder, one.Name())
		if at < 0 {
			err = errors.Join(err, os.RemoveAll(folder))
			continue
		}
		s, wrong := columnstore.Open(folder, sets[at].Content, &sets[at].Schema)
		if wrong != nil { // they are made again when they are asked for, from an earlier state where there is one
			s = nil
			if earlier, wrong := c.earlier(&columnEntry{id: sets[at].ID, folder: folder}, &sets[at]); wrong == nil {
				s = earlier
			}
		}
		err = errors.Join(err, columnstore.Sweep(folder, s))
	}
	return err
}

// busyPause is how long something that can wait is put off while others work.
const busyPause = 200 * time.Millisecond

// errChanged is the error of columns whose dataset has changed meanwhile.
var errChanged = errors.New("the dataset has changed")

// rebuildColumns makes the columns of a dataset from its records: all, the damaged parts of a state, or what was changed since an
// earlier one.
func (s *Store) rebuildColumns(ctx context.Context, d *Dataset, folder string, from *columnstore.State) (*columnstore.State, error) {
	var which rebuilt
	if from != nil {
		which = rebuilt{from.Damaged(), from.Change}
		if from.Content == d.Content {
			which.since = 0
			if len(which.changes) == 0 {
				from = nil
			}
		}
	}
	r, err := columnstore.BeginRebuild(folder, &d.Schema, from, which.changes, d.Version, ingest.Workers())
	if err != nil {
		return nil, err
	}
	err = s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		if err := tx.Exec("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY").Error; err != nil {
			return err
		}
		var now string
		if err := tx.Model(&Dataset{}).Where("id = ?", d.ID).Pluck("content", &now).Error; err != nil {
			return err
		}
		if now != d.Content {
			return errChanged
		}
		if err := d.rebuildRows(ctx, conn, r, which); err != nil {
			return err
		}
		history, err := d.history(tx)
		if err != nil {
			return err
		}
		return r.Publish(d.Content, history)
	})
	if err != nil {
		r.Abandon()
		return nil, err
	}
	return columnstore.Open(folder, d.Content, &d.Schema)
}

// history lists what the dataset held after earlier changes, as far as its columns had the same types.
func (d *Dataset) history(tx *gorm.DB) (list []columnstore.RecordedContent, err error) {
	err = tx.Raw(`SELECT number AS change, content FROM changes WHERE dataset_id = ? AND number < ? AND number >=
		(SELECT coalesce(max(number), 0) FROM changes WHERE dataset_id = ? AND kind = ?) ORDER BY number`,
		d.ID, d.Version, d.ID, RetypeChange).Scan(&list).Error
	return list, err
}

// rebuilt says which records are read to make columns: those that some changes brought, or those since a change; else all.
type rebuilt struct {
	changes []int64
	since   int64
}

// where is the clause that keeps them.
func (w rebuilt) where() string {
	switch {
	case len(w.changes) > 0:
		numbers := make([]string, len(w.changes))
		for i, n := range w.changes {
			numbers[i] = fmt.Sprint(n)
		}
		return " WHERE " + quote(sinceColumn) + " IN (" + strings.Join(numbers, ", ") + ")"
	case w.since > 0:
		return fmt.Sprintf(" WHERE %s > %d", quote(sinceColumn), w.since)
	}
	return ""
}

// rebuildRows adds records and past records to columns.
func (d *Dataset) rebuildRows(ctx context.Context, conn *sql.Conn, r *columnstore.Rebuild, which rebuilt) error {
	if which.since > 0 {
		if err := d.readEnded(ctx, conn, fmt.Sprintf("%s <= %d AND %s > %d", quote(sinceColumn), which.since, quote(untilColumn), which.since),
			r.EndKept); err != nil {
			return err
		}
	}
	for _, past := range []bool{false, true} {
		table, until := d.table(), []string(nil)
		if past {
			table, until = d.pastTable(), []string{quote(untilColumn)}
		}
		var mu sync.Mutex
		err := d.readRows(ctx, conn, table+which.where(), until,
			func(worker int, key columnstore.RecordKey, until int64, cells []dataset.Cell) error {
				if past {
					mu.Lock()
					r.End(key, until)
					mu.Unlock()
				}
				return r.Worker(worker, past).Add(key, cells)
			},
			func(worker int) *columnstore.Block { return r.Worker(worker, past).Take() },
			func(b *columnstore.Block) error { return r.Append(b, past) })
		if err != nil {
			return err
		}
	}
	return nil
}

// readRows reads records as CSV by COPY, with their numbers and changes: until, where it is given, is one column more. Workers add
// them, and their blocks are taken in order.
func (d *Dataset) readRows(
	ctx context.Context, conn *sql.Conn, from string, until []string,
	add func(worker int, key columnstore.RecordKey, until int64, cells []dataset.Cell) error,
	take func(worker int) *columnstore.Block, put func(*columnstore.Block) error,
) error {
	schema := dataset.Schema{Zone: d.Schema.Zone, DayStarts: d.Schema.DayStarts, Columns: slices.Clone(d.Schema.Columns)}
	n := len(schema.Columns)
	var selected []string
	for i := range schema.Columns {
		selected = append(selected, storedColumn(i))
	}
	own := append([]string{quote(recordColumn), quote(sinceColumn)}, until...)
	for _, name := range own {
		schema.Columns = append(schema.Columns, dataset.Column{Name: strings.Trim(name, `"`), Type: dataset.Number})
	}
	query := "COPY (SELECT " + strings.Join(append(selected, own...), ", ") + " FROM " + from + ") TO STDOUT (FORMAT csv)"
	return copyFrom(ctx, conn, query, func(in io.Reader) error {
		return ingest.Scan(
			ctx,
			ingest.Headless(in, schema.Names()),
			ingest.ScanOptions{Schema: &schema, AllowUndated: true, InOrder: true},
			func(worker int, rows ingest.Rows) (*columnstore.Block, error) {
				err := rows(func(_ int, cells []dataset.Cell) error {
					key := columnstore.RecordKey{Record: cells[n].Number.Digits, Since: cells[n+1].Number.Digits}
					ended := int64(0)
					if len(until) > 0 {
						ended = cells[n+2].Number.Digits
					}
					return add(worker, key, ended, cells[:n])
				})
				return take(worker), err
			},
			put,
		)
	})
}

// copyFrom runs COPY with what read reads.
func copyFrom(ctx context.Context, conn *sql.Conn, query string, read func(io.Reader) error) error {
	pipe, out := io.Pipe()
	failed := make(chan error, 1)
	go func() {
		err := conn.Raw(func(driver any) error {
			_, err := driver.(*stdlib.Conn).Conn().PgConn().CopyTo(ctx, out, query)
			return err
		})
		out.CloseWithError(err)
		failed <- err
	}()
	err := read(pipe)
	pipe.CloseWithError(err)
	return errors.Join(err, <-failed)
}

// newContent names what a dataset holds after a change.
func newContent() string { return uuid.NewString() }
