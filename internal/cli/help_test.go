package cli

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"vastspan/internal/cli/print"
)

// Help fits a terminal of 80 columns, and commands with many flags group them in sections.
func TestHelpFitsATerminal(t *testing.T) {
	a := &app{print: print.New(&bytes.Buffer{})}
	var each func(cmd *cobra.Command)
	each = func(cmd *cobra.Command) {
		var out bytes.Buffer
		help(&out, cmd)
		for line := range strings.SplitSeq(out.String(), "\n") {
			item := strings.Contains(line, "--item '") || strings.Contains(line, "--line '") // one argument is not broken
			if len(line) > helpWidth && !item {
				t.Errorf("%s: %d characters: %s", cmd.CommandPath(), len(line), line)
			}
		}
		if cmd.HasParent() && !cmd.Parent().HasParent() && slices.Contains([]string{"total", "load", "resolve", "elapsed", "serve"}, cmd.Name()) {
			cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
				if !f.Hidden && sectionOf(f.Name) == sections[0].title {
					t.Errorf("%s: --%s is in no section", cmd.CommandPath(), f.Name)
				}
			})
		}
		for _, c := range cmd.Commands() {
			each(c)
		}
	}
	each(a.root())
}

func TestCommandsAreContinued(t *testing.T) {
	const long = "  vastspan total crossings --over 'a span -that has -hyphens in it' --sum fare --count --by route --as-of latest"
	want := "  vastspan total crossings --over 'a span -that has -hyphens in it' --sum fare \\\n      --count --by route --as-of latest"
	if got := continued(long); got != want {
		t.Errorf("continued\n%s\nwant\n%s", got, want)
	}
	if got := continued("  vastspan serve"); got != "  vastspan serve" {
		t.Errorf("a short one became %q", got)
	}
}
