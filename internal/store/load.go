package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/tally"
	"vastspan/internal/columnstore"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
)

var forUpdate = clause.Locking{Strength: "UPDATE"}

// A LoadInput is a file about to be loaded.
type LoadInput struct {
	Dataset      string
	File         string
	Author       string
	AllowUndated bool
	// Key, where it is given, makes a second load with the same key give what the first one loaded.
	Key    string
	Reader ingest.Reader
	// Mode is append where it is empty. Days are those that are replaced, nil for all; Columns are the key of an upsert.
	Mode    Mode
	Days    *civil.Set
	Columns []string
	// Contents returns the checksums of the files once they have been read; nil where they are not distinguished.
	Contents func() []string
	// Again accepts files whose content was loaded before.
	Again bool
	// Reading returns the schema by which the file is read; nil is the dataset's own.
	Reading func(*dataset.Schema) (*dataset.Schema, error)
	// Describe returns the schema for a dataset that is not there yet.
	Describe func() (*dataset.Schema, error)
}

// LoadFile brings a file into a dataset, which is made where there is none, in one transaction: the
// file is loaded whole or not at all. Errors in it are *ingest.Faults.
func (s *Store) LoadFile(ctx context.Context, in LoadInput) (*Load, error) {
	var load *Load
	var edit *columnEdit
	err := s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		var err error
		load, err = in.run(ctx, tx, conn, s.columns, &edit)
		return err
	})
	edit.end(err)
	if err == nil {
		s.tallies.loads.Add(1)
		s.tallies.loadedRecords.Add(load.Records)
	}
	return load, err
}

// copyTransaction runs work in one transaction on a connection of its own. GORM's transactions hide
// the connection that COPY needs, so this one is begun and ended by hand.
func (s *Store) copyTransaction(ctx context.Context, work func(tx *gorm.DB, conn *sql.Conn) error) error {
	return connection(s.long.WithContext(ctx), func(tx *gorm.DB) error {
		conn, ok := tx.Statement.ConnPool.(*sql.Conn)
		if !ok {
			return fmt.Errorf("a pool of type %T gives no connection", tx.Statement.ConnPool)
		}
		if err := tx.Exec("BEGIN").Error; err != nil {
			return err
		}
		err := work(tx, conn)
		if err == nil {
			err = tx.Exec("COMMIT").Error
		}
		if err != nil {
			// The caller may have gone: the way back must not depend on it.
			_, undo := conn.ExecContext(context.WithoutCancel(ctx), "ROLLBACK")
			return errors.Join(err, ignoreDone(undo))
		}
		return nil
	})
}

// ignoreDone drops the error of rolling back on a connection that is broken: the server has rolled
// back by itself.
func ignoreDone(err error) error {
	if err != nil && !strings.Contains(err.Error(), "conn closed") && !errors.Is(err, sql.ErrConnDone) {
		return err
	}
	return nil
}

func (in *LoadInput) run(ctx context.Context, tx *gorm.DB, conn *sql.Conn, columns *columnCache, edit **columnEdit) (*Load, error) {
	d, err := in.dataset(tx)
	if err == nil {
		err = d.Here("nothing is loaded into it")
	}
	if err != nil {
		return nil, err
	}
	for _, name := range in.Columns {
		if _, err := d.Schema.Find(name); err != nil {
			return nil, refused.Wrong(err)
		}
	}
	if in.Key != "" {
		var have Load
		err := tx.Where("dataset_id = ? AND idempotency = ?", d.ID, in.Key).Take(&have).Error
		if err == nil {
			return &have, in.repeats(tx, &have)
		}
		if !errors.Is(err, gorm.ErrRecordNotFound) {
			return nil, err
		}
	}
	load := &Load{DatasetID: d.ID, File: in.File, Author: in.Author, LoadedAt: tx.NowFunc(), Mode: cmp.Or(in.Mode, Append),
		FirstRecord: d.NextRecord, Change: d.nextChange()}
	if in.Key != "" {
		load.Idempotency = &in.Key
	}
	if err := tx.Create(load).Error; err != nil {
		return nil, err
	}
	if in.Mode == Replace {
		if load.Replaced, err = d.end(tx, d.within(in.Days)); err != nil {
			return nil, err
		}
	}
	if *edit, err = columns.edit(d); err != nil {
		return nil, err
	}
	job, err := in.copy(ctx, conn, d, (*edit).edit)
	if err != nil {
		return nil, err
	}
	if in.Contents != nil {
		if err := d.keepContents(tx, load, in.Contents(), in.Again); err != nil {
			return nil, err
		}
	}
	if in.Mode == Upsert {
		if err := d.checkKey(tx, load, in.Columns); err != nil {
			return nil, err
		}
		if load.Replaced, err = d.end(tx, d.sameKey(load, in.Columns)); err != nil {
			return nil, err
		}
	}
	if d.Version == 0 {
		if err := d.createIndexes(tx); err != nil {
			return nil, err
		}
	}
	load.File = listed(in.File, ingest.Names(in.Reader))
	coverage := job.coverage
	load.NextRecord = job.next
	load.Records, load.Undated = coverage.Records+coverage.Undated, coverage.Undated
	if coverage.Records > 0 {
		first, last := coverage.Oldest.Time(), coverage.Newest.Time()
		load.Oldest, load.Newest = &first, &last
	}
	if err := tx.Save(load).Error; err != nil {
		return nil, err
	}
	if err := (*edit).publish(ctx, conn, load.Replaced); err != nil {
		return nil, err
	}
	if err := tx.Model(d).Update("next_record", job.next).Error; err != nil {
		return nil, err
	}
	if err := d.logChange(ctx, tx, LoadChange, load, (*edit).content); err != nil {
		return nil, err
	}
	return load, note(tx, Entry{Action: Loaded, Kind: "load", Name: itoa(load.ID), Detail: map[string]any{
		"dataset": d.Name, "file": load.File, "records": load.Records, "mode": load.Mode, "replaced": load.Replaced,
	}})
}

