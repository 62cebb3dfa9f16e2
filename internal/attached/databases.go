package attached

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgproto3"

	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// A Definition says how a database is reached. Its secret is in a file or in the environment, or in the address itself.
type Definition struct {
	URL string `yaml:"url"`
	// PasswordFile and PasswordVariable name where the password is.
	PasswordFile     string `yaml:"password_file"`
	PasswordVariable string `yaml:"password_variable"`
	// Timeout bounds a statement; 0 is DefaultTimeout.
	Timeout time.Duration `yaml:"timeout"`
	// Parallel is how many statements run at a time; 0 is DefaultParallel.
	Parallel int `yaml:"parallel"`
}

// The bounds of a database for which none are stated.
const (
	DefaultTimeout  = time.Minute
	DefaultParallel = 4
)

// A Database is one that tables are attached in, by the name that the service has for it.
type Database struct {
	Name string
	// Engine is the name of its kind: PostgreSQL, SQLite, ClickHouse.
	Engine     string
	definition Definition
	databases  *Databases
	turns      chan struct{}

	mu      sync.Mutex
	dialect dialect
}

// Databases are those that a service knows.
type Databases struct {
	list map[string]*Database

	mu      sync.Mutex
	covered map[coverKey]cover
	strays  map[coverKey]bool // tables with dates outside the years that there are
}

// engines open databases, by the scheme of their address.
var engines = map[string]struct {
	name string
	open func(u *url.URL, d *Definition) (dialect, error)
}{
	"postgres":         {"PostgreSQL", openPostgreSQL},
	"postgresql":       {"PostgreSQL", openPostgreSQL},
	"sqlite":           {"SQLite", openSQLite},
	"clickhouse":       {"ClickHouse", openClickHouse},
	"clickhouse+https": {"ClickHouse", openClickHouse},
}

// addressForms says how databases are addressed.
const addressForms = "postgres://NAME@HOST/DATABASE, sqlite:/FILE or clickhouse://NAME@HOST:8123/DATABASE"

// Configure knows some databases by their names; none is reached before it is asked. Errors name the database and never hold
// its address, in which a password may be.
func Configure(definitions map[string]Definition) (*Databases, error) {
	ds := &Databases{list: map[string]*Database{}, covered: map[coverKey]cover{}, strays: map[coverKey]bool{}}
	for name, d := range definitions {
		u, err := url.Parse(d.URL)
		if err != nil || d.URL == "" {
			return nil, fmt.Errorf("database %s: the address cannot be read: expected %s", name, addressForms)
		}
		engine, ok := engines[u.Scheme]
		switch {
		case !ok:
			return nil, fmt.Errorf("database %s: %q is not an engine: expected %s", name, u.Scheme, addressForms)
		case d.Timeout < 0 || d.Parallel < 0:
			return nil, fmt.Errorf("database %s: timeout and parallel are not less than nothing", name)
		case d.PasswordFile != "" && d.PasswordVariable != "":
			return nil, fmt.Errorf("database %s: the password is in a file or in a variable, not in both", name)
		}
		if d.Timeout == 0 {
			d.Timeout = DefaultTimeout
		}
		if d.Parallel == 0 {
			d.Parallel = DefaultParallel
		}
		ds.list[name] = &Database{Name: name, Engine: engine.name, definition: d, databases: ds, turns: make(chan struct{}, d.Parallel)}
	}
	return ds, nil
}

// List lists the databases by name.
func (ds *Databases) List() []*Database {
	var list []*Database
	for _, name := range slices.Sorted(maps.Keys(ds.list)) {
		list = append(list, ds.list[name])
	}
	return list
}

// Find finds a database. Errors: Unknown.
func (ds *Databases) Find(name string) (*Database, error) {
	if d := ds.list[name]; d != nil {
		return d, nil
	}
	return nil, unknown(name)
}

// Close ends all connections.
func (ds *Databases) Close() error {
	var err error
	for _, d := range ds.list {
		d.mu.Lock()
		if d.dialect != nil {
			err = errors.Join(err, d.dialect.close())
			d.dialect = nil
		}
		d.mu.Unlock()
	}
	return err
}

