package web

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"vastspan/core/civil"
	"vastspan/internal/attached"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/service"
	"vastspan/internal/store"
)

var database string // its address

func TestMain(m *testing.M) { pgtest.Main(m, &database) }

// site is a service that is on Monday, 19 October 2026.
type site struct {
	t   *testing.T
	url string
	key string // that requests show; empty for none
}

func open(t *testing.T) *site {
	t.Helper()
	return openOn(t, database)
}

func openOn(t *testing.T, database string) *site { return openBeside(t, database, nil) }

// openBeside opens a site that knows databases in which tables may be attached.
func openBeside(t *testing.T, database string, others map[string]attached.Definition) *site {
	t.Helper()
	requests, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	return serve(t, openService(t, database, others), requests)
}

func openService(t *testing.T, database string, others map[string]attached.Definition) *service.Service {
	t.Helper()
	databases, err := attached.Configure(others)
	if err != nil {
		t.Fatal(err)
	}
	st, err := store.Open(context.Background(), database, store.Options{Columns: t.TempDir(), Databases: databases})
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 10, 19, 12, 0, 0, 0, time.UTC)
	svc := service.New(st, service.NewClock(civil.Clock{}, func() time.Time { return now }))
	svc.Deliveries.Means.Into = t.TempDir()
	t.Cleanup(func() {
		if err := st.Close(); err != nil {
			t.Error(err)
		}
	})
	return svc
}

// serve serves a service until the test ends.
func serve(t *testing.T, svc *service.Service, requests *validator) *site {
	t.Helper()
	return serveWith(t, svc, requests, Settings{Version: "test"})
}

func serveWith(t *testing.T, svc *service.Service, requests *validator, settings Settings) *site {
	t.Helper()
	h, err := handler(svc, settings, requests)
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(h)
	t.Cleanup(server.Close)
	return &site{t: t, url: server.URL}
}

// ask sends a request and returns what comes back.
func (s *site) ask(method, path, body string) (status int, kind, text string) {
	s.t.Helper()
	method, header, _ := strings.Cut(method, " ")
	q, err := http.NewRequest(method, s.url+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	q.Header.Set(requestHeader, "asked")
	switch header {
	case "":
	case "csv":
		q.Header.Set("Accept", "text/csv")
	case "key":
		q.Header.Set("Idempotency-Key", "once")
	case "*":
		q.Header.Set("If-Match", "*")
	default:
		q.Header.Set("If-Match", `"`+header+`"`)
	}
	switch {
	case strings.HasPrefix(body, "book:"):
		q.Header.Set("Content-Type", "application/yaml")
	case body != "" && body[0] != '{' && body[0] != '[':
		q.Header.Set("Content-Type", "text/csv")
	case body != "":
		q.Header.Set("Content-Type", "application/json")
	}
	if s.key != "" {
		q.Header.Set("Authorization", "Bearer "+s.key)
	}
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		s.t.Fatal(err)
	}
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return r.StatusCode, r.Header.Get("Content-Type"), string(data)
}

// An exchange is a request, the status that it has to get and what has to be in the answer. Behind the
// method may be the version that is changed, csv, or key for an idempotency key.
type exchange struct {
	method, path, body string
	status             int
	says               string // parts, by a bar
}

// talk has the exchanges one after the other. Every answer is JSON, and every refusal a problem.
func (s *site) talk(list []exchange) {
	s.t.Helper()
	for _, e := range list {
		status, kind, text := s.ask(e.method, e.path, e.body)
		if status != e.status {
			s.t.Errorf("%s %s %s: %d, want %d:\n%s", e.method, e.path, e.body, status, e.status, text)
			continue
		}
		if status >= 400 && !strings.HasPrefix(kind, "application/problem+json") {
			s.t.Errorf("%s %s: the refusal is %s", e.method, e.path, kind)
		}
		if strings.HasPrefix(kind, "application/") && strings.Contains(kind, "json") && !json.Valid([]byte(text)) {
			s.t.Errorf("%s %s gives what is no JSON:\n%s", e.method, e.path, text)
		}
		for part := range strings.SplitSeq(e.says, "|") {
			if !strings.Contains(text, part) {
				s.t.Errorf("%s %s %s does not say %s:\n%s", e.method, e.path, e.body, part, text)
			}
		}
	}
}

const sales = "day,booked,region,amount\n2026-09-01,2026-08-30,North,10.50\n2026-09-30,2026-09-02,South,4\n2026-10-01,2026-09-30,North,-2.25\n2025-09-15,2025-09-15,North,7\n"