// repeats makes sure that a load by a key that was used before has the content that was loaded then.
func (in *LoadInput) repeats(tx *gorm.DB, have *Load) error {
	have.Repeated = true
	if in.Contents == nil {
		return nil
	}
	for { // to the end, so that its checksum is known
		_, err := in.Reader.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
	}
	var before []string
	if err := tx.Table("load_files").Where("load_id = ?", have.ID).Order("position").Pluck("content", &before).Error; err != nil {
		return err
	}
	if !slices.Equal(before, in.Contents()) {
		return &refused.Error{Kind: refused.Invalid, Code: refused.CodeKeyUsed, Err: fmt.Errorf(
			"the key %q was used for load %d (%s) on %s, and this file has other content; nothing was loaded. Use another key for another file",
			in.Key, have.ID, have.File, have.LoadedAt.UTC().Format(time.DateOnly))}
	}
	return nil
}

// maxFileNames is how many files of a load are named.
const maxFileNames = 5

// listed names the files of a load.
func listed(file string, several []string) string {
	switch {
	case len(several) < 2:
		return file
	case len(several) > maxFileNames:
		return fmt.Sprintf("%s and %d more", strings.Join(several[:maxFileNames], ", "), len(several)-maxFileNames)
	}
	return strings.Join(several, ", ")
}

// dataset finds the dataset, locked against other loads, or makes it.
func (in *LoadInput) dataset(tx *gorm.DB) (*Dataset, error) {
	d, err := findDataset(tx.Clauses(forUpdate), in.Dataset)
	if !refused.IsMissing(err) {
		return d, err
	}
	schema, err := in.Describe()
	if err != nil {
		return nil, err
	}
	d = &Dataset{Name: in.Dataset, Schema: *schema, Described: 1, Content: newContent()}
	return d, d.create(tx)
}

// loadJob is a file on its way into the table.
type loadJob struct {
	dataset  *Dataset
	withDay  bool // the table keeps the day of a timestamp
	coverage tally.Coverage
	next     int64 // the number of the first record after it
	columns  *columnstore.Edit
}

// copy streams the file's rows into the table by COPY. Its blocks are read and written on all
// processors, in the order of the file.
func (in *LoadInput) copy(ctx context.Context, conn *sql.Conn, d *Dataset, columns *columnstore.Edit) (*loadJob, error) {
	l := &loadJob{dataset: d, withDay: d.day() == quote(dayColumn), next: d.NextRecord, columns: columns}
	read := &d.Schema
	if in.Reading != nil {
		var err error
		if read, err = in.Reading(read); err != nil {
			return nil, err
		}
	}
	var readError error
	err := copyInto(ctx, conn, d.table(), d.recordColumns(), func(out io.Writer) error {
		readError = ingest.Scan(
			ctx,
			in.Reader,
			ingest.ScanOptions{Schema: read, AllowUndated: in.AllowUndated, Within: in.Days},
			l.encode,
			func(b encoded) error {
				l.coverage.Merge(b.coverage)
				l.next = max(l.next, b.next)
				if err := columns.Append(b.block); err != nil {
					return err
				}
				_, err := out.Write(b.rows)
				return err
			},
		)
		return readError
	})
	if readError != nil && !errors.Is(readError, errTaken) {
		return l, readError
	}
	return l, tooLong(err, len(d.Schema.Columns))
}

