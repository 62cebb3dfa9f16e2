package web

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/jackc/pgx/v5"

	"vastspan/api"
	"vastspan/internal/access"
	"vastspan/internal/attached"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/service"
)

var requests = flag.Int("requests", 40_000, "how many random requests are sent")

// Words that requests are made of: what is there, what is nearly right, and what is at the edges.
var (
	randomNames       = []string{"sales", "sales", "sales", "gates", "gates", "plan", "closed", "board", "firm", "x", "civil", "monthly", "trips"}
	randomExpressions = []string{
		"last full month", "last full month", "this month", "this year", "last 3 full months", "year to date", "2026", "trailing 30 days",
		"trailing 24 hours", "this hour", "2026-10-19T08:00/2026-10-19T20:00", "yesterday, only 09:00-17:00", "from yesterday 22:00 until today 06:00", "month to date excluding today", "trailing 90 days", "@closed", "this year, 52 weeks earlier", "2025", "2026-Q3",
		"2020-01-01/2026-12-31, only Mon/Wed/Fri", "all dates", "from 2026-01-01", "9999-12-31", "0001-01-01", "trailing 999999999 years",
		"business day 3 of next full month", "last month", "@nobody", "coming 3 weeks in firm", "?when", "today except today", "",
	}
	randomDays = []string{
		"2026-10-19", "2026-02-28", "0001-01-01", "9999-12-31", "0000-12-31", "10000-01-01", "2026-02-30", "today", "latest", "now", "2026-10-19T14:30", "-1", "",
	}
	randomColumns = []string{"day", "region", "region", "region", "amount", "amount", "booked", "paid?", "nobody", "weekday", "hour", "month of year of booked", ""}
	randomStates  = []string{"load 1", "load 1", "load 2", "load 99", "2026-10-05T09:00", "2099-01-01T00:00", "receipt 1", "2026-10-05", "x", ""}
	randomFigures = []string{"count", "count", "count", "count", "sum amount", "sum amount", "sum amount", "sum amount", "min amount", "mean amount", "median amount", "distinct region", "last amount", "sum region", "max", "sum",
		"ratio amount/amount", "ratio amount", "sum amount per day", "count per business day", "sum amount pace by days", "sum amount pace by year before",
		"ratio amount/amount per day", "mean amount pace by days", "mean days from day to booked", "max months from booked to day"}
	randomFilters = []string{"region=North", "region=North", "region=South", "amount>=1", "region!=", "amount>=2", "day<=2026-09-30", "region~o", "amount=a", "seen=2026-09-01", "=", "region=a,b,,c",
		"region in (North, South)", "region not in (North) ignoring case", "day in @closed", "booked blank or booked after last full month",
		"region contains 'o' or region contains \"th", "amount between 1 and 2", "day before @nobody", "region=North or South", "amount not blank", "days from day to booked > 1", "hours from day to booked < 9"}
	randomUnits = []string{"hour", "hour", "minute", "day", "week", "month", "month", "month", "week", "quarter", "year", "business day", "span", "decade"}
	randomMoves = []string{"prior", "1 year earlier", "52 weeks earlier", "month earlier", "last full year", "9999 years later", "@closed"}
	randomZones = []string{"UTC", "Europe/Berlin", "Pacific/Apia", "Local", "Nowhere/Else"}
)

// A sender makes requests that the document allows, or nearly.
type sender struct {
	rng *rand.Rand
	doc *openapi3.T
	ops []sending
	// newest is a load that was there not long ago, whoever made it.
	newest *atomic.Int64
}

type sending struct {
	method, path string
	o            *openapi3.Operation
	parameters   openapi3.Parameters
}

// rarelyRight are operations of which few random requests can be carried out.
var rarelyRight = []string{"lineUp", "loadFile", "addHolidayList", "putHolidayList", "restoreHolidayList", "createReceipt", "age",
	"undoLoad", "listDays", "resolveTimeline", "findDrivers", "readEvents", "listChanges"}

func newSender(t *testing.T, seed uint64) *sender {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	s := &sender{rng: rand.New(rand.NewPCG(seed, 1)), doc: doc}
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			one := sending{method, path, o, slices.Concat(item.Parameters, o.Parameters)}
			s.ops = append(s.ops, one)
			if path == "/total" || path == "/lines" || path == "/records" || path == "/ageing" ||
				strings.HasSuffix(path, "/undo") || strings.HasSuffix(path, "/{load}") {
				s.ops = append(s.ops, one, one, one)
			}
			if slices.Contains(rarelyRight, o.OperationID) {
				s.ops = append(s.ops, one, one, one, one)
			}
		}
	}
	slices.SortFunc(s.ops, func(a, b sending) int { return strings.Compare(a.method+a.path, b.method+b.path) })
	return s
}

