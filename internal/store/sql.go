package store

import (
	"embed"
	"fmt"
	"strings"
	"text/template"

	"github.com/jackc/pgx/v5"
)

// The statements that have to be put together are in files of their own, one purpose each. What is
// put into them are quoted names and conditions; values are arguments, in the order of their question
// marks.

//go:embed sql/*.sql
var sqlFiles embed.FS

var sqlTemplates = template.Must(template.New("").Funcs(template.FuncMap{
	"join":   func(list []string) string { return strings.Join(list, ", ") },
	"places": places,
}).ParseFS(sqlFiles, "sql/*.sql"))

// statement fills a template in.
func statement(name string, data any) string {
	var b strings.Builder
	if err := sqlTemplates.ExecuteTemplate(&b, name+".sql", data); err != nil {
		panic(fmt.Sprintf("store: the statement %s: %v", name, err)) // a template and its data go together
	}
	return b.String()
}

// places lists the numbers 1 to n, for GROUP BY.
func places(n int) string {
	list := make([]string, n)
	for i := range list {
		list[i] = fmt.Sprint(i + 1)
	}
	return strings.Join(list, ", ")
}

func quote(names ...string) string { return pgx.Identifier(names).Sanitize() }

// literal writes a text as an SQL literal.
func literal(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }
