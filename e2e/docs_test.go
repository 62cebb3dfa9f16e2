package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// A shownCommand is a command of a page, with what the page shows of its answer.
type shownCommand struct {
	command, answer string
}

var (
	// runnable is how a line begins that is a command, and elsewhere what may come before one of ours.
	runnable  = regexp.MustCompile(`^(vastspan|curl|awk|psql|eval) `)
	elsewhere = regexp.MustCompile(`^(runuser -u vastspan -- |PGPASSFILE=\S+ )`)
	// placed finds what a command of the text leaves open: NAME, FILE, or three points.
	placed = regexp.MustCompile(`\b[A-Z]{2,}\b|…`)
	// inText finds commands within a sentence.
	inText = regexp.MustCompile("`(vastspan [^`]+)`")
	// pages finds the pages that README lists.
	pages = regexp.MustCompile(`\]\((docs/[a-z]+\.md)\)`)
	// unrun are commands that go on until they are stopped, end the service, or are for a machine of its own.
	unrun  = regexp.MustCompile(`^vastspan (serve|stop|restore|sign-in|user|demo$|demo --data|schedule retry)`)
	blanks = regexp.MustCompile(`\s+`)
)

// shownIn returns the commands of a page in their order.
func shownIn(page string) []shownCommand {
	var list []shownCommand
	lines := strings.Split(page, "\n")
	fenced := false
	for i := 0; i < len(lines); i++ {
		line := lines[i]
		if strings.HasPrefix(line, "```") {
			fenced = !fenced
			continue
		}
		if !fenced && !strings.HasPrefix(line, "    ") {
			for _, found := range inText.FindAllStringSubmatch(line, -1) {
				list = append(list, shownCommand{command: found[1]})
			}
			continue
		}
		text, prompted := strings.CutPrefix(strings.TrimSpace(line), "$ ")
		text = elsewhere.ReplaceAllString(text, "")
		if !prompted && !runnable.MatchString(text) {
			continue
		}
		for (strings.HasSuffix(text, `\`) || strings.Count(text, "'")%2 == 1) && i+1 < len(lines) {
			i++
			text += "\n" + strings.TrimSpace(lines[i])
		}
		shown := shownCommand{command: text}
		for prompted && i+1 < len(lines) && (fenced || lines[i+1] == "" || strings.HasPrefix(lines[i+1], "    ")) {
			next := strings.TrimSpace(lines[i+1])
			if strings.HasPrefix(next, "$ ") || strings.HasPrefix(next, "```") {
				break
			}
			shown.answer += next + "\n"
			i++
		}
		list = append(list, shown)
	}
	return list
}

// missing returns the first part of what a page shows that an answer does not have, in the order of the page. Three points
// match anything, and line breaks do not matter.
func missing(shown, answer string) string {
	plain := func(s string) string { return strings.TrimSpace(blanks.ReplaceAllString(s, " ")) }
	rest := plain(answer)
	for line := range strings.SplitSeq(shown, "\n") {
		for part := range strings.SplitSeq(line, "…") {
			_, after, found := strings.Cut(rest, plain(part))
			if !found {
				return plain(part)
			}
			rest = after
		}
	}
	return ""
}

// Every command of README and docs, in the order in which README lists the pages, runs against one fresh demo and answers
// what the page shows. Of those that cannot run here, the command and its flags exist.
func TestDocsFromTopToBottom(t *testing.T) {
	readme, err := os.ReadFile("../README.md")
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	demo := startDemo(t)
	if err := os.WriteFile(filepath.Join(folder, ".curlrc"), []byte("fail-with-body\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	t.Setenv("CURL_HOME", folder)
	t.Setenv("PATH", filepath.Dir(binary)+":"+os.Getenv("PATH"))
	t.Setenv("VASTSPAN_SERVER", demo.address)
	t.Setenv("VASTSPAN_DATA", demo.folder)
	t.Setenv("XDG_CONFIG_HOME", filepath.Join(folder, "settings"))
	order := []string{"README.md"}
	for _, page := range pages.FindAllStringSubmatch(string(readme), -1) {
		order = append(order, page[1])
	}
	count := 0
	for _, page := range order {
		text, err := os.ReadFile(filepath.Join("..", page))
		if err != nil {
			t.Fatal(err)
		}
		for _, shown := range shownIn(string(text)) {
			count++
			if page == "docs/running.md" || unrun.MatchString(shown.command) || placed.MatchString(shown.command) && shown.answer == "" {
				if strings.HasPrefix(shown.command, "vastspan ") {
					shown.command += " --help"
				} else if page == "docs/running.md" { // about a machine of its own, as its administrator
					continue
				}
			}
			command := strings.ReplaceAll(shown.command, "localhost:7420", strings.TrimPrefix(demo.address, "http://"))
			cmd := exec.Command("bash", "-c", command)
			cmd.Dir = folder
			out, err := cmd.CombinedOutput()
			expected := strings.HasPrefix(command, "vastspan check") // ends with 1 where it finds something
			if err != nil && !expected {
				t.Errorf("%s: %s: %v\n%s", page, shown.command, err, out)
			} else if part := missing(shown.answer, string(out)); part != "" {
				t.Errorf("%s: %s: the page shows %q; it says\n%s", page, shown.command, part, out)
			}
		}
	}
	if count < 130 {
		t.Errorf("%d commands were found, expected at least 130", count)
	}
}
