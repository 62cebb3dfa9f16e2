package cluster

import (
	"bufio"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"vastspan/internal/postgres"
)

// postgreSQLName is the engine of clusters of PostgreSQL.
const postgreSQLName = "PostgreSQL"

// PostgreSQL starts n servers that hold a part of a table each, and one next to that has it partitioned over them by foreign
// tables. Their files are below folder, which the account of the servers has to reach.
func PostgreSQL(ctx context.Context, folder string, n int, t *Table) (*Cluster, error) {
	c := &Cluster{Engine: postgreSQLName, Table: t.Name}
	start := func(name string) (*Server, error) {
		path, err := folderOf(folder, name)
		if err != nil {
			return nil, err
		}
		server, err := postgres.Start(ctx, path, postgres.Settings{Forgetful: true})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		return &Server{Name: name, URL: server.URL, Known: name, stop: server.Stop}, nil
	}
	var err error
	for i := 0; i < n && err == nil; i++ {
		var one *Server
		if one, err = start(fmt.Sprintf("server%d", i+1)); err == nil {
			c.Servers = append(c.Servers, one)
			for _, name := range []string{t.Name, t.Name + othersSuffix} {
				err = errors.Join(err, inPostgreSQL(ctx, one.URL,
					fmt.Sprintf("CREATE TABLE %s (%s)", name, postgreSQLColumns(t)),
					fmt.Sprintf("CREATE INDEX ON %s (%s)", name, quote(t.Day))))
			}
		}
	}
	if err == nil {
		c.first, err = start("front")
	}
	if err == nil {
		c.URL = c.first.URL
		var statements []string
		if statements, err = frontStatements(c, t); err == nil {
			err = inPostgreSQL(ctx, c.URL, statements...)
		}
	}
	if err != nil {
		return nil, errors.Join(err, c.Stop())
	}
	return c, nil
}

// frontStatements make the table whose partitions are on the servers.
func frontStatements(c *Cluster, t *Table) ([]string, error) {
	list := []string{
		"CREATE EXTENSION postgres_fdw",
		fmt.Sprintf("CREATE TABLE %s (%s) PARTITION BY LIST (%s)", t.Name, postgreSQLColumns(t), quote(t.By)),
	}
	for i, s := range c.Servers {
		u, err := url.Parse(s.URL)
		if err != nil {
			return nil, err
		}
		password, _ := u.User.Password()
		var mine []string
		for at, value := range t.Values {
			if at%len(c.Servers) == i {
				mine = append(mine, literal(value))
			}
		}
		holds := "FOR VALUES IN (" + strings.Join(mine, ", ") + ")"
		list = append(list,
			fmt.Sprintf("CREATE SERVER %s FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '%s', port '%s', dbname '%s', "+
				"async_capable 'true', fetch_size '10000', batch_size '1000')",
				s.Name, u.Hostname(), u.Port(), strings.Trim(u.Path, "/")),
			fmt.Sprintf("CREATE USER MAPPING FOR CURRENT_USER SERVER %s OPTIONS (user '%s', password '%s')", s.Name, u.User.Username(), password))
		if len(mine) > 0 {
			list = append(list, foreignPart(t, fmt.Sprintf("%s_%d", t.Name, i+1), t.Name, holds, s))
		}
		if i == len(c.Servers)-1 {
			list = append(list, foreignPart(t, t.Name+othersSuffix, t.Name+othersSuffix, "DEFAULT", s))
		}
	}
	return list, nil
}

// othersSuffix ends the name of the table of the records whose values are not named, on the last server.
const othersSuffix = "_others"

func foreignPart(t *Table, name, there, holds string, on *Server) string {
	return fmt.Sprintf("CREATE FOREIGN TABLE %s PARTITION OF %s %s SERVER %s OPTIONS (table_name '%s')", name, t.Name, holds, on.Name, there)
}

func postgreSQLColumns(t *Table) string {
	kinds := map[Kind]string{Text: "text", Day: "date", Moment: "timestamptz", Whole: "bigint"}
	list := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		kind := kinds[c.Kind]
		if c.Kind == Decimal {
			kind = fmt.Sprintf("numeric(18, %d)", c.Decimals)
		}
		list[i] = quote(c.Name) + " " + kind
		if !c.Optional {
			list[i] += " NOT NULL"
		}
	}
	return strings.Join(list, ", ")
}

func quote(name string) string   { return pgx.Identifier{name}.Sanitize() }
func literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

func inPostgreSQL(ctx context.Context, address string, statements ...string) error {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	for _, text := range statements {
		if _, err := conn.Exec(ctx, text); err != nil {
			return fmt.Errorf("%s: %w", text, err)
		}
	}
	return nil
}

// fillPostgreSQL copies to each server what is its own, past the table in front, which would send record by record.
func fillPostgreSQL(ctx context.Context, c *Cluster, t *Table, open func() (io.ReadCloser, error)) error {
	for i, s := range c.Servers {
		err := fillPart(ctx, s, t, t.Name, open, func(value string) bool {
			at := slices.Index(t.Values, value)
			return at >= 0 && at%len(c.Servers) == i
		})
		if err == nil && i == len(c.Servers)-1 {
			err = fillPart(ctx, s, t, t.Name+othersSuffix, open, func(value string) bool { return !slices.Contains(t.Values, value) })
		}
		if err != nil {
			return err
		}
	}
	return inPostgreSQL(ctx, c.URL, "ANALYZE "+t.Name)
}

// fillPart copies the records whose value is mine to a table of a server.
func fillPart(
	ctx context.Context, s *Server, t *Table, into string, open func() (io.ReadCloser, error), mine func(value string) bool,
) error {
	in, err := open()
	if err != nil {
		return err
	}
	defer in.Close()
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	sifted, w := io.Pipe()
	go func() { w.CloseWithError(sift(in, w, t, mine)) }()
	if _, err := conn.PgConn().CopyFrom(ctx, sifted, "COPY "+into+" FROM STDIN (FORMAT csv)"); err != nil {
		return errors.Join(err, sifted.Close())
	}
	_, err = conn.Exec(ctx, "ANALYZE "+into)
	return err
}

// sift copies the records whose value is mine, without the header.
func sift(in io.Reader, into io.Writer, t *Table, mine func(value string) bool) error {
	by := 0
	for i, c := range t.Columns {
		if c.Name == t.By {
			by = i
		}
	}
	out := bufio.NewWriterSize(into, 1<<20)
	w := csv.NewWriter(out)
	err := eachRecord(in, func(row []string) error {
		if mine(row[by]) {
			return w.Write(row)
		}
		return nil
	})
	w.Flush()
	return errors.Join(err, w.Error(), out.Flush())
}