func TestSpansOverHTTP(t *testing.T) {
	open(t).talk([]exchange{
		{"GET", "/api/v1/status", "", 200, `"today":"2026-10-19"|"zone":"UTC"|"version":"test"`},
		{"GET", "/api/v1/spans", "", 200, `{"items":[]}`},
		{
			"POST",
			"/api/v1/spans?note=first",
			`{"name":"closed","is":"Last 1 FULL month","tags":["a"]}`,
			201,
			`"is":"last full month"|"version":1|"note":"first"`,
		},
		{"POST", "/api/v1/spans", `{"name":"closed","is":"today"}`, 409, "already exists"},
		{"POST", "/api/v1/spans", `{"name":"bad","is":"last month"}`, 422, `two meanings|"offers":["last full month","trailing 1 month"]`},
		{"POST", "/api/v1/spans", `{"name":"bad","was":"today"}`, 422, `"pointer":"/was"`},
		{"POST", "/api/v1/spans", `{"name":`, 400, "unreadable"},
		{"PUT 1", "/api/v1/spans/closed", `{"name":"closed","is":"last 2 full months"}`, 200, `"version":2`},
		{"PUT 1", "/api/v1/spans/closed", `{"name":"closed","is":"today"}`, 412, `"code":"has_changed"`},
		{"PUT", "/api/v1/spans/closed", `{"name":"closed","is":"today"}`, 428, `"code":"if_match_required"`},
		{"PUT x", "/api/v1/spans/closed", `{"name":"closed","is":"today"}`, 422, "is not an ETag"},
		{"PUT 2", "/api/v1/spans/closed", `{"name":"open","is":"today"}`, 422, "a definition is not renamed"},
		{
			"POST",
			"/api/v1/resolve",
			`{"expressions":["@closed","@opened","today"],"explain":true}`,
			200,
			`"first_day":"2026-08-01"|no span is named @opened|"days":1`,
		},
		{"POST", "/api/v1/resolve", `{"expressions":[]}`, 422, `"pointer":"/expressions"`},
		{"POST", "/api/v1/resolve", `{"expressions":["today"],"as_of":"noon"}`, 422, "noon"},
		{
			"POST",
			"/api/v1/resolve/timeline",
			`{"expressions":["today"],"from":"2026-10-19","through":"2026-10-20"}`,
			200,
			`"timelines":[{"expression":"today"|"as_of":"2026-10-20"`,
		},
		{"POST", "/api/v1/rehearse", `{"expression":"@closed","days":40}`, 200, "rolls over"},
		{"GET", "/api/v1/spans/closed/versions", "", 200, `"version":2|"version":1`},
		{"GET", "/api/v1/spans/closed/versions?limit=1", "", 200, `"next":"2"`},
		{"GET", "/api/v1/spans/closed/versions?limit=1&after=2", "", 200, `"version":1`},
		{"POST", "/api/v1/spans/closed/restore", `{"version":1}`, 200, `"version":3|restored`},
		{"GET", "/api/v1/pies/closed/versions", "", 404, "There is no GET"},
		{"DELETE *", "/api/v1/spans/closed", "", 204, ""},
		{"DELETE *", "/api/v1/spans/closed", "", 404, "no span is named closed"},
		{"GET", "/api/v1/nothing", "", 404, "There is no GET"},
		{"GET", "/api/v1/openapi.yaml", "", 200, "openapi: 3.0|/briefs/{name}/view"},
	})
}

