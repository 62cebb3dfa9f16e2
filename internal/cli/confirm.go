package cli

import (
	"bufio"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

// anyVersion is the If-Match of a removal that was asked for by name.
var anyVersion = "*"

// yesFlag adds the flag that answers a question before it is asked.
func yesFlag(c *cobra.Command) *bool {
	return c.Flags().BoolP("yes", "y", false, "do not ask")
}

// sure asks on a terminal whether something that removes records is meant; elsewhere, and with --yes, it is not asked.
func (a *app) sure(yes bool, format string, args ...any) (bool, error) {
	f, ok := a.in.(*os.File)
	if yes || !ok || !term.IsTerminal(int(f.Fd())) {
		return true, nil
	}
	fmt.Fprintf(a.errors(), format+" [y/N] ", args...)
	if a.typed == nil {
		a.typed = bufio.NewReader(a.in)
	}
	text, err := a.typed.ReadString('\n')
	if err != nil {
		return false, err
	}
	answer := strings.ToLower(strings.TrimSpace(text))
	if answer == "y" || answer == "yes" {
		return true, nil
	}
	a.print.Linef("Nothing was changed.")
	return false, nil
}
