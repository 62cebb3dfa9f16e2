package web

import (
	"bytes"
	"encoding/json"
	"flag"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"vastspan/api"
	"vastspan/core/query"
)

var rewrite = flag.Bool("rewrite", false, "write what comes out into the exchanges; read it before it is kept")

// moments are what differs from one run to the next.
var moments = regexp.MustCompile(`"(changed_at|created_at|loaded_at|undone_at)": "[^"]*"|"(id)": [0-9]+`)

// testdata/exchanges.txt tells whole answers: a line that begins with > is sent, what follows is what has
// to come back. Anyone can add lines.
func TestWholeAnswers(t *testing.T) {
	const file = "testdata/exchanges.txt"
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	s := open(t)
	var told strings.Builder
	n := 0
	for line := range strings.Lines(string(text)) {
		request, sent := strings.CutPrefix(strings.TrimSpace(line), "> ")
		if !sent {
			continue
		}
		n++
		parts := strings.SplitN(request, " ", 3)
		body := ""
		if len(parts) == 3 {
			body = strings.ReplaceAll(parts[2], `\n`, "\n")
		}
		method := parts[0]
		if method == "DELETE" {
			method += " *" // whichever version there is
		}
		status, kind, answer := s.ask(method, "/api/v1"+parts[1], body)
		if strings.Contains(kind, "json") {
			var b bytes.Buffer
			if err := json.Indent(&b, []byte(answer), "", "  "); err != nil {
				t.Fatal(err)
			}
			answer = moments.ReplaceAllString(b.String(), `"$1$2": "…"`) + "\n"
		}
		told.WriteString(line + strings.Join([]string{string(rune('0'+status/100)) + "xx", kind}, " ") + "\n" + answer + "\n")
	}
	if *rewrite {
		if err := os.WriteFile(file, []byte(told.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if n < 10 {
		t.Fatalf("%d requests are sent", n)
	}
	got, want := strings.Split(told.String(), "\n"), strings.Split(string(text), "\n")
	for i := range max(len(got), len(want)) {
		if i >= len(got) || i >= len(want) || got[i] != want[i] {
			t.Fatalf("line %d: got %q, want %q; run with -rewrite and read what has changed", i+1, at(got, i), at(want, i))
		}
	}
}

func at(list []string, i int) string {
	if i < len(list) {
		return list[i]
	}
	return "(nothing)"
}

// What the document says a query is, is what a query is; so are a line and an item of a brief.
func TestTheDocumentKnowsEveryKey(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	for schema, more := range map[string][]string{
		"Query": nil, "Line": {"label"}, "BriefItem": {"id", "kind", "title", "width", "spark", "lines", "ageing"},
	} {
		want := map[string]bool{}
		for _, key := range append(query.Keys(), more...) {
			want[key] = true
		}
		for name := range doc.Components.Schemas[schema].Value.Properties {
			if !want[name] {
				t.Errorf("%s: the document says %s", schema, name)
			}
			delete(want, name)
		}
		for name := range want {
			t.Errorf("%s: the document does not say %s", schema, name)
		}
	}
}