// tooLong words the error of a record that is too long for a row of a table: values of many columns,
// each too short to be kept elsewhere.
func tooLong(err error, columns int) error {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) || pg.Code != "54000" {
		return err
	}
	var size, most, record int
	if _, err := fmt.Sscanf(pg.Message, "row is too big: size %d, maximum size %d", &size, &most); err != nil {
		return pg
	}
	if _, at, found := strings.Cut(pg.Where, ", line "); found {
		_, _ = fmt.Sscan(strings.TrimRight(at, ",: "), &record) // 0 where it is not said
	}
	return refused.Wrongf(
		"record %d of the file is too long: the values of its %d columns take %d bytes, and %d can be kept (a text longer than 24 counts 24); "+
			"leave columns out, or put several into one",
		record, columns, size, most,
	)
}

// errTaken ends the writing of rows when the database takes no more; the error is the database's.
var errTaken = errors.New("the database took no more")

// copyInto runs COPY with what write writes.
func copyInto(ctx context.Context, conn *sql.Conn, table string, columns []string, write func(io.Writer) error) error {
	return conn.Raw(func(driver any) error {
		pg := driver.(*stdlib.Conn).Conn().PgConn()
		pipe, out := io.Pipe()
		done := make(chan struct{})
		go func() {
			defer close(done)
			out.CloseWithError(write(out)) // nil ends the copy well
		}()
		_, err := pg.CopyFrom(ctx, pipe, "COPY "+table+" ("+strings.Join(columns, ", ")+") FROM STDIN")
		pipe.CloseWithError(errTaken)
		<-done
		return err
	})
}

// encoded is a block of rows in the text form of COPY.
type encoded struct {
	rows     []byte
	coverage tally.Coverage
	next     int64
	block    *columnstore.Block
}

// encode writes a block of rows and adds them up. A record's number grows with its line, so that
// blocks need not wait for each other to be counted.
func (l *loadJob) encode(worker int, rows ingest.Rows) (encoded, error) {
	s := &l.dataset.Schema
	day := s.Day()
	var e encoded
	line := make([]byte, 0, 3<<19)
	err := rows(func(at int, cells []dataset.Cell) error {
		number := l.dataset.NextRecord + int64(at)
		e.next = number + 1
		if err := l.columns.Worker(worker).Add(columnstore.RecordKey{Record: number, Since: l.columns.Change()}, cells); err != nil {
			return err
		}
		line = strconv.AppendInt(line, number, 10)
		line = append(line, '\t')
		line = strconv.AppendInt(line, l.dataset.nextChange(), 10)
		if cells[day].Set {
			e.coverage.Add(cells[day].Day)
		} else {
			e.coverage.Undated++
		}
		if l.withDay {
			line = append(line, '\t')
			if cells[day].Set {
				line = cells[day].Day.AppendText(line)
			} else {
				line = append(line, `\N`...)
			}
		}
		for i := range s.Columns {
			line = append(line, '\t')
			line = appendCell(line, s.Columns[i].Type, &cells[i])
		}
		line = append(line, '\n')
		return nil
	})
	e.rows, e.block = line, l.columns.Worker(worker).Take()
	return e, err
}

func appendCell(line []byte, t dataset.Type, c *dataset.Cell) []byte {
	if !c.Set {
		return append(line, `\N`...)
	}
	switch t {
	case dataset.Date:
		return c.Day.AppendText(line)
	case dataset.Timestamp:
		return c.Moment.UTC().AppendFormat(line, time.RFC3339Nano)
	case dataset.Number:
		return append(line, c.Text...)
	}
	if !strings.ContainsAny(c.Text, "\\\t\n\r") {
		return append(line, c.Text...)
	}
	for i := range len(c.Text) {
		switch b := c.Text[i]; b {
		case '\\':
			line = append(line, `\\`...)
		case '\t':
			line = append(line, `\t`...)
		case '\n':
			line = append(line, `\n`...)
		case '\r':
			line = append(line, `\r`...)
		default:
			line = append(line, b)
		}
	}
	return line
}
