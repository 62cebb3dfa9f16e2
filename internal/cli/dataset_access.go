package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/internal/cli/print"
)

func (a *app) datasetAccess() *cobra.Command {
	var records, totals []string
	var least int
	var everybody bool
	c := &cobra.Command{
		Use:   "access NAME",
		Short: "Show or say which groups see the records of a dataset, and which its totals only",
		Long: `Without any group, everybody who may call sees the records of a dataset. With groups, only they see anything of it, and
administrators. Who sees totals only is shown none that is made of fewer records than --min-records, nor any by which such a one
could be worked out from the others of the same answer.`,
		Example: "  vastspan dataset access tickets --records finance --totals harbour --min-records 5",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	c.Flags().StringSliceVar(&records, "records", nil, "group that sees its records; may be repeated")
	c.Flags().StringSliceVar(&totals, "totals", nil, "group that sees its totals only; may be repeated")
	c.Flags().IntVar(&least, "min-records", 0, "of how many records a total has to be made for those (default 5)")
	c.Flags().BoolVar(&everybody, "everybody", false, "everybody who may call sees its records")
	c.MarkFlagsMutuallyExclusive("everybody", "records")
	c.MarkFlagsMutuallyExclusive("everybody", "totals")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		show := func(r *types.Access) error {
			return a.print.Print(*out, print.View{Data: r, Draw: func(p *print.Printer) { drawAccess(p, args[0], r) }})
		}
		if !everybody && records == nil && totals == nil {
			r, err := call(a, nil, func(c *client.ClientWithResponses) (*client.GetAccessResponse, error) {
				return c.GetAccessWithResponse(cmd.Context(), args[0])
			})
			if err != nil {
				return err
			}
			return show(r.JSON200)
		}
		rules := types.Access{MinRecords: ptrOrNil(least)}
		if records != nil {
			rules.Records = &records
		}
		if totals != nil {
			rules.Totals = &totals
		}
		r, err := call(a, rules, func(c *client.ClientWithResponses) (*client.PutAccessResponse, error) {
			return c.PutAccessWithResponse(cmd.Context(), args[0], &types.PutAccessParams{}, rules)
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
		p.Linef("Totals of %s, of at least %d records each, are seen by %s.", name, value(r.MinRecords), strings.Join(*r.Totals, ", "))
	}
	p.Linef("Administrators see everything, others nothing of it.")
}
