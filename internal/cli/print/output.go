package print

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"vastspan/core/table"
	"vastspan/internal/export"
)

// Output is the value of --output.
type Output string

// The forms of output that have a name here; the others are the formats of package export.
const (
	AsTable Output = "table"
	AsCSV   Output = "csv"
	AsJSON  Output = "json"
)

// Outputs lists the forms of output.
var Outputs = outputs()

func outputs() []string {
	list := []string{string(AsTable), string(AsJSON)}
	for _, f := range export.Formats {
		list = append(list, f.Name)
	}
	return list
}

// IsFile reports whether a form is one that is taken away, and not what people read or what programs take apart.
func (o Output) IsFile() bool {
	_, ok := export.Lookup(string(o))
	return ok
}

// OfFile returns the form that the ending of a file names; false where it names none.
func OfFile(name string) (Output, bool) {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".txt":
		return AsTable, true
	case ".json":
		return AsJSON, true
	}
	f, ok := export.OfFile(name)
	return Output(f.Name), ok
}

// A Choice is the flag that says which form is wanted, of those that a command has.
type Choice struct {
	Output
	More []Output // next to table, csv and json
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
	Grid func() *table.Grid // as a table
	// Document is what is taken away; nil takes the grid.
	Document func() *table.Document
	Draw     func(p *Printer) // for people; nil draws the grid
	Look     Look             // of the grid
	None     string           // instead of a grid without rows
}

// Print writes a view in a form of output.
func (p *Printer) Print(out Output, v View) error {
	switch {
	case out == AsJSON:
		return p.JSON(v.Data)
	case out.IsFile() && v.Document != nil:
		return p.Document(out, v.Document())
	case out.IsFile():
		return p.Document(out, table.Plain("Vast Span", v.Grid()))
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

// Document writes what is taken away.
func (p *Printer) Document(out Output, d *table.Document) error {
	f, err := p.Format(out)
	if err != nil {
		return err
	}
	return f.Write(p.Out, d, p.SafeCells)
}

// Format returns the format of a form that is taken away. What is no text is not written to a terminal.
func (p *Printer) Format(out Output) (export.Format, error) {
	f, _ := export.Lookup(string(out))
	if f.Binary() && IsTerminal(p.Out) {
		return f, fmt.Errorf("%s is not text: add --to FILE%s", f.Name, f.Ending())
	}
	return f, nil
}
