package print

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/table"
	"vastspan/internal/export"
)

// Output is the value of --output.
type Output string

// The forms of output.
const (
	AsTable Output = "table"
	AsCSV   Output = "csv"
	AsJSON  Output = "json"
	// What export writes of the same grid as CSV.
	AsMarkdown  Output = "markdown"
	AsJSONLines Output = "json-lines"
	AsXLSX      Output = "xlsx"
)

// Outputs lists the forms of output.
var Outputs = []string{string(AsTable), string(AsCSV), string(AsJSON), string(AsMarkdown), string(AsJSONLines), string(AsXLSX)}

// IsGrid reports whether a form shows a grid, and not what people read or what programs take apart.
func (o Output) IsGrid() bool { return o != AsTable && o != AsJSON }

// A Choice is the flag that says which form is wanted, of those that a command has.
type Choice struct {
	Output
	More []Output // beside table, csv and json
}

// Set reads the flag.
func (c *Choice) Set(s string) error {
	if slices.Contains(c.More, Output(s)) {
		c.Output = Output(s)
		return nil
	}
	if err := c.Output.Set(s); err != nil {
		return fmt.Errorf("expected %s", strings.ReplaceAll(c.Type(), "|", ", "))
	}
	return nil
}

// Type names the values of the flag.
func (c *Choice) Type() string { return strings.Join(c.All(), "|") }

// All lists the values of the flag.
func (c *Choice) All() []string {
	all := slices.Clone(Outputs)
	for _, o := range c.More {
		all = append(all, string(o))
	}
	return all
}

func (o *Output) String() string { return string(*o) }

// Type names the values of the flag.
func (o *Output) Type() string { return strings.Join(Outputs, "|") }

// Set reads the flag.
func (o *Output) Set(s string) error {
	if slices.Contains(Outputs, s) {
		*o = Output(s)
		return nil
	}
	return fmt.Errorf("expected %s", strings.Join(Outputs, ", "))
}

// A View is one thing in every form of output: a new form is one more case of Print.
type View struct {
	Data any                // as JSON
	Grid func() *table.Grid // as CSV
	Draw func(p *Printer)   // for people; nil draws the grid
	Look Look               // of the grid
	None string             // in place of a grid without rows
}

// Print writes a view in a form of output.
func (p *Printer) Print(out Output, v View) error {
	switch {
	case out == AsJSON:
		return p.JSON(v.Data)
	case out.IsGrid():
		return p.Grid(out, v.Grid())
	case v.Draw != nil:
		v.Draw(p)
		return nil
	}
	g := v.Grid()
	if len(g.Rows) == 0 && v.None != "" {
		p.Linef("%s", v.None)
		return nil
	}
	p.Table(g, v.Look)
	return nil
}

// Grid writes a grid in a form that shows one. A workbook is not written to a terminal.
func (p *Printer) Grid(out Output, g *table.Grid) error {
	switch {
	case out == AsXLSX && IsTerminal(p.Out):
		return errors.New("a workbook is no text: add > FILE.xlsx")
	case out != AsCSV:
		return export.Write(p.Out, string(out), "Vast Span", g)
	case p.SafeCells:
		g = g.Safe()
	}
	return g.WriteCSV(p.Out)
}
