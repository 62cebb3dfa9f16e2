package store

import (
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
	"vastspan/internal/columns"
	"vastspan/internal/ingest"
)

// Columnar forms of the datasets lie in a folder of the service's own, one folder a dataset. What a dataset holds has a name
// that changes in every transaction that changes its records (Content): a form belongs to one such name, so that it never
// answers for another, whatever became of the service or of a transaction in the middle.

// formCache opens forms, and makes those that are missing in the background; until then SQL answers.
type formCache struct {
	store  *Store
	folder string // empty where there are none
	ctx    context.Context
	stop   context.CancelFunc
	wait   sync.WaitGroup // for forms that are being made
	keeper sync.WaitGroup
	making chan struct{} // one form at a time

	mu    sync.Mutex
	open  map[int64]*columns.Form
	tried map[int64]string // the content of which a form is being made, or could not be
}

func newFormCache(s *Store, folder string) *formCache {
	ctx, stop := context.WithCancel(context.Background())
	return &formCache{store: s, folder: folder, ctx: ctx, stop: stop, making: make(chan struct{}, 1),
		open: map[int64]*columns.Form{}, tried: map[int64]string{}}
}

// checkEvery is how often all checksums of the forms that are open are looked at.
const checkEvery = 10 * time.Minute

// keep looks at the checksums of forms now and then, until the cache is closed.
func (fc *formCache) keep() {
	if fc.folder == "" {
		return
	}
	fc.keeper.Go(func() {
		ticker := time.NewTicker(checkEvery)
		defer ticker.Stop()
		for {
			select {
			case <-ticker.C:
				fc.store.sweep(fc.ctx)
				if err := fc.check(fc.ctx); err != nil && fc.ctx.Err() == nil {
					slog.Warn("the columnar forms could not be checked", "error", err)
				}
			case <-fc.ctx.Done():
				return
			}
		}
	})
}

// check verifies the forms that are open; what is damaged is made again.
func (fc *formCache) check(ctx context.Context) error {
	sets, err := fc.store.Datasets(ctx)
	if err != nil {
		return err
	}
	for i := range sets {
		if _, err := fc.verify(ctx, &sets[i]); err != nil && !columns.Broken(err) {
			return err
		}
	}
	return nil
}

// verify looks at the checksums of the form of a dataset, where one is open, and returns how many files it has. Errors: one that
// is Broken, after which the form is made again.
func (fc *formCache) verify(ctx context.Context, d *Dataset) (files int, err error) {
	fc.mu.Lock()
	f := fc.open[d.ID]
	fc.mu.Unlock()
	if f == nil {
		return 0, nil
	}
	if err = f.Verify(ctx); columns.Broken(err) {
		fc.broken(d, f, err)
	}
	return len(f.Pieces()), err
}

func (fc *formCache) close() {
	fc.stop()
	fc.keeper.Wait()
	fc.wait.Wait()
}

// of is the folder of a dataset.
func (fc *formCache) of(id int64) string { return filepath.Join(fc.folder, fmt.Sprint(id)) }

// current returns the form of a dataset as it is now; nil where there is none, and one is begun.
func (fc *formCache) current(ctx context.Context, d *Dataset) (*columns.Form, error) {
	if fc.folder == "" {
		return nil, nil
	}
	content := d.Content
	if !InSnapshot(ctx) { // in a snapshot the dataset was found as it is there
		if err := fc.store.reader(ctx).Model(&Dataset{}).Where("id = ?", d.ID).Pluck("content", &content).Error; err != nil {
			return nil, err
		}
	}
	fc.mu.Lock()
	defer fc.mu.Unlock()
	if f := fc.open[d.ID]; f != nil && f.Content == content {
		if f.Scattered() && fc.tried[d.ID] != content && fc.ctx.Err() == nil {
			fc.make(d, content) // in fewer pieces; until then this one answers
		}
		return f, nil
	}
	if fc.tried[d.ID] == content || fc.ctx.Err() != nil {
		return nil, nil
	}
	f, err := columns.Open(fc.of(d.ID), content, &d.Schema)
	if err == nil {
		fc.open[d.ID] = f
		return f, nil
	}
	if !errors.Is(err, fs.ErrNotExist) {
		slog.Warn("the columnar form of a dataset is made again", "dataset", d.Name, "error", err)
	}
	fc.make(d, content)
	return nil, nil
}

// have returns the form of a dataset that was found in the transaction at hand; nil where there is none.
func (fc *formCache) have(d *Dataset) *columns.Form {
	fc.mu.Lock()
	defer fc.mu.Unlock()
	if f := fc.open[d.ID]; f != nil && f.Content == d.Content {
		return f
	}
	f, err := columns.Open(fc.of(d.ID), d.Content, &d.Schema)
	if err != nil { // it is made again when it is asked for
		return nil
	}
	fc.open[d.ID] = f
	return f
}

// make begins to make the form of a content. fc.mu is held.
func (fc *formCache) make(d *Dataset, content string) {
	fc.tried[d.ID] = content
	fc.wait.Go(func() {
		select {
		case fc.making <- struct{}{}:
		case <-fc.ctx.Done():
			return
		}
		defer func() { <-fc.making }()
		f, err := fc.store.makeForm(fc.ctx, d, content)
		switch {
		case err == nil:
			fc.adopt(d.ID, f)
		case errors.Is(err, errChanged) || Gone(err):
			fc.forget(d.ID)
		case fc.ctx.Err() == nil:
			slog.Warn("no columnar form was made", "dataset", d.Name, "error", err)
		}
	})
}

