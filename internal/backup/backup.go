// Package backup writes the database of a service into one file while it is in use, and restores such a file into an empty one.
// The file is a ZIP archive: a dump by PostgreSQL's own tools of one state of the database, and a manifest with its checksum.
package backup

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"vastspan/internal/postgres"
)

// The names of what is in the file.
const (
	dumpName     = "database.dump"
	manifestName = "manifest.json"
)

// form is the version of the file's form.
const form = 1

// A Manifest says what is in a file. It is written last: a file without one is not whole.
type Manifest struct {
	Backup  int       `json:"backup"`  // the form of the file
	Version string    `json:"version"` // of the service that has made it
	MadeAt  time.Time `json:"made_at"`
	// Migrations are those that the database had been through, in their order.
	Migrations []string `json:"migrations"`
	Bytes      int64    `json:"bytes"`
	SHA256     string   `json:"sha256"` // of the dump
}

// Write writes a backup of the database at an address. What is in it is one state of the database, that of the beginning.
func Write(ctx context.Context, w io.Writer, address, version string) error {
	m := Manifest{Backup: form, Version: version, MadeAt: time.Now().UTC()}
	var err error
	if m.Migrations, err = migrations(ctx, address); err != nil {
		return err
	}
	archive := zip.NewWriter(w)
	entry, err := archive.CreateHeader(&zip.FileHeader{Name: dumpName, Method: zip.Store, Modified: m.MadeAt})
	if err != nil {
		return err
	}
	hash := sha256.New()
	sum := &counting{into: io.MultiWriter(entry, hash)}
	if err := dump(ctx, address, sum); err != nil {
		return err
	}
	m.Bytes, m.SHA256 = sum.n, hex.EncodeToString(hash.Sum(nil))
	if entry, err = archive.CreateHeader(&zip.FileHeader{Name: manifestName, Method: zip.Store, Modified: m.MadeAt}); err != nil {
		return err
	}
	text, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	if _, err := entry.Write(append(text, '\n')); err != nil {
		return err
	}
	return archive.Close()
}

// maxAttempts is how often a dump is begun.
const maxAttempts = 20

// dump dumps the database. Where a table is removed after the tool has listed it and before it has locked it, the tool ends
// before it has written anything, and is started again.
func dump(ctx context.Context, address string, into *counting) error {
	for attempt := 1; ; attempt++ {
		// Level 1 compresses nearly as well as the usual one, in half the time.
		err := run(ctx, "pg_dump", address, nil, into, "--format=custom", "--compress=1", "--no-owner", "--no-privileges")
		if err == nil || into.n > 0 || attempt == maxAttempts || !vanished.MatchString(err.Error()) {
			return err
		}
	}
}

// vanished is what the tool says of what was removed meanwhile.
var vanished = regexp.MustCompile(`does not exist|could not open relation|cache lookup failed`)

type counting struct {
	into io.Writer
	n    int64
}

func (c *counting) Write(p []byte) (int, error) {
	n, err := c.into.Write(p)
	c.n += int64(n)
	return n, err
}

// Check reads a file through. Errors say why it is not a whole backup.
func Check(path string) (*Manifest, error) {
	archive, m, err := open(path)
	if err != nil {
		return nil, err
	}
	defer archive.Close()
	dump, err := archive.Open(dumpName)
	if err != nil {
		return nil, broken(path, err)
	}
	defer dump.Close()
	hash := sha256.New()
	n, err := io.Copy(hash, dump)
	switch {
	case err != nil:
		return nil, broken(path, err)
	case n != m.Bytes || hex.EncodeToString(hash.Sum(nil)) != m.SHA256:
		return nil, broken(path, errors.New("its checksum is another"))
	}
	return m, nil
}

func broken(path string, err error) error {
	return fmt.Errorf("%s is not a whole backup: %w", filepath.Base(path), err)
}

func open(path string) (*zip.ReadCloser, *Manifest, error) {
	archive, err := zip.OpenReader(path)
	if err != nil {
		if errors.Is(err, os.ErrNotExist) || errors.Is(err, os.ErrPermission) {
			return nil, nil, err
		}
		return nil, nil, broken(path, err)
	}
	m, err := readManifest(archive)
	if err != nil {
		return nil, nil, errors.Join(broken(path, err), archive.Close())
	}
	return archive, m, nil
}

// maxManifest is how long a manifest may be, in bytes.
const maxManifest = 1 << 20

func readManifest(archive *zip.ReadCloser) (*Manifest, error) {
	file, err := archive.Open(manifestName)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	var m Manifest
	if err := json.NewDecoder(io.LimitReader(file, maxManifest)).Decode(&m); err != nil {
		return nil, err
	}
	if m.Backup != form {
		return nil, fmt.Errorf("it is of the form %d; this version knows %d", m.Backup, form)
	}
	return &m, nil
}

