// Package console serves the built console from inside the binary. Before it is built, a page says
// how to build it.
package console

import (
	"bytes"
	"embed"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"
)

// The folder dist is made by the console's build; .keep is there so that the module builds without.
//
//go:embed all:dist
var built embed.FS

const unbuilt = `<!doctype html><meta charset="utf-8"><title>Vast Span</title>
<body style="font:16px/1.5 system-ui;max-width:36em;margin:4em auto;padding:0 1em">
<h1>The console is not built into this binary</h1>
<p>Run <code>make build</code>, then start the service again. The HTTP interface works as it is:
see <a href="/api/v1/openapi.yaml">its description</a>.`

// Serve answers with a file of the console. Any path that is no file gets the start page, whose
// script reads the path.
func Serve(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	content, err := fs.ReadFile(built, "dist/"+name)
	if err != nil || strings.HasPrefix(name, ".") {
		if path.Ext(name) != "" && strings.HasPrefix(name, "assets/") {
			http.NotFound(w, r)
			return
		}
		name = "index.html"
		if content, err = fs.ReadFile(built, "dist/index.html"); err != nil {
			content = []byte(unbuilt)
		}
	}
	if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // names bear a digest
	} else {
		w.Header().Set("Cache-Control", "no-cache")
	}
	http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(content))
}
