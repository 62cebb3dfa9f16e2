package cli

import (
	"context"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/core/decimal"
	"vastspan/core/drivers"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) driversCommand() *cobra.Command {
	var f totalFlags
	c := &cobra.Command{
		Use:   "drivers SOURCE --over EXPR --against MOVE",
		Short: "Say what the change of a figure is made of",
		Long: `Finds what the change of one figure over one span is made of: the effect of each value of each category (of a mean or a ratio
its mix and its rate), how many records and how large, how many days and of which kinds. The effects of one part add up to the change,
to the last digit. The days of events of which one side has more, and the records that weigh most, come last. SOURCE is a dataset, or a
file, which needs no service.`,
		Example: `  vastspan drivers crossings --over 'last full month' --against '1 year earlier' --sum fare --as-of latest
  vastspan drivers crossings --over 'last full quarter' --against prior --mean fare --by route --top 3 --as-of latest`,
		Args:              argsUsage(cobra.MinimumNArgs(1), "a dataset or a file, then --over and an expression"),
		ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	f.contextFlags = addContextFlags(c, latestHelp)
	f.knownFlag(c)
	f.add(c)
	f.definitionFlags(c)
	for _, name := range []string{
		"over-file", "explain-sql", "rank-by", "across", "share", "against-dataset", "each", "align", "running", "rolling", "blank-incomplete",
		"previous", "subtotals", "planned", "receipt", "per", "pace", "min", "max", "median", "distinct", "first", "last",
	} {
		_ = c.Flags().MarkHidden(name) // what drivers do not take is refused with the question
	}
	a.completeColumns(c, isNumber, "sum", "mean", "ratio")
	a.completeColumns(c, isCategory, "by", "category")
	a.completeColumns(c, isTime, "date")
	_ = c.RegisterFlagCompletionFunc("over", a.completeExpressions)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		q, err := f.read(args)
		if err == nil {
			err = a.readable(q.Over)
		}
		switch {
		case err != nil:
			return err
		case len(q.Against) == 0:
			return usagef("drivers: expected --against and what the figure is compared with, such as --against '1 year earlier'")
		case isFile(args[0]):
			return a.driversOfFile(cmd.Context(), args[0], q, &f, *out)
		}
		r, err := call(a, q, func(c *client.Client) (*client.FindDriversResponse, error) { return c.FindDrivers(cmd.Context(), q) })
		if err != nil {
			return err
		}
		return a.printDrivers(r.JSON200, *out, a.at())
	}
	return c
}

// driversOfFile finds the drivers in a file, without a service.
func (a *app) driversOfFile(ctx context.Context, file string, q query.Query, f *totalFlags, out print.Output) error {
	return a.withFile(ctx, file, &q, f, func(d *definitions, e query.Evaluator, r query.Records) error {
		answer, err := (drivers.Question{Query: q}).Answer(ctx, e, r)
		if err != nil {
			return about(err, q)
		}
		v, err := answer.View(q.Top)
		if err != nil {
			return err
		}
		return a.printDrivers(v, out, "definitions: "+d.String())
	})
}

// printDrivers says the change in a sentence, then its parts.
func (a *app) printDrivers(v *drivers.View, out print.Output, source string) error {
	return a.print.Print(out, print.View{Data: v, Document: v.Document, Draw: func(p *print.Printer) {
		p.Linef("%s, %s over %s against %s, %s", v.Dataset, v.Figure, v.Over, v.Against, print.AsOf(v.AsOf, v.AtClose, v.Calendar))
		p.Linef("%s\n", source)
		p.Linef("%s\n", v.Sentence)
		p.Table(driverTable(v), driverLook)
		p.Linef("")
		p.Notes(v.Notes)
	}})
}

// driverLook has numbers to the right.
var driverLook = print.Look{Right: print.Right(1, 2, 3, 4, 5, 6), Lead: 1}

// driverTable is the effects as people read them: a line for each, the column before its values, with as many decimals as the change
// has; files have all of them. Mix and rate are those of means and ratios.
func driverTable(v *drivers.View) *table.Grid {
	g := &table.Grid{Header: []string{"part", "figure", "counterpart", "difference", "contribution", ""}}
	quotient := slices.ContainsFunc(v.Effects, func(e drivers.EffectView) bool { return e.Mix != "" })
	if quotient {
		g.Header = []string{"part", "figure", "counterpart", "difference", "contribution", "mix", "rate", ""}
	}
	decimals := 0
	if _, fraction, ok := strings.Cut(v.Effects[0].Difference, "."); ok {
		decimals = min(len(fraction), 4)
	}
	shown := func(figure string) string {
		if _, fraction, _ := strings.Cut(figure, "."); quotient || len(fraction) > decimals {
			return rounded(figure, decimals)
		}
		return table.Thousands(figure)
	}
	words := map[drivers.Part]string{
		drivers.Total: "in all", drivers.Count: "how many records", drivers.Size: "how large they are", drivers.Days: "how many days",
		drivers.KindsOfDays: "which weekdays and holidays", drivers.Rest: "the rest",
	}
	under := ""
	for i, e := range v.Effects {
		name, heading := words[e.Part], ""
		switch e.Part {
		case drivers.Category:
			name, heading = "  "+valueWords(&v.Effects[i]), "by "+strings.ReplaceAll(e.Column, "_", " ")
		case drivers.Event:
			name, heading = "  "+e.Value.Text, "days of events, of which one side has more"
		case drivers.Record:
			name, heading = "  "+e.Record.Words(), "records that weigh most"
		}
		if heading != "" && heading != under {
			g.Rows = append(g.Rows, append([]string{heading}, make([]string, len(g.Header)-1)...))
		}
		under = heading
		remarks := strings.Join(e.Flags, ", ")
		if e.About != "" {
			remarks = e.About
		}
		row := []string{
			name, shown(e.Figure), shown(e.Counterpart), rounded(e.Difference, decimals), percent(e.Contribution),
		}
		if quotient {
			row = append(row, rounded(e.Mix, decimals), rounded(e.Rate, decimals))
		}
		g.Rows = append(g.Rows, append(row, remarks))
	}
	return g
}

func valueWords(e *drivers.EffectView) string {
	switch {
	case e.Value == nil || e.Value.IsOther():
		return "the others"
	case !e.Value.Set:
		return "(blank)"
	}
	return e.Value.Text
}

// rounded writes a number with so many decimals; a blank is blank.
func rounded(text string, decimals int) string {
	v, err := decimal.Parse(text)
	if text == "" || err != nil {
		return ""
	}
	if v, err = decimal.FractionOf(v).Decimals(decimals); err != nil {
		return text
	}
	return table.Thousands(v.String())
}

// percent writes a share as a percentage with one decimal.
func percent(share string) string {
	v, err := decimal.Parse(share)
	if share == "" || err != nil {
		return ""
	}
	hundred := decimal.FractionOf(decimal.Int(100))
	f, err := decimal.FractionOf(v).Times(hundred)
	if err != nil {
		return ""
	}
	if v, err = f.Decimals(1); err != nil {
		return ""
	}
	return v.String() + "%"
}
