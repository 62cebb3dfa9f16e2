package e2e

import (
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	_ "github.com/glebarez/go-sqlite" // the engine of the table
)

// quayFile makes a database file with tables of doors, and runs statements in it.
func quayFile(t *testing.T) (path string, run func(statements ...string)) {
	t.Helper()
	path = filepath.Join(t.TempDir(), "quay.db")
	run = func(statements ...string) {
		t.Helper()
		db, err := sql.Open("sqlite", path)
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		for _, text := range statements {
			if _, err := db.Exec(text); err != nil {
				t.Fatal(err)
			}
		}
	}
	run("CREATE TABLE doors (day date NOT NULL, door text, people integer)",
		"INSERT INTO doors VALUES ('2026-09-01', 'east', 40), ('2026-09-30', 'west', 2), ('2025-09-15', 'east', 21)",
		"CREATE TABLE hatches AS SELECT day, day AS seen, door, people FROM doors")
	return path, run
}

// A table is attached in the terminal and another in the browser; both show where their records are and what is sent there, and
// what is wrong when the table is not there any more.
func TestTablesAreAttached(t *testing.T) {
	t.Parallel()
	path, run := quayFile(t)
	s := startWith(t, "databases:\n  quay:\n    url: sqlite:"+path+"\n    timeout: 20s\n")
	for _, c := range []struct {
		says string
		args []string
	}{
		{"quay", []string{"database", "list"}},
		{"SQLite 3", []string{"database", "test", "quay"}},
		{"hatches", []string{"database", "tables", "quay"}},
		{"first values", []string{"database", "tables", "quay", "doors"}},
		{"doors", []string{"dataset", "attach", "doors", "--database", "quay", "--table", "doors", "--date", "day", "--amount", "people", "--category", "door"}},
		{"quay", []string{"dataset", "list"}},
		{"42", []string{"total", "doors", "--over", "last full month", "--sum", "people", "--as-of", "2026-10-19"}},
		{"FROM `doors`", []string{"total", "doors", "--over", "last full month", "--sum", "people", "--as-of", "2026-10-19", "--explain-sql"}},
		{"east", []string{"records", "doors", "--over", "last full month", "--as-of", "2026-10-19"}},
	} {
		if out := s.must(c.args...); !strings.Contains(out, c.says) {
			t.Errorf("%v does not say %q:\n%s", c.args, c.says, out)
		}
	}
	s.refused(1, "no database nobody", "dataset", "attach", "x", "--database", "nobody", "--table", "doors")
	file := filepath.Join(s.folder, "more.csv")
	if err := os.WriteFile(file, []byte("day,door,people\n2026-09-02,east,1\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.refused(1, "its records stay there", "load", "doors", file, "--date", "day")

	ctx := openBrowser(t)
	do(t, ctx, "the page of data", chromedp.Navigate(s.address+"/data"), shows("[data-dataset=doors]", "in quay, table doors"))
	do(t, ctx, "a table is looked for", click(`//button[contains(., "Attach a table")]`),
		shows("[data-attach]", "SQLite 3"), click(`//*[@data-attach-tables]//button[contains(., "hatches")]`),
		shows("[data-attach-columns]", "people"),
		click(`//button[.="Attach"]`), shows("[data-attach]", "several columns of dates"))
	do(t, ctx, "it is attached", chromedp.SendKeys("#attach-date", "day"), click(`//button[.="Attach"]`),
		shows("[data-attach]", "3 records, read in quay"))
	do(t, ctx, "its total", click(`//a[.="Total them"]`), shows("main", "in quay, table hatches"),
		chromedp.WaitVisible("[data-statements]"), chromedp.Click("[data-statements] summary"), shows("[data-statements]", "FROM `hatches`"))
	run("ALTER TABLE doors RENAME COLUMN people TO persons")
	do(t, ctx, "a column that is gone", chromedp.Navigate(s.address+"/totals?dataset=doors&over=last+full+month&figures=sum+people&as_of=2026-10-19"),
		shows("main", "column people of doors is gone"))
}
