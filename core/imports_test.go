package core

import (
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// Arrows point down only: each package of this module may import those listed with it and no others.
// Every package is listed, in the order in which the house is built.
var allowed = map[string][]string{
	"api":        {},
	"api/client": {"api/types"},
	"api/server": {"api/types"},
	"api/types": {
		"core/ageing",
		"core/book",
		"core/calendar",
		"core/civil",
		"core/dataset",
		"core/daytable",
		"core/decimal",
		"core/drivers",
		"core/query",
		"core/span",
		"core/table",
	},
	"bench": {
		"bench/made", "bench/report",
		"core/ageing",
		"core/calendar",
		"core/civil",
		"core/dataset",
		"core/elapsed",
		"core/measure",
		"core/span",
		"core/tally",
		"internal/attached",
		"internal/export",
		"internal/ingest",
		"internal/postgres",
		"internal/store",
		"core/drivers",
		"core/query",
	},
	"bench/cluster": {
		"bench/made", "bench/report", "core/civil", "core/dataset", "core/measure", "core/tally", "internal/attached", "internal/cluster",
	},
	"bench/load":   {"bench/report"},
	"bench/report": {},
	"bench/made":   {"core/civil", "core/span"},
	"cmd/vastspan": {"internal/cli"},
	"core/ageing": {
		"core/calendar", "core/civil", "core/dataset", "core/decimal", "core/elapsed", "core/query", "core/span", "core/table",
	},
	"core/book": {
		"core/ageing",
		"core/calendar",
		"core/civil",
		"core/elapsed",
		"core/event",
		"core/naming",
		"core/query",
		"core/span",
		"core/table",
	},
	"core/calendar": {"core/civil", "core/internal/floor", "core/naming"},
	"core/civil":    {"core/internal/floor"},
	"core/dataset":  {"core/calendar", "core/civil", "core/decimal", "core/naming"},
	"core/event":    {"core/civil"},
	"core/daytable": {"core/calendar", "core/civil", "core/event", "core/span", "core/table"},
	"core/decimal":  {},
	"core/drivers": {
		"core/calendar", "core/civil", "core/dataset", "core/decimal", "core/event", "core/measure", "core/query", "core/table", "core/tally",
	},
	"core/elapsed":        {"core/calendar", "core/civil", "core/decimal"},
	"core/internal/floor": {},
	"core/measure":        {"core/dataset", "core/decimal"},
	"core/naming":         {},
	"core/query": {
		"core/calendar",
		"core/civil",
		"core/dataset",
		"core/decimal",
		"core/elapsed",
		"core/event",
		"core/measure",
		"core/naming",
		"core/span",
		"core/table",
		"core/tally",
	},
	"core/span":       {"core/calendar", "core/civil", "core/event", "core/naming"},
	"core/table":      {"core/calendar", "core/civil", "core/dataset", "core/decimal", "core/measure"},
	"core/tally":      {"core/calendar", "core/civil", "core/dataset", "core/decimal", "core/measure"},
	"docs/pictures":   {"core/book", "core/civil", "core/span", "internal/deliver", "internal/demo", "internal/postgres"},
	"e2e":             {},
	"internal/access": {"internal/refused"},
	"internal/attached": {
		"core/ageing", "core/calendar", "core/civil", "core/dataset", "core/decimal", "core/measure", "core/tally",
		"internal/listing", "internal/refused",
	},
	"internal/backup": {"internal/postgres"},
	"internal/cli": {
		"api",
		"api/client",
		"api/types",
		"core/ageing",
		"core/book",
		"core/calendar",
		"core/civil",
		"core/dataset",
		"core/decimal",
		"core/drivers",
		"core/daytable",
		"core/elapsed",
		"core/measure",
		"core/naming",
		"core/query",
		"core/span",
		"core/table",
		"internal/access",
		"internal/backup",
		"internal/cli/print",
		"internal/deliver",
		"internal/demo",
		"internal/export",
		"internal/holidays",
		"internal/postgres",
		"internal/refused",
		"internal/service",
		"internal/signon",
		"internal/web",
	},
	"internal/cluster":         {"internal/postgres"},
	"internal/cli/print":       {"core/calendar", "core/civil", "core/dataset", "core/decimal", "core/query", "core/table", "internal/export"},
	"internal/deliver":         {"core/table", "internal/export"},
	"internal/columnstore":     {"core/ageing", "core/civil", "core/dataset", "core/decimal", "core/measure", "core/tally"},
	"internal/demo":            {"core/civil", "core/dataset", "internal/export", "internal/ingest"},
	"internal/export":          {"core/decimal", "core/table"},
	"internal/holidays":        {"core/book", "core/civil"},
	"internal/ingest":          {"core/ageing", "core/calendar", "core/civil", "core/dataset", "core/decimal", "core/measure", "core/tally"},
	"internal/listing":         {"core/civil", "core/dataset", "core/tally"},
	"internal/password":        {},
	"internal/postgres":        {},
	"internal/postgres/pgtest": {"internal/postgres"},
	"internal/refused":         {},
	"internal/service": {
		"core/ageing",
		"core/book",
		"core/calendar",
		"core/civil",
		"core/dataset",
		"core/daytable",
		"core/decimal",
		"core/drivers",
		"core/measure",
		"core/naming",
		"core/query",
		"core/span",
		"core/table",
		"core/tally",
		"internal/access",
		"internal/attached",
		"internal/backup",
		"internal/deliver",
		"internal/export",
		"internal/ingest",
		"internal/password",
		"internal/refused",
		"internal/store",
	},
	"internal/signon/standin": {},
	"internal/signon":         {"core/naming", "internal/access", "internal/refused"},
	"internal/store": {
		"core/ageing",
		"core/calendar",
		"core/civil",
		"core/dataset",
		"core/daytable",
		"core/decimal",
		"core/event",
		"core/measure",
		"core/table",
		"core/tally",
		"internal/access",
		"internal/attached",
		"internal/columnstore",
		"internal/ingest",
		"internal/listing",
		"internal/refused",
	},
	"internal/web": {
		"api",
		"api/server",
		"api/types",
		"core/ageing",
		"core/book",
		"core/calendar",
		"core/civil",
		"core/dataset",
		"core/decimal",
		"core/measure",
		"core/naming",
		"core/query",
		"core/span",
		"core/table",
		"core/tally",
		"internal/access",
		"internal/deliver",
		"internal/export",
		"internal/holidays",
		"internal/refused",
		"internal/service",
		"internal/signon",
		"internal/web/console",
	},
	"internal/web/console": {},
}

// Beyond the standard library, the core knows a decimal library and, for its files, a YAML one.
var outside = map[string]string{
	"core/decimal": decimals, "core/dataset": decimals, "core/measure": decimals, "core/table": decimals,
	"core/elapsed": decimals, "core/ageing": decimals,
	"core/book": "github.com/goccy/go-yaml",
}

const decimals = "github.com/cockroachdb/apd/v3"

// The core does no input and no output.
var forbidden = []string{"os", "time/tzdata", "net", "net/http", "io/fs", "log", "log/slog", "database/sql"}

func TestImportGraph(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "../...").Output()
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		name := strings.TrimPrefix(fields[0], "vastspan/")
		if name == "core" { // this test alone
			continue
		}
		may, known := allowed[name]
		if !known {
			t.Errorf("%s is not in the list", name)
			continue
		}
		seen++
		for _, path := range fields[1:] {
			checkImport(t, name, path, may)
		}
	}
	if seen != len(allowed) {
		t.Errorf("%d of %d packages were found", seen, len(allowed))
	}
}

func checkImport(t *testing.T, name, path string, may []string) {
	t.Helper()
	if below, ours := strings.CutPrefix(path, "vastspan/"); ours {
		if !slices.Contains(may, below) {
			t.Errorf("%s imports %s", name, below)
		}
		return
	}
	if !strings.HasPrefix(name, "core/") {
		return
	}
	if library, ok := outside[name]; strings.Contains(path, ".") && (!ok || !strings.HasPrefix(path, library)) {
		t.Errorf("%s imports %s", name, path)
	}
	if slices.Contains(forbidden, path) {
		t.Errorf("%s imports %s: the core does no input and no output", name, path)
	}
}
