package cli

import (
	"strconv"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/calendar"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

func (a *app) calendarCommand() *cobra.Command {
	return group("calendar", "Add and change calendars, show their years",
		a.calendarList(), a.calendarShow(), a.calendarAdd(), a.calendarChange(), a.calendarRemove())
}

func (a *app) calendarList() *cobra.Command {
	c := &cobra.Command{
		Use:     "list",
		Short:   "List the calendars with their layouts",
		Example: "  vastspan calendar list",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := all(func(limit *int, after *string) ([]types.Calendar, *string, error) {
			r, err := call(a, nil, func(c *client.Client) (*client.ListCalendarsResponse, error) {
				return c.ListCalendars(cmd.Context(), &types.ListCalendarsParams{Limit: limit, After: after})
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: list, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"name", "kind", "layout"}}
			for _, cal := range list {
				g.Rows = append(g.Rows, []string{cal.Definition.Name, string(cal.Definition.Kind), cal.Layout})
			}
			return g
		}})
	}
	return c
}

func (a *app) calendarShow() *cobra.Command {
	var year int
	var asOf string
	c := &cobra.Command{
		Use: "show NAME", Short: "Show a year of a calendar, laid out in its units", Example: "  vastspan calendar show trade-445 --year 2026",
		Args: argsUsage(cobra.ExactArgs(1), "the name of a calendar"), ValidArgsFunction: a.completeCalendars,
	}
	out := a.outputFlag(c)
	c.Flags().IntVar(&year, "year", 0, "the number that names the year (default: that of the service's today)")
	c.Flags().StringVar(&asOf, "as-of", "today", "what offsets count from: a date or today")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if year == 0 {
			status, err := a.status(cmd.Context())
			if err != nil {
				return err
			}
			year = status.Today.Year()
		}
		r, err := call(a, nil, func(c *client.Client) (*client.GetCalendarYearResponse, error) {
			return c.GetCalendarYear(cmd.Context(), args[0], year, &types.GetCalendarYearParams{AsOf: &asOf})
		})
		if err != nil {
			return err
		}
		y := r.JSON200
		return a.print.Print(*out, print.View{Data: y, Grid: func() *table.Grid { return yearGrid(y, true) }, Draw: func(p *print.Printer) {
			p.Linef(
				"%s, year %s: %s to %s, %d days, %d weeks\n",
				y.Calendar,
				y.Label,
				y.FirstDay.Long(),
				y.LastDay.Long(),
				y.Days,
				len(y.Weeks),
			)
			p.Table(yearGrid(y, false), print.Look{Right: print.Right(1, 5, 6), Shown: print.Days})
			if len(y.Holidays) > 0 {
				p.Linef("\nholidays: %s", print.DayList(y.Holidays, 20))
			}
		}})
	}
	return c
}

func yearGrid(y *calendar.YearLayout, weeks bool) *table.Grid {
	g := &table.Grid{Header: []string{"unit", "number", "label", "first_day", "last_day", "days", "offset"}}
	add := func(unit string, list []calendar.UnitLayout) {
		for _, u := range list {
			g.Rows = append(
				g.Rows,
				[]string{
					unit,
					strconv.Itoa(u.Number),
					u.Label,
					u.FirstDay.String(),
					u.LastDay.String(),
					strconv.Itoa(u.Days),
					strconv.Itoa(u.Offset),
				},
			)
		}
	}
	add("half", y.Halves)
	add("quarter", y.Quarters)
	add("period", y.Periods)
	if weeks {
		add("week", y.Weeks)
	}
	return g
}

func (a *app) calendarRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a calendar; refused while spans name it", Example: "  vastspan calendar remove trade-445",
		Args: argsUsage(cobra.ExactArgs(1), "a name"), ValidArgsFunction: a.completeCalendars,
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, nil, func(c *client.Client) (*client.RemoveCalendarResponse, error) {
				return c.RemoveCalendar(cmd.Context(), args[0], &types.RemoveCalendarParams{IfMatch: &anyVersion})
			})
			if err == nil {
				err = a.done(removed{args[0]}, "removed calendar %s %s", args[0], a.at())
			}
			return err
		},
	}
}
