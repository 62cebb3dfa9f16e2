package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/service"
)

func (a *app) receiptCommand() *cobra.Command {
	return group(
		"receipt",
		"Freeze what was reported, and compare it with today",
		a.receiptCreate(),
		a.receiptList(),
		a.receiptShow(),
		a.receiptCompare(),
	)
}

func (a *app) receiptCreate() *cobra.Command {
	var f viewFlags
	var title string
	c := &cobra.Command{
		Use: "create BRIEF", Short: "Create a receipt of a brief as of a day",
		Long: `Freezes a brief: the as-of day, the days of every span, the versions of definitions, the filters, the
figures, the newest load of each dataset, and a checksum of them. A receipt never changes. vastspan total
... --receipt TITLE creates one of a total.`,
		Example: "  vastspan receipt create monday-crossings --as-of latest --title 'Monday brief, 19 October'",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a brief"), ValidArgsFunction: a.completeBriefs,
	}
	f.add(c)
	c.Flags().StringVar(&title, "title", "", "title of the receipt (default the brief's)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		view, err := f.request()
		if err != nil {
			return err
		}
		return a.createReceipt(cmd.Context(), types.ReceiptRequest{Brief: &args[0], View: &view, Title: ptrOrNil(title)})
	}
	return c
}

func (a *app) createReceipt(ctx context.Context, q types.ReceiptRequest) error {
	request := any(q)
	if q.Total != nil {
		request = q.Total
	}
	r, err := call(a, request, func(c *client.Client) (*client.CreateReceiptResponse, error) {
		return c.CreateReceipt(ctx, nil, q)
	})
	if err != nil {
		return err
	}
	m := r.JSON201
	return a.done(
		m,
		"created receipt %d %s: %s, as of %s, %s, checksum %s",
		m.Id,
		a.at(),
		m.Title,
		m.AsOf.Long(),
		print.Number(len(*m.Cells), "figure"),
		m.Checksum[:12],
	)
}

