package attached

import (
	"bufio"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/decimal"
)

// clickHouse is ClickHouse over its HTTP interface: tables, views, and Distributed tables over several servers.
type clickHouse struct {
	client  *http.Client
	address url.URL
	user    *url.Userinfo
}

func openClickHouse(u *url.URL, d *Definition) (dialect, error) {
	c := &clickHouse{user: u.User, client: &http.Client{Transport: &http.Transport{
		MaxConnsPerHost: d.Parallel + 1,
		DialContext:     (&net.Dialer{Timeout: reachTimeout}).DialContext,
	}}}
	c.address = url.URL{Scheme: "http", Host: u.Host, Path: "/"}
	if u.Scheme == "clickhouse+https" {
		c.address.Scheme = "https"
	}
	settings := url.Values{
		// 2 lets settings be stated beside: nothing is written either way.
		"readonly":                {"2"},
		"max_execution_time":      {fmt.Sprint(int(max(1, d.Timeout.Seconds())))},
		"wait_end_of_query":       {"1"}, // an error in the middle is told as such
		"skip_unavailable_shards": {"0"}, // a server that is down is an error, never a smaller figure
		"default_format":          {"TabSeparated"},
	}
	if database := strings.Trim(u.Path, "/"); database != "" {
		settings.Set("database", database)
	}
	c.address.RawQuery = settings.Encode()
	return c, nil
}

func (c *clickHouse) close() error {
	c.client.CloseIdleConnections()
	return nil
}

// A clickHouseError is what the server says.
type clickHouseError struct{ text string }

// Error leaves out what is about the server's own program: of errors of servers behind it, the last is reported.
func (e *clickHouseError) Error() string {
	found := clickHouseText.FindAllStringSubmatch(e.text, -1)
	if len(found) == 0 {
		return e.text
	}
	return strings.TrimSpace(found[len(found)-1][1])
}

// clickHouseText finds what an error says; releases write it in one of two ways.
var clickHouseText = regexp.MustCompile(`DB::\w*Exception: ([^\n]+?)(?:, e\.what\(\)|\. \([A-Z_]+\)|\n|$)`)

// maxError is how much of an error is reported.
const maxError = 1000

func (c *clickHouse) rows(ctx context.Context, statement string, take func([]sql.NullString) error) error {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, c.address.String(), strings.NewReader(statement))
	if err != nil {
		return err
	}
	if c.user != nil {
		request.Header.Set("X-ClickHouse-User", c.user.Username())
		if password, ok := c.user.Password(); ok {
			request.Header.Set("X-ClickHouse-Key", password)
		}
	}
	response, err := c.client.Do(request)
	if err != nil {
		return hideAddress(err)
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		text, err := io.ReadAll(io.LimitReader(response.Body, maxError))
		return errors.Join(&clickHouseError{strings.TrimSpace(string(text))}, err)
	}
	return readTabbed(response.Body, take)
}

// hideAddress keeps what an error of HTTP is about without the address that was asked.
func hideAddress(err error) error {
	var failed *url.Error
	if errors.As(err, &failed) {
		return failed.Err
	}
	return err
}

// errLongRow is that a row of an answer is longer than is read.
var errLongRow = fmt.Errorf("a row has more than %d MB", maxRecord>>20)

// readTabbed reads rows of fields with tabs between them.
func readTabbed(in io.Reader, take func([]sql.NullString) error) error {
	bounded := &io.LimitedReader{R: in}
	r := bufio.NewReaderSize(bounded, 1<<16)
	var row []sql.NullString
	for {
		bounded.N = maxRecord
		line, err := r.ReadString('\n')
		if bounded.N == 0 {
			return errLongRow
		}
		if errors.Is(err, io.EOF) && line == "" {
			return nil
		}
		if err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		row = row[:0]
		for field := range strings.SplitSeq(strings.TrimSuffix(line, "\n"), "\t") {
			if field == `\N` {
				row = append(row, sql.NullString{})
			} else {
				row = append(row, sql.NullString{String: unescaped.Replace(field), Valid: true})
			}
		}
		if err := take(row); err != nil {
			return err
		}
	}
}