func (s *sender) one(list []string) string { return list[s.rng.IntN(len(list))] }
func (s *sender) chance(percent int) bool  { return s.rng.IntN(100) < percent }

// broken stands for bytes that are not UTF-8, which JSON cannot hold before it is written.
const broken = "BR0KEN"

// text returns a text for what a name says that it is.
func (s *sender) text(name string) string {
	switch {
	case s.chance(2):
		return "a\x00b"
	case s.chance(2):
		return broken
	case s.chance(1):
		return strings.Repeat("é", 1+s.rng.IntN(5000))
	case s.chance(2):
		return s.one([]string{"'; DROP TABLE datasets; --", "../../etc/passwd", "%s%n", "<script>", "\u202e", "=1+1", "\x1b[2J", "🦀"})
	}
	pools := map[string][]string{
		"name": randomNames, "dataset": randomNames, "brief": randomNames, "calendar": {"civil", "firm", "x"}, "holidays": randomNames,
		"expression": randomExpressions, "expressions": randomExpressions, "over": randomExpressions, "is": randomExpressions,
		"default": randomExpressions, "spans": randomExpressions, "from": slices.Concat(randomDays, []string{"day", "day", "day", "day", "day", "2026-10-19", "2026-10-01", "2026-02-28", "2026-01-01"}),
		"to": {"booked", "booked", "day", "2026-10-19", "2026-03-01T10:00", "now"}, "unit": {"days", "days", "business-days", "months", "eons"},
		"bands": {"", "0-7,8-30,31+", "0-7,8-30,31+", "0+", "1-2", "0-9,5+"}, "only": {"", "open", "closed", "all", "all", "some"}, "through": randomDays, "as_of": randomDays,
		"since": randomDays, "days": slices.Concat(randomExpressions, randomDays), "by": randomColumns, "across": randomColumns, "date": randomColumns,
		"column": randomColumns, "amount": randomColumns, "category": randomColumns, "detail": randomColumns, "figures": randomFigures,
		"where": randomFilters, "against": randomMoves, "each": randomUnits, "running": randomUnits, "grain": randomUnits, "spark": randomUnits,
		"zone": randomZones, "year_starts": {"04-01", "02-30", "13-01"}, "pattern": {"4-4-5", "13x4", "9-9-9"}, "If-Match": {`"1"`, `"2"`, "*", "x"},
		"format": {"", "csv", "json", "x"}, "delimiter": {"", "comma", "bar"}, "encoding": {"", "utf-8", "windows-1252"}, "omit": {"note", "x"},
		"database": {"firm", "firm", "nobody"}, "table": {"public.trips", "trips", "public.nobody", "a.b.c"}, "key": {"amount", "x"},
		"amounts": {"amount", "region"}, "categories": {"region"}, "details": {"booked", "nobody"}, "kept": {"amount=seconds", "day=x"},
		"share": {"span", "unit"}, "known": randomStates, "against_dataset": {"sales", "sales amount=amount", "nobody"},
		"account": {"tomas", "x", "ada"}, "role": {"reader", "analyst", "root"}, "expires_on": {"2099-01-01", "2026-10-19", "x"}, "groups": {"harbour"},
		"records": {"harbour", "anas", "reas"}, "totals": {"reas", "harbour"}, "after": {"sales", "1", "2026-09-01.3", "x"}, "year_first_days": {"2026-01-05", "2027-01-04", "x"},
	}
	if s.rng.IntN(400) == 0 {
		return "0001-01-01/9999-12-31, only Mon/Wed/Fri"
	}
	if pool := pools[name]; pool != nil {
		return s.one(pool)
	}
	return s.one([]string{"North", "a", "", "1", "2026-09-01", "month"})
}

