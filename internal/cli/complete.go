package cli

import (
	"context"
	"time"

	"github.com/spf13/cobra"
)

// completionWait is how long completion waits for the service. Where none answers it is silent.
const completionWait = time.Second

// complete offers names that the service knows.
func complete(cmd *cobra.Command, names func(ctx context.Context) ([]string, error)) []string {
	ctx, cancel := context.WithTimeout(cmd.Context(), completionWait)
	defer cancel()
	list, err := names(ctx)
	if err != nil {
		return nil
	}
	return list
}

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
	return complete(cmd, func(ctx context.Context) (names []string, err error) {
		spans, err := a.spans(ctx)
		for _, s := range spans {
			names = append(names, sign+s.Definition.Name+"\t"+s.Definition.Is)
		}
		return names, err
	})
}

func (a *app) completeDatasets(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveDefault
	}
	return complete(cmd, func(ctx context.Context) (names []string, err error) {
		list, err := a.datasets(ctx)
		for _, d := range list {
			names = append(names, d.Name)
		}
		return names, err
	}), cobra.ShellCompDirectiveDefault // SOURCE may be a file too
}

func (a *app) completeBriefs(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return complete(cmd, func(ctx context.Context) (names []string, err error) {
		list, err := a.briefs(ctx)
		for _, b := range list {
			names = append(names, b.Definition.Name)
		}
		return names, err
	}), cobra.ShellCompDirectiveNoFileComp
}