func (fc *formCache) forget(id int64) {
	fc.mu.Lock()
	defer fc.mu.Unlock()
	delete(fc.tried, id)
}

// adopt puts a form in the place of the one before, whose files are removed; who still reads them has them mapped.
func (fc *formCache) adopt(id int64, f *columns.Form) {
	fc.mu.Lock()
	defer fc.mu.Unlock()
	before := fc.open[id]
	fc.open[id] = f
	delete(fc.tried, id)
	if before != nil && before != f {
		if err := columns.Remove(fc.of(id), before, f); err != nil {
			slog.Warn("files of columns are left", "error", err)
		}
	}
}

// broken drops a form that is not as it was written; it is made again.
func (fc *formCache) broken(d *Dataset, f *columns.Form, err error) {
	fc.mu.Lock()
	defer fc.mu.Unlock()
	if fc.open[d.ID] != f {
		return
	}
	slog.Warn("the columnar form of a dataset is made again", "dataset", d.Name, "error", err)
	delete(fc.open, d.ID)
	if err := columns.Remove(fc.of(d.ID), f, nil); err != nil {
		slog.Warn("files of columns are left", "error", err)
	}
	fc.make(d, f.Content)
}

// bytes is how long the files of the forms are that are open.
func (fc *formCache) bytes() int64 {
	fc.mu.Lock()
	defer fc.mu.Unlock()
	n := int64(0)
	for _, f := range fc.open {
		n += f.Bytes()
	}
	return n
}

// evict drops the form of a dataset that is gone.
func (fc *formCache) evict(id int64) {
	fc.mu.Lock()
	defer fc.mu.Unlock()
	delete(fc.open, id)
	delete(fc.tried, id)
	if fc.folder == "" {
		return
	}
	if err := os.RemoveAll(fc.of(id)); err != nil {
		slog.Warn("files of columns are left", "error", err)
	}
}

// sweep removes what belongs to no dataset as it is now: when the service starts.
func (fc *formCache) sweep(ctx context.Context) error {
	if fc.folder == "" {
		return nil
	}
	if err := os.MkdirAll(fc.folder, 0o700); err != nil {
		return err
	}
	entries, err := os.ReadDir(fc.folder)
	if err != nil {
		return err
	}
	sets, err := fc.store.Datasets(ctx)
	if err != nil {
		return err
	}
	for _, e := range entries {
		at := slices.IndexFunc(sets, func(d Dataset) bool { return fmt.Sprint(d.ID) == e.Name() })
		folder := filepath.Join(fc.folder, e.Name())
		if at < 0 {
			err = errors.Join(err, os.RemoveAll(folder))
			continue
		}
		f, wrong := columns.Open(folder, sets[at].Content, &sets[at].Schema)
		if wrong != nil { // it is made again when it is asked for
			err = errors.Join(err, columns.Sweep(folder))
			continue
		}
		err = errors.Join(err, columns.Sweep(folder, f))
	}
	return err
}

// errChanged is the error of a form whose dataset has changed meanwhile.
var errChanged = errors.New("the dataset has changed")

// makeForm makes the form of a content from the records in the database.
func (s *Store) makeForm(ctx context.Context, d *Dataset, content string) (f *columns.Form, err error) {
	folder := s.forms.of(d.ID)
	b, err := columns.NewBuilder(folder, &d.Schema)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			b.Abandon()
		}
	}()
	err = s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		if err := tx.Exec("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY").Error; err != nil {
			return err
		}
		var now string
		if err := tx.Model(&Dataset{}).Where("id = ?", d.ID).Pluck("content", &now).Error; err != nil {
			return err
		}
		if now != content {
			return errChanged
		}
		return d.readRecords(ctx, conn, b)
	})
	if err != nil {
		return nil, err
	}
	pieces, err := b.Finish()
	if err == nil {
		err = columns.Publish(folder, content, &d.Schema, pieces)
	}
	if err != nil {
		return nil, err
	}
	return columns.Open(folder, content, &d.Schema)
}

// readRecords takes all records in as CSV by COPY.
func (d *Dataset) readRecords(ctx context.Context, conn *sql.Conn, b *columns.Builder) error {
	schema := dataset.Schema{Zone: d.Schema.Zone, DayStarts: d.Schema.DayStarts, Columns: slices.Clone(d.Schema.Columns)}
	selected := []string{}
	for i := range schema.Columns {
		selected = append(selected, storedColumn(i))
	}
	number := dataset.Column{Name: recordColumn, Type: dataset.Number}
	schema.Columns = append(schema.Columns, number)
	selected = append(selected, quote(recordColumn))
	query := "COPY (SELECT " + strings.Join(selected, ", ") + " FROM " + d.table() + ") TO STDOUT (FORMAT csv)"
	return copyFrom(ctx, conn, query, func(in io.Reader) error {
		return ingest.Scan(
			ctx,
			ingest.Headless(in, schema.Names()),
			ingest.ScanOptions{Schema: &schema, AllowUndated: true, InOrder: true},
			func(_ int, rows ingest.Rows) (*columns.Block, error) {
				e := columns.NewEncoder(&d.Schema)
				last := len(schema.Columns) - 1
				err := rows(func(_ int, cells []dataset.Cell) error {
					e.Add(cells[last].Number.Digits, cells[:last])
					return nil
				})
				return e.Take(), err
			},
			b.Append,
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
