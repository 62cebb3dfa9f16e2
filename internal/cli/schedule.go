package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/civil"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/deliver"
)

func (a *app) scheduleCommand() *cobra.Command {
	return group(
		"schedule",
		"Create and deliver receipts on the days of a span",
		a.scheduleAdd(),
		a.scheduleList(),
		a.scheduleRun(),
		a.scheduleDeliveries(),
		a.scheduleRetry(),
		a.scheduleRemove(),
	)
}

func (a *app) scheduleAdd() *cobra.Command {
	var brief, days, calendar, since string
	var targets []string
	c := &cobra.Command{
		Use: "add NAME", Short: "Create a receipt of a brief on each day that a span holds",
		Long: `A day is due if the span, resolved as of that day, contains it: 'first business day of this month', 'today, only
Mon', 'end of this quarter'. Days that were missed while the service was down are caught up at its start,
once each.`,
		Example: `  vastspan schedule add month-opening --brief monday-crossings --days 'first business day of this month' \
    --deliver 'folder month-openings xlsx,pdf' --deliver 'mail harbour@lanternbay.example markdown'`,
		Args: argsUsage(cobra.ExactArgs(1), "a name"),
	}
	c.Flags().StringVar(&brief, "brief", "", "the brief that receipts are of")
	c.Flags().StringVar(&days, "days", "", "expression that holds the days that are due")
	c.Flags().StringVar(&calendar, "calendar", "civil", "calendar in which it is read")
	c.Flags().StringVar(&since, "since", "", "the first day that may be due (default tomorrow); days that are past are caught up")
	c.Flags().StringArrayVar(&targets, "deliver", nil, "where its receipts are brought to: 'folder FOLDER FORMATS', 'webhook URL' or "+
		"'mail ADDRESS FORMATS'; formats are "+strings.Join(deliver.Formats(), ", ")+", joined by commas (repeatable)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if brief == "" || days == "" {
			return usagef(
				"schedule add: expected --brief and --days, such as --brief monday-crossings --days 'first business day of this month'",
			)
		}
		q := types.ScheduleDefinition{Name: args[0], Brief: brief, Days: days, Calendar: &calendar}
		list := []types.Target{}
		for _, text := range targets {
			t, err := deliver.ParseTarget(text)
			if err != nil {
				return usagef("--deliver: %v", err)
			}
			one := types.Target{To: types.TargetTo(t.To), Address: t.Address}
			if len(t.Formats) > 0 {
				one.Formats = &t.Formats
			}
			list = append(list, one)
		}
		q.Deliver = &list
		if since != "" {
			day, err := civil.ParseDay(since)
			if err != nil {
				return usagef("--since: %v", err)
			}
			q.Since = &day
		}
		r, err := call(a, q, func(c *client.Client) (*client.AddScheduleResponse, error) {
			return c.AddSchedule(cmd.Context(), q)
		})
		if err != nil {
			return err
		}
		next := "never within two years"
		if r.JSON201.Next != nil {
			next = r.JSON201.Next.Long()
		}
		return a.done(r.JSON201, "saved schedule %s %s; due next: %s", args[0], a.at(), next)
	}
	return c
}

func (a *app) scheduleList() *cobra.Command {
	c := &cobra.Command{
		Use:     "list",
		Short:   "List the schedules",
		Example: "  vastspan schedule list",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := all(func(limit *int, after *string) ([]types.Schedule, *string, error) {
			r, err := call(a, nil, func(c *client.Client) (*client.ListSchedulesResponse, error) {
				return c.ListSchedules(cmd.Context(), &types.ListSchedulesParams{Limit: limit, After: after})
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: list, Look: print.Look{Shown: print.Days}, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"name", "brief", "days", "calendar", "since", "up_to_date_through", "next", "deliver"}}
			for _, s := range list {
				next := ""
				if s.Next != nil {
					next = s.Next.String()
				}
				g.Rows = append(g.Rows, []string{s.Name, s.Brief, s.Days, s.Calendar, s.Since.String(), s.UpToDateThrough.String(), next,
					strings.Join(targetTexts(s.Deliver), "; ")})
			}
			return g
		}, None: "there are no schedules yet"})
	}
	return c
}

func (a *app) scheduleRun() *cobra.Command {
	return &cobra.Command{
		Use:     "run",
		Short:   "Create the receipts that are due now; the service does so by itself every ten minutes",
		Example: "  vastspan schedule run",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := call(a, nil, func(c *client.Client) (*client.RunSchedulesResponse, error) {
				return c.RunSchedules(cmd.Context())
			})
			if err == nil {
				err = a.done(r.JSON200, "created %s %s", print.Number(r.JSON200.Created, "receipt"), a.at())
			}
			return err
		},
	}
}

func (a *app) scheduleRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a schedule; its receipts stay", Example: "  vastspan schedule remove month-opening",
		Args: argsUsage(cobra.ExactArgs(1), "the name of a schedule"),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, nil, func(c *client.Client) (*client.RemoveScheduleResponse, error) {
				return c.RemoveSchedule(cmd.Context(), args[0])
			})
			if err == nil {
				fmt.Fprintf(a.out, "removed schedule %s %s\n", args[0], a.at())
			}
			return err
		},
	}
}

func (a *app) scheduleDeliveries() *cobra.Command {
	c := &cobra.Command{
		Use: "deliveries", Short: "List what receipts of schedules bring to folders, webhooks and mailboxes, newest first",
		Long: `Lists deliveries. A failed delivery is retried up to nine times, at growing intervals. If it is not known whether a
delivery arrived, it is uncertain and only sent again by schedule retry.`,
		Example: "  vastspan schedule deliveries", Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := all(func(limit *int, after *string) ([]types.Delivery, *string, error) {
			r, err := call(a, nil, func(c *client.Client) (*client.ListDeliveriesResponse, error) {
				return c.ListDeliveries(cmd.Context(), &types.ListDeliveriesParams{Limit: limit, After: after})
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: list, Look: print.Look{Right: print.Right(0, 1, 5)}, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"delivery", "receipt", "schedule", "target", "state", "tries", "next_try", "reason"}}
			for _, d := range list {
				next := ""
				if d.NextTry != nil {
					next = d.NextTry.Local().Format("2006-01-02 15:04")
				}
				g.Rows = append(g.Rows, []string{fmt.Sprint(d.Id), fmt.Sprint(d.Receipt), d.Schedule, d.Target, string(d.State),
					fmt.Sprint(d.Tries), next, value(d.Reason)})
			}
			return g
		}, None: "nothing has been delivered yet; say where to with schedule add --deliver"})
	}
	return c
}

func (a *app) scheduleRetry() *cobra.Command {
	return &cobra.Command{
		Use: "retry NUMBER", Short: "Try a delivery again that failed, or may not have arrived", Example: "  vastspan schedule retry 7",
		Args: argsUsage(cobra.ExactArgs(1), "the number of a delivery"),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil || id < 1 {
				return usagef("%q: expected the number of a delivery", args[0])
			}
			r, err := call(a, nil, func(c *client.Client) (*client.RetryDeliveryResponse, error) {
				return c.RetryDelivery(cmd.Context(), id)
			})
			if err == nil {
				err = a.done(r.JSON200, "delivery %d %s is tried again: %s", r.JSON200.Id, a.at(), r.JSON200.Target)
			}
			return err
		},
	}
}

func targetTexts(targets []types.Target) []string {
	list := make([]string, len(targets))
	for i, t := range targets {
		list[i] = deliver.Target{To: deliver.Kind(t.To), Address: t.Address, Formats: value(t.Formats)}.String()
	}
	return list
}
