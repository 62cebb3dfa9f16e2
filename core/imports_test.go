package core

import (
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// Arrows point down only: each package may import those listed with it, of this module, and nothing
// else of it.
var allowed = map[string][]string{
	"core/internal/floor":  {},
	"core/civil":           {"core/internal/floor"},
	"core/calendar":        {"core/civil", "core/internal/floor"},
	"core/span":            {"core/calendar", "core/civil"},
	"core/book":            {"core/calendar", "core/civil", "core/span"},
	"core/tally":           {"core/calendar", "core/civil"},
	"core/daytable":        {"core/calendar", "core/civil"},
	"internal/holidays":    {"core/civil"},
	"api":                  {"core/civil"},
	"internal/tabular":     {"core/civil", "core/tally"},
	"internal/postgres":    {},
	"internal/store":       {"core/civil", "core/daytable", "core/tally", "internal/tabular"},
	"internal/service":     {"core/book", "core/calendar", "core/civil", "core/daytable", "core/span", "core/tally", "internal/store", "internal/tabular"},
	"internal/wire":        {"api", "core/book", "core/calendar", "core/civil", "core/span", "core/tally", "internal/service", "internal/store", "internal/tabular"},
	"internal/web":         {"api", "core/span", "internal/service", "internal/store", "internal/tabular", "internal/web/console", "internal/wire"},
	"internal/demo":        {"core/civil", "internal/tabular"},
	"internal/cli":         {"api", "core/book", "core/calendar", "core/civil", "core/span", "core/tally", "internal/demo", "internal/holidays", "internal/postgres", "internal/service", "internal/store", "internal/tabular", "internal/web", "internal/wire"},
	"internal/web/console": {},
	"cmd/vastspan":         {"internal/cli"},
}

// Beyond the standard library, the core knows a decimal library and, for its files, a YAML one.
var outside = map[string]string{"core/tally": "github.com/cockroachdb/apd/v3", "core/book": "github.com/goccy/go-yaml"}

func TestImportGraph(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "../...").Output()
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		name := strings.TrimPrefix(fields[0], "vastspan/")
		may, known := allowed[name]
		if !known {
			continue
		}
		seen++
		for _, path := range fields[1:] {
			if below, ours := strings.CutPrefix(path, "vastspan/"); ours {
				if !slices.Contains(may, below) {
					t.Errorf("%s imports %s", name, below)
				}
				continue
			}
			if strings.HasPrefix(name, "core/") && strings.Contains(path, ".") && !strings.HasPrefix(path, orNothing(outside[name])) {
				t.Errorf("%s imports %s", name, path)
			}
			if strings.HasPrefix(name, "core/") && slices.Contains([]string{"os", "time/tzdata", "net", "net/http", "io/fs", "log"}, path) {
				t.Errorf("%s imports %s: the core does no I/O", name, path)
			}
		}
	}
	if seen != len(allowed) {
		t.Errorf("%d of %d packages were found", seen, len(allowed))
	}
}

func orNothing(path string) string {
	if path == "" {
		return "\x00"
	}
	return path
}