func TestRecordsOverHTTP(t *testing.T) {
	s := open(t)
	s.talk([]exchange{
		{
			"POST",
			"/api/v1/datasets/sales/preview?date=day&amount=amount&category=region&detail=booked",
			sales,
			200,
			`"exists":false|"role":"day"|"sampled":4`,
		},
		{
			"POST",
			"/api/v1/datasets/sales/loads?date=day&amount=amount&category=region&file=a.csv",
			sales,
			201,
			`"records":4|"oldest":"2025-09-15"|"file":"a.csv"`,
		},
		{
			"POST",
			"/api/v1/datasets/sales/loads?file=b.csv",
			"day,booked,region,amount\n2026-10-02,,North,x\n",
			422,
			`"line":2|"column":"amount"|"value":"x"`,
		},
		{"POST", "/api/v1/datasets/sales/loads?numbers=1,5", sales, 422, "expected how the file writes them"},
		{"GET", "/api/v1/datasets", "", 200, `"name":"sales"|"records":4`},
		{"PATCH", "/api/v1/datasets/sales", `{"columns":[{"name":"amount","unit":"EUR","better":"higher","decimals":2}]}`, 428, "If-Match"},
		{
			"PATCH *",
			"/api/v1/datasets/sales",
			`{"columns":[{"name":"amount","unit":"EUR","better":"higher","decimals":2}]}`,
			200,
			`"unit":"EUR"|"better":"higher"`,
		},
		{"PATCH *", "/api/v1/datasets/sales", `{"columns":[{"name":"region","unit":"EUR"}]}`, 422, "an amount needs numbers: amount"},
		{"PATCH *", "/api/v1/datasets/sales", `{"grain":"fortnight"}`, 422, `"pointer":"/grain"`},
		{
			"POST",
			"/api/v1/total",
			`{"dataset":"sales","over":["last full month"],"figures":["sum amount","median amount"],"by":["region"],"against":["1 year earlier"]}`,
			200,
			`"cells":["14.50","7","7.50","1.07142857143","7.25"|"better":"higher"|"date":"day"|"group":["North"]`,
		},
		{
			"POST",
			"/api/v1/total",
			`{"dataset":"sales","over":["2026"],"figures":["sum amount"],"by":["region"],"top":1}`,
			200,
			`"group":[{"other":true}]|"others":1`,
		},
		{
			"POST",
			"/api/v1/total",
			`{"dataset":"sales","over":["last full month"],"figures":["count"],"date":"booked"}`,
			200,
			`"date":"booked"|"cells":["2"]`,
		},
		{
			"POST",
			"/api/v1/total",
			`{"dataset":"sales","over":["last full month"],"figures":["sum region"]}`,
			422,
			`sum needs numbers|"pointer":"/figures/0"`,
		},
		{"POST", "/api/v1/total", `{"dataset":"sales","over":["last full month"],"figures":["mode amount"]}`, 422, "is not a figure"},
		{"POST", "/api/v1/total", `{"dataset":"sales","over":[],"figures":["count"]}`, 422, "no spans are given"},
		{"POST", "/api/v1/total", `{"dataset":"moon","over":["today"],"figures":["count"]}`, 404, "no dataset is named moon"},
		{
			"POST",
			"/api/v1/total",
			`{"dataset":"sales","over":["today","last month"],"figures":["count"]}`,
			422,
			`two meanings|"pointer":"/over/1"`,
		},
		{
			"POST",
			"/api/v1/total",
			`{"dataset":"sales","over":["2026"],"figures":["count"],"where":["amount between 5 and 1"]}`,
			422,
			`"pointer":"/where`,
		},
		{
			"POST",
			"/api/v1/records",
			`{"dataset":"sales","over":"2026","running":"amount","order":"oldest","limit":2}`,
			200,
			`"running":["10.50","14.50"]|"next":|"count":3`,
		},
		{"POST", "/api/v1/records", `{"dataset":"sales","over":"2026","limit":0}`, 422, `"pointer":"/limit"`},
		{"POST", "/api/v1/records", `{"dataset":"sales","over":"2026","after":"soon"}`, 422, "is not the next of another page"},
		{
			"POST",
			"/api/v1/records/boundaries",
			`{"dataset":"sales","over":"last full month","records":1}`,
			200,
			`"begins":true|"2025-09-15"|"2026-10-01"`,
		},
		{"POST", "/api/v1/records/boundaries", `{"dataset":"sales","over":"last full month","records":99}`, 422, `"pointer":"/records"`},
		{
			"POST csv",
			"/api/v1/records",
			`{"dataset":"sales","over":"2026-09","where":["region=South"]}`,
			200,
			"day,booked,region,amount\n2026-09-30,2026-09-02,South,4\n",
		},
		{
			"POST csv",
			"/api/v1/total",
			`{"dataset":"sales","over":["2026-09"],"figures":["count"]}`,
			200,
			"span,first_day,last_day,days,covered_days,unit,count,flags\n2026-09,2026-09-01,2026-09-30,30,30,,2,\n",
		},
		{"POST", "/api/v1/records", `{"dataset":"sales","where":["x"]}`, 422, `"pointer":"/where"`},
		{"GET", "/api/v1/datasets/sales/values?column=region", "", 200, `"value":"North"|"records":3`},
		{"GET", "/api/v1/datasets/sales/values?column=day", "", 422, "is not a category"},
		{"POST", "/api/v1/datasets/sales/verify", "", 200, `"records":4|"wrong":0`},
		{
			"POST",
			"/api/v1/lines",
			`{"each":"month","lines":[{"label":"a","dataset":"sales","over":["2026"],"figures":["sum amount"]},{"label":"b","dataset":"sales","over":["2025"],"figures":["count"]}]}`,
			200,
			`"label":"Sep"|"id":"line_2"|"key":"p9"`,
		},
		{"POST", "/api/v1/lines", `{"each":"month","lines":[]}`, 422, `"pointer":"/lines"`},
		{"GET", "/api/v1/datasets/sales/loads", "", 200, `"id":1|"records":4`},
	})
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/sales/loads/" + s.newestLoad("sales") + "/undo", "", 200, `"undone_at":`},
		{"POST", "/api/v1/datasets/sales/loads/" + s.newestLoad("sales") + "/undo", "", 409, `"code":"already_undone"`},
		{"DELETE *", "/api/v1/datasets/sales", "", 204, ""},
		{"GET", "/api/v1/datasets/sales", "", 404, "no dataset is named sales"},
	})
}

