package cli

import (
	"context"
	"errors"
	"fmt"
	"io"

	"github.com/jackc/pgx/v5"

	"vastspan/internal/cli/print"
	"vastspan/internal/demo"
	"vastspan/internal/postgres"
	"vastspan/internal/service"
)

// The demo's gates are counted into a database of their own, from which they are attached.
const demoDatabase = "quay"

// besideDemo makes the database of the gates in the demo's server, and says how it is reached.
func (a *app) besideDemo(ctx context.Context, pg *postgres.Server) (map[string]service.DatabaseDefinition, error) {
	address, _, err := pg.Beside(ctx, demoDatabase)
	if err != nil {
		return nil, err
	}
	if err := a.fillGates(ctx, address); err != nil {
		return nil, fmt.Errorf("the demo's gates: %w", err)
	}
	return map[string]service.DatabaseDefinition{demoDatabase: {URL: address}}, nil
}

// fillGates brings the counts in, whole or not at all, where they are not there yet.
func (a *app) fillGates(ctx context.Context, address string) (err error) {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, conn.Close(ctx)) }()
	var there bool
	if err := conn.QueryRow(ctx, "SELECT to_regclass('public.gates') IS NOT NULL").Scan(&there); err != nil || there {
		return err
	}
	tx, err := conn.Begin(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback(ctx) }() // after a commit it does nothing
	_, err = tx.Exec(ctx, "CREATE TABLE public.gates (counted_at timestamptz NOT NULL, gate text NOT NULL, people integer NOT NULL)")
	if err != nil {
		return err
	}
	file, out := io.Pipe()
	go func() { out.CloseWithError(demo.WriteGates(out)) }()
	defer file.CloseWithError(io.ErrClosedPipe)
	done, err := conn.PgConn().CopyFrom(ctx, file, "COPY public.gates FROM STDIN (FORMAT csv, HEADER)")
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, "CREATE INDEX ON public.gates (counted_at)"); err != nil {
		return err
	}
	fmt.Fprintf(a.err, "put %s into database %s, from which gates is attached\n", print.Number(done.RowsAffected(), "record"), demoDatabase)
	return tx.Commit(ctx)
}

// attachGates makes the gates a dataset.
func (a *app) attachGates(ctx context.Context, s *service.Service, d *demo.Dataset) error {
	_, err := s.Datasets.Attach(ctx, service.Attachment{
		Name: d.Name, Database: demoDatabase, Table: "public.gates", Zone: d.Hints.Zone,
		Date: d.Hints.Date, Amounts: d.Hints.Amounts, Categories: d.Hints.Categories,
	})
	return err
}
