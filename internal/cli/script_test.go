package cli

import (
	"bytes"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

var rewrite = flag.Bool("rewrite", false, "write what comes out into the scripts; read it before it is kept")

// Each file of testdata/scripts tells what commands print that need no service: lines that begin
// with $ are run, what follows is what has to come out, standard error after standard output, and
// the exit code where it is not 0. Anyone can add lines.
func TestScripts(t *testing.T) {
	files, err := filepath.Glob("testdata/scripts/*.txt")
	if err != nil || len(files) < 5 {
		t.Fatalf("%d scripts are there, %v", len(files), err)
	}
	t.Setenv("VASTSPAN_SERVER", "http://127.0.0.1:1")
	t.Setenv("TZ", "UTC")
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			var told strings.Builder
			for line := range strings.Lines(string(text)) {
				switch {
				case strings.HasPrefix(line, "$ "):
					told.WriteString(line + play(t, strings.TrimSpace(line[2:])))
				case strings.HasPrefix(line, "# "):
					told.WriteString(line)
				}
			}
			if *rewrite {
				if err := os.WriteFile(file, []byte(told.String()), 0o644); err != nil {
					t.Fatal(err)
				}
				return
			}
			if told.String() != string(text) {
				t.Errorf("%s: what comes out is\n%s", file, told.String())
			}
		})
	}
}

// play runs one command line in this process.
func play(t *testing.T, line string) string {
	t.Helper()
	args := words(line)
	if args[0] != "vastspan" {
		t.Fatalf("%q does not begin with vastspan", line)
	}
	in, out, errOut := strings.NewReader(""), &bytes.Buffer{}, &bytes.Buffer{}
	if i := len(args) - 2; i > 0 && args[i] == "<" {
		text, err := os.ReadFile(args[i+1])
		if err != nil {
			t.Fatal(err)
		}
		in, args = strings.NewReader(string(text)), args[:i]
	}
	code := Main(args[1:], in, out, errOut)
	told := out.String() + errOut.String()
	if code != 0 {
		told += "exit " + string(rune('0'+code)) + "\n"
	}
	return told + "\n"
}

// words takes a line apart at blanks; single quotes keep a word together.
func words(line string) []string {
	var list []string
	for i, part := range strings.Split(line, "'") {
		if i%2 == 1 {
			list = append(list, part)
		} else {
			list = append(list, strings.Fields(part)...)
		}
	}
	return list
}
