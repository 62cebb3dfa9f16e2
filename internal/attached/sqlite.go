package attached

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"regexp"
	"strings"

	_ "github.com/glebarez/go-sqlite" // the engine, without C

	"vastspan/core/civil"
)

// sqlite is SQLite: a file, read only. It keeps dates as text, or as numbers since 1970 where that is said, and no exact
// decimals: sums of whole numbers are its own, others are added up here.
type sqlite struct{ pool *sql.DB }

func openSQLite(u *url.URL, d *Definition) (dialect, error) {
	path := u.Path
	if path == "" {
		path = u.Opaque
	}
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		return nil, errors.New("there is no such file")
	} else if err != nil {
		return nil, err
	}
	name := url.URL{Scheme: "file", Opaque: (&url.URL{Path: path}).EscapedPath(),
		RawQuery: "mode=ro&_pragma=query_only(1)&_pragma=busy_timeout(5000)"}
	pool, err := sql.Open("sqlite", name.String())
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(d.Parallel)
	return &sqlite{pool}, nil
}

func (s *sqlite) close() error { return s.pool.Close() }

func (s *sqlite) rows(ctx context.Context, statement string, take func([]sql.NullString) error) error {
	return rowsOf(ctx, s.pool, statement, take)
}

func (s *sqlite) version(ctx context.Context) (version string, err error) {
	err = s.rows(ctx, "SELECT sqlite_version(), count(*) FROM sqlite_master", func(row []sql.NullString) error {
		version = "SQLite " + row[0].String
		return nil
	})
	return version, err
}

func (s *sqlite) tables(most int) string {
	return fmt.Sprintf(`SELECT name, type FROM sqlite_master
		WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite!_%%' ESCAPE '!' AND instr(name, '.') = 0 ORDER BY name LIMIT %d`, most)
}

// What dates and times are like where they are kept as text.
var (
	dayText    = regexp.MustCompile(`^\d{4}-\d\d-\d\d$`)
	momentText = regexp.MustCompile(`^\d{4}-\d\d-\d\d([ T])\d\d:\d\d(?::\d\d(?:\.\d+)?)?(Z?)$`)
)

// sampled is how many values of a column are looked at to find out what its texts are.
const sampled = 1000

func (s *sqlite) columns(ctx context.Context, table string) ([]Column, error) {
	var list []Column
	err := s.rows(ctx, "SELECT name, type, \"notnull\" FROM pragma_table_info("+s.literal(table)+")", func(row []sql.NullString) error {
		c := Column{Name: row[0].String, Declared: row[1].String, Nullable: row[2].String != "1", Form: Text}
		switch declared := strings.ToUpper(c.Declared); {
		case strings.Contains(declared, "INT"):
			c.Form = Exact
		case strings.Contains(declared, "CHAR"), strings.Contains(declared, "CLOB"), strings.Contains(declared, "TEXT"),
			strings.Contains(declared, "DATE"), strings.Contains(declared, "TIME"), declared == "":
		default:
			c.Form = Floating
		}
		list = append(list, c)
		return nil
	})
	if err == nil && len(list) == 0 {
		err = notThere(table)
	}
	for i := range list {
		if err == nil && list[i].Form != Exact {
			err = s.sample(ctx, table, &list[i])
		}
	}
	return list, err
}

// sample finds out what the values of a column are: any may be of any type, and what a view works out has no declared one.
func (s *sqlite) sample(ctx context.Context, table string, c *Column) error {
	days, moments, others, whole, numbers := 0, 0, 0, 0, 0
	layouts := map[string]bool{}
	text := fmt.Sprintf("SELECT CAST(%[1]s AS TEXT), typeof(%[1]s) FROM %[2]s WHERE %[1]s IS NOT NULL LIMIT %[3]d",
		s.name(c.Name), s.table(table), sampled)
	err := s.rows(ctx, text, func(row []sql.NullString) error {
		switch parts := momentText.FindStringSubmatch(row[0].String); {
		case row[1].String == "integer":
			whole++
		case row[1].String == "real":
			numbers++
		case parts != nil:
			moments++
			layouts[parts[1]+parts[2]] = true
		case dayText.MatchString(row[0].String):
			days++
		default:
			others++
		}
		return nil
	})
	texts, undeclared := days+moments+others, c.Declared == "" || strings.EqualFold(c.Declared, "BLOB")
	switch {
	case others > 0 && c.Form == Floating:
		c.Form = Text
	case undeclared && texts == 0 && numbers > 0:
		c.Form = Floating
	case undeclared && texts == 0 && whole > 0:
		c.Form = Exact
	case texts == 0 || whole+numbers > 0: // what is declared holds
	case others > 0 || days > 0 && moments > 0 || len(layouts) > 1:
	case days > 0:
		c.Form = Day
	case moments > 0:
		for layout := range layouts {
			c.Form, c.Layout = Wall, layout
			if strings.HasSuffix(layout, "Z") {
				c.Form = Stamp
			}
		}
	}
	return err
}

func (s *sqlite) parts(context.Context, string) ([]string, error) { return nil, nil }

func (*sqlite) counts() bool { return false }

func (*sqlite) strays() bool { return false }

func (s *sqlite) failed(err error) failure {
	text := err.Error()
	switch {
	case strings.Contains(text, "interrupted"):
		return timedOut
	case strings.Contains(text, "unable to open"), strings.Contains(text, "disk I/O"), strings.Contains(text, "not a database"),
		strings.Contains(text, "malformed"), strings.Contains(text, "locked"):
		return unreachable
	}
	return otherFailure
}

// name is in backticks: of a name in double quotes that is not there the engine makes a text.
func (s *sqlite) name(column string) string  { return quoted(column, "`") }
func (s *sqlite) table(name string) string   { return qualified(name, s.name) }
func (s *sqlite) literal(text string) string { return quoted(text, "'") }

func (*sqlite) number(text string, _ *Column) string { return text }

func (s *sqlite) text(expression string, _ *Column) string { return "CAST(" + expression + " AS TEXT)" }

func (s *sqlite) edge(c *Column, at civil.Moment, clock civil.Clock) string {
	switch c.Form {
	case Day:
		return s.literal(civil.Day(at).String())
	case Seconds:
		return fmt.Sprint((at + civil.Second - 1) / civil.Second)
	case Milliseconds:
		return fmt.Sprint((at + civil.Second/1000 - 1) / (civil.Second / 1000))
	case Stamp:
		return s.literal(showWall(civil.UTC, at, c.Layout[:1])) // what is after it sorts after it
	}
	return s.literal(showWall(clock, at, c.Layout[:1]))
}

func (s *sqlite) pieces(*Column, int) (string, bool) { return "", false }

func (s *sqlite) contains(expression, text string) string {
	return "instr(" + expression + ", " + s.literal(text) + ") > 0"
}

func (s *sqlite) sum(expression string, _ *Column) string { return "sum(" + expression + ")" }

func (s *sqlite) page(limit, offset int64) string { return limitOffset(limit, offset, " LIMIT -1") }
