package cli

import (
	"context"
	"time"

	"github.com/spf13/cobra"
)

// completionWait is how long completion waits for the service.
const completionWait = time.Second

func (a *app) completeSpans(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return a.spanNames(cmd, ""), cobra.ShellCompDirectiveNoFileComp
}

func (a *app) completeExpressions(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.spanNames(cmd, "@"), cobra.ShellCompDirectiveNoFileComp
}

func (a *app) spanNames(cmd *cobra.Command, sign string) []string {
	ctx, cancel := context.WithTimeout(cmd.Context(), completionWait)
	defer cancel()
	cmd.SetContext(ctx)
	spans, err := a.spans(cmd)
	if err != nil {
		return nil // completion is silent where no service answers
	}
	var names []string
	for _, s := range spans {
		names = append(names, sign+s.Name+"\t"+s.Is)
	}
	return names
}

func (a *app) completeDatasets(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveDefault
	}
	ctx, cancel := context.WithTimeout(cmd.Context(), completionWait)
	defer cancel()
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveDefault
	}
	r, err := c.ListDatasetsWithResponse(ctx)
	if err != nil || r.JSON200 == nil {
		return nil, cobra.ShellCompDirectiveDefault
	}
	var names []string
	for _, d := range *r.JSON200 {
		names = append(names, d.Name)
	}
	return names, cobra.ShellCompDirectiveDefault // SOURCE may be a file too
}