// value makes what a schema describes, or nearly.
func (s *sender) value(ref *openapi3.SchemaRef, name string, depth int) any {
	schema := ref.Value
	switch {
	case s.chance(1) || depth > 12:
		return []any{nil, -1, "x", []any{}, map[string]any{}, true, 1e300}[s.rng.IntN(7)]
	case len(schema.Enum) > 0 && s.chance(95):
		return schema.Enum[s.rng.IntN(len(schema.Enum))]
	case len(schema.AllOf) > 0 || schema.Type.Is("object"):
		made := map[string]any{}
		s.fill(made, schema, depth)
		return made
	case len(schema.OneOf) > 0:
		return s.value(schema.OneOf[s.rng.IntN(len(schema.OneOf))], name, depth+1)
	case schema.Type.Is("array"):
		n := s.rng.IntN(3)
		if s.chance(40) {
			n = 1
		}
		if s.chance(1) {
			n = 300
		}
		list := []any{}
		for range max(n, int(schema.MinItems)) {
			list = append(list, s.value(schema.Items, name, depth+1))
		}
		return list
	case schema.Type.Is("integer"), schema.Type.Is("number"):
		numbers := []float64{0, 1, 2, 3, 7, -1, 1 << 31, 1e18}
		if schema.Min != nil {
			numbers = append(numbers, *schema.Min, *schema.Min-1)
		}
		if schema.Max != nil {
			numbers = append(numbers, *schema.Max, *schema.Max+1)
		}
		return numbers[s.rng.IntN(len(numbers))]
	case schema.Type.Is("boolean"):
		return s.chance(50)
	}
	return s.text(name)
}

func (s *sender) fill(made map[string]any, schema *openapi3.Schema, depth int) {
	for _, part := range schema.AllOf {
		s.fill(made, part.Value, depth)
	}
	for _, name := range slices.Sorted(mapsKeys(schema.Properties)) {
		usual := slices.Contains(schema.Required, name) || slices.Contains([]string{"dataset", "over", "figures", "lines"}, name)
		if usual && !s.chance(3) || s.chance(15) {
			made[name] = s.value(schema.Properties[name], name, depth+1)
		}
	}
	if s.chance(1) {
		made["unknown"] = "x"
	}
}

func mapsKeys(m openapi3.Schemas) func(func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}

// file makes a file of records.
func (s *sender) file() string {
	if s.chance(40) {
		return sales
	}
	rows := s.one([]string{"day,booked,region,amount", "day,booked,region,amount", "day,v", "day,paid?,amount", "xmin,ctid,day", "\x00,a", ""})
	for range s.rng.IntN(6) {
		rows += fmt.Sprintf("\n%s,%s,%s,%s", s.one(randomDays[:4]), s.one(randomDays), s.one([]string{"North", "", "\xff", "\"", "a\x00"}),
			s.one([]string{"1", "-2.50", "", strings.Repeat("9", 90), "1e5", "x"}))
	}
	return rows
}

// upload makes a file of any format, or several, and the type of the body.
func (s *sender) upload() (string, string) {
	file := s.file()
	switch s.rng.IntN(8) {
	case 0:
		return s.one([]string{`[{"day":"2026-10-01","fare":1,"route":"a"}]`, `{"day":"2026-10-01","fare":1}`, `[{"day":{}},7]`, "PAR1", "PK\x03\x04",
			"\x1f\x8b\x08", "\x28\xb5\x2f\xfd"}) + s.one([]string{"", "\n", file}), "application/octet-stream"
	case 1:
		parts := ""
		for range s.rng.IntN(3) {
			parts += "--edge\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a.csv\"\r\n\r\n" + file + "\r\n"
		}
		return parts + s.one([]string{"--edge--\r\n", "--edge", ""}), "multipart/form-data; boundary=edge"
	case 2:
		return file, "multipart/form-data"
	}
	return file, "text/csv"
}