// Address is where the database is, without its password.
func (d *Database) Address() string {
	u, err := url.Parse(d.definition.URL)
	if err != nil {
		return ""
	}
	if u.User != nil {
		u.User = url.User(u.User.Username())
	}
	u.RawQuery = ""
	return u.String()
}

// Timeout is how long a statement may take.
func (d *Database) Timeout() time.Duration { return d.definition.Timeout }

// Parallel is how many statements run at a time.
func (d *Database) Parallel() int { return d.definition.Parallel }

// reach opens the database, once; that it answers is not looked at.
func (d *Database) reach() error {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.dialect != nil {
		return nil
	}
	u, err := url.Parse(d.definition.URL)
	if err != nil {
		return err
	}
	password, err := d.definition.password()
	if err != nil {
		return notReached(d.Name, err)
	}
	if password != "" {
		u.User = url.UserPassword(u.User.Username(), password)
	}
	d.dialect, err = engines[u.Scheme].open(u, &d.definition)
	if err != nil {
		return notReached(d.Name, err)
	}
	return nil
}

func (d *Definition) password() (string, error) {
	if d.PasswordVariable != "" {
		text, ok := os.LookupEnv(d.PasswordVariable)
		if !ok {
			return "", fmt.Errorf("its password is not there: the variable %s is not set", d.PasswordVariable)
		}
		return text, nil
	}
	if d.PasswordFile == "" {
		return "", nil
	}
	text, err := os.ReadFile(d.PasswordFile)
	if err != nil {
		return "", fmt.Errorf("its password is not there: %w", err)
	}
	return strings.TrimRight(string(text), "\r\n"), nil
}

// Test says which engine answers.
func (d *Database) Test(ctx context.Context) (version string, err error) {
	if err := d.reach(); err != nil {
		return "", err
	}
	ctx, stop := context.WithTimeout(ctx, min(d.definition.Timeout, testTimeout))
	defer stop()
	version, err = d.dialect.version(ctx)
	return version, d.plainly(ctx, err)
}

const testTimeout = 10 * time.Second

// Describe says how a table or view is kept, column by column. Errors: Changed where there is none.
func (d *Database) Describe(ctx context.Context, table string) ([]Column, error) {
	if err := d.reach(); err != nil {
		return nil, err
	}
	ctx, stop := context.WithTimeout(ctx, d.definition.Timeout)
	defer stop()
	columns, err := d.dialect.columns(ctx, table)
	return columns, d.plainly(ctx, err)
}

// A TableName is a table or view that can be attached.
type TableName struct {
	Table string // with its schema, where the engine has schemas
	Kind  string // table or view
}

// MaxTables is how many tables of a database are listed.
const MaxTables = 2000

// Tables lists the tables and views that may be read, by name, and reports whether there are more than MaxTables.
func (d *Database) Tables(ctx context.Context) (list []TableName, more bool, err error) {
	if err := d.reach(); err != nil {
		return nil, false, err
	}
	err = d.stream(ctx, d.dialect.tables(MaxTables+1), func(row []sql.NullString) error {
		list = append(list, TableName{row[0].String, row[1].String})
		return nil
	})
	if len(list) > MaxTables {
		list, more = list[:MaxTables], true
	}
	return list, more, d.plainly(ctx, err)
}

// source opens the database of a table.
func (ds *Databases) source(_ context.Context, t *Table, s *dataset.Schema) (*source, error) {
	d, err := ds.Find(t.Database)
	if err != nil {
		return nil, err
	}
	if err := d.reach(); err != nil {
		return nil, err
	}
	clock, err := s.Clock()
	return &source{d, t, s, clock}, err
}

// ask runs a statement in its turn and gives its rows to take. An answer that is too long to be held in memory is an error.
func (d *Database) ask(ctx context.Context, statement string, take func([]sql.NullString) error) error {
	left := int64(maxAnswer)
	return d.stream(ctx, statement, func(row []sql.NullString) error {
		for _, cell := range row {
			left -= int64(len(cell.String)) + 16
		}
		if left < 0 {
			return d.answeredTooMuch(maxAnswer)
		}
		return take(row)
	})
}

