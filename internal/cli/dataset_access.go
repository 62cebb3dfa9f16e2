package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/internal/cli/print"
)

func (a *app) datasetAccess() *cobra.Command {
	var records, totals []string
	var least int
	var by string
	var everybody bool
	c := &cobra.Command{
		Use:   "access NAME",
		Short: "Show or set which groups see the records of a dataset, and which its totals only",
		Long: `Without groups, everyone who may call the service sees the records of a dataset. With groups, only they and
administrators see anything of it. Those who see totals only never see a total of fewer records than
--min-records, nor totals of one answer from which such a total could be worked out. They filter and group by
whole values of categories. With --totals-by their spans have to be made of whole units.`,
		Example: "  vastspan dataset access tickets --records finance --totals harbour --min-records 5 --totals-by month",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	c.Flags().StringSliceVar(&records, "records", nil, "group that sees its records; may be repeated")
	c.Flags().StringSliceVar(&totals, "totals", nil, "group that sees its totals only; may be repeated")
	c.Flags().IntVar(&least, "min-records", 0, "smallest number of records in a total that those groups see (default 5)")
	c.Flags().StringVar(&by, "totals-by", "", "unit of which their spans have to be made: week, month, quarter, half, year")
	c.Flags().BoolVar(&everybody, "everybody", false, "everybody who may call sees its records")
	c.MarkFlagsMutuallyExclusive("everybody", "records")
	c.MarkFlagsMutuallyExclusive("everybody", "totals")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		show := func(r *types.Access) error {
			return a.print.Print(*out, print.View{Data: r, Draw: func(p *print.Printer) { drawAccess(p, args[0], r) }})
		}
		if !everybody && records == nil && totals == nil {
			r, err := call(a, nil, func(c *client.Client) (*client.GetAccessResponse, error) {
				return c.GetAccess(cmd.Context(), args[0])
			})
			if err != nil {
				return err
			}
			return show(r.JSON200)
		}
		rules := types.Access{MinRecords: ptrOrNil(least)}
		if by != "" {
			unit := types.AccessTotalsBy(by)
			rules.TotalsBy = &unit
		}
		if records != nil {
			rules.Records = &records
		}
		if totals != nil {
			rules.Totals = &totals
		}
		r, err := call(a, rules, func(c *client.Client) (*client.PutAccessResponse, error) {
			return c.PutAccess(cmd.Context(), args[0], &types.PutAccessParams{}, rules)
		})
		if err != nil {
			return err
		}
		return show(r.JSON200)
	}
	return c
}

func drawAccess(p *print.Printer, name string, r *types.Access) {
	if r.Records == nil && r.Totals == nil {
		p.Linef("Everybody who may call sees the records of %s.", name)
		return
	}
	if r.Records != nil {
		p.Linef("Records of %s are seen by %s.", name, strings.Join(*r.Records, ", "))
	}
	if r.Totals != nil {
		over := ""
		if r.TotalsBy != nil {
			over = fmt.Sprintf(" over spans of whole %s units", *r.TotalsBy)
		}
		p.Linef("Totals of %s%s, of at least %d records each, are seen by %s.", name, over, value(r.MinRecords), strings.Join(*r.Totals, ", "))
	}
	p.Linef("Administrators see everything, others nothing of it.")
}