// body makes the body of a request and its type.
func (s *sender) body(o *openapi3.Operation, named string) (string, string) {
	if o.RequestBody == nil {
		return "", ""
	}
	content := o.RequestBody.Value.Content
	if o.OperationID == "readLimits" && s.chance(80) {
		return "crew,from,until\n" + s.one([]string{"a", ""}) + "," + s.one(randomDays) + "," + s.one(append(randomDays, "2026-10-19 22:00")), "text/csv"
	}
	if o.OperationID == "findDrivers" && s.chance(80) {
		return fmt.Sprintf(`{"dataset":"sales","over":[%q],"against":[%q],"figures":[%q],"as_of":"2026-10-19"}`,
			s.one(randomExpressions), s.one(randomMoves), s.one([]string{"count", "sum amount", "mean amount", s.one(randomFigures)})), "application/json"
	}
	if o.OperationID == "listChanges" && s.chance(80) {
		return fmt.Sprintf(`{"dataset":"sales","since":%q,"over":%q,"as_of":"2026-10-19"}`, s.one(randomStates), s.one(randomExpressions)), "application/json"
	}
	if o.OperationID == "readEvents" && s.chance(60) {
		text, _ := json.Marshal("name,first_day,last_day,label\nfair," + s.one(randomDays) + "," + s.one(append(randomDays, "")) + ",a\n")
		return `{"text":` + string(text) + `}`, "application/json"
	}
	if content["*/*"] != nil {
		return s.upload()
	}
	if content["text/csv"] != nil {
		return s.file(), "text/csv"
	}
	if s.chance(2) {
		n := 1 + s.rng.IntN(20_000)
		return s.one([]string{strings.Repeat("[", n), strings.Repeat(`{"a":`, n), strings.Repeat("- ", n), "{", `{} {}`, "null", "\xff\xfe"}),
			s.one([]string{"application/json", "application/yaml", "text/plain"})
	}
	kind, made := "application/json", any(nil)
	if content[kind] != nil {
		made = s.value(content[kind].Schema, "", 0)
		if object, ok := made.(map[string]any); ok && o.OperationID[:3] == "put" && s.chance(80) {
			object["name"] = named
		}
		if object, ok := made.(map[string]any); ok &&
			(o.OperationID == "renameSpan" && s.chance(80) || o.OperationID == "renameDataset" && s.chance(10)) {
			object["name"] = fmt.Sprintf("new-%d", s.rng.IntN(1e6)) // one that was never in use
		}
		if object, ok := made.(map[string]any); ok && o.OperationID == "attachTable" && s.chance(60) { // a table that is there
			for _, name := range []string{"key", "kept", "amounts", "categories", "details", "zone", "day_starts", "grain"} {
				delete(object, name)
			}
			object["database"], object["table"], object["date"] = "firm", "public.trips", "day"
		}
	} else {
		kind = "application/yaml"
		made = map[string]any{"book": 1, "spans": []any{map[string]any{"name": s.text("name"), "is": s.text("is"), "about": s.text("about")}}}
	}
	text, err := json.Marshal(made)
	if err != nil {
		panic(err)
	}
	return strings.ReplaceAll(string(text), broken, "\xff\xc0"), kind
}

// request makes a request.
func (s *sender) request(base string) (q *http.Request, what string, err error) {
	op := s.ops[s.rng.IntN(len(s.ops))]
	// Or little would be there, and most of the time would go by with backups.
	if op.method == http.MethodDelete && s.chance(70) || op.o.OperationID == "makeBackup" && s.chance(90) {
		op = s.ops[s.rng.IntN(len(s.ops))]
	}
	path, query := op.path, url.Values{}
	header, named := http.Header{}, ""
	for _, ref := range op.parameters {
		p := ref.Value
		text := fmt.Sprint(s.value(p.Schema, p.Name, 0))
		if list, ok := s.value(p.Schema, p.Name, 0).([]any); ok && len(list) > 0 {
			text = fmt.Sprint(list[0])
		}
		text = strings.ReplaceAll(text, broken, "\xff")
		if p.Name == "name" && strings.Contains(path, "{load}") && s.chance(80) {
			text = "sales"
		}
		if op.o.OperationID == "attachTable" && s.chance(95) { // names of others stay free for files
			text = "trips"
		}
		switch p.In {
		case openapi3.ParameterInPath:
			if p.Schema.Value.Type.Is("integer") && s.chance(80) {
				text = strconv.FormatInt(max(1, s.newest.Load()-int64(s.rng.IntN(2))), 10)
			}
			path = strings.ReplaceAll(path, "{"+p.Name+"}", url.PathEscape(text))
			named = text
		case openapi3.ParameterInQuery:
			if p.Required || s.chance(300/max(10, 2*len(op.parameters))) { // of many, each is rarer
				query.Set(p.Name, text)
			}
		case openapi3.ParameterInHeader:
			if p.Name == "If-Match" && s.chance(60) {
				text = "*"
			}
			if s.chance(80) && utf8.ValidString(text) && !strings.ContainsFunc(text, unicode.IsControl) {
				header.Set(p.Name, text)
			}
		}
	}
	body, kind := s.body(op.o, named)
	q, err = http.NewRequest(op.method, base+prefix+path+"?"+query.Encode(), strings.NewReader(body))
	if err != nil {
		return nil, "", err
	}
	q.Header = header
	if kind != "" {
		q.Header.Set("Content-Type", kind)
	}
	if s.chance(20) {
		q.Header.Set("Accept", "text/csv")
	}
	return q, fmt.Sprintf("%s: %s %s?%s %.300q", op.o.OperationID, op.method, path, query.Encode(), body), nil
}

