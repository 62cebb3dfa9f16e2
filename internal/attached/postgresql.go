package attached

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"

	"vastspan/core/civil"
)

// postgreSQL is PostgreSQL: tables, views, foreign tables, and tables partitioned over several servers.
type postgreSQL struct{ pool *sql.DB }

// reachTimeout is how long it may take until a database answers at all.
const reachTimeout = 5 * time.Second

func openPostgreSQL(u *url.URL, d *Definition) (dialect, error) {
	config, err := pgx.ParseConfig(u.String())
	if err != nil {
		return nil, errors.New("its address cannot be read") // it may hold a password
	}
	config.ConnectTimeout = reachTimeout
	config.DefaultQueryExecMode = pgx.QueryExecModeSimpleProtocol
	for name, value := range map[string]string{
		"application_name":              "vastspan",
		"default_transaction_read_only": "on",
		"statement_timeout":             fmt.Sprint(d.Timeout.Milliseconds()),
		"constraint_exclusion":          "on", // parts that hold none of the days are not looked at
		"standard_conforming_strings":   "on",
		"extra_float_digits":            "1",
		"DateStyle":                     "ISO, YMD",
		"TimeZone":                      "UTC",
	} {
		config.RuntimeParams[name] = value
	}
	config.MaxProtocolMessageBodyLen = maxRecord
	pool := stdlib.OpenDB(*config)
	pool.SetMaxOpenConns(d.Parallel + 1)
	pool.SetConnMaxIdleTime(time.Minute)
	return &postgreSQL{pool}, nil
}

func (p *postgreSQL) close() error { return p.pool.Close() }

func (p *postgreSQL) rows(ctx context.Context, statement string, take func([]sql.NullString) error) error {
	tx, err := p.pool.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }() // nothing was changed
	return rowsOf(ctx, tx, statement, take)
}

// rowsOf returns the rows of a statement of database/sql.
func rowsOf(
	ctx context.Context, q interface {
		QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	}, statement string, take func([]sql.NullString) error, args ...any,
) error {
	rows, err := q.QueryContext(ctx, statement, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		return err
	}
	row := make([]sql.NullString, len(names))
	into := make([]any, len(names))
	for i := range row {
		into[i] = &row[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		if err := take(row); err != nil {
			return err
		}
	}
	return rows.Err()
}

func (p *postgreSQL) version(ctx context.Context) (version string, err error) {
	err = p.rows(ctx, "SHOW server_version", func(row []sql.NullString) error {
		version = "PostgreSQL " + row[0].String
		return nil
	})
	return version, err
}

func (p *postgreSQL) tables(most int) string {
	return `SELECT n.nspname || '.' || c.relname, CASE WHEN c.relkind IN ('v', 'm') THEN 'view' ELSE 'table' END
		FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT c.relispartition AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
			AND n.nspname || c.relname !~ '[.]' AND has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')
		ORDER BY 1 LIMIT ` + strconv.Itoa(most)
}

// columns reads the catalogue; a domain is what it is based on.
func (p *postgreSQL) columns(ctx context.Context, table string) ([]Column, error) {
	var list []Column
	text := `SELECT a.attname, format_type(a.atttypid, a.atttypmod), NOT a.attnotnull,
			coalesce(base.typname, t.typname)
		FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid LEFT JOIN pg_type base ON base.oid = nullif(t.typbasetype, 0)
		WHERE a.attrelid = to_regclass(` + p.literal(p.table(table)) + `) AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum`
	err := p.rows(ctx, text, func(row []sql.NullString) error {
		c := Column{Name: row[0].String, Declared: row[1].String, Nullable: row[2].String == "true" || row[2].String == "t", Form: Text}
		switch row[3].String {
		case "date":
			c.Form = Day
		case "timestamptz":
			c.Form = Instant
		case "timestamp":
			c.Form = Wall
		case "int2", "int4", "int8", "numeric":
			c.Form = Exact
		case "float4", "float8":
			c.Form = Floating
		}
		list = append(list, c)
		return nil
	})
	if err == nil && len(list) == 0 {
		err = notThere(table)
	}
	return list, err
}

// parts lists the leaves of a partitioned table where any of them is on another server: what is grouped over the table as a
// whole fetches every record from there, what is grouped over each part is pushed to its server.
func (p *postgreSQL) parts(ctx context.Context, table string) ([]string, error) {
	var list []string
	foreign := false
	err := p.rows(ctx, `SELECT c.oid::regclass::text, c.relkind = 'f'
		FROM pg_partition_tree(to_regclass(`+p.literal(p.table(table))+`)) t JOIN pg_class c ON c.oid = t.relid
		WHERE t.isleaf AND t.level > 0 ORDER BY 1`,
		func(row []sql.NullString) error {
			list = append(list, row[0].String)
			foreign = foreign || row[1].String == "true" || row[1].String == "t"
			return nil
		})
	if !foreign {
		return nil, err
	}
	return list, err
}

func (*postgreSQL) counts() bool { return false }

func (*postgreSQL) strays() bool { return true }

func (p *postgreSQL) failed(err error) failure {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch {
		case pg.Code == "57014":
			return timedOut
		case strings.HasPrefix(pg.Code, "08"), strings.HasPrefix(pg.Code, "57P"), strings.HasPrefix(pg.Code, "28"), pg.Code == "53300",
			pg.Code == "3D000":
			return unreachable
		}
		return otherFailure
	}
	var failed *pgconn.ConnectError
	var lost net.Error
	if errors.As(err, &failed) || errors.As(err, &lost) || strings.Contains(err.Error(), "unexpected EOF") ||
		strings.Contains(err.Error(), "conn closed") || strings.Contains(err.Error(), "bad connection") {
		return unreachable
	}
	return otherFailure
}

func (p *postgreSQL) name(column string) string  { return quoted(column, `"`) }
func (p *postgreSQL) table(name string) string   { return qualified(name, p.name) }
func (p *postgreSQL) literal(text string) string { return quoted(text, "'") }

func (*postgreSQL) number(text string, _ *Column) string { return text }

func (p *postgreSQL) text(expression string, c *Column) string {
	if c.Form == Instant {
		return "(extract(epoch FROM " + expression + ") * 1000000)::bigint::text"
	}
	return expression + "::text"
}

func (p *postgreSQL) edge(c *Column, at civil.Moment, clock civil.Clock) string {
	switch c.Form {
	case Day:
		return "date " + p.literal(civil.Day(at).String())
	case Wall:
		return "timestamp " + p.literal(showWall(clock, at, " "))
	}
	return "timestamptz " + p.literal(civil.UTC.Format(at))
}

func (p *postgreSQL) pieces(c *Column, seconds int) (string, bool) {
	if c.Form != Instant {
		return "", false
	}
	return fmt.Sprintf("(floor(extract(epoch FROM %s) / %d) * %d000000)::bigint", p.name(c.Name), seconds, seconds), true
}

func (p *postgreSQL) contains(expression, text string) string {
	return "strpos(" + expression + "::text, " + p.literal(text) + ") > 0"
}

func (p *postgreSQL) sum(expression string, _ *Column) string { return "sum(" + expression + ")" }

func (p *postgreSQL) page(limit, offset int64) string { return limitOffset(limit, offset, "") }

// limitOffset writes LIMIT and OFFSET; without a limit, ALL.
func limitOffset(limit, offset int64, all string) string {
	text := ""
	switch {
	case limit > 0:
		text = fmt.Sprintf(" LIMIT %d", limit)
	case offset > 0:
		text = all
	}
	if offset > 0 {
		text += fmt.Sprintf(" OFFSET %d", offset)
	}
	return text
}
