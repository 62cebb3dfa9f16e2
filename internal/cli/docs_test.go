package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"vastspan/internal/cli/print"
)

// inText finds commands in the text of a page: a span of code that begins like one.
var inText = regexp.MustCompile("`(vastspan [^`]+)`")

// documented returns the commands that a page shows, in its order: in blocks of code, continued lines joined, and in its text.
func documented(page string) []string {
	var commands []string
	joined := strings.ReplaceAll(page, " \\\n", " ")
	for line := range strings.SplitSeq(joined, "\n") {
		block := strings.HasPrefix(line, "    ")
		line = strings.TrimPrefix(strings.TrimSpace(line), "$ ")
		switch {
		case block && strings.HasPrefix(line, "vastspan "):
			commands = append(commands, line)
		case !block:
			for _, found := range inText.FindAllStringSubmatch(line, -1) {
				commands = append(commands, found[1])
			}
		}
	}
	return commands
}

// shellWords splits a command as a shell does, up to where it goes into another one or a file.
func shellWords(command string) (list []string) {
	var word strings.Builder
	var quote rune
	begun := false
	for _, r := range command {
		switch {
		case quote != 0 && r == quote:
			quote = 0
		case quote == 0 && (r == '\'' || r == '"'):
			quote, begun = r, true
		case quote == 0 && strings.ContainsRune(" \t", r):
			if begun {
				list = append(list, word.String())
			}
			word.Reset()
			begun = false
		case quote == 0 && strings.ContainsRune("|<>;#", r):
			return list
		default:
			word.WriteRune(r)
			begun = true
		}
	}
	if begun {
		list = append(list, word.String())
	}
	return list
}

// Every command in README and docs is one, with flags that it has and values that they take.
func TestCommandsOfTheDocs(t *testing.T) {
	pages, err := filepath.Glob("../../docs/*.md")
	if err != nil {
		t.Fatal(err)
	}
	count := 0
	for _, path := range append(pages, "../../README.md") {
		text, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		for _, command := range documented(string(text)) {
			count++
			a := &app{print: print.New(&bytes.Buffer{})}
			root := a.root()
			args := shellWords(command)[1:]
			cmd, rest, err := root.Find(args)
			if err == nil && cmd == root && len(rest) > 0 && !strings.HasPrefix(rest[0], "-") {
				t.Errorf("%s: %s: there is no command %s", filepath.Base(path), command, rest[0])
				continue
			}
			if err == nil {
				err = cmd.ParseFlags(rest)
			}
			if err != nil && !strings.Contains(err.Error(), "help requested") {
				t.Errorf("%s: %s: %v", filepath.Base(path), command, err)
			}
		}
	}
	if count < 100 {
		t.Errorf("%d commands were found, expected more than a hundred", count)
	}
}