// gates is a file of records with times.
const gates = "day,booked,region,amount\n2026-10-19T08:10:00Z,2026-10-19T07:00:00Z,North,1\n2026-10-19T19:59:59.5Z,,South,2.50\n" +
	"2026-10-18T23:30:00Z,2026-10-01T12:00:00Z,,\n2025-10-26T00:30:00Z,2025-10-20T00:00:00Z,North,-3\n2025-10-26T01:30:00Z,,North,4\n"

// besideTable makes a database with a table that may be attached, public.trips in firm.
func besideTable(t *testing.T) map[string]attached.Definition {
	t.Helper()
	ctx := context.Background()
	address := pgtest.Database(t, database)
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, `CREATE TABLE public.trips (day date, booked date, region text, amount numeric);
		INSERT INTO public.trips SELECT '2026-10-19'::date - n, '2026-10-18'::date - n, (ARRAY['North', 'South'])[n % 3], n / 4.0
		FROM generate_series(0, 400) AS s(n)`)
	if err != nil {
		t.Fatal(err)
	}
	return map[string]attached.Definition{"firm": {URL: address}}
}

// maxMemory is how much memory the service, its callers and the test may take together, of the 2 GB that serve --memory allows the
// service alone.
const maxMemory = 1 << 30

// apart are operations that end what the others are asked by, or that only one request in thousands could go through of; tests of
// their own have them.
var apart = []string{
	"signIn", "signOut", "changePassword", "openLink", "useLink", "signOn", "returnFromSignOn", "endSession", "revokeKey", "changeAccount",
	"resetAccount",
}

// callersOf are those who send random requests: an administrator mostly, the others of a team, and those whom it has let go.
func callersOf(t *testing.T, m *team) []callers {
	ctx := access.With(context.Background(), access.Caller{Name: "root", Role: access.Administrator, Server: true})
	gone, link, err := m.service.Accounts.Add(ctx, service.NewAccount{Name: "gone", Role: access.Administrator})
	if err != nil {
		t.Fatal(err)
	}
	in, err := m.service.Accounts.UseLink(ctx, link.Token, "", teamPassword, "test")
	if err != nil {
		t.Fatal(err)
	}
	stale := m.newKey(t, in, service.NewKey{Name: "stale", Role: access.Administrator})
	disabled := true
	if _, err := m.service.Accounts.Change(ctx, gone.Name, service.AccountChange{Disabled: &disabled}); err != nil {
		t.Fatal(err)
	}
	key := func(key string) http.Header { return http.Header{"Authorization": {"Bearer " + key}} }
	session := func(token string) http.Header { return http.Header{"Cookie": {sessionCookie + "=" + token}} }
	ada := callers{"ada", access.Administrator, session(m.tokens[access.Administrator])}
	return []callers{
		ada, ada, ada, ada, ada, ada, ada, ada, ada, ada, ada, ada, ada, ada, ada, ada, {"ada's key", access.Administrator, key(m.keys[access.Administrator])},
		{"ana", access.Analyst, session(m.tokens[access.Analyst])}, {"ana's key", access.Analyst, key(m.keys[access.Analyst])},
		{"rea", access.Reader, session(m.tokens[access.Reader])}, {"nobody", access.Nobody, nil},
		{"a stale session", access.Nobody, session(in.Token)}, {"a stale key", access.Nobody, key(stale)},
	}
}

