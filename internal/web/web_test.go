package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"vastspan/internal/postgres"
	"vastspan/internal/service"
	"vastspan/internal/store"
)

var database *postgres.Server

func TestMain(m *testing.M) {
	os.Exit(func() int {
		folder, err := os.MkdirTemp("", "vastspan-web-")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(folder)
		if database, err = postgres.Start(context.Background(), folder); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		code := m.Run()
		if err := database.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		return code
	}())
}

// site is a service that stands on Monday, 19 October 2026.
type site struct {
	t   *testing.T
	url string
}

func open(t *testing.T) *site {
	t.Helper()
	st, err := store.Open(context.Background(), database.URL)
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 10, 19, 12, 0, 0, 0, time.UTC)
	server := httptest.NewServer(Handler(service.New(st, time.UTC, func() time.Time { return now }), "test"))
	t.Cleanup(func() {
		server.Close()
		if err := st.Close(); err != nil {
			t.Error(err)
		}
	})
	return &site{t, server.URL}
}

// ask sends a request and gives what comes back.
func (s *site) ask(method, path, body string) (status int, kind, text string) {
	s.t.Helper()
	q, err := http.NewRequest(method, s.url+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	switch {
	case strings.HasPrefix(body, "book:"):
		q.Header.Set("Content-Type", "application/yaml")
	case body != "" && body[0] != '{' && body[0] != '[':
		q.Header.Set("Content-Type", "text/csv")
	case body != "":
		q.Header.Set("Content-Type", "application/json")
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

// An exchange is a request, the status that it has to get and what has to be in the answer.
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
		{"GET", "/api/v1/spans", "", 200, "[]"},
		{"POST", "/api/v1/spans", `{"name":"closed","is":"Last 1 FULL month","tags":["a"]}`, 201, `"is":"last full month"|"version":1`},
		{"POST", "/api/v1/spans", `{"name":"closed","is":"today"}`, 409, "is there already"},
		{"POST", "/api/v1/spans", `{"name":"bad","is":"last month"}`, 422, `two readings|"offers":["last full month","trailing 1 month"]`},
		{"POST", "/api/v1/spans", `{"name":"bad","was":"today"}`, 400, "unknown field"},
		{"POST", "/api/v1/spans", `{"name":`, 400, "unexpected"},
		{"PUT", "/api/v1/spans/closed?version=1", `{"name":"closed","is":"last 2 full months"}`, 200, `"version":2`},
		{"PUT", "/api/v1/spans/closed?version=1", `{"name":"closed","is":"today"}`, 409, "was changed meanwhile"},
		{"PUT", "/api/v1/spans/closed?version=0", `{"name":"closed","is":"today"}`, 422, "expected the version"},
		{"PUT", "/api/v1/spans/closed?version=2", `{"name":"open","is":"today"}`, 422, "a span is not renamed"},
		{"POST", "/api/v1/resolve", `{"expressions":["@closed","@opened","today"],"explain":true}`, 200, `"first":"2026-08-01"|no span is named @opened|"days":1`},
		{"POST", "/api/v1/resolve", `{"expressions":[]}`, 422, "expected 1 to 10000"},
		{"POST", "/api/v1/resolve", `{"expressions":["today"],"as_of":"noon"}`, 422, "noon"},
		{"POST", "/api/v1/rehearse", `{"expression":"@closed","days":40}`, 200, "rolls over"},
		{"GET", "/api/v1/definitions/span/closed/versions", "", 200, `"version":2|"version":1`},
		{"POST", "/api/v1/definitions/span/closed/versions", `{"version":1}`, 200, `"version":3|brought back`},
		{"GET", "/api/v1/definitions/pie/closed/versions", "", 404, "no pie is named closed"},
		{"DELETE", "/api/v1/spans/closed", "", 204, ""},
		{"DELETE", "/api/v1/spans/closed", "", 404, "no span is named closed"},
		{"GET", "/api/v1/nothing", "", 404, "There is no GET"},
		{"GET", "/api/v1/openapi.yaml", "", 200, "openapi: 3.0|/briefs/{name}/view"},
	})
}

