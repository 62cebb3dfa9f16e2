package cli

import (
	"context"
	"fmt"
	"strings"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

// changes lists what changed between two states of a dataset.
func (a *app) changes(ctx context.Context, name string, f *recordsFlags, where []string, out print.Output) error {
	q := types.ChangesRequest{
		Dataset: name, Since: f.changedSince, Known: ptrOrNil(f.until), Over: &f.over, Where: &where, Date: ptrOrNil(f.date),
		AsOf: &f.AsOf, AtClose: &f.AtClose, Calendar: ptrOrNil(f.Calendar), Limit: &f.limit, After: ptrOrNil(f.after),
	}
	if len(f.key) > 0 {
		q.Key = &f.key
	}
	r, err := call(a, q, func(c *client.Client) (*client.ListChangesResponse, error) {
		return c.ListChanges(ctx, q, a.accept(out))
	})
	if err != nil {
		return err
	}
	if out.IsFile() {
		return a.writeBody(r.Body, out)
	}
	c := r.JSON200
	return a.print.Print(out, print.View{Data: c, Draw: func(w *print.Printer) { a.printChanges(w, c) }})
}

func (a *app) printChanges(w *print.Printer, c *types.Changes) {
	of := &table.Answer{Dataset: c.Dataset, Date: c.Date, AsOf: c.AsOf, Calendar: c.Calendar, Spans: []table.Span{c.Span}}
	a.printSpanHead(of)
	w.Linef("from %s\nto %s\n", c.Since.String(), c.Until.String())
	sums := &table.Grid{Header: []string{"", "records"}}
	figures := func(values []*types.Value, signed bool) (cells []string) {
		for _, v := range values {
			text := table.Thousands(v.String())
			if signed && v.Sign() > 0 {
				text = "+" + text
			}
			cells = append(cells, text)
		}
		return cells
	}
	for _, name := range c.Amounts {
		sums.Header = append(sums.Header, strings.ReplaceAll(name, "_", " "))
	}
	row := func(name string, records int64, effects []*types.Value, sign string) {
		if records == 0 {
			sign = ""
		}
		sums.Rows = append(sums.Rows, append([]string{name, sign + print.Count(int(records))}, figures(effects, true)...))
	}
	sums.Rows = append(sums.Rows, append([]string{"before"}, figures(c.Before, false)...))
	row("came", c.Came.Records, c.Came.Effects, "+")
	row("went", c.Went.Records, c.Went.Effects, "-")
	row("changed", c.Changed.Records, c.Changed.Effects, "")
	sums.Rows = append(sums.Rows, append([]string{"after"}, figures(c.After, false)...))
	right := map[int]bool{}
	for i := 1; i < len(sums.Header); i++ {
		right[i] = true
	}
	w.Table(sums, print.Look{Right: right, Lead: 1})
	w.Linef("")
	if len(c.Records) == 0 {
		w.Linef("no record of these days changed")
		return
	}
	g := &table.Grid{Header: append([]string{""}, names(c.Columns)...)}
	for i := range c.Records {
		r := &c.Records[i]
		cells := []string{string(r.Change)}
		for at := range c.Columns {
			cells = append(cells, changedCell(r, at))
		}
		g.Rows = append(g.Rows, cells)
	}
	w.Table(g, recordLook(c.Columns, 1, false))
	if c.Next != nil {
		w.Linef("\nfor the next page add --after %s", *c.Next)
	}
}

// changedCell is a cell of a record, with the value before where that was another.
func changedCell(r *types.ChangedRecord, at int) string {
	var sides []string
	for _, side := range []*types.RecordCells{r.Before, r.After} {
		if side != nil {
			sides = append(sides, value((*side)[at]))
		}
	}
	if len(sides) == 2 && sides[0] != sides[1] {
		return fmt.Sprintf("%s → %s", blankAs(sides[0]), blankAs(sides[1]))
	}
	return sides[0]
}

func blankAs(text string) string {
	if text == "" {
		return "(blank)"
	}
	return text
}
