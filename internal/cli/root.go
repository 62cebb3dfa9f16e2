// Package cli is the command line: a file per command. Commands read arguments, call the service
// over HTTP or the core directly, and print.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/span"
)

// Exit codes.
const (
	exitFine    = 0
	exitRefused = 1
	exitUsage   = 2
)

// Version is the release; builds from a checkout carry its revision.
func Version() string {
	info, ok := debug.ReadBuildInfo()
	if ok && info.Main.Version != "" && info.Main.Version != "(devel)" {
		return info.Main.Version
	}
	return "0.1.0-dev"
}

// app is what every command needs.
type app struct {
	in       io.Reader
	out, err io.Writer
	server   string // the service's address, from --server
}

// usageError is the error of words that make no command.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// Main runs one command line and gives the exit code.
func Main(args []string, in io.Reader, out, errOut io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	a := &app{in: in, out: out, err: errOut}
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errOut)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return exitFine
	}
	a.printError(err)
	var usage usageError
	if errors.As(err, &usage) || strings.HasPrefix(err.Error(), "unknown command") {
		return exitUsage
	}
	return exitRefused
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "vastspan",
		Short: "Named relative date ranges, and records totalled by them",
		Long: `Vast Span resolves relative date ranges ("spans") against an as-of day, shows which days they
give and why, and totals dated records by them.

resolve, rehearse, check, days and total work with no service, on span books and files; the other
commands talk to one.`,
		Example:       "  vastspan resolve 'last full month' 'month to date excluding today' --as-of 2026-10-19",
		Version:       Version(),
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.PersistentFlags().StringVar(&a.server, "server", "", "address of the service (default: $VASTSPAN_SERVER, else the service started last on this machine)")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	root.AddCommand(a.resolveCommand(), a.totalCommand(), a.linesCommand(), a.recordsCommand(), a.briefCommand(), a.receiptCommand(), a.scheduleCommand(), a.spanCommand(), a.datasetCommand(), a.loadCommand(),
		a.loadsCommand(), a.verifyCommand(), a.rehearseCommand(), a.checkCommand(), a.daysCommand(), a.bookCommand(), a.calendarCommand(), a.holidaysCommand(), a.serveCommand(), a.demoCommand())
	return root
}

// takes wraps a check of arguments so that its error counts as one of usage.
func takes(check cobra.PositionalArgs, what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if err := check(cmd, args); err != nil {
			return usagef("%s: expected %s; see %s --help", cmd.CommandPath(), what, cmd.CommandPath())
		}
		return nil
	}
}

// group is a command that only holds others.
func group(use, short string, commands ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: takes(cobra.NoArgs, "one of its commands"), RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() }}
	c.AddCommand(commands...)
	return c
}

// printError words an error for people: a refused expression with a caret under the place, a refused
// file with its rows.
func (a *app) printError(err error) {
	var refused *refusedExpression
	var problem *problemError
	switch {
	case errors.As(err, &refused):
		a.printExpressionError(refused.text, refused.err)
	case errors.As(err, &problem):
		a.printProblem(problem)
	default:
		fmt.Fprintf(a.err, "vastspan: %v\n", err)
	}
}

// refusedExpression is the error of an expression together with its text.
type refusedExpression struct {
	text string
	err  api.ExpressionError
}

func (e *refusedExpression) Error() string { return e.err.Message }

func (a *app) printExpressionError(text string, e api.ExpressionError) {
	fmt.Fprintf(a.err, "vastspan: %s\n", e.Message)
	if e.Column > 0 && len(text) <= span.MaxLength {
		oneLine := strings.Map(func(r rune) rune {
			if r < ' ' {
				return ' '
			}
			return r
		}, text)
		fmt.Fprintf(a.err, "  %s\n  %s%s\n", oneLine, strings.Repeat(" ", e.Column-1), strings.Repeat("^", max(1, e.Width)))
	}
	for i, offer := range e.Offers {
		lead := "did you mean"
		if i > 0 {
			lead = "          or"
		}
		fmt.Fprintf(a.err, "  %s  %s\n", lead, offer)
	}
}

func (a *app) printProblem(p *problemError) {
	switch {
	case p.Faults != nil:
		fmt.Fprintf(a.err, "vastspan: the file was refused whole\n")
		for _, f := range *p.Faults {
			switch {
			case f.Column == nil:
				fmt.Fprintf(a.err, "  line %d: %s\n", f.Line, f.Expected)
			case f.Value == nil:
				fmt.Fprintf(a.err, "  line %d, column %s: blank: %s\n", f.Line, *f.Column, f.Expected)
			default:
				fmt.Fprintf(a.err, "  line %d, column %s: %q: %s\n", f.Line, *f.Column, *f.Value, f.Expected)
			}
		}
	default:
		fmt.Fprintf(a.err, "vastspan: %s\n", p.Detail)
	}
}