// Limits of what a database answers, in bytes.
const (
	maxAnswer = 256 << 20 // of what is held in memory
	maxRecord = 16 << 20  // of one row
)

// stream runs a statement in its turn and gives its rows to take, however many they are.
func (d *Database) stream(ctx context.Context, statement string, take func([]sql.NullString) error) error {
	select {
	case d.turns <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-d.turns }()
	note(ctx, d.Name, statement)
	within, stop := context.WithTimeout(ctx, d.definition.Timeout)
	defer stop()
	err := d.dialect.rows(within, statement, take)
	if ctx.Err() == nil && within.Err() != nil && err != nil {
		return d.tookTooLong()
	}
	return err
}

// kindOf wraps an error of the database as the kind that it is of.
func (d *Database) kindOf(ctx context.Context, err error) error {
	if err == nil || isTold(err) {
		return err
	}
	if gone := ctx.Err(); errors.Is(gone, context.Canceled) {
		return gone
	} else if gone != nil {
		return d.tookTooLong()
	}
	var long *pgproto3.ExceededMaxBodyLenErr
	if errors.Is(err, errLongRow) || errors.As(err, &long) {
		return d.answeredTooMuch(maxRecord)
	}
	switch d.dialect.failed(err) {
	case unreachable:
		return notReached(d.Name, err)
	case timedOut:
		return d.tookTooLong()
	}
	return err
}

// plainly is kindOf for what is not about a table that was attached.
func (d *Database) plainly(ctx context.Context, err error) error {
	if err = d.kindOf(ctx, err); err == nil || isTold(err) || ctx.Err() != nil {
		return err
	}
	return notRun(d.Name, err)
}

// told wraps an error as the kind that it is of: a statement that cannot be run may be about a table that has changed.
func (s *source) told(ctx context.Context, err error) error {
	if err = s.kindOf(ctx, err); err == nil || isTold(err) || ctx.Err() != nil {
		return err
	}
	var many *tally.TooMany
	if errors.As(err, &many) {
		return err
	}
	now, wrong := s.Describe(ctx, s.table.Name)
	if wrong == nil {
		wrong = s.table.Drift(now)
	}
	if isTold(wrong) {
		return wrong
	}
	return notRun(s.Name, err)
}

// coverKey identifies what is remembered of a table.
type coverKey struct {
	database, table, date, clock string
	counted                      bool
}

// A cover is which days records span, as it was asked.
type cover struct {
	tally.Coverage
	at time.Time
}

func (ds *Databases) noteStrays(key coverKey, some bool) {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	ds.strays[key] = some
}

func (ds *Databases) hasStrays(key coverKey) bool {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	return ds.strays[key]
}

// coverFor is how long it is remembered.
const coverFor = time.Minute

// remembered asks which days records span, once in a while: the source may move meanwhile.
func (ds *Databases) remembered(key coverKey, ask func() (tally.Coverage, error)) (tally.Coverage, error) {
	ds.mu.Lock()
	had, ok := ds.covered[key]
	ds.mu.Unlock()
	if ok && time.Since(had.at) < coverFor {
		return had.Coverage, nil
	}
	c, err := ask()
	if err == nil {
		ds.mu.Lock()
		ds.covered[key] = cover{c, time.Now()}
		ds.mu.Unlock()
	}
	return c, err
}

// Statements are those that were sent, in the order in which they were.
type Statements struct {
	mu   sync.Mutex
	list []Statement
}

// A Statement is one that was sent to a database.
type Statement struct {
	Database string `json:"database"`
	SQL      string `json:"sql"`
}

// List lists the statements.
func (s *Statements) List() []Statement {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Clone(s.list)
}

type statementsKey struct{}

// Noting returns a context in which the statements that are sent are noted.
func Noting(ctx context.Context) (context.Context, *Statements) {
	s := &Statements{}
	return context.WithValue(ctx, statementsKey{}, s), s
}

func note(ctx context.Context, database, statement string) {
	if s, ok := ctx.Value(statementsKey{}).(*Statements); ok {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.list = append(s.list, Statement{database, statement})
	}
}