func TestBriefsOverHTTP(t *testing.T) {
	s := open(t)
	brief := `{"name":"monday","title":"Monday","prompts":[{"name":"window","label":"Days","default":"last full month"}],"items":[
		{"kind":"figure","title":"one","dataset":"fares","over":["?window"],"figures":["sum amount"],"against":["1 year earlier"],"spark":"month"},
		{"kind":"lines","title":"two","each":"month","lines":[{"label":"l","dataset":"fares","over":["this year"],"figures":["count"]}]},
		{"kind":"table","title":"three","dataset":"moon","over":["today"],"figures":["count"]},
		{"kind":"figure","title":"four","dataset":"fares","over":["@gone"],"figures":["count"]},
		{"kind":"bars","title":"five","dataset":"fares","over":["this year"],"figures":["sum colour"],"each":"month"}]}`
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/fares/loads?date=day&amount=amount&category=region", sales, 201, `"records":4`},
		{"POST", "/api/v1/briefs", brief, 201, `"version":1|"id":"i1"`},
		{"POST", "/api/v1/briefs", brief, 409, "already exists"},
		{"PUT 7", "/api/v1/briefs/monday", brief, 412, `"code":"has_changed"`},
		{"PUT 1", "/api/v1/briefs/tuesday", brief, 422, "a definition is not renamed"},
		{"GET", "/api/v1/briefs", "", 200, `"title":"Monday"`},
		{"GET", "/api/v1/briefs/sunday", "", 404, "no brief is named sunday"},
		// The newest record is of 1 October; three items cannot be shown, and say why.
		{
			"POST",
			"/api/v1/briefs/monday/view",
			`{}`,
			200,
			`"as_of":"2026-10-01"|"cells":["14.50"|"spark":{|no dataset is named moon|no span is named @gone|there is no column \"colour\"|"label":"Sep"`,
		},
		{
			"POST",
			"/api/v1/briefs/monday/view",
			`{"as_of":"2026-09-10","prompts":{"window":"month to date"}}`,
			200,
			`"cells":["10.50"|"window":"month to date"`,
		},
		{"POST", "/api/v1/briefs/monday/view", `{"prompts":{"moon":"today"}}`, 422, "has no prompt moon"},
		{"POST", "/api/v1/briefs/monday/view", `{"calendar":"moon"}`, 422, "no calendar is named moon"},
		// A dataset without records gives blanks, as of today.
		{"POST", "/api/v1/datasets/empty/loads?date=day&amount=amount", "day,amount\n", 201, `"records":0`},
		{
			"POST",
			"/api/v1/briefs",
			`{"name":"bare","title":"Bare","items":[{"kind":"figure","title":"one","dataset":"empty","over":["last full month"],"figures":["sum amount"],"against":["prior"],"spark":"month"}]}`,
			201,
			"",
		},
		{"POST", "/api/v1/briefs/bare/view", `{}`, 200, `"as_of":"2026-10-19"|"cells":[null,null,null,null]`},
		{"POST", "/api/v1/briefs/monday/rehearse", `{"from":"2026-12-20","days":30}`, 200, `"day":"2027-01-01"|rolls over`},
		{
			"POST",
			"/api/v1/receipts",
			`{"brief":"monday","view":{"as_of":"2026-10-19"}}`,
			201,
			`"subject":"brief"|"verified":true|"missing":[`,
		},
		{"POST", "/api/v1/receipts", `{"total":{"dataset":"fares","over":["2026-09"],"figures":["count"]}}`, 422, "needs a title"},
		{
			"POST key",
			"/api/v1/receipts",
			`{"title":"t","total":{"dataset":"fares","over":["2026-09"],"figures":["count"],"where":["region=North"]}}`,
			201,
			`"value":"1"|"id":2`,
		},
		{
			"POST key",
			"/api/v1/receipts",
			`{"title":"t","total":{"dataset":"fares","over":["2026-09"],"figures":["count"],"where":["region=North"]}}`,
			201,
			`"id":2`,
		},
		{"POST", "/api/v1/receipts", `{"title":"t"}`, 422, "a receipt is of a brief"},
		{"GET", "/api/v1/receipts/2/comparison", "", 200, `"changed":[]|"since":[]`},
		{"POST", "/api/v1/datasets/fares/loads", "day,booked,region,amount\n2026-09-05,,North,1\n", 201, `"records":1`},
		{"GET", "/api/v1/receipts/2/comparison", "", 200, `"difference":"1"|"code":"records"`},
		{"GET", "/api/v1/receipts/99", "", 404, "no receipt is named 99"},
		{"GET", "/api/v1/receipts/one", "", 422, `"pointer":"/id"`},
		{
			"POST",
			"/api/v1/schedules",
			`{"name":"weekly","brief":"monday","days":"today, only Mon","since":"2026-10-05"}`,
			201,
			`"next":"2026-10-26"`,
		},
		{"POST", "/api/v1/schedules", `{"name":"x","brief":"monday","days":"today","since":"2020-10-19"}`, 422, "more than 400 past days"},
		{"POST", "/api/v1/schedules", `{"name":"weekly","brief":"monday","days":"today"}`, 409, "already exists"},
		{"POST", "/api/v1/schedules", `{"name":"x","brief":"moon","days":"today"}`, 404, "no brief is named moon"},
		{"POST", "/api/v1/schedules", `{"name":"x","brief":"monday","days":"today","calendar":"moon"}`, 422, "no calendar is named moon"},
		{"POST", "/api/v1/schedules", `{"name":"x","brief":"monday","days":"today","since":"0001-01-01"}`, 422, `"pointer":"/since"`},
		{"POST", "/api/v1/schedules", `{"name":"x","brief":"monday","days":"today","since":"0026-10-19"}`, 422, "is more than 7320 days back"},
		{"POST", "/api/v1/schedules/run", "", 200, `"created":3`},
		{"POST", "/api/v1/schedules/run", "", 200, `"created":0`},
		{"GET", "/api/v1/schedules", "", 200, `"next":"2026-10-26"|"up_to_date_through":"2026-10-19"`},
		{"GET", "/api/v1/receipts", "", 200, `"due_day":"2026-10-05"|"due_day":"2026-10-12"|"due_day":"2026-10-19"|"schedule":"weekly"`},
		{"DELETE *", "/api/v1/briefs/monday", "", 409, `"names":["schedule weekly"]`},
		{"DELETE", "/api/v1/schedules/weekly", "", 204, ""},
		{"DELETE", "/api/v1/schedules/weekly", "", 404, "no schedule is named weekly"},
		{"DELETE *", "/api/v1/briefs/monday", "", 204, ""},
		{"POST", "/api/v1/briefs/monday/view", `{}`, 404, "no brief is named monday"},
		{"GET", "/api/v1/receipts/1", "", 200, `"brief":"monday"`},
	})
}

