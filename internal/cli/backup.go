package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"vastspan/internal/backup"
	"vastspan/internal/cli/print"
	"vastspan/internal/service"
)

func (a *app) backupCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "backup FILE",
		Short: "Back up a running service into one file",
		Long: `Writes definitions, records, loads, receipts and schedules into one file: one state of the service, that of the
beginning, however long it takes. The file appears when it is whole and its checksum is right; else there is none. Tables
of other databases stay where they are. vastspan restore puts it into an empty service of this or a later version.`,
		Example: "  vastspan backup vastspan-2026-10-19.zip",
		Args:    argsUsage(cobra.ExactArgs(1), "the file to write"),
		RunE: func(cmd *cobra.Command, args []string) error {
			m, err := a.backup(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.done(m, "%s: %s bytes of version %s, of %s", args[0], print.Count(m.Bytes), m.Version,
				m.MadeAt.Local().Format(time.DateTime))
		},
	}
}

// backup fetches a backup into a file, which appears when it is whole.
func (a *app) backup(ctx context.Context, path string) (*backup.Manifest, error) {
	if _, err := os.Lstat(path); !errors.Is(err, os.ErrNotExist) {
		return nil, errors.Join(fmt.Errorf("%s already exists", path), err)
	}
	c, err := a.client()
	if err != nil {
		return nil, err
	}
	f, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+"-*")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.Remove(f.Name()) }() // it is gone where it was given its name
	r, err := c.Into(f).MakeBackup(ctx)
	closing := errors.Join(f.Sync(), f.Close())
	switch {
	case r.HTTPResponse == nil:
		return nil, a.callError(err)
	case err != nil || closing != nil:
		return nil, fmt.Errorf("the backup broke off, and %s was not written: %w", path, errors.Join(err, closing))
	}
	if err := checkResponse(r.Received(), nil); err != nil {
		return nil, err
	}
	m, err := backup.Check(f.Name())
	if err != nil {
		return nil, fmt.Errorf("the backup broke off, and %s was not written: %w", path, err)
	}
	return m, os.Rename(f.Name(), path)
}

func (a *app) restoreCommand() *cobra.Command {
	s := &serving{}
	c := &cobra.Command{
		Use:   "restore FILE",
		Short: "Restore a backup into an empty service, and verify it",
		Long: `Puts a backup into the empty data folder of a service that does not run, or into an empty database that somebody else
runs (--database), brings it up to this version and recounts the sums of every dataset. It is whole or not at all: existing
records are never touched.`,
		Example: "  vastspan restore vastspan-2026-10-19.zip --data /var/lib/vastspan",
		Args:    argsUsage(cobra.ExactArgs(1), "the file of a backup"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if holdsPassword(s.database) {
				return errPassword
			}
			if s.database == "" {
				s.database = os.Getenv("VASTSPAN_DATABASE")
			}
			return a.restore(cmd.Context(), s, args[0])
		},
	}
	c.Flags().StringVar(&s.data, "data", "", "folder of the service (default: $VASTSPAN_DATA, else the usual place for data)")
	c.Flags().StringVar(&s.database, "database", "",
		"URL of an empty PostgreSQL database that somebody else runs (default: $VASTSPAN_DATABASE)")
	_ = c.MarkFlagDirname("data")
	return c
}

func (a *app) restore(ctx context.Context, s *serving, path string) (err error) {
	if _, err := backup.Check(path); err != nil { // before anything is made
		return err
	}
	base, err := s.dataFolder()
	if err != nil {
		return err
	}
	if s.database == "" {
		if folder, err := existing(base); err == nil {
			return fmt.Errorf("%s is not empty, and nothing was changed: expected an empty folder (--data) or database", folder)
		}
	}
	folder := filepath.Join(base, "serve")
	database, err := s.openDatabase(ctx, folder)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, database.close()) }()
	r, err := service.Restore(ctx, path, database.url, filepath.Join(folder, "columns"))
	if errors.Is(err, backup.ErrNotEmpty) {
		return fmt.Errorf("%s is not empty, and nothing was changed: expected an empty folder (--data) or database",
			where(s, base))
	}
	if err == nil {
		err = database.guard(ctx)
	}
	if err != nil {
		return err
	}
	return a.done(r, "%s of %s is restored into %s: %s with %s, %s, %s, %s; all sums verified",
		filepath.Base(path), r.Manifest.MadeAt.Local().Format(time.DateTime), where(s, base), print.Number(r.Datasets, "dataset"),
		print.Number(r.Records, "record"), print.Number(r.Definitions, "definition"), print.Number(r.Loads, "load"),
		print.Number(r.Receipts, "receipt"))
}

// where names what is restored into.
func where(s *serving, base string) string {
	if s.database != "" {
		return "the database"
	}
	return base
}
