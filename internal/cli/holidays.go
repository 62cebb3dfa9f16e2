package cli

import (
	"errors"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/holidays"
)

func (a *app) holidaysCommand() *cobra.Command {
	return group("holidays", "List, add and import holiday lists", a.holidaysList(), a.holidaysAdd(), a.holidaysImport(), a.holidaysRemove())
}

func (a *app) holidaysList() *cobra.Command {
	c := &cobra.Command{
		Use:     "list",
		Short:   "List the holiday lists",
		Example: "  vastspan holidays list",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := all(func(limit *int, after *string) ([]types.HolidayList, *string, error) {
			r, err := call(a, nil, func(c *client.ClientWithResponses) (*client.ListHolidayListsResponse, error) {
				return c.ListHolidayListsWithResponse(cmd.Context(), &types.ListHolidayListsParams{Limit: limit, After: after})
			})
			if err != nil {
				return nil, nil, err
			}
			return r.JSON200.Items, r.JSON200.Next, nil
		})
		if err != nil {
			return err
		}
		return a.print.Print(
			*out,
			print.View{
				Data: list,
				Look: print.Look{Right: print.Right(1), Shown: print.Days},
				None: "there are no holiday lists yet",
				Grid: func() *table.Grid {
					g := &table.Grid{Header: []string{"name", "days", "first_day", "last_day"}}
					for _, h := range list {
						first, last := "", ""
						if n := len(h.Definition.Days); n > 0 {
							first, last = h.Definition.Days[0], h.Definition.Days[n-1]
						}
						g.Rows = append(g.Rows, []string{h.Definition.Name, strconv.Itoa(len(h.Definition.Days)), first, last})
					}
					return g
				},
			},
		)
	}
	return c
}

func (a *app) holidaysImport() *cobra.Command {
	var years string
	c := &cobra.Command{
		Use: "import NAME FILE", Short: "Put a holiday list in place from an iCalendar file or a plain list",
		Long: `Reads all-day events of an iCalendar file (RFC 5545), with their rules and what stands in the place of
single days, or a plain list with a date a line. The list is complete for the years given with --years. What
gives no holiday is counted.`,
		Example: "  vastspan holidays import harbour-days holidays.ics --years 2024/2028",
		Args:    argsUsage(cobra.ExactArgs(2), "a name and a file"),
	}
	c.Flags().StringVar(&years, "years", "", "the first and the last year that the list is complete for, such as 2024/2028 (required)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		covers, err := readYears(years)
		if err != nil {
			return err
		}
		first, last := covers[0], covers[1]
		in, done, err := a.open(args[1])
		if err != nil {
			return err
		}
		defer done()
		days, left, err := holidays.Read(in, first, last)
		if err != nil {
			return fmt.Errorf("%s: %w", args[1], err)
		}
		if err := a.putHolidays(cmd, book.Holidays{Name: args[0], Days: dayTexts(days), Covers: covers}); err != nil {
			return err
		}
		if told := left.Text(first, last); told != "" {
			a.print.Linef("left out: %s", told)
		}
		return nil
	}
	return c
}

func dayTexts(days []civil.Day) []string {
	list := []string{}
	for _, d := range days {
		list = append(list, d.String())
	}
	return list
}

// putHolidays puts a holiday list in place of the one of its name, if there is one.
func (a *app) putHolidays(cmd *cobra.Command, h book.Holidays) error {
	have, err := call(a, nil, func(c *client.ClientWithResponses) (*client.GetHolidayListResponse, error) {
		return c.GetHolidayListWithResponse(cmd.Context(), h.Name)
	})
	var p *problemError
	switch {
	case err == nil:
		_, err = call(a, h, func(c *client.ClientWithResponses) (*client.PutHolidayListResponse, error) {
			return c.PutHolidayListWithResponse(cmd.Context(), h.Name, &types.PutHolidayListParams{IfMatch: ifMatch(have.HTTPResponse)}, h)
		})
	case errors.As(err, &p) && p.Code == "not_found":
		_, err = call(a, h, func(c *client.ClientWithResponses) (*client.AddHolidayListResponse, error) {
			return c.AddHolidayListWithResponse(cmd.Context(), nil, h)
		})
	}
	if err != nil {
		return err
	}
	a.print.Linef(
		"saved holiday list %s %s: %s, complete for %d to %d",
		h.Name,
		a.at(),
		print.Number(len(h.Days), "day"),
		h.Covers[0],
		h.Covers[1],
	)
	return nil
}

func (a *app) holidaysRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a holiday list; refused while calendars name it", Example: "  vastspan holidays remove harbour-days",
		Args: argsUsage(cobra.ExactArgs(1), "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, nil, func(c *client.ClientWithResponses) (*client.RemoveHolidayListResponse, error) {
				return c.RemoveHolidayListWithResponse(cmd.Context(), args[0], nil)
			})
			if err == nil {
				a.print.Linef("removed holiday list %s %s", args[0], a.at())
			}
			return err
		},
	}
}
