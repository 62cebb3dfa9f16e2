package cluster

import (
	"bufio"
	"bytes"
	"context"
	"crypto/rand"
	_ "embed"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"text/template"
	"time"
)

// clickHouseName is the engine of clusters of ClickHouse.
const clickHouseName = "ClickHouse"

// The names that every server has for the cluster, for who may ask, and for its part of a table.
const (
	clickHouseUser = "vastspan"
	clusterName    = "together"
	partSuffix     = "_part"
)

//go:embed clickhouse.xml
var clickHouseConfig string

var clickHouseTemplate = template.Must(template.New("").Parse(clickHouseConfig))

// A node is a server of ClickHouse to be.
type node struct {
	Name, Folder           string
	HTTP, TCP, Interserver int
	Password               string
	User, Cluster          string
	Logged                 bool
	All                    []*node
}

// FindClickHouse finds the server of Debian's package.
func FindClickHouse() (string, error) {
	for _, name := range []string{"clickhouse-server", "/usr/sbin/clickhouse-server", "/usr/bin/clickhouse-server"} {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
	}
	return "", errors.New("no ClickHouse server is installed: expected Debian's package clickhouse-server")
}

// ClickHouse starts n servers that hold a part of a table each, and have it together as a Distributed one; the first is asked.
// Their files are below folder.
func ClickHouse(ctx context.Context, folder string, n int, t *Table) (*Cluster, error) {
	program, err := FindClickHouse()
	if err != nil {
		return nil, err
	}
	ports, err := freePorts(3 * n)
	if err != nil {
		return nil, err
	}
	password := rand.Text()
	nodes := make([]*node, n)
	for i := range nodes {
		name := fmt.Sprintf("server%d", i+1)
		path, err := folderOf(folder, name)
		if err != nil {
			return nil, err
		}
		nodes[i] = &node{name, path, ports[3*i], ports[3*i+1], ports[3*i+2], password, clickHouseUser, clusterName, t.Logged, nodes}
	}
	c := &Cluster{Engine: clickHouseName, Table: t.Name}
	for _, one := range nodes {
		server, err := one.start(program)
		if err != nil {
			return nil, errors.Join(err, c.Stop())
		}
		c.Servers = append(c.Servers, server)
	}
	for _, s := range c.Servers {
		if err = s.await(ctx); err == nil {
			_, err = Ask(ctx, s.URL, partStatement(t))
		}
		if err != nil {
			return nil, errors.Join(err, c.Stop())
		}
	}
	c.URL = c.Servers[0].URL
	if _, err := Ask(ctx, c.URL, fmt.Sprintf("CREATE TABLE %s (%s) ENGINE = Distributed(%s, default, %s%s, cityHash64(%s))",
		t.Name, clickHouseColumns(t), clusterName, t.Name, partSuffix, t.present(t.By, "''"))); err != nil {
		return nil, errors.Join(err, c.Stop())
	}
	return c, nil
}

func partStatement(t *Table) string {
	return fmt.Sprintf("CREATE TABLE %s%s (%s) ENGINE = MergeTree() ORDER BY %s", t.Name, partSuffix, clickHouseColumns(t),
		t.present(t.Day, "toDate(0)"))
}

// present writes a column that has something else where it is blank.
func (t *Table) present(column, blank string) string {
	for _, c := range t.Columns {
		if c.Name == column && c.Optional {
			return fmt.Sprintf("ifNull(`%s`, %s)", column, blank)
		}
	}
	return "`" + column + "`"
}

func clickHouseColumns(t *Table) string {
	kinds := map[Kind]string{Text: "String", Day: "Date", Moment: "DateTime", Whole: "Int64"}
	list := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		kind := kinds[c.Kind]
		if c.Kind == Decimal {
			kind = fmt.Sprintf("Decimal(18, %d)", c.Decimals)
		}
		if c.Optional {
			kind = "Nullable(" + kind + ")"
		}
		list[i] = fmt.Sprintf("`%s` %s", c.Name, kind)
	}
	return strings.Join(list, ", ")
}

