package web

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"vastspan/internal/postgres/pgtest"
)

// upload sends a body of a type, and returns the status and the answer.
func (s *site) upload(path, kind string, body []byte) (int, string) {
	s.t.Helper()
	r, err := http.Post(s.url+path, kind, bytes.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return r.StatusCode, string(data)
}

// files makes the parts of several files.
func files(t *testing.T, texts ...string) (kind string, body []byte) {
	t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for i, text := range texts {
		part, err := w.CreateFormFile("file", []string{"one.csv", "two.json", "three.csv"}[i])
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(part, text); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return w.FormDataContentType(), b.Bytes()
}

func TestLoadsOfAnyFormat(t *testing.T) {
	s := open(t)
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	if _, err := io.WriteString(w, "day|n\n2026-09-01|1\n"); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	several, parts := files(t, "day,n\n2026-09-01,1\n", `[{"n":2,"day":"2026-09-02"}]`)
	faulty, wrong := files(t, "day,n\n2026-09-01,1\n", "day,n\n2026-09-03,x\n")
	none, empty := files(t)
	for _, c := range []struct {
		path, kind string
		body       []byte
		status     int
		says       string
	}{
		{"/datasets/any-gzip/loads", "application/octet-stream", packed.Bytes(), 201, `"records":1`},
		{"/datasets/any-gzip/loads", "application/octet-stream", packed.Bytes()[:packed.Len()-9], 422, "the gzip file is cut off"},
		{"/datasets/any-json/loads", "application/json", []byte(`{"day":"2026-09-01","n":1}` + "\n" + `{"n":2,"day":"2026-09-02"}`), 201, `"records":2`},
		{"/datasets/any-parts/loads", several, parts, 201, `"file":"one.csv, two.json"|"records":2`},
		{"/datasets/any-parts/loads", several, parts, 409, `"already_loaded"|as load `},
		{"/datasets/any-parts/loads?again=true", several, parts, 201, `"records":2`},
		{"/datasets/any-parts/loads", faulty, wrong, 422, `"file":"two.json"|"line":2|"count":1|"lines":[2]`},
		{"/datasets/any-parts/loads", none, empty, 422, "the body has no parts"},
		{"/datasets/any-parts/loads", "multipart/form-data", parts, 422, "the body: "},
		{"/datasets/any-year/preview", "text/csv", []byte("year;n\n1900;1,5\n"), 200,
			`"delimiter":"semicolon"|"encoding":"utf-8"|"grain":"year"|"format":"csv"`},
		{"/datasets/any-order/loads", "text/csv", []byte("day,n\n03/14/2026,1\n03/15/2026,1\n"), 422,
			`"option":"date_order","value":"mdy"|"count":2|"lines":[2,3]`},
		{"/datasets/any-order/loads?date_order=mdy", "text/csv", []byte("day,n\n03/14/2026,1\n"), 201, `"newest":"2026-03-14"`},
		{"/datasets/any-order/loads?date_order=dmy", "text/csv", []byte("day,n\n14/03/2026,1\n"), 201, `"newest":"2026-03-14"`},
		{"/datasets/any-zip/loads", "text/csv", []byte("PK\x03\x04x"), 422, "the XLSX file is damaged"},
		{"/datasets/any-many/loads", "text/csv", []byte("day" + strings.Repeat(",c", 5000) + "\n"), 422, "the header names 5001 columns: at most 1500"},
		{"/datasets/any-twice/loads", "text/csv", []byte("day,n,n\n2026-09-01,1,2\n"), 422, `twice, as column 2 and column 3`},
		{"/datasets/any-omit/loads?omit=n", "text/csv", []byte("day,n\n2026-09-01,x\n"), 201, `"records":1`},
		{"/datasets/any-omit/loads?omit=m", "text/csv", []byte("day,n\n2026-09-01,x\n"), 422, `there is no column \"m\" to omit`},
		{"/datasets/any-omit/loads?format=pdf", "text/csv", []byte("day,n\n"), 422, `format \"pdf\": expected csv, json, xlsx, parquet`},
	} {
		status, text := s.upload("/api/v1"+c.path, c.kind, c.body)
		if status != c.status {
			t.Errorf("%s %s: %d, want %d: %s", c.path, c.kind, status, c.status, text)
		}
		for part := range strings.SplitSeq(c.says, "|") {
			if !strings.Contains(text, part) {
				t.Errorf("%s does not say %s: %s", c.path, part, text)
			}
		}
	}
}

func TestModesOverHTTP(t *testing.T) {
	s := open(t)
	loads := "/api/v1/datasets/tickets/loads"
	s.talk([]exchange{
		{"POST", loads + "?key=id", "id,day,n\na,2026-09-01,1\nb,2026-09-02,2\nc,2026-10-01,3\n", 201, `"mode":"upsert"|"replaced":0`},
		{"POST", loads + "?key=id", "id,day,n\nb,2026-09-05,20\nd,2026-09-06,4\n", 201, `"mode":"upsert"|"replaced":1|"records":2`},
		{"POST", loads + "?key=id", "id,day,n\nx,2026-09-05,20\nx,2026-09-06,4\n", 422, "does not tell the records of the file apart: x stands 2 times"},
		{"POST", loads + "?key=ticket", "id,day,n\nx,2026-09-05,20\n", 422, `there is no column \"ticket\"`},
		{"POST", loads + "?key=id&key=id", "id,day,n\nx,2026-09-05,20\n", 422, "names a column twice"},
		{"POST", loads + "?key=id&replace=all", "id,day,n\nx,2026-09-05,20\n", 422, "expected one"},
		{"POST", loads + "?replace=last+full+month", "id,day,n\ne,2026-09-30,5\n", 201, `"mode":"replace"|"replaced":3`},
		{"POST", loads + "?replace=last+full+month&as_of=2026-11-10", "id,day,n\ne,2026-09-29,5\n", 422, "expected a day of those that are replaced"},
		{"POST", loads + "?replace=last+full+moth", "id,day,n\ne,2026-09-28,5\n", 422, "moth"},
		{"POST", loads + "?replace=2026-02-30", "id,day,n\ne,2026-09-28,5\n", 422, "2026-02 has no day 30"},
		{"POST", loads + "?replace=last+full+month&allow_undated=true", "id,day,n\ne,,5\n", 422, "are in no span"},
		{"POST", "/api/v1/datasets/untold/loads?replace=last+full+month", "id,day,n\ne,2026-09-30,6\n", 404, "untold"},
		{"POST", "/api/v1/total", `{"dataset":"tickets","over":["2026"],"figures":["sum n","count"]}`, 200, `"cells":["8","2"]`},
		{"POST", loads + "?replace=all", "id,day,n\ne,2026-09-27,7\n", 201, `"replaced":2`},
		{"POST", "/api/v1/total", `{"dataset":"tickets","over":["2026"],"figures":["sum n","count"]}`, 200, `"cells":["7","1"]`},
	})
	s.talk([]exchange{
		{"POST", loads + "/" + s.newestLoad("tickets") + "/undo", "", 200, `"replaced":2`},
		{"POST", "/api/v1/total", `{"dataset":"tickets","over":["2026"],"figures":["sum n","count"]}`, 200, `"cells":["8","2"]`},
	})
}

// newestLoad returns the number of a dataset's newest load.
func (s *site) newestLoad(name string) string {
	s.t.Helper()
	_, _, text := s.ask("GET", "/api/v1/datasets/"+name+"/loads?limit=1", "")
	var page struct{ Items []struct{ ID json.Number } }
	if err := json.Unmarshal([]byte(text), &page); err != nil || len(page.Items) == 0 {
		s.t.Fatalf("the loads are %s, %v", text, err)
	}
	return page.Items[0].ID.String()
}

// A misspelt parameter is refused, not left out in silence; so is a key that was used for another file.
func TestWhatALoadWouldDoInSilence(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	const other = "day,region,amount\n2026-09-09,South,99\n"
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/q1/loads?file=t1.csv&date=day&amount=amount", sales, 201, `"mode":"append"`},
		{"POST", "/api/v1/datasets/q1/loads?file=t2.csv&replac=all", other, 422, `there is no parameter \"replac\" here; did you mean replace?|"pointer":"/replac"`},
		{"GET", "/api/v1/spans?frobnicate=1", "", 422, `there is no parameter \"frobnicate\" here; there are limit, after`},
		{"GET", "/api/v1/status?x=1", "", 422, `there is no parameter \"x\" here`},
		{"POST key", "/api/v1/datasets/q2/loads?date=day&amount=amount", sales, 201, `"id":2`},
		{"POST key", "/api/v1/datasets/q2/loads?date=day&amount=amount", sales, 200, `"id":2`},
		{"POST key", "/api/v1/datasets/q2/loads?date=day&amount=amount", other, 422, `"key_used"|was used for load 2|nothing was loaded`},
		{"POST", "/api/v1/total", `{"dataset":"q2","over":["all dates"],"figures":["count"]}`, 200, `"cells":["4"]`},
	})
	q, err := http.NewRequest("POST", s.url+prefix+"/datasets/q3/loads?date=day", strings.NewReader(sales))
	if err != nil {
		t.Fatal(err)
	}
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		t.Fatal(err)
	}
	r.Body.Close()
	if at := r.Header.Get("Location"); !strings.HasPrefix(at, "/api/v1/datasets/q3/loads/") {
		t.Errorf("its location is %q", at)
	} else {
		s.talk([]exchange{{"GET", at, "", 200, `"mode":"append"`}})
	}
}

