package web

import (
	"bytes"
	"encoding/json"
	"html/template"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"vastspan/api"
)

// What HTTP asks of every server, around the operations: HEAD, conditional requests, compression, and a page about the interface.

// compressed are the types of answers that are sent compressed to those who take that. Files of records go out as they are.
var compressed = []string{
	"application/json", "application/problem+json", "application/yaml", "text/html", "text/css", "text/javascript", "application/javascript",
	"image/svg+xml", "text/plain",
}

// compressing compresses answers.
func compressing(h http.Handler) (http.Handler, error) {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(1024), gzhttp.ContentTypes(compressed))
	if err != nil {
		return nil, err
	}
	return wrap(h), nil
}

// heads answers HEAD as GET without what follows the head: the server writes no body then.
func heads(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead {
			get := r.Clone(r.Context())
			get.Method = http.MethodGet
			r = get
		}
		h.ServeHTTP(w, r)
	})
}

// conditional answers 304 where a GET names the ETag that the answer would have.
func conditional(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if tag := r.Header.Get("If-None-Match"); tag != "" && r.Method == http.MethodGet && isAPI(r.URL.Path) {
			w = &conditionalWriter{ResponseWriter: w, tags: strings.Split(tag, ",")}
		}
		h.ServeHTTP(w, r)
	})
}

type conditionalWriter struct {
	http.ResponseWriter
	tags          []string
	begun, silent bool
}

func (w *conditionalWriter) WriteHeader(status int) {
	if w.begun {
		return
	}
	w.begun = true
	tag := strings.TrimPrefix(w.Header().Get("ETag"), "W/")
	w.silent = status == http.StatusOK && tag != "" && slices.ContainsFunc(w.tags, func(t string) bool {
		t = strings.TrimSpace(t)
		return t == "*" || strings.TrimPrefix(t, "W/") == tag
	})
	if w.silent {
		w.Header().Del("Content-Type")
		w.Header().Del("Content-Length")
		status = http.StatusNotModified
	}
	w.ResponseWriter.WriteHeader(status)
}

func (w *conditionalWriter) Write(p []byte) (int, error) {
	if !w.begun {
		w.WriteHeader(http.StatusOK)
	}
	if w.silent {
		return len(p), nil
	}
	return w.ResponseWriter.Write(p)
}

// Unwrap returns the writer of the connection.
func (w *conditionalWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// accepted are the types that an operation answers with.
func accepted(o *openapi3.Operation) []string {
	list := []string{"application/json", "application/problem+json"}
	for _, response := range o.Responses.Map() {
		for kind := range response.Value.Content {
			list = append(list, kind)
		}
	}
	return list
}

// acceptable reports whether any of the types that are wanted is one that an operation answers with.
func acceptable(header string, o *openapi3.Operation) bool {
	if strings.TrimSpace(header) == "" {
		return true
	}
	offered := accepted(o)
	for wanted := range strings.SplitSeq(header, ",") {
		kind, _, _ := strings.Cut(wanted, ";")
		kind = strings.ToLower(strings.TrimSpace(kind))
		group, all := strings.CutSuffix(kind, "/*")
		if kind == "*/*" || slices.ContainsFunc(offered, func(have string) bool {
			return have == kind || have == "*/*" || all && strings.HasPrefix(have, group+"/")
		}) {
			return true
		}
	}
	return false
}

// notAllowed answers a method that a path does not have; the engine has set Allow.
func notAllowed(c *gin.Context) {
	writeProblem(c, problem(http.StatusMethodNotAllowed, "method_not_allowed", "Method not allowed",
		c.Request.Method+" is not allowed here. Allowed: "+c.Writer.Header().Get("Allow")))
}

// describe serves the description of the interface, as YAML and JSON by the version of the program, and a page about it.
func describe(engine *gin.Engine, version string) error {
	text := bytes.Replace(api.Document, []byte("\n  version: "+api.Version+"\n"), []byte("\n  version: "+version+"\n"), 1)
	doc, err := openapi3.NewLoader().LoadFromData(text)
	if err != nil {
		return err
	}
	asJSON, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	var page bytes.Buffer
	if err := interfacePage.Execute(&page, pageOf(doc)); err != nil {
		return err
	}
	serve := func(path, kind string, content []byte) {
		engine.GET(prefix+path, func(c *gin.Context) { c.Data(http.StatusOK, kind, content) })
	}
	serve("/openapi.yaml", "application/yaml", text)
	serve("/openapi.json", "application/json", asJSON)
	serve("/", "text/html; charset=utf-8", page.Bytes())
	return nil
}

type describedGroup struct {
	Name       string
	Operations []describedOperation
}

type describedOperation struct{ Method, Path, Summary string }

func pageOf(doc *openapi3.T) any {
	groups := map[string]*describedGroup{}
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			name := "other"
			if len(o.Tags) > 0 {
				name = o.Tags[0]
			}
			if groups[name] == nil {
				groups[name] = &describedGroup{Name: name}
			}
			groups[name].Operations = append(groups[name].Operations, describedOperation{method, prefix + path, o.Summary})
		}
	}
	var list []*describedGroup
	for _, name := range slices.Sorted(maps.Keys(groups)) {
		g := groups[name]
		slices.SortFunc(g.Operations, func(a, b describedOperation) int { return strings.Compare(a.Path+a.Method, b.Path+b.Method) })
		list = append(list, g)
	}
	return map[string]any{"Title": doc.Info.Title, "Version": doc.Info.Version, "Groups": list}
}

var interfacePage = template.Must(template.New("").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>{{.Title}}</title>
<style>
body { font: 15px/1.5 system-ui, sans-serif; max-width: 62rem; margin: 2rem auto; padding: 0 1rem; color: #23262b; background: #faf8f3 }
h1 { font-size: 1.4rem } h2 { font-size: 1.05rem; margin: 1.6rem 0 .3rem }
table { border-collapse: collapse; width: 100% } td { padding: .25rem .8rem .25rem 0; vertical-align: top; border-top: 1px solid #e5e0d5 }
code { font: 13px ui-monospace, monospace } td:first-child { width: 4.5rem } a { color: #0f6b5f }
</style>
<h1>{{.Title}} {{.Version}}</h1>
<p>The whole description is <a href="openapi.yaml">openapi.yaml</a>, and the same as <a href="openapi.json">openapi.json</a>.</p>
{{range .Groups}}<h2>{{.Name}}</h2>
<table>{{range .Operations}}<tr><td><code>{{.Method}}</code></td><td><code>{{.Path}}</code></td><td>{{.Summary}}</td></tr>
{{end}}</table>
{{end}}</html>
`))