func (a *app) receiptList() *cobra.Command {
	c := &cobra.Command{
		Use:     "list",
		Short:   "List the receipts, newest first",
		Example: "  vastspan receipt list",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		receipts, err := all(func(limit *int, after *string) ([]types.Receipt, *string, error) {
			r, err := call(a, nil, func(c *client.Client) (*client.ListReceiptsResponse, error) {
				return c.ListReceipts(cmd.Context(), &types.ListReceiptsParams{Limit: limit, After: after})
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.print.Print(
			*out,
			print.View{Data: receipts, Look: print.Look{Right: print.Right(0), Shown: print.Days}, Grid: func() *table.Grid {
				g := &table.Grid{Header: []string{"receipt", "title", "type", "as_of", "created", "author", "checksum"}}
				for _, m := range receipts {
					author := m.Author
					if m.Schedule != nil {
						author = "schedule " + *m.Schedule
					}
					g.Rows = append(
						g.Rows,
						[]string{
							fmt.Sprint(m.Id),
							m.Title,
							string(m.Subject),
							m.AsOf.String(),
							m.CreatedAt.Format("2006-01-02 15:04"),
							author,
							m.Checksum[:12],
						},
					)
				}
				return g
			}, None: "there are no receipts yet; vastspan receipt create BRIEF creates one"},
		)
	}
	return c
}

// receiptID reads the number of a receipt.
func receiptID(text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, usagef("%q: expected the number of a receipt", text)
	}
	return id, nil
}

func (a *app) receiptShow() *cobra.Command {
	c := &cobra.Command{
		Use: "show NUMBER", Short: "Show a receipt with its figures", Example: "  vastspan receipt show 1",
		Args: argsUsage(cobra.ExactArgs(1), "the number of a receipt"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		id, err := receiptID(args[0])
		if err != nil {
			return err
		}
		r, err := call(a, nil, func(c *client.Client) (*client.GetReceiptResponse, error) {
			return c.GetReceipt(cmd.Context(), id, a.accept(*out))
		})
		switch {
		case err != nil:
			return err
		case out.IsFile():
			return a.writeBody(r.Body, *out)
		}
		m := r.JSON200
		return a.print.Print(
			*out,
			print.View{Data: m, Grid: func() *table.Grid { return cellGrid(m) }, Draw: func(p *print.Printer) { printReceipt(p, m) }},
		)
	}
	return c
}

func cellGrid(m *types.Receipt) *table.Grid {
	g := &table.Grid{Header: []string{"item", "dataset", "span", "days", "unit", "group", "figure", "value"}}
	for _, c := range *m.Cells {
		g.Rows = append(
			g.Rows,
			[]string{
				value(c.Item),
				c.Dataset,
				c.Expression,
				c.Days,
				value(c.Unit),
				strings.Join(value(c.Group), "; "),
				c.Figure,
				c.Value.String(),
			},
		)
	}
	return g
}

func printReceipt(p *print.Printer, m *types.Receipt) {
	verified := "checksum verified"
	if !value(m.Verified) {
		verified = "CHECKSUM WRONG: it is not what was created"
	}
	p.Linef("receipt %d: %s, %s\ncreated %s by %s; checksum %s, %s\n", m.Id, m.Title, print.AsOf(m.AsOf, value(m.AtClose), value(m.Calendar)),
		m.CreatedAt.Format("2006-01-02 15:04"), m.Author, m.Checksum, verified)
	p.Table(cellGrid(m), print.Look{Right: print.Right(7), Shown: func(column int, cell string) string {
		if column == 7 {
			return table.Thousands(cell)
		}
		return cell
	}})
	var parts []string
	for _, d := range *m.Definitions {
		parts = append(parts, fmt.Sprintf("%s %s version %d", d.Kind, d.Name, d.Version))
	}
	for _, l := range *m.Loads {
		if e := l.Elsewhere; e != nil {
			parts = append(parts, fmt.Sprintf("%s from %s of %s, which held %s then and may move", l.Dataset, e.Table, e.Database,
				print.Number(e.Records, "record")))
			continue
		}
		parts = append(parts, fmt.Sprintf("%s through load %d", l.Dataset, l.Newest))
	}
	p.Linef("\nby %s", strings.Join(parts, ", "))
}

func (a *app) receiptCompare() *cobra.Command {
	c := &cobra.Command{
		Use:     "compare NUMBER",
		Short:   "Ask the query of a receipt again and list what has changed and why",
		Example: "  vastspan receipt compare 1",
		Args:    argsUsage(cobra.ExactArgs(1), "the number of a receipt"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		id, err := receiptID(args[0])
		if err != nil {
			return err
		}
		r, err := call(a, nil, func(c *client.Client) (*client.CompareReceiptResponse, error) {
			return c.CompareReceipt(cmd.Context(), id, a.accept(*out))
		})
		switch {
		case err != nil:
			return err
		case out.IsFile():
			return a.writeBody(r.Body, *out)
		}
		return a.print.Print(
			*out,
			print.View{Data: r.JSON200, Grid: func() *table.Grid { return changeGrid(r.JSON200) }, Draw: func(p *print.Printer) {
				printComparison(p, r.JSON200)
			}},
		)
	}
	return c
}

func changeGrid(c *types.ReceiptComparison) *table.Grid {
	g := &table.Grid{Header: []string{"item", "span", "unit", "group", "figure", "then", "now", "difference", "state", "reasons"}}
	for _, m := range c.Changed {
		var reasons []string
		for _, r := range m.Reasons {
			reasons = append(reasons, (&service.Reason{Text: r.Text, Effect: r.Effect}).Words())
		}
		g.Rows = append(
			g.Rows,
			[]string{value(m.Cell.Item), m.Cell.Expression, value(m.Cell.Unit), strings.Join(value(m.Cell.Group), "; "), m.Cell.Figure,
				m.Cell.Value.String(), m.Now.String(), m.Difference.String(), string(m.State), strings.Join(reasons, "; ")},
		)
	}
	return g
}

// changedText counts the figures that have changed, are gone or are new.
func changedText(c *types.ReceiptComparison) string {
	counts := map[types.FigureChangeState]int{}
	for _, m := range c.Changed {
		counts[m.State]++
	}
	text := fmt.Sprintf("%s of %s changed", print.Count(counts[types.FigureChangeStateChanged]), print.Number(c.Compared, "figure"))
	for _, state := range []types.FigureChangeState{types.FigureChangeStateGone, types.FigureChangeStateNew} {
		if n := counts[state]; n > 0 {
			text += fmt.Sprintf(", %d %s", n, state)
		}
	}
	return text
}

func printComparison(p *print.Printer, c *types.ReceiptComparison) {
	p.Linef(
		"receipt %d: %s, as of %s, created %s\n%s",
		c.Receipt.Id,
		c.Receipt.Title,
		c.Receipt.AsOf.Long(),
		c.Receipt.CreatedAt.Format("2006-01-02 15:04"),
		changedText(c),
	)
	for _, r := range c.Since {
		p.Linef("since then: %s", r.Text)
	}
	for _, text := range value(c.Missing) {
		p.Linef("cannot be shown any more: %s", text)
	}
	if len(c.Changed) > 0 {
		p.Linef("")
		p.Table(changeGrid(c), print.Look{Right: print.Right(5, 6, 7), Shown: func(column int, cell string) string {
			if column >= 5 && column <= 7 {
				return table.Thousands(cell)
			}
			return cell
		}})
	}
}
