package cli

import (
	"context"
	"os"
	"time"

	"github.com/spf13/cobra"

	"vastspan/core/dataset"
	"vastspan/internal/service"
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

func (a *app) completeCalendars(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return complete(cmd, func(ctx context.Context) ([]string, error) {
		l, err := a.serviceDefinitions(ctx)
		if err != nil {
			return nil, err
		}
		return l.library.CalendarNames(), nil
	}), cobra.ShellCompDirectiveNoFileComp
}

func (a *app) completeEvents(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return complete(cmd, func(ctx context.Context) ([]string, error) {
		l, err := a.serviceDefinitions(ctx)
		if err != nil {
			return nil, err
		}
		return l.library.EventNames(), nil
	}), cobra.ShellCompDirectiveNoFileComp
}

// completeColumns offers the columns of the source that is first, for the values of flags: of a dataset of the service,
// or of the header of a file. role keeps some of them; nil keeps all.
func (a *app) completeColumns(c *cobra.Command, fits func(*dataset.Column) bool, flags ...string) {
	offer := func(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return complete(cmd, func(ctx context.Context) (names []string, err error) {
			columns, err := a.columnsOf(ctx, args[0])
			for i := range columns {
				if fits == nil || fits(&columns[i]) {
					names = append(names, columns[i].Name+"\t"+string(columns[i].Type))
				}
			}
			return names, err
		}), cobra.ShellCompDirectiveNoFileComp
	}
	for _, name := range flags {
		if c.Flags().Lookup(name) != nil {
			_ = c.RegisterFlagCompletionFunc(name, offer)
		}
	}
}

// columnsOf returns the columns of a dataset, or of a file as they are taken for.
func (a *app) columnsOf(ctx context.Context, source string) ([]dataset.Column, error) {
	if !isFile(source) {
		r, err := a.dataset(ctx, source)
		if err != nil {
			return nil, err
		}
		return r.JSON200.Columns, nil
	}
	in, err := os.Open(source)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	schema, err := service.ColumnsOf(source, in)
	if err != nil {
		return nil, err
	}
	return schema.Columns, nil
}

// completeUnits offers the units of calendars for the values of flags.
func completeUnits(c *cobra.Command, flags ...string) {
	for _, name := range flags {
		if c.Flags().Lookup(name) != nil {
			_ = c.RegisterFlagCompletionFunc(name, cobra.FixedCompletions(
				[]string{"minute", "hour", "day", "week", "month", "quarter", "half", "year"}, cobra.ShellCompDirectiveNoFileComp))
		}
	}
}

func isNumber(c *dataset.Column) bool   { return c.Type == dataset.Number }
func isCategory(c *dataset.Column) bool { return !c.Type.IsTime() }
func isTime(c *dataset.Column) bool     { return c.Type.IsTime() }
