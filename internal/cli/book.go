package cli

import (
	"bytes"
	"encoding/json"
	"io"
	"os"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) bookCommand() *cobra.Command {
	return group("book", "Save definitions to a file, and load them from one", a.bookSave(), a.bookLoad())
}

func (a *app) bookSave() *cobra.Command {
	return &cobra.Command{
		Use: "save [FILE]", Short: "Write all definitions of the service to a span book", Example: "  vastspan book save book.yaml",
		Args: argsUsage(cobra.MaximumNArgs(1), "at most a file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := call(a, nil, func(c *client.Client) (*client.GetBookResponse, error) {
				return c.GetBook(cmd.Context())
			})
			if err != nil {
				return err
			}
			if len(args) == 0 || args[0] == "-" {
				_, err = a.out.Write(r.Body)
				return err
			}
			return os.WriteFile(args[0], r.Body, 0o644)
		},
	}
}

func (a *app) bookLoad() *cobra.Command {
	var preview bool
	var note string
	c := &cobra.Command{
		Use: "load FILE", Short: "Put every definition of a span book in place, all or none",
		Long: `Shows what a span book changes, then changes it in one transaction. Definitions that the book does not
have stay as they are. With --preview nothing is changed.`,
		Example: "  vastspan book load book.yaml --preview\n  vastspan book load book.yaml --note 'holidays of 2028'",
		Args:    argsUsage(cobra.ExactArgs(1), "a file"),
	}
	out := a.outputFlag(c)
	c.Flags().BoolVar(&preview, "preview", false, "show what would change and change nothing")
	c.Flags().StringVar(&note, "note", "", "why it is changed; kept with each version")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		in, done, err := a.open(args[0])
		if err != nil {
			return err
		}
		defer done()
		data, err := io.ReadAll(in)
		if err != nil {
			return err
		}
		r, err := call(a, nil, func(c *client.Client) (*client.LoadBookResponse, error) {
			return c.LoadBook(
				cmd.Context(),
				&types.LoadBookParams{Preview: &preview, Note: ptrOrNil(note)},
				"application/yaml",
				bytes.NewReader(data),
			)
		})
		if err != nil {
			return err
		}
		return a.print.Print(
			*out,
			print.View{Data: r.JSON200, Grid: func() *table.Grid { return bookGrid(r.JSON200.Changes) }, Draw: func(p *print.Printer) {
				a.printBookChanges(p, r.JSON200, preview)
			}},
		)
	}
	return c
}

func bookGrid(changes []types.BookChange) *table.Grid {
	g := &table.Grid{Header: []string{"kind", "name", "change", "before", "after"}}
	for _, c := range changes {
		g.Rows = append(g.Rows, []string{string(c.Kind), c.Name, string(c.Change), definitionText(c.Before), definitionText(c.After)})
	}
	return g
}

// definitionText writes a definition on one line, as a span book has it.
func definitionText(d *types.AnyDefinition) string {
	if d == nil {
		return ""
	}
	data, err := json.Marshal(d)
	if err != nil {
		return err.Error()
	}
	text, err := book.LineOf(data)
	if err != nil {
		return string(data)
	}
	return text
}

func (a *app) printBookChanges(p *print.Printer, r *types.BookChanges, preview bool) {
	same := 0
	for _, c := range r.Changes {
		switch c.Change {
		case types.BookChangeChangeSame:
			same++
		case types.BookChangeChangeAdded:
			p.Linef("+ %s %s  %s", c.Kind, c.Name, truncate(definitionText(c.After)))
		default:
			p.Linef(
				"~ %s %s\n    before %s\n    after  %s",
				c.Kind,
				c.Name,
				truncate(definitionText(c.Before)),
				truncate(definitionText(c.After)),
			)
		}
		if c.Note != nil {
			p.Linef("    note: %s", *c.Note)
		}
	}
	changed := len(r.Changes) - same
	if preview {
		p.Linef("%d to add or change, %d the same; nothing is changed", changed, same)
		return
	}
	p.Linef("added or changed %s %s, %d the same; revision %d", print.Number(changed, "definition"), a.at(), same, r.Revision)
}

// truncate shortens a definition for a line of a terminal.
func truncate(s string) string {
	if r := []rune(s); len(r) > 160 {
		return string(r[:160]) + "…"
	}
	return s
}
