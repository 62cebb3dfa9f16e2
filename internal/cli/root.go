// Package cli is the command line: a file for each command. Commands read arguments, call the service
// over HTTP or the core directly, and hand what comes back to package print.
package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"slices"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/internal/cli/print"
)

// Exit codes.
const (
	exitFine    = 0
	exitRefused = 1
	exitUsage   = 2
	// exitInterrupted is what shells give to commands that Ctrl-C has ended.
	exitInterrupted = 130
)

// Version is the release; builds from a checkout carry its revision.
func Version() string {
	info, ok := debug.ReadBuildInfo()
	if ok && info.Main.Version != "" && info.Main.Version != "(devel)" {
		return info.Main.Version
	}
	return api.Version
}

// app is what every command needs.
type app struct {
	in       io.Reader
	out, err io.Writer
	print    *print.Printer
	now      func() time.Time
	server   string // the service's address, from --server
	file     outFile
	typed    *bufio.Reader // standard input, where it is read line by line
	said     said          // the form in which a command says what it did, from --output
}

// usageError is the error of words that make no command.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// Main runs one command line and returns the exit code.
func Main(args []string, in io.Reader, out, errOut io.Writer) int {
	return run(args, in, out, errOut, time.Now)
}

// run runs one command line by a clock.
func run(args []string, in io.Reader, out, errOut io.Writer, now func() time.Time) int {
	// A terminal that is closed ends a service in its order, too.
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	defer stop()
	a := &app{in: in, out: out, err: errOut, print: print.New(out), now: now}
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errOut)
	err := misspeltCommand(root, args)
	if err == nil {
		err = root.ExecuteContext(ctx)
	}
	err = errors.Join(err, a.file.close(err == nil))
	if err == nil {
		return exitFine
	}
	a.printError(err)
	switch usage := (usageError{}); {
	case errors.As(err, &usage):
		return exitUsage
	case ctx.Err() != nil && errors.Is(err, context.Canceled):
		return exitInterrupted
	}
	return exitRefused
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "vastspan",
		Short: "Named relative date ranges, and records totalled by them",
		Long: `Vast Span resolves relative date ranges ("spans") against an as-of day, explains which days
they cover, and totals dated records by them.

resolve, rehearse, check, days, and total of a file work without a service. If one answers, its definitions are
used, unless --book or --offline is given. The other commands need a service.`,
		Example:       "  vastspan resolve 'last full month' 'month to date excluding today' --as-of 2026-10-19",
		Version:       Version(),
		SilenceUsage:  true,
		SilenceErrors: true,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 0 {
				return usagef("there is no command %q; see vastspan --help", args[0])
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	root.PersistentFlags().StringVar(&a.server, "server", "", "address of the service (default: $VASTSPAN_SERVER, else "+defaultServer+")")
	root.SetFlagErrorFunc(misspeltFlag)
	root.SetHelpFunc(func(cmd *cobra.Command, _ []string) { help(cmd.OutOrStdout(), cmd) })
	root.AddGroup(commandGroups...)
	for group, commands := range map[string][]func() *cobra.Command{
		groupAsk: {a.resolveCommand, a.totalCommand, a.driversCommand, a.linesCommand, a.recordsCommand, a.ageingCommand,
			a.elapsedCommand, a.rehearseCommand, a.checkCommand,
			a.daysCommand},
		groupDefine:  {a.spanCommand, a.calendarCommand, a.holidaysCommand, a.eventCommand, a.bookCommand},
		groupRecords: {a.loadCommand, a.loadsCommand, a.datasetCommand, a.databaseCommand, a.verifyCommand},
		groupReport:  {a.briefCommand, a.receiptCommand, a.scheduleCommand},
		groupRun: {a.serveCommand, a.demoCommand, a.statusCommand, a.stopCommand, a.backupCommand, a.restoreCommand, a.accountCommand,
			a.auditCommand},
		groupAccess: {a.signInCommand, a.signOutCommand, a.whoCommand, a.keyCommand},
	} {
		for _, command := range commands {
			c := command()
			c.GroupID = group
			root.AddCommand(c)
			a.eachThatSays(c)
		}
	}
	return root
}

// silent are the commands that print other things than what they did.
var silent = []string{"serve", "demo", "stop", "account", "sign-in", "sign-out", "save"}

// eachThatSays gives --output to the commands of a tree that have none, for what they did.
func (a *app) eachThatSays(c *cobra.Command) {
	switch {
	case slices.Contains(silent, c.Name()):
	case c.HasSubCommands():
		for _, child := range c.Commands() {
			a.eachThatSays(child)
		}
	case c.Flags().Lookup("output") == nil:
		a.saysWhatItDid(c)
	}
}

// argsUsage wraps a check of arguments so that its error counts as one of usage.
func argsUsage(check cobra.PositionalArgs, what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if err := check(cmd, args); err != nil {
			return usagef("%s: expected %s; see %s --help", cmd.CommandPath(), what, cmd.CommandPath())
		}
		return nil
	}
}

// group is a command that only holds others.
func group(use, short string, commands ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{
		Use: use, Short: short, Args: argsUsage(cobra.NoArgs, "one of its commands"),
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	c.AddCommand(commands...)
	return c
}

// open opens a file for reading; - is standard input.
func (a *app) open(file string) (io.Reader, func() error, error) {
	if file == "-" {
		return a.in, func() error { return nil }, nil
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, err
	}
	return f, f.Close, nil
}

// value returns what a pointer points to, or the zero value.
func value[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

// ptrOrNil returns a pointer to a value, nil for the zero value.
func ptrOrNil[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}
