package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/internal/cli/print"
)

func (a *app) verifyCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "verify DATASET",
		Short:   "Recount a dataset and compare it with its stored totals",
		Example: "  vastspan verify crossings",
		Args:    argsUsage(cobra.ExactArgs(1), "the name of a dataset"), ValidArgsFunction: a.completeDatasets,
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := call(a, nil, func(c *client.Client) (*client.VerifyDatasetResponse, error) {
				return c.VerifyDataset(cmd.Context(), args[0])
			})
			if err != nil {
				return err
			}
			v := r.JSON200
			sums := print.Number(v.DaySums, "day sum")
			if v.HourSums != nil {
				sums += " and " + print.Number(*v.HourSums, "hour sum")
			}
			if v.ColumnFiles != nil {
				sums += ", " + print.Number(*v.ColumnFiles, "column file")
			}
			err = a.done(v, "%s: %s recounted, %s, %s of them wrong", args[0], print.Number(v.Records, "record"), sums, print.Count(v.Wrong))
			if err == nil && v.Wrong > 0 {
				return fmt.Errorf("the sums of %s are not what its records add up to", args[0])
			}
			return err
		},
	}
}
