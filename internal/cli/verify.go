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
		Short:   "Compare a dataset's columns and sums with its records",
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
			err = a.done(v, "%s: %s, %s and %s compared, %s wrong", args[0], print.Number(v.Records, "record"), print.Number(v.Sums, "sum"),
				print.Number(v.Files, "file"), print.Count(v.Wrong))
			if err == nil && v.Wrong > 0 {
				return fmt.Errorf("the columns of %s differ from its records; damaged files are being made again", args[0])
			}
			return err
		},
	}
}