var unescaped = strings.NewReplacer(`\\`, `\`, `\t`, "\t", `\n`, "\n", `\r`, "\r", `\'`, "'", `\b`, "\b", `\f`, "\f", `\0`, "\x00")

func (c *clickHouse) tables(most int) string {
	return fmt.Sprintf(`SELECT name, if(engine LIKE '%%View', 'view', 'table') FROM system.tables
		WHERE database = currentDatabase() AND position(name, '.') = 0 ORDER BY name LIMIT %d`, most)
}

func (c *clickHouse) version(ctx context.Context) (version string, err error) {
	err = c.rows(ctx, "SELECT version()", func(row []sql.NullString) error {
		version = "ClickHouse " + row[0].String
		return nil
	})
	return version, err
}

func (c *clickHouse) columns(ctx context.Context, table string) ([]Column, error) {
	var list []Column
	err := c.rows(ctx, "DESCRIBE TABLE "+c.table(table), func(row []sql.NullString) error {
		declared := row[1].String
		one := Column{Name: row[0].String, Declared: declared, Form: Text}
		inner := strings.TrimSuffix(strings.TrimPrefix(declared, "LowCardinality("), ")")
		if rest, ok := strings.CutPrefix(inner, "Nullable("); ok {
			one.Nullable, inner = true, strings.TrimSuffix(rest, ")")
		}
		switch {
		case inner == "Date" || inner == "Date32":
			one.Form = Day
		case strings.HasPrefix(inner, "DateTime"):
			one.Form = Instant
		case strings.HasPrefix(inner, "Decimal"), strings.HasPrefix(inner, "Int"), strings.HasPrefix(inner, "UInt"):
			one.Form = Exact
		case strings.HasPrefix(inner, "Float"):
			one.Form = Floating
		}
		list = append(list, one)
		return nil
	})
	var told *clickHouseError
	if errors.As(err, &told) && (strings.Contains(told.text, "Code: 60") || strings.Contains(told.text, "Code: 81")) {
		err = notThere(table)
	}
	return list, err
}

// parts has none: the engine has each server add up its own.
func (c *clickHouse) parts(context.Context, string) ([]string, error) { return nil, nil }

func (*clickHouse) counts() bool { return true }

func (*clickHouse) strays() bool { return false }

func (c *clickHouse) failed(err error) failure {
	var told *clickHouseError
	if !errors.As(err, &told) {
		return unreachable
	}
	for _, code := range []string{"Code: 159", "Code: 160"} {
		if strings.Contains(told.text, code) {
			return timedOut
		}
	}
	for _, code := range []string{"Code: 32", "Code: 209", "Code: 210", "Code: 279", "Code: 192", "Code: 193", "Code: 194", "Code: 516"} {
		if strings.Contains(told.text, code+",") || strings.Contains(told.text, code+".") {
			return unreachable
		}
	}
	return otherFailure
}

func (c *clickHouse) name(column string) string {
	return "`" + strings.NewReplacer(`\`, `\\`, "`", "\\`").Replace(column) + "`"
}
func (c *clickHouse) table(name string) string { return qualified(name, c.name) }
func (c *clickHouse) literal(text string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, "'", `\'`).Replace(text) + "'"
}

// number is exact: what is written with a point is a floating number to the engine, which it does not compare with decimals.
func (c *clickHouse) number(text string, column *Column) string {
	d, err := decimal.Parse(text)
	if err != nil || column.Form == Floating {
		return text
	}
	plain := d.Decimal.Text('f')
	_, decimals, _ := strings.Cut(plain, ".")
	if decimals == "" && len(plain) < maxPlainInteger {
		return plain
	}
	return fmt.Sprintf("toDecimal128(%s, %d)", c.literal(plain), len(decimals))
}

// maxPlainInteger is how long whole numbers are that are certain to be taken for such.
const maxPlainInteger = 18

func (c *clickHouse) text(expression string, column *Column) string {
	switch {
	case column.Form == Instant:
	case column.Declared == "Date": // of which releases before 2020 write the first day as 0000-00-00
		return "if(toUInt16(" + expression + ") = 0, '1970-01-01', toString(" + expression + "))"
	default:
		return "toString(" + expression + ")"
	}
	if strings.Contains(column.Declared, "DateTime64") {
		return "toString(toUnixTimestamp64Micro(toDateTime64(" + expression + ", 6)))"
	}
	return "toString(toInt64(toUInt32(" + expression + ")) * 1000000)"
}

func (c *clickHouse) edge(column *Column, at civil.Moment, _ civil.Clock) string {
	if column.Form == Day {
		at = min(max(at, earliestDate), latestDate) // no other is kept
		if strings.Contains(column.Declared, "Date32") {
			return "toDate32(" + c.literal(civil.Day(at).String()) + ")"
		}
		return "toDate(" + c.literal(civil.Day(at).String()) + ")"
	}
	if strings.Contains(column.Declared, "DateTime64") {
		return "toDateTime64(" + c.literal(showWall(civil.UTC, at, " ")) + ", 6, 'UTC')"
	}
	at = min(max(at, 0), latestTime) // no other is kept
	return "toDateTime(" + c.literal(showWall(civil.UTC, (at+civil.Second-1)/civil.Second*civil.Second, " ")) + ", 'UTC')"
}

// What a Date holds.
var (
	earliestDate = civil.Moment(civil.Of(1970, 1, 1))
	latestDate   = civil.Moment(civil.Of(2149, 6, 6))
	latestTime   = civil.Moment(1<<32-1) * civil.Second
)

func (c *clickHouse) pieces(column *Column, seconds int) (string, bool) {
	if column.Form != Instant || strings.Contains(column.Declared, "DateTime64") {
		return "", false
	}
	return fmt.Sprintf("toInt64(intDiv(toUInt32(%s), %d)) * %d000000", c.name(column.Name), seconds, seconds), true
}

func (c *clickHouse) contains(expression, text string) string {
	return "position(" + expression + ", " + c.literal(text) + ") > 0"
}

// sum is of decimals that do not run over.
func (c *clickHouse) sum(expression string, column *Column) string {
	if strings.Contains(column.Declared, "Int64") {
		return "sum(toDecimal128(" + expression + ", 0))"
	}
	return "sum(" + expression + ")"
}

func (c *clickHouse) page(limit, offset int64) string {
	if limit == 0 {
		limit = 1 << 62
	}
	if offset == 0 && limit == 1<<62 {
		return ""
	}
	return fmt.Sprintf(" LIMIT %d, %d", offset, limit)
}