// What is too much is refused before anything is done with it, and says which part is.
func TestLimits(t *testing.T) {
	many := func(n int) string { return strings.TrimSuffix(strings.Repeat(`"today",`, n), ",") }
	open(t).talk([]exchange{
		{"POST", "/api/v1/resolve", `{"expressions":[` + many(10_001) + `]}`, 422, `"pointer":"/expressions"`},
		{"POST", "/api/v1/resolve", `{"expressions":["` + strings.Repeat("x", 4001) + `"]}`, 422, `"pointer":"/expressions/0"`},
		{"POST", "/api/v1/resolve", `{"expressions":["today"],"calendar":""}`, 422, `"pointer":"/calendar"`},
		{"POST", "/api/v1/resolve", `{"expressions":["` + strings.Repeat("x", 17<<20) + `"]}`, 413, "too_large"},
		{"POST", "/api/v1/rehearse", `{"expression":"today","days":4001}`, 422, `"pointer":"/days"`},
		{"GET", "/api/v1/spans?limit=1001", "", 422, "limit"},
		{"POST", "/api/v1/total", `{"dataset":"x","top":1001}`, 422, `"pointer":"/top"`},
	})
}

// What is no text is refused at the door, wherever it is.
func TestWhatIsNoText(t *testing.T) {
	open(t).talk([]exchange{
		{"POST", "/api/v1/spans", `{"name":"nul","is":"today","about":"a\u0000b"}`, 400, "not text"},
		{"POST", "/api/v1/spans", "{\"name\":\"nul\",\"is\":\"today\",\"about\":\"\xff\"}", 400, "not text"},
		{"POST", "/api/v1/spans?note=a%00b", `{"name":"nul","is":"today"}`, 400, "not text"},
		{"GET", "/api/v1/spans/a%00b", "", 400, "not text"},
		{"GET", "/api/v1/spans/%ff", "", 400, "not text"},
		{"POST", "/api/v1/total", `{"dataset":"x","over":["2026"],"figures":["count"],"where":["a=\u0000"]}`, 400, "not text"},
		{"POST", "/api/v1/datasets/nul/loads?date=day", "day,t\n2026-01-01,a\x00b\n", 422, "without NUL"},
		{"POST", "/api/v1/datasets/nul/loads?date=day", "day,\x00t\n2026-01-01,ab\n", 422, "the name of column 2 is not text"},
		{"POST", "/api/v1/datasets/nul/loads?date=day&file=%00", "day,t\n2026-01-01,ab\n", 400, "not text"},
		{"POST", "/api/v1/book", "book: 1\nspans:\n  - {name: x, is: today, about: \"a\\0b\"}\n", 422, "not text"},
		{"GET", "/api/v1/spans/nul", "", 404, "no span is named nul"},
	})
}

