package cli

import (
	"errors"
	"fmt"
	"slices"
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
	return group("holidays", "List, add, change and import holiday lists",
		a.holidaysList(), a.holidaysAdd(), a.holidaysChange(), a.holidaysImport(), a.holidaysRemove())
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
			r, err := call(a, nil, func(c *client.Client) (*client.ListHolidayListsResponse, error) {
				return c.ListHolidayLists(cmd.Context(), &types.ListHolidayListsParams{Limit: limit, After: after})
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

func (a *app) holidaysChange() *cobra.Command {
	var add, remove []string
	var years, note string
	c := &cobra.Command{
		Use: "change NAME", Short: "Add days to a holiday list, or remove some",
		Example: "  vastspan holidays change harbour-days --add 2026-10-08 --remove 2026-05-01\n" +
			"  vastspan holidays change harbour-days --add 2029-01-01,2029-12-25 --years 2024/2029",
		Args: argsUsage(cobra.ExactArgs(1), "the name of a holiday list"),
	}
	c.Flags().StringSliceVar(&add, "add", nil, "a day that becomes a holiday; repeatable")
	c.Flags().StringSliceVar(&remove, "remove", nil, "a day that is no longer a holiday; repeatable")
	c.Flags().StringVar(&years, "years", "",
		"the first and the last year that the list is complete for, such as 2024/2029 (default as before)")
	c.Flags().StringVar(&note, "note", "", "why it is changed; kept with the version")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if len(add)+len(remove) == 0 && years == "" {
			return usagef("holidays change: expected --add, --remove or --years")
		}
		have, err := call(a, nil, func(c *client.Client) (*client.GetHolidayListResponse, error) {
			return c.GetHolidayList(cmd.Context(), args[0])
		})
		if err != nil {
			return err
		}
		h := have.JSON200.Definition
		if h.Days, err = changedDays(h.Name, h.Days, add, remove); err != nil {
			return err
		}
		first, last := coveredYears(&have.JSON200.Definition)
		if years != "" {
			if h.Covers, err = readYears(years); err != nil {
				return err
			}
			first, last = h.Covers[0], h.Covers[1]
		}
		h.Covers = []int{first, last} // the years stay, should their last holiday go
		for _, day := range add {
			if year := yearOf(day); year < first || year > last {
				return fmt.Errorf("--add %s: %s is complete for %d to %d only; state the years that it is complete for with the new day, "+
					"such as --years %d/%d", day, h.Name, first, last, min(first, year), max(last, year))
			}
		}
		r, err := call(a, h, func(c *client.Client) (*client.PutHolidayListResponse, error) {
			return c.PutHolidayList(cmd.Context(), h.Name,
				&types.PutHolidayListParams{IfMatch: ifMatch(have.HTTPResponse), Note: ptrOrNil(note)}, h)
		})
		if err == nil {
			err = a.done(r.JSON200, "saved holiday list %s %s: %s added, %d removed; it has %s", h.Name, a.at(),
				print.Number(len(add), "day"), len(remove), print.Number(len(r.JSON200.Definition.Days), "day"))
		}
		return err
	}
	return c
}

// coveredYears returns the years that a list is complete for: those that it states, or those of its first and last day.
func coveredYears(h *book.Holidays) (first, last int) {
	if len(h.Covers) == 2 {
		return h.Covers[0], h.Covers[1]
	}
	return yearOf(h.Days[0]), yearOf(h.Days[len(h.Days)-1])
}

// yearOf returns the year of a day in ISO 8601.
func yearOf(day string) int {
	year, _ := strconv.Atoi(day[:4])
	return year
}

// changedDays returns the days of a list with some added and some removed.
func changedDays(name string, days, add, remove []string) ([]string, error) {
	days = slices.Clone(days)
	for _, text := range slices.Concat(add, remove) {
		if _, err := civil.ParseDay(text); err != nil {
			return nil, usagef("%v", err)
		}
	}
	for _, day := range add {
		if slices.Contains(days, day) {
			return nil, fmt.Errorf("--add %s: %s has that day already", day, name)
		}
		days = append(days, day)
	}
	for _, day := range remove {
		at := slices.Index(days, day)
		if at < 0 {
			return nil, fmt.Errorf("--remove %s: %s does not have that day", day, name)
		}
		days = slices.Delete(days, at, at+1)
	}
	slices.Sort(days)
	return days, nil
}

func dayTexts(days []civil.Day) []string {
	list := []string{}
	for _, d := range days {
		list = append(list, d.String())
	}
	return list
}

// putHolidays adds a holiday list, or replaces the one of its name.
func (a *app) putHolidays(cmd *cobra.Command, h book.Holidays) error {
	have, err := call(a, nil, func(c *client.Client) (*client.GetHolidayListResponse, error) {
		return c.GetHolidayList(cmd.Context(), h.Name)
	})
	var p *problemError
	switch {
	case err == nil:
		_, err = call(a, h, func(c *client.Client) (*client.PutHolidayListResponse, error) {
			return c.PutHolidayList(cmd.Context(), h.Name, &types.PutHolidayListParams{IfMatch: ifMatch(have.HTTPResponse)}, h)
		})
	case errors.As(err, &p) && p.Code == "not_found":
		_, err = call(a, h, func(c *client.Client) (*client.AddHolidayListResponse, error) {
			return c.AddHolidayList(cmd.Context(), nil, h)
		})
	}
	if err != nil {
		return err
	}
	return a.done(
		h,
		"saved holiday list %s %s: %s, complete for %d to %d",
		h.Name,
		a.at(),
		print.Number(len(h.Days), "day"),
		h.Covers[0],
		h.Covers[1],
	)
}

func (a *app) holidaysRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a holiday list; refused while calendars name it", Example: "  vastspan holidays remove harbour-days",
		Args: argsUsage(cobra.ExactArgs(1), "a name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, nil, func(c *client.Client) (*client.RemoveHolidayListResponse, error) {
				return c.RemoveHolidayList(cmd.Context(), args[0], &types.RemoveHolidayListParams{IfMatch: &anyVersion})
			})
			if err == nil {
				err = a.done(removed{args[0]}, "removed holiday list %s %s", args[0], a.at())
			}
			return err
		},
	}
}
