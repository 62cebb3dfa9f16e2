package cli

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

var rewrite = flag.Bool("rewrite", false, "write what comes out into the scripts; read it before it is kept")

// scriptClocks are when scripts are run: what they print must not depend on it.
var scriptClocks = []time.Time{
	time.Date(2028, time.February, 29, 0, 0, 0, 0, time.UTC),
	time.Date(2026, time.December, 31, 23, 59, 0, 0, time.UTC),
	time.Date(2036, time.October, 19, 12, 0, 0, 0, time.UTC),
}

// Each file of testdata/scripts lists commands that need no service, and what they print: lines that begin
// with $ are run, what follows is what has to come out, standard error after standard output, and
// the exit code where it is not 0. Anyone can add lines. Every script is run by several clocks.
func TestScripts(t *testing.T) {
	files, err := filepath.Glob("testdata/scripts/*.txt")
	if err != nil || len(files) < 5 {
		t.Fatalf("found %d scripts, %v", len(files), err)
	}
	t.Setenv("VASTSPAN_SERVER", "http://127.0.0.1:1")
	t.Setenv("TZ", "UTC")
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			for i, now := range scriptClocks {
				printed := playAll(t, string(text), now)
				if *rewrite && i == 0 {
					if err := os.WriteFile(file, []byte(printed), 0o644); err != nil {
						t.Fatal(err)
					}
					text = []byte(printed)
				}
				if printed != string(text) {
					t.Errorf("%s by the clock of %s: %s", file, now.Format(time.RFC3339), firstDifference(string(text), printed))
				}
			}
		})
	}
}

// firstDifference returns the first line in which an output is not what is wanted.
func firstDifference(want, got string) string {
	wants, gots := strings.Split(want, "\n"), strings.Split(got, "\n")
	for i := range min(len(wants), len(gots)) {
		if wants[i] != gots[i] {
			return fmt.Sprintf("line %d is\n%s\nwant\n%s", i+1, gots[i], wants[i])
		}
	}
	return fmt.Sprintf("%d lines, want %d", len(gots), len(wants))
}

// playAll runs the commands of a script and returns it with what they print.
func playAll(t *testing.T, script string, now time.Time) string {
	var printed strings.Builder
	for line := range strings.Lines(script) {
		switch {
		case strings.HasPrefix(line, "$ "):
			printed.WriteString(line + play(t, strings.TrimSpace(line[2:]), now))
		case strings.HasPrefix(line, "# "):
			printed.WriteString(line)
		}
	}
	return printed.String()
}

// play runs one command line in this process.
func play(t *testing.T, line string, now time.Time) string {
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
	code := run(args[1:], in, out, errOut, func() time.Time { return now })
	printed := out.String() + errOut.String()
	if code != 0 {
		printed += "exit " + string(rune('0'+code)) + "\n"
	}
	return printed + "\n"
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