// What is removed asks for the version that is meant, and comes back for a while: a dataset, and the records of a load.
func TestWhatIsRemovedComesBack(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	const count = `{"dataset":"back","over":["all dates"],"figures":["count"]}`
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/back/loads?date=day&amount=amount", sales, 201, `"id":1`},
		{"POST", "/api/v1/spans", `{"name":"closed","is":"last full month"}`, 201, ""},
		{"DELETE", "/api/v1/datasets/back", "", 428, "If-Match"},
		{"DELETE", "/api/v1/spans/closed", "", 428, "If-Match"},
		{"DELETE 7", "/api/v1/datasets/back", "", 412, ""},
		{"POST", "/api/v1/datasets/back/loads/1/undo", "", 200, `"kept":true`},
		{"POST", "/api/v1/total", count, 200, `"cells":["0"]`},
		{"POST", "/api/v1/datasets/back/loads/1/redo", "", 200, `"records":4`},
		{"POST", "/api/v1/datasets/back/loads/1/redo", "", 409, "is not undone"},
		{"POST", "/api/v1/total", count, 200, `"cells":["4"]`},
		{"GET", "/api/v1/removed-datasets", "", 200, `{"items":[]}`},
		{"DELETE 1", "/api/v1/datasets/back", "", 204, ""},
		{"GET", "/api/v1/datasets/back", "", 404, ""},
		{"GET", "/api/v1/datasets", "", 200, `{"items":[]}`},
		{"GET", "/api/v1/removed-datasets", "", 200, `"name":"back"|"removed_by":"local"|"until"`},
		{"POST", "/api/v1/datasets/back/restore", "", 200, `"records":4`},
		{"POST", "/api/v1/datasets/back/restore", "", 404, ""},
		{"POST", "/api/v1/total", count, 200, `"cells":["4"]`},
		{"GET", "/api/v1/audit", "", 200, `"action":"restored"`},
	})
}