// Only pages of the service itself, addressed to this machine, are answered.
func TestStrangersAreRefused(t *testing.T) {
	s := open(t)
	for what, c := range map[string]struct {
		change func(*http.Request)
		status int
	}{
		"another name":   {func(q *http.Request) { q.Host = "example.test" }, http.StatusForbidden},
		"another page":   {func(q *http.Request) { q.Header.Set("Sec-Fetch-Site", "cross-site") }, http.StatusForbidden},
		"its own page":   {func(q *http.Request) { q.Header.Set("Sec-Fetch-Site", "same-origin") }, http.StatusOK},
		"no page at all": {func(*http.Request) {}, http.StatusOK},
	} {
		q, err := http.NewRequest(http.MethodPost, s.url+"/api/v1/resolve", strings.NewReader(`{"expressions":["today"]}`))
		if err != nil {
			t.Fatal(err)
		}
		q.Header.Set("Content-Type", "application/json")
		c.change(q)
		r, err := http.DefaultClient.Do(q)
		if err != nil {
			t.Fatal(err)
		}
		r.Body.Close()
		if r.StatusCode != c.status {
			t.Errorf("from %s: %d, want %d", what, r.StatusCode, c.status)
		}
	}
	if status, kind, text := s.ask("GET", "/metrics", ""); status != 200 || !strings.Contains(kind, "text/plain") ||
		!strings.Contains(text, `vastspan_request_seconds_count{method="POST",route="/api/v1/resolve",status="200"} 2`) {
		t.Errorf("the metrics are %d %s:\n%.400s", status, kind, text)
	}
	if status, kind, text := s.ask("BREW", "/api/v1/spans", ""); status != 405 || !strings.HasPrefix(kind, "application/problem+json") {
		t.Errorf("an unknown method: %d %s:\n%s", status, kind, text)
	}
	for _, want := range []string{`method="other"`, "go_goroutines ", "process_open_fds "} {
		if _, _, text := s.ask("GET", "/metrics", ""); !strings.Contains(text, want) || strings.Contains(text, "BREW") {
			t.Errorf("the metrics do not say %s, or say too much", want)
		}
	}
	answer, err := http.Get(s.url + "/api/v1/status")
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	if answer.Header.Get("X-Content-Type-Options") != "nosniff" || answer.Header.Get("Cache-Control") != "no-store" {
		t.Errorf("the headers are %v", answer.Header)
	}
	if _, err := Listen("0.0.0.0:0", false); err == nil || !strings.Contains(err.Error(), "only with --accounts") {
		t.Errorf("listening to all the world: %v", err)
	}
	if status, _, _ := s.ask("POST", "/totals", ""); status != 404 {
		t.Errorf("posting to a page: %d", status)
	}
}
