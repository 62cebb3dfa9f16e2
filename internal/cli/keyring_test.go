package cli

import (
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Keys are kept for each address, readable by their owner alone, and sent only where nobody else reads them.
func TestKeysAreKept(t *testing.T) {
	folder := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", folder)
	a := &app{in: strings.NewReader(""), out: io.Discard, err: io.Discard}
	if key, err := keyFor("http://127.0.0.1:1"); key != "" || err != nil {
		t.Fatalf("without any: %q, %v", key, err)
	}
	for server, key := range map[string]string{"http://127.0.0.1:1": "one", "https://reports.example": "two"} {
		if err := a.keep(t.Context(), server, keptKey{Name: "n", Secret: key}); err != nil {
			t.Fatal(err)
		}
	}
	path := filepath.Join(folder, "vastspan", "keys.yaml")
	if info, err := os.Stat(path); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", info.Mode(), err)
	}
	for server, want := range map[string]string{"http://127.0.0.1:1": "one", "https://reports.example": "two", "http://127.0.0.1:2": ""} {
		if key, err := keyFor(server); key != want || err != nil {
			t.Errorf("for %s: %q, %v, want %q", server, key, err, want)
		}
	}
	t.Setenv("VASTSPAN_KEY", "three")
	if key, _ := keyFor("http://127.0.0.1:1"); key != "three" {
		t.Errorf("VASTSPAN_KEY gives %q", key)
	}
	for server, fine := range map[string]bool{
		"https://reports.example": true, "http://localhost:7420": true, "http://[::1]:7420": true, "http://127.0.0.1": true,
		"http://reports.example": false, "http://10.0.0.7:7420": false,
	} {
		if _, err := shownKey(server); (err == nil) != fine {
			t.Errorf("a key for %s: %v", server, err)
		}
	}
	t.Setenv("VASTSPAN_KEY", "")
	if err := os.Chmod(path, 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := keyFor("http://127.0.0.1:1"); err == nil || !strings.Contains(err.Error(), "others can read") {
		t.Errorf("a file that others can read: %v", err)
	}
	if err := os.Chmod(path, 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, []byte("keys: [1, 2]\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := keyFor("http://127.0.0.1:1"); err == nil || !strings.Contains(err.Error(), "keys.yaml") {
		t.Errorf("a file that is no keyring: %v", err)
	}
}

// Beyond loopback the service listens only where callers sign in and nobody reads their passwords on the way.
func TestBeyondLoopback(t *testing.T) {
	for _, c := range []struct {
		s    serving
		want bool
	}{
		{serving{}, false},
		{serving{accounts: true}, false},
		{serving{accounts: true, publicURL: "https://reports.example"}, false},
		{serving{publicURL: "https://reports.example", proxies: []string{"10.0.0.1"}}, false},
		{serving{accounts: true, publicURL: "https://reports.example", proxies: []string{"10.0.0.1"}}, true},
	} {
		if got := c.s.beyond(); got != c.want {
			t.Errorf("%+v: %v", c.s, got)
		}
	}
	for text, fine := range map[string]bool{
		"": true, "https://reports.example": true, "https://reports.example:8443/": true, "http://127.0.0.1:7420": true,
		"http://reports.example": false, "reports.example": false, "https://reports.example/path": false, "https://reports.example?x=y": false,
		"ftp://reports.example": false,
	} {
		s := serving{publicURL: text}
		if _, err := s.settings(); (err == nil) != fine {
			t.Errorf("--public-url %q: %v", text, err)
		}
	}
}