func TestRecordsOverHTTP(t *testing.T) {
	s := open(t)
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/sales/preview?date=day&amount=amount&category=region&detail=booked", sales, 200, `"exists":false|"role":"day"|"sampled":4`},
		{"POST", "/api/v1/datasets/sales/loads?date=day&amount=amount&category=region&file=a.csv", sales, 201, `"records":4|"first_day":"2025-09-15"|"file":"a.csv"`},
		{"POST", "/api/v1/datasets/sales/loads?file=b.csv", "day,booked,region,amount\n2026-10-02,,North,x\n", 422, `"line":2|"column":"amount"|"value":"x"`},
		{"POST", "/api/v1/datasets/sales/loads?numbers=1,5", sales, 422, "is settled on numbers written like 1234.56"},
		{"GET", "/api/v1/datasets", "", 200, `"name":"sales"|"records":4`},
		{"PATCH", "/api/v1/datasets/sales", `{"columns":[{"name":"amount","unit":"EUR","better":"up","decimals":2}]}`, 200, `"unit":"EUR"|"better":"up"`},
		{"PATCH", "/api/v1/datasets/sales", `{"columns":[{"name":"region","unit":"EUR"}]}`, 422, "is no amount"},
		{"PATCH", "/api/v1/datasets/sales", `{"covers":"fortnight"}`, 422, "covers"},
		{"POST", "/api/v1/datasets/sales/total", `{"over":["last full month"],"figures":[{"kind":"sum","column":"amount"},{"kind":"median","column":"amount"}],"by":["region"],"against":["1 year earlier"],"edges":true}`, 200,
			`"values":["14.50","7.25"]|"against":"7"|"better":"up"|"date":"day"|"group":["North"]`},
		{"POST", "/api/v1/datasets/sales/total", `{"over":["2026"],"figures":[{"kind":"sum","column":"amount"}],"by":["region"],"top":1}`, 200, `"rest":true|"folded":1`},
		{"POST", "/api/v1/datasets/sales/total", `{"over":["last full month"],"figures":[{"kind":"count"}],"date":"booked"}`, 200, `"date":"booked"|"values":["2"]`},
		{"POST", "/api/v1/datasets/sales/total", `{"over":["last full month"],"figures":[{"kind":"sum","column":"region"}]}`, 422, "sum needs numbers"},
		{"POST", "/api/v1/datasets/sales/total", `{"over":["last full month"],"figures":[{"kind":"mode","column":"amount"}]}`, 422, "is not a figure"},
		{"POST", "/api/v1/datasets/sales/total", `{"over":[],"figures":[{"kind":"count"}]}`, 422, "no spans are given"},
		{"POST", "/api/v1/datasets/moon/total", `{"over":["today"],"figures":[{"kind":"count"}]}`, 404, "no dataset is named moon"},
		{"POST", "/api/v1/datasets/sales/total", `{"over":["2026"],"figures":[{"kind":"count"}],"where":[{"column":"amount","test":"between","values":["5","1"]}]}`, 422, "the first is the greater one"},
		{"POST", "/api/v1/datasets/sales/records", `{"over":"2026","running":"amount","order":"oldest","limit":2}`, 200, `"running":["10.50","14.50"]|"next":|"count":3`},
		{"POST", "/api/v1/datasets/sales/records", `{"over":"2026","limit":0}`, 422, "expected 1 to 1000"},
		{"POST", "/api/v1/datasets/sales/records", `{"over":"2026","after":"soon"}`, 422, "is not the next of another page"},
		{"POST", "/api/v1/datasets/sales/edges", `{"over":"last full month","records":1}`, 200, `"begins":true|"2025-09-15"|"2026-10-01"`},
		{"POST", "/api/v1/datasets/sales/edges", `{"over":"last full month","records":99}`, 422, "expected 1 to 50"},
		{"GET", "/api/v1/datasets/sales/records.csv?over=2026-09&where=%5B%7B%22column%22%3A%22region%22%2C%22values%22%3A%5B%22South%22%5D%7D%5D", "", 200, "day,booked,region,amount\n2026-09-30,2026-09-02,South,4\n"},
		{"GET", "/api/v1/datasets/sales/records.csv?where=x", "", 422, "expected a JSON array of filters"},
		{"GET", "/api/v1/datasets/sales/values?column=region", "", 200, `"value":"North"|"records":3`},
		{"GET", "/api/v1/datasets/sales/values?column=amount", "", 422, "is no category"},
		{"POST", "/api/v1/datasets/sales/verify", "", 200, `"records":4|"wrong":0`},
		{"POST", "/api/v1/lines", `{"each":"month","lines":[{"label":"a","dataset":"sales","over":"2026","figure":{"kind":"sum","column":"amount"}},{"label":"b","dataset":"sales","over":"2025","figure":{"kind":"count"}}]}`, 200, `"label":"Sep"|"number":9`},
		{"POST", "/api/v1/lines", `{"each":"month","lines":[]}`, 422, "expected 1 to 20"},
		{"DELETE", "/api/v1/datasets/sales/loads/1", "", 200, `"taken_back_at":`},
		{"DELETE", "/api/v1/datasets/sales/loads/1", "", 409, "taken back already"},
		{"DELETE", "/api/v1/datasets/sales", "", 204, ""},
		{"GET", "/api/v1/datasets/sales", "", 404, "no dataset is named sales"},
	})
}