// start starts the server; it does not wait for it.
func (n *node) start(program string) (*Server, error) {
	var text bytes.Buffer
	if err := clickHouseTemplate.Execute(&text, n); err != nil {
		return nil, err
	}
	config := filepath.Join(n.Folder, "config.xml")
	if err := os.WriteFile(config, text.Bytes(), 0o600); err != nil {
		return nil, err
	}
	log, err := os.Create(filepath.Join(n.Folder, "server.log"))
	if err != nil {
		return nil, err
	}
	defer log.Close()
	cmd := exec.Command(program, "--config-file="+config)
	cmd.Dir = n.Folder
	cmd.Stdout, cmd.Stderr = log, log
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // a Ctrl-C reaches the one who started it, who stops it
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	ended := make(chan struct{})
	go func() {
		_ = cmd.Wait() // how it ended is in its log
		close(ended)
	}()
	u := url.URL{
		Scheme: "clickhouse", User: url.UserPassword(clickHouseUser, n.Password), Host: fmt.Sprintf("127.0.0.1:%d", n.HTTP), Path: "/default",
	}
	known := fmt.Sprintf("127.0.0.1:%d", n.TCP)
	return &Server{Name: n.Name, URL: u.String(), Known: known, stop: func() error { return stop(cmd.Process, ended) }}, nil
}

// stop ends a server at once: its files are of no use afterwards.
func stop(p *os.Process, ended chan struct{}) error {
	if err := p.Kill(); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	<-ended
	return nil
}

// readyWait is how long a server is given to answer.
const readyWait = time.Minute

func (s *Server) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, readyWait)
	defer cancel()
	for {
		_, err := Ask(ctx, s.URL, "SELECT 1")
		if err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("%s does not answer: %w", s.Name, err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// inClickHouse sends a statement, or, where one is stated apart, records for it.
func inClickHouse(ctx context.Context, address string, body io.Reader, settings url.Values) (string, error) {
	u, err := url.Parse(address)
	if err != nil {
		return "", err
	}
	password, _ := u.User.Password()
	target := url.URL{Scheme: "http", Host: u.Host, Path: "/", RawQuery: settings.Encode()}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, target.String(), body)
	if err != nil {
		return "", err
	}
	request.Header.Set("X-ClickHouse-User", u.User.Username())
	request.Header.Set("X-ClickHouse-Key", password)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	if err == nil && response.StatusCode != http.StatusOK {
		err = errors.New(strings.TrimSpace(string(text)))
	}
	return string(text), err
}

// fillClickHouse has the first server spread the records, and waits until they are there.
func fillClickHouse(ctx context.Context, c *Cluster, t *Table, open func() (io.ReadCloser, error)) error {
	in, err := open()
	if err != nil {
		return err
	}
	defer in.Close()
	from, into := io.Pipe()
	go func() { into.CloseWithError(tabbed(in, into, t)) }()
	_, err = inClickHouse(ctx, c.URL, from, url.Values{
		"query":                   {"INSERT INTO " + t.Name + " FORMAT TabSeparated"},
		"insert_distributed_sync": {"1"},
	})
	return errors.Join(err, from.Close())
}

// tabbed writes the records of a CSV file with tabs between their fields.
func tabbed(in io.Reader, into io.Writer, t *Table) error {
	out := bufio.NewWriterSize(into, 1<<20)
	err := eachRecord(in, func(row []string) error {
		for i, c := range t.Columns {
			text, end := escaped.Replace(row[i]), "\t"
			switch {
			case text == "" && c.Optional:
				text = `\N`
			case c.Kind == Moment: // without the T and Z of ISO 8601
				text = strings.TrimSuffix(strings.Replace(text, "T", " ", 1), "Z")
			}
			if i == len(t.Columns)-1 {
				end = "\n"
			}
			if _, err := out.WriteString(text + end); err != nil {
				return err
			}
		}
		return nil
	})
	return errors.Join(err, out.Flush())
}

var escaped = strings.NewReplacer(`\`, `\\`, "\t", `\t`, "\n", `\n`, "\r", `\r`)
