package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/internal/cli/print"
)

// outputFlag adds the flags that say in which form a command answers, and into which file.
func (a *app) outputFlag(c *cobra.Command, more ...print.Output) *print.Output {
	o := &print.Choice{Output: print.AsTable, More: more}
	flags := c.Flags()
	flags.BoolVar(&a.print.SafeCells, "safe-cells", false, "put an apostrophe before CSV cells that a spreadsheet would take for formulas")
	flags.Var(o, "output", "form of the output; with --to, the ending of the file names it")
	_ = c.RegisterFlagCompletionFunc("output", cobra.FixedCompletions(o.All(), cobra.ShellCompDirectiveNoFileComp))
	flags.BoolVar(&a.print.AllNotes, "all-notes", false, "on a terminal, write all notes, even where they are longer than the table")
	flags.BoolVar(&a.print.Quiet, "quiet", false, "leave out notes that are not cautions")
	flags.BoolVar(&a.print.Wide, "wide", false, "one line a row, however long it is, with the span and its days on each")
	file := flags.String("to", "", "file to write the output into, such as september.xlsx; written completely or not at all")
	c.PreRunE = func(*cobra.Command, []string) error {
		if a.print.Wide {
			a.print.Width = 0
		}
		if *file == "" {
			return nil
		}
		if !flags.Changed("output") {
			form, ok := print.OfFile(*file)
			if !ok {
				return usagef("--to %s: its ending names no form of output; say which with --output %s", *file, o.Type())
			}
			o.Output = form
		}
		if err := a.file.create(*file); err != nil {
			return fmt.Errorf("--to: %w", err)
		}
		a.out, a.print.Out, a.print.Colour, a.print.Width = a.file.temporary, a.file.temporary, false, 0
		return nil
	}
	return &o.Output
}

// An outFile is a file that a command writes instead of the terminal: under a temporary name until it is whole.
type outFile struct {
	name      string
	temporary *os.File
}

func (f *outFile) create(name string) (err error) {
	f.name = name
	f.temporary, err = os.CreateTemp(filepath.Dir(name), "."+filepath.Base(name)+".*")
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return fmt.Errorf("there is no folder %s", filepath.Dir(name))
	case errors.Is(err, fs.ErrPermission):
		return fmt.Errorf("no file can be written in folder %s: permission denied", filepath.Dir(name))
	}
	return err
}

// close puts the file in its place, or removes it where it is not whole.
func (f *outFile) close(whole bool) error {
	if f.temporary == nil {
		return nil
	}
	err := f.temporary.Close()
	if whole && err == nil {
		if err = os.Chmod(f.temporary.Name(), 0o644); err == nil {
			if err = os.Rename(f.temporary.Name(), f.name); err == nil {
				return nil
			}
		}
	}
	return errors.Join(err, os.Remove(f.temporary.Name()))
}

// saysWhatItDid adds --output to a command that says what it did in a sentence.
func (a *app) saysWhatItDid(c *cobra.Command) {
	c.Flags().Var(&a.said, "output", "form in which it says what it did (default text)")
	_ = c.RegisterFlagCompletionFunc("output", cobra.FixedCompletions(saidForms, cobra.ShellCompDirectiveNoFileComp))
}

// saidForms are the forms in which a command says what it did.
var saidForms = []string{"text", "json"}

// said is one of them; empty is text.
type said string

func (s *said) String() string { return string(*s) }

func (s *said) Type() string { return strings.Join(saidForms, "|") }

func (s *said) Set(text string) error {
	if !slices.Contains(saidForms, text) {
		return fmt.Errorf("expected text or json")
	}
	*s = said(text)
	return nil
}

// done says what a command did: in a sentence, or what there is now as JSON.
func (a *app) done(now any, format string, args ...any) error {
	if a.said == "json" {
		return a.print.JSON(now)
	}
	a.print.Linef(format, args...)
	return nil
}

// removed is a thing that is no longer there.
type removed struct {
	Removed string `json:"removed"`
}

// moved is a span whose place in the list has changed.
type moved struct {
	Moved string `json:"moved"`
}

// addressOf is where a database is.
type addressOf struct {
	Address string `json:"address"`
}

// revokedKey is a key that opens nothing any more.
type revokedKey struct {
	Revoked int64 `json:"revoked"`
}
