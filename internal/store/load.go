package store

import (
	"bufio"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"vastspan/core/tally"
	"vastspan/internal/tabular"
)

var forUpdate = clause.Locking{Strength: "UPDATE"}

// An Incoming is a file about to be loaded.
type Incoming struct {
	Dataset      string
	File         string
	Author       string
	AllowUndated bool
	Reader       *tabular.Reader
	// Describe gives the schema for a dataset that is not there yet.
	Describe func() (*tabular.Schema, error)
}

// Load brings a file into a dataset, which is made where there is none, in one transaction: the
// file lands whole or not at all. Errors in it are *tabular.Faults.
func (s *Store) Load(ctx context.Context, in Incoming) (*Load, error) {
	var load *Load
	err := s.copyTransaction(ctx, func(tx *gorm.DB, conn *sql.Conn) error {
		var err error
		load, err = in.land(ctx, tx, conn)
		return err
	})
	return load, err
}

// copyTransaction runs work in one transaction on a connection of its own. GORM's transactions hide
// the connection that COPY needs, so this one is begun and ended by hand.
func (s *Store) copyTransaction(ctx context.Context, work func(tx *gorm.DB, conn *sql.Conn) error) error {
	return connection(s.db.WithContext(ctx), func(tx *gorm.DB) error {
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

func (in *Incoming) land(ctx context.Context, tx *gorm.DB, conn *sql.Conn) (*Load, error) {
	d, err := in.dataset(tx)
	if err != nil {
		return nil, err
	}
	load := &Load{DatasetID: d.ID, File: in.File, Author: in.Author, LandedAt: tx.NowFunc()}
	if err := tx.Create(load).Error; err != nil {
		return nil, err
	}
	extent, err := in.copy(ctx, conn, d, load.ID)
	if err != nil {
		return nil, err
	}
	if d.Version == 0 {
		if err := d.createIndexes(tx); err != nil {
			return nil, err
		}
	}
	if err := d.touch(tx, load.ID); err != nil {
		return nil, err
	}
	if err := d.renewSums(tx); err != nil {
		return nil, err
	}
	load.Records, load.Undated = extent.Records+extent.Undated, extent.Undated
	if extent.Records > 0 {
		first, last := extent.Oldest.Time(), extent.Newest.Time()
		load.FirstDay, load.LastDay = &first, &last
	}
	if err := tx.Save(load).Error; err != nil {
		return nil, err
	}
	return load, tx.Model(d).Update("version", d.Version+1).Error
}

// dataset finds the dataset, locked against other loads, or makes it.
func (in *Incoming) dataset(tx *gorm.DB) (*Dataset, error) {
	d, err := findDataset(tx.Clauses(forUpdate), in.Dataset)
	var missing *NotFound
	if !errors.As(err, &missing) {
		return d, err
	}
	schema, err := in.Describe()
	if err != nil {
		return nil, err
	}
	d = &Dataset{Name: in.Dataset, Schema: *schema}
	return d, d.create(tx)
}

// copy streams the file's rows into the table by COPY.
func (in *Incoming) copy(ctx context.Context, conn *sql.Conn, d *Dataset, load int64) (tally.Extent, error) {
	columns := []string{quote(loadColumn)}
	withDay := d.day() == quote(dayColumn)
	if withDay {
		columns = append(columns, quote(dayColumn))
	}
	for _, c := range d.Schema.Columns {
		columns = append(columns, quote(c.Name))
	}
	statement := "COPY " + d.table() + " (" + strings.Join(columns, ", ") + ") FROM STDIN"
	var extent tally.Extent
	var readError error
	err := conn.Raw(func(driver any) error {
		pg := driver.(*stdlib.Conn).Conn().PgConn()
		pipe, out := io.Pipe()
		done := make(chan struct{})
		go func() {
			defer close(done)
			extent, readError = in.encode(out, d, load, withDay)
			out.CloseWithError(readError) // nil ends the copy well
		}()
		_, err := pg.CopyFrom(ctx, pipe, statement)
		pipe.CloseWithError(errors.New("the database took no more"))
		<-done
		return err
	})
	if err != nil && readError != nil && !strings.Contains(readError.Error(), "the database took no more") {
		return extent, readError
	}
	return extent, err
}

// encode writes the rows in the text form of COPY.
func (in *Incoming) encode(out io.Writer, d *Dataset, load int64, withDay bool) (tally.Extent, error) {
	w := bufio.NewWriterSize(out, 1<<18)
	day := d.Schema.Day()
	var extent tally.Extent
	line := make([]byte, 0, 256)
	err := in.Reader.Records(&d.Schema, in.AllowUndated, func(cells []tabular.Cell) error {
		line = strconv.AppendInt(line[:0], load, 10)
		if cells[day].Set {
			extent.Add(cells[day].Day)
		} else {
			extent.Undated++
		}
		if withDay {
			line = append(line, '\t')
			if cells[day].Set {
				line = cells[day].Day.AppendText(line)
			} else {
				line = append(line, `\N`...)
			}
		}
		for i := range d.Schema.Columns {
			line = append(line, '\t')
			line = appendCell(line, d.Schema.Columns[i].Type, &cells[i])
		}
		line = append(line, '\n')
		_, err := w.Write(line)
		return err
	})
	return extent, errors.Join(err, flushUnless(err, w))
}

func flushUnless(err error, w *bufio.Writer) error {
	if err != nil {
		return nil
	}
	return w.Flush()
}

func appendCell(line []byte, t tabular.Type, c *tabular.Cell) []byte {
	if !c.Set {
		return append(line, `\N`...)
	}
	switch t {
	case tabular.Date:
		return c.Day.AppendText(line)
	case tabular.Timestamp:
		return c.Moment.UTC().AppendFormat(line, time.RFC3339Nano)
	case tabular.Number:
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