func TestBriefsOverHTTP(t *testing.T) {
	s := open(t)
	brief := `{"name":"monday","title":"Monday","asks":[{"name":"window","label":"Days","default":"last full month"}],"items":[
		{"kind":"figure","title":"one","dataset":"fares","over":["?window"],"figures":["sum amount"],"against":["1 year earlier"],"spark":"month"},
		{"kind":"lines","title":"two","each":"month","lines":[{"label":"l","dataset":"fares","over":"this year","figure":"count"}]},
		{"kind":"table","title":"three","dataset":"moon","over":["today"],"figures":["count"]},
		{"kind":"figure","title":"four","dataset":"fares","over":["@gone"],"figures":["count"]},
		{"kind":"bars","title":"five","dataset":"fares","over":["this year"],"figures":["sum colour"],"each":"month"}]}`
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/fares/loads?date=day&amount=amount&category=region", sales, 201, `"records":4`},
		{"PUT", "/api/v1/briefs/monday?version=0", brief, 200, `"version":1`},
		{"PUT", "/api/v1/briefs/monday?version=0", brief, 409, "is there already"},
		{"PUT", "/api/v1/briefs/monday?version=-1", brief, 422, "expected the version"},
		{"PUT", "/api/v1/briefs/tuesday?version=0", brief, 422, "a brief is not renamed"},
		{"GET", "/api/v1/briefs", "", 200, `"title":"Monday"`},
		{"GET", "/api/v1/briefs/sunday", "", 404, "no brief is named sunday"},
		// The newest record is of 1 October; three items cannot be shown, and say why.
		{"POST", "/api/v1/briefs/monday/view", `{}`, 200, `"as_of":"2026-10-01"|"values":["14.50"]|"spark":[|no dataset is named moon|no span is named @gone|there is no column \"colour\"|"label":"Sep"`},
		{"POST", "/api/v1/briefs/monday/view", `{"as_of":"2026-09-10","asks":{"window":"month to date"}}`, 200, `"values":["10.50"]|"window":"month to date"`},
		{"POST", "/api/v1/briefs/monday/view", `{"asks":{"moon":"today"}}`, 422, "asks for no moon"},
		{"POST", "/api/v1/briefs/monday/view", `{"calendar":"moon"}`, 422, "no calendar is named moon"},
		// A dataset without records gives blanks, as of today.
		{"POST", "/api/v1/datasets/empty/loads?date=day&amount=amount", "day,amount\n", 201, `"records":0`},
		{"PUT", "/api/v1/briefs/bare?version=0", `{"name":"bare","title":"Bare","items":[{"kind":"figure","title":"one","dataset":"empty","over":["last full month"],"figures":["sum amount"],"against":["prior"],"spark":"month"}]}`, 200, ""},
		{"POST", "/api/v1/briefs/bare/view", `{}`, 200, `"as_of":"2026-10-19"|"values":[null]|"change":null`},
		{"POST", "/api/v1/briefs/monday/turns", `{"from":"2026-12-20","days":30}`, 200, `"day":"2027-01-01"|rolls over`},
		{"POST", "/api/v1/receipts", `{"brief":"monday","view":{"as_of":"2026-10-19"}}`, 201, `"subject":"brief"|"sound":true|"missing":[`},
		{"POST", "/api/v1/receipts", `{"dataset":"fares","total":{"over":["2026-09"],"figures":[{"kind":"count"}]}}`, 422, "needs a title"},
		{"POST", "/api/v1/receipts", `{"title":"t","dataset":"fares","total":{"over":["2026-09"],"figures":[{"kind":"count"}],"where":[{"column":"region","values":["North"]}]}}`, 201, `"value":"1"`},
		{"POST", "/api/v1/receipts", `{"title":"t"}`, 422, "a receipt is of a brief"},
		{"GET", "/api/v1/receipts/2/comparison", "", 200, `"moved":[]|"changes":[]`},
		{"POST", "/api/v1/datasets/fares/loads", "day,booked,region,amount\n2026-09-05,,North,1\n", 201, `"records":1`},
		{"GET", "/api/v1/receipts/2/comparison", "", 200, `"difference":"1"|1 late record of these days`},
		{"GET", "/api/v1/receipts/99", "", 404, "no receipt is named 99"},
		{"GET", "/api/v1/receipts/one", "", 400, "id"},
		{"POST", "/api/v1/schedules", `{"name":"weekly","brief":"monday","on":"today, only Mon","since":"2026-10-05"}`, 204, ""},
		{"POST", "/api/v1/schedules", `{"name":"weekly","brief":"monday","on":"today"}`, 409, "is there already"},
		{"POST", "/api/v1/schedules", `{"name":"x","brief":"moon","on":"today"}`, 404, "no brief is named moon"},
		{"POST", "/api/v1/schedules", `{"name":"x","brief":"monday","on":"today","calendar":"moon"}`, 422, "no calendar is named moon"},
		{"GET", "/api/v1/schedules", "", 200, `"next":"2026-10-26"|"ran_until":"2026-10-04"`},
		{"POST", "/api/v1/schedules/run", "", 200, `"made":3`},
		{"POST", "/api/v1/schedules/run", "", 200, `"made":0`},
		{"GET", "/api/v1/receipts", "", 200, `"due_day":"2026-10-05"|"due_day":"2026-10-12"|"due_day":"2026-10-19"|"schedule":"weekly"`},
		{"DELETE", "/api/v1/schedules/weekly", "", 204, ""},
		{"DELETE", "/api/v1/schedules/weekly", "", 404, "no schedule is named weekly"},
		{"DELETE", "/api/v1/definitions/brief/monday", "", 204, ""},
		{"POST", "/api/v1/briefs/monday/view", `{}`, 404, "no brief is named monday"},
		{"GET", "/api/v1/receipts/1", "", 200, `"brief":"monday"`},
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
	if status, kind, text := s.ask("GET", "/metrics", ""); status != 200 || !strings.Contains(kind, "text/plain") || !strings.Contains(text, `vastspan_request_seconds_count{method="POST",route="/api/v1/resolve",status="200"} 2`) {
		t.Errorf("the metrics are %d %s:\n%.400s", status, kind, text)
	}
	if _, err := Listen("0.0.0.0:0"); err == nil || !strings.Contains(err.Error(), "loopback only") {
		t.Errorf("listening to all the world: %v", err)
	}
	if status, _, _ := s.ask("POST", "/totals", ""); status != 404 {
		t.Errorf("posting to a page: %d", status)
	}
}
