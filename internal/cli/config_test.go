package cli

import (
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/pflag"
)

// Every flag of serve can be set in the configuration; the command line goes before it; what is not known is refused with its line.
func TestConfiguration(t *testing.T) {
	known := map[string]bool{}
	fields := reflect.TypeFor[configuration]()
	for i := range fields.NumField() {
		known[strings.ReplaceAll(fields.Field(i).Tag.Get("yaml"), "_", "-")] = true
	}
	c := (&app{}).serveCommand()
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if f.Name != "config" && !known[f.Name] {
			t.Errorf("--%s cannot be set in the configuration", f.Name)
		}
	})
	file := filepath.Join(t.TempDir(), "vastspan.yaml")
	read := func(text string, args ...string) (*serving, error) {
		t.Helper()
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		c := (&app{}).serveCommand()
		if err := c.ParseFlags(args); err != nil {
			t.Fatal(err)
		}
		s := &serving{config: file}
		return s, s.readConfig(c)
	}
	for _, w := range []struct{ text, says string }{
		{"addres: 127.0.0.1:1\n", "addres"}, {"log_requests: perhaps\n", "[1:15]"}, {"databases: 3\n", "[1:12]"},
		{"databases:\n  quay:\n    adress: x\n", "adress"},
	} {
		if _, err := read(w.text); err == nil || !strings.Contains(err.Error(), w.says) || !strings.Contains(err.Error(), file) {
			t.Errorf("%q: %v", w.text, err)
		}
	}
	s, err := read("databases:\n  quay:\n    url: sqlite:/x\n    timeout: 20s\n")
	if err != nil || s.databases["quay"].Timeout.Seconds() != 20 {
		t.Errorf("%+v: %v", s.databases, err)
	}
	if err := os.WriteFile(file, []byte("zone: Europe/Lisbon\nlog: json\nlog_requests: false\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	cmd := (&app{}).serveCommand()
	if err := cmd.ParseFlags([]string{"--zone", "UTC", "--config", file}); err != nil {
		t.Fatal(err)
	}
	if err := (&serving{config: file}).readConfig(cmd); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{"zone": "UTC", "log": "json", "log-requests": "false"} {
		if got := cmd.Flags().Lookup(name).Value.String(); got != want {
			t.Errorf("--%s is %s, want %s", name, got, want)
		}
	}
}

// The example is one that the service takes, and so is every line of it that is commented out.
func TestTheExampleConfiguration(t *testing.T) {
	text, err := os.ReadFile(filepath.Join("..", "..", "deploy", "vastspan.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	commented := regexp.MustCompile(`(?m)^(\s*)# ([a-z_]+:|  [a-z_]+:)`)
	for what, content := range map[string]string{"as it is": string(text), "with all lines": commented.ReplaceAllString(string(text), "$1$2")} {
		file := filepath.Join(t.TempDir(), "vastspan.yaml")
		if err := os.WriteFile(file, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
		c := (&app{}).serveCommand()
		s := &serving{config: file}
		if err := s.readConfig(c); err != nil {
			t.Errorf("%s: %v", what, err)
		}
		if what != "as it is" && len(s.databases) != 1 {
			t.Errorf("%s: %v", what, s.databases)
		}
		if got := c.Flags().Lookup("database-port").Value.String(); got != "7421" {
			t.Errorf("%s: the port of the database is %s", what, got)
		}
	}
}