// Whatever is asked, by whomever, nothing breaks: no answer says that something went wrong inside, none is longer than is promised,
// memory stays bounded, and nobody is answered what their role may not ask.
func TestRandomRequests(t *testing.T) {
	requests := *requests
	if testing.Short() {
		requests /= 20
	}
	m := openTeam(t, pgtest.Database(t, database), besideTable(t), Settings{})
	s, asked := m.as(access.Administrator), callersOf(t, m)
	var logged bytes.Buffer
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&logged, &slog.HandlerOptions{Level: slog.LevelWarn})))
	defer slog.SetDefault(before)
	var sent, answered, wrong atomic.Int64
	var longest, newest atomic.Int64
	var seen sync.Map
	var senders sync.WaitGroup
	for worker := range 4 {
		made := newSender(t, uint64(worker))
		made.newest = &newest
		senders.Go(func() {
			for sent.Add(1) <= int64(requests) && wrong.Load() < 10 {
				if made.chance(1) { // what was removed is there again
					s.ask("POST", prefix+"/datasets/sales/loads?date=day&amount=amount&category=region", sales)
					s.ask("POST", prefix+"/datasets/gates/loads?date=day&amount=amount&category=region&zone=Europe/Berlin&day_starts=04:00", gates)
					s.ask("POST", prefix+"/spans", `{"name":"closed","is":"last full month"}`)
					s.ask("POST", prefix+"/holidays", `{"name":"x","days":["2026-12-25"]}`)
					s.ask("POST", prefix+"/briefs", `{"name":"x","title":"x","items":[{"kind":"figure","title":"x","dataset":"sales","over":["2026"],"figures":["count"]}]}`)
					s.ask("POST", prefix+"/schedules", `{"name":"x","brief":"x","days":"today","since":"2026-10-15","deliver":[{"to":"folder","address":"x","formats":["csv"]}]}`)
					s.ask("POST", prefix+"/schedules/run", "")
					s.ask("POST", prefix+"/calendars", `{"name":"firm","year_starts":"04-01","holidays":"x"}`)
				}
				q, what, err := made.request(s.url)
				if err != nil {
					continue // it cannot be sent at all
				}
				operation, _, _ := strings.Cut(what, ":")
				by := asked[made.rng.IntN(len(asked))]
				if slices.Contains(apart, operation) {
					by = callers{name: "nobody"}
				}
				for name, values := range by.head {
					q.Header[name] = values
				}
				r, err := http.DefaultClient.Do(q)
				if err != nil {
					wrong.Add(1)
					t.Errorf("%s: %v", what, err)
					continue
				}
				body, err := io.ReadAll(r.Body)
				n := int64(len(body))
				r.Body.Close()
				if n > 20<<20 {
					t.Logf("%d bytes: %s", n, what)
				}
				for old := longest.Load(); n > old && !longest.CompareAndSwap(old, n); old = longest.Load() {
				}
				if r.StatusCode < 300 {
					answered.Add(1)
					seen.Store(operation, true)
					if role := service.Roles()[operation]; role != access.Nobody && (by.role == access.Nobody || !by.role.Covers(role)) {
						wrong.Add(1)
						t.Errorf("%s was answered %s", by.name, what)
					}
					var load struct{ ID int64 }
					if operation == "loadFile" && json.Unmarshal(body, &load) == nil {
						newest.Store(load.ID)
					}
				}
				if err != nil || r.StatusCode >= 500 || n > maxAnswer {
					wrong.Add(1)
					t.Errorf("%s: %d, %d bytes, %v", what, r.StatusCode, n, err)
				}
			}
		})
	}
	senders.Wait()
	if wrong.Load() > 0 {
		t.Logf("the log:\n%.4000s", logged.String())
	}
	if answered.Load() < int64(requests)/20 {
		t.Errorf("only %d of %d requests went through: the requests are not near enough to what is allowed", answered.Load(), requests)
	}
	for _, op := range newSender(t, 0).ops {
		if _, ok := seen.Load(op.o.OperationID); !ok && !testing.Short() && !slices.Contains(apart, op.o.OperationID) {
			t.Errorf("%s never went through", op.o.OperationID)
		}
	}
	peak := peakMemory(t)
	t.Logf("%d of %d requests went through; the longest answer had %d bytes; memory reached %d MB", answered.Load(), requests, longest.Load(), peak>>20)
	if peak > maxMemory {
		t.Errorf("memory reached %d MB", peak>>20)
	}
	if _, _, text := s.ask("GET", prefix+"/status", ""); !strings.Contains(text, `"version":"test"`) {
		t.Errorf("afterwards the status is %s", text)
	}
}

// peakMemory is the most memory that this process has had.
func peakMemory(t *testing.T) int64 {
	text, err := os.ReadFile("/proc/self/status")
	if err != nil {
		t.Fatal(err)
	}
	_, after, _ := strings.Cut(string(text), "VmHWM:")
	var kilobytes int64
	if _, err := fmt.Sscan(after, &kilobytes); err != nil {
		t.Fatal(err)
	}
	return kilobytes << 10
}
