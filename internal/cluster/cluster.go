// Package cluster starts several database servers on loopback that hold one table together, for tests, benchmarks and trials:
// PostgreSQL with a table in foreign partitions, ClickHouse with a Distributed one.
package cluster

import (
	"bufio"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"

	"github.com/jackc/pgx/v5"
)

// A Cluster is a table over several servers, and the servers.
type Cluster struct {
	// Engine is what the servers are: PostgreSQL or ClickHouse.
	Engine string
	// URL is where the table is asked for, with the password.
	URL string
	// Table is the name of the table there.
	Table string
	// Servers hold a part of the table each.
	Servers []*Server

	first *Server // which is asked
}

// A Server is one of a cluster.
type Server struct {
	Name string
	URL  string
	// Known is what the server in front calls it.
	Known string

	stop func() error
}

// Stop ends the server, once.
func (s *Server) Stop() error {
	if s == nil || s.stop == nil {
		return nil
	}
	stop := s.stop
	s.stop = nil
	return stop()
}

// A Table says what is spread over the servers of a cluster.
type Table struct {
	Name    string
	Columns []Column
	// By is the column whose values tell which server a record is on. PostgreSQL has the values in turn and all others on the last
	// server, ClickHouse goes by a hash of them.
	By     string
	Values []string
	// Day is the column that each server keeps its records in the order of.
	Day string
	// Logged has servers of ClickHouse log the statements that they are asked, which slows them down.
	Logged bool
}

// A Column of a table; what it is kept as depends on the engine.
type Column struct {
	Name     string
	Kind     Kind
	Decimals int // of a Decimal
	Optional bool
}

// A Kind is a kind of value: a text, a day, a moment to the second, a whole number, a number of some decimals.
type Kind int

// The kinds of values.
const (
	Text Kind = iota
	Day
	Moment
	Whole
	Decimal
)

// Engines are those that a cluster can be of, by the words that say so.
var Engines = map[string]func(ctx context.Context, folder string, n int, t *Table) (*Cluster, error){
	"postgresql": PostgreSQL,
	"clickhouse": ClickHouse,
}

// Stop ends all servers.
func (c *Cluster) Stop() error {
	var err error
	for _, s := range append(c.Servers, c.first) {
		err = errors.Join(err, s.Stop())
	}
	return err
}

// Fill copies the records of a CSV file, with a header and the columns of the table in their order, to the servers.
func (c *Cluster) Fill(ctx context.Context, t *Table, open func() (io.ReadCloser, error)) error {
	if c.Engine == clickHouseName {
		return fillClickHouse(ctx, c, t, open)
	}
	return fillPostgreSQL(ctx, c, t, open)
}

// Ask puts a statement to a server at an address, and gives the rows of the answer as lines, fields with tabs between.
func Ask(ctx context.Context, address, statement string) (string, error) {
	if strings.HasPrefix(address, "clickhouse:") {
		return inClickHouse(ctx, address, strings.NewReader(statement), nil)
	}
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return "", err
	}
	defer func() { _ = conn.Close(ctx) }()
	rows, err := conn.Query(ctx, statement, pgx.QueryExecModeSimpleProtocol)
	if err != nil {
		return "", err
	}
	defer rows.Close()
	var text strings.Builder
	for rows.Next() {
		for i, field := range rows.RawValues() {
			if i > 0 {
				text.WriteByte('\t')
			}
			text.Write(field)
		}
		text.WriteByte('\n')
	}
	return text.String(), rows.Err()
}

// folderOf makes the folder of a server, which any account can reach.
func folderOf(folder, name string) (string, error) {
	path := filepath.Join(folder, name)
	return path, errors.Join(os.MkdirAll(path, 0o755), os.Chmod(path, 0o755))
}

// freePorts finds so many ports that nobody listens at.
func freePorts(n int) ([]int, error) {
	ports := make([]int, n)
	for i := range ports {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return nil, err
		}
		defer l.Close() // when all have been found, which so differ
		address, ok := l.Addr().(*net.TCPAddr)
		if !ok {
			return nil, fmt.Errorf("%s is not a port", l.Addr())
		}
		ports[i] = address.Port
	}
	return ports, nil
}

// eachRecord returns the records of a CSV file after its header; the row is valid until take returns.
func eachRecord(in io.Reader, take func(row []string) error) error {
	r := csv.NewReader(bufio.NewReaderSize(in, 1<<20))
	r.ReuseRecord = true
	if _, err := r.Read(); err != nil {
		return err
	}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			err = take(row)
		}
		if err != nil {
			return err
		}
	}
}