// Restore puts a file that was checked into an empty database, whole or not at all. known are the migrations that this version
// knows: a file of a later version is refused.
func Restore(ctx context.Context, path, address string, known []string) error {
	archive, m, err := open(path)
	if err != nil {
		return err
	}
	defer archive.Close()
	for _, id := range m.Migrations {
		if !slices.Contains(known, id) {
			return fmt.Errorf("%s was made by a later version, %s: restore it with that one or a newer one", filepath.Base(path), m.Version)
		}
	}
	if err := empty(ctx, address); err != nil {
		return err
	}
	if err := checkContents(ctx, archive); err != nil {
		return broken(path, err)
	}
	dump, err := archive.Open(dumpName)
	if err != nil {
		return broken(path, err)
	}
	defer dump.Close()
	return run(ctx, "pg_restore", address, dump, io.Discard, "--single-transaction", "--exit-on-error", "--no-owner", "--no-privileges")
}

// entry matches a line of the contents of a dump: its number, two of the database, what it is and its name.
var entry = regexp.MustCompile(`^\d+; \d+ \d+ (.*)$`)

// kinds are those of what a service's database has: data, tables with what belongs to them, views, and the two functions that keep
// the audit and receipts as they are.
var kinds = regexp.MustCompile(`^(TABLE DATA|TABLE ATTACH|TABLE|SEQUENCE OWNED BY|SEQUENCE SET|SEQUENCE|DEFAULT|CONSTRAINT|FK CONSTRAINT|` +
	`INDEX ATTACH|INDEX|TRIGGER|VIEW|SCHEMA|FUNCTION public (audit_stays|receipts_stay)\(\)|` +
	`COMMENT - SCHEMA public) `)

// checkContents refuses a dump that holds anything else than the database of a service does.
func checkContents(ctx context.Context, archive *zip.ReadCloser) error {
	dump, err := archive.Open(dumpName)
	if err != nil {
		return err
	}
	defer dump.Close()
	var list bytes.Buffer
	if err := run(ctx, "pg_restore", "", dump, &list, "--list"); err != nil {
		return err
	}
	for line := range strings.SplitSeq(list.String(), "\n") {
		if found := entry.FindStringSubmatch(line); found != nil && !kinds.MatchString(found[1]+" ") {
			return fmt.Errorf("it holds what no service has: %.80s", found[1])
		}
	}
	return nil
}

// ErrNotEmpty is that there is something in the database.
var ErrNotEmpty = errors.New("the database is not empty")

// empty makes sure that nothing is in the database.
func empty(ctx context.Context, address string) error {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	var n int
	err = conn.QueryRow(ctx, `SELECT count(*) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE c.relkind IN ('r', 'p', 'v', 'm') AND n.nspname NOT LIKE 'pg\_%' AND n.nspname <> 'information_schema'`).Scan(&n)
	if err == nil && n > 0 {
		err = ErrNotEmpty
	}
	return err
}

func migrations(ctx context.Context, address string) ([]string, error) {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return nil, err
	}
	defer func() { _ = conn.Close(ctx) }()
	rows, err := conn.Query(ctx, "SELECT id FROM migrations ORDER BY id")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// maxTold is how much of what a tool says is reported.
const maxTold = 2000

// run runs one of PostgreSQL's tools on the database at an address; on none where it is empty. The password is handed over where
// nobody can read it.
func run(ctx context.Context, tool, address string, in io.Reader, out io.Writer, args ...string) error {
	path, err := find(tool)
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, path, args...)
	if address != "" {
		config, err := pgx.ParseConfig(address)
		if err != nil {
			return errors.New("the address of the database cannot be read")
		}
		without, err := withoutPassword(address)
		if err != nil {
			return err
		}
		cmd.Args = append(cmd.Args, "--no-password", "--dbname="+without)
		cmd.Env = append(os.Environ(), "PGPASSWORD="+config.Password)
	}
	cmd.Stdin, cmd.Stdout = in, out
	var told bytes.Buffer
	cmd.Stderr = &told
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		text := strings.TrimSpace(told.String())
		return fmt.Errorf("%s: %w: %s", tool, err, text[:min(len(text), maxTold)])
	}
	return nil
}

// find finds a tool of the newest server that is installed, or on the path.
func find(tool string) (string, error) {
	if folder, err := postgres.FindBinaries(); err == nil {
		if path := filepath.Join(folder, tool); isFile(path) {
			return path, nil
		}
	}
	path, err := exec.LookPath(tool)
	if err != nil {
		return "", fmt.Errorf("%s is not installed: run apt-get install postgresql-client", tool)
	}
	return path, nil
}

func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular()
}

// withoutPassword takes the password out of an address, be it before the host or among the settings; an address of keys and
// values, which may hold one as well, is refused.
func withoutPassword(address string) (string, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "postgres" && u.Scheme != "postgresql" {
		return "", errors.New("a backup takes the address of the database as a URL: postgres://NAME@HOST/DATABASE")
	}
	if u.User != nil {
		u.User = url.User(u.User.Username())
	}
	settings := u.Query()
	settings.Del("password")
	u.RawQuery = settings.Encode()
	return u.String(), nil
}
