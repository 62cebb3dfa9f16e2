package cli

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api"
	"vastspan/core/civil"
)

func (a *app) receiptCommand() *cobra.Command {
	return group("receipt", "Freeze what was reported, and see what has moved since", a.receiptMake(), a.receiptList(), a.receiptShow(), a.receiptCompare())
}

func (a *app) receiptMake() *cobra.Command {
	var f viewFlags
	var title string
	c := &cobra.Command{
		Use: "make BRIEF", Short: "Freeze a brief as of a day",
		Long: `Freezes a brief: the as-of day, the days of every span, the definitions by version, the filters, the
figures, the newest load of each dataset, and a digest of all that. A receipt never changes. A total is
frozen by vastspan total ... --receipt TITLE.`,
		Example: "  vastspan receipt make monday-crossings --as-of latest --title 'Monday brief, 19 October'",
		Args:    takes(cobra.ExactArgs(1), "the name of a brief"), ValidArgsFunction: a.completeBriefs,
	}
	f.add(c)
	c.Flags().StringVar(&title, "title", "", "title of the receipt (default the brief's)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		view, err := f.request()
		if err != nil {
			return err
		}
		return a.makeReceipt(cmd, &api.ReceiptRequest{Brief: &args[0], View: view, Title: filled(title)})
	}
	return c
}

func (a *app) makeReceipt(cmd *cobra.Command, q *api.ReceiptRequest) error {
	r, err := call(a, func(c *api.ClientWithResponses) (*api.MakeReceiptResponse, error) {
		return c.MakeReceiptWithResponse(cmd.Context(), *q)
	}, func(r *api.MakeReceiptResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return err
	}
	m := r.JSON201
	fmt.Fprintf(a.out, "receipt %d: %s, as of %s, %d figures, digest %s\n", m.Id, m.Title, longDay(m.AsOf), len(*m.Cells), m.Digest[:12])
	return nil
}

func (a *app) receiptList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the receipts, newest first", Example: "  vastspan receipt list", Args: takes(cobra.NoArgs, "no arguments")}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListReceiptsResponse, error) {
			return c.ListReceiptsWithResponse(cmd.Context())
		}, func(r *api.ListReceiptsResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		g := grid{header: []string{"receipt", "title", "of", "as_of", "made", "by", "digest"}, right: map[int]bool{0: true}}
		for _, m := range *r.JSON200 {
			by := m.Author
			if m.Schedule != nil {
				by = "schedule " + *m.Schedule
			}
			g.rows = append(g.rows, []string{fmt.Sprint(m.Id), m.Title, string(m.Subject), m.AsOf.String(), m.MadeAt.Format("2006-01-02 15:04"), by, m.Digest[:12]})
		}
		g.shown = func(_ int, cell string) string { return shownDay(cell) }
		return a.printList(*out, r.JSON200, g, "there are no receipts yet; vastspan receipt make BRIEF freezes one")
	}
	return c
}

// receiptID reads the number of a receipt.
func receiptID(text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, usagef("%q: expected the number of a receipt", text)
	}
	return id, nil
}

func (a *app) receiptShow() *cobra.Command {
	c := &cobra.Command{Use: "show NUMBER", Short: "Show a receipt with its figures", Example: "  vastspan receipt show 1", Args: takes(cobra.ExactArgs(1), "the number of a receipt")}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		id, err := receiptID(args[0])
		if err != nil {
			return err
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.GetReceiptResponse, error) {
			return c.GetReceiptWithResponse(cmd.Context(), id)
		}, func(r *api.GetReceiptResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		m := r.JSON200
		if *out == asJSON {
			return a.printJSON(m)
		}
		g := grid{header: []string{"item", "dataset", "span", "days", "unit", "group", "figure", "value"}, right: map[int]bool{7: true}}
		for _, cell := range *m.Cells {
			g.rows = append(g.rows, []string{deref(cell.Item), cell.Dataset, cell.Expression, cell.Days, deref(cell.Unit), groupText(cell.Group), cell.Figure, deref(cell.Value)})
		}
		if *out == asCSV {
			return a.printCSV(g)
		}
		sound := "holds"
		if !*m.Sound {
			sound = "DOES NOT HOLD"
		}
		fmt.Fprintf(a.out, "receipt %d: %s, %s\nmade %s by %s; digest %s %s\n\n", m.Id, m.Title, asOfLine(m.AsOf, *m.AtClose, *m.Calendar), m.MadeAt.Format("2006-01-02 15:04"), m.Author, m.Digest, sound)
		g.shown = func(column int, cell string) string {
			if column == 7 {
				return grouped(cell)
			}
			return cell
		}
		a.printTable(g)
		var told []string
		for _, d := range *m.Definitions {
			told = append(told, fmt.Sprintf("%s %s version %d", d.Kind, d.Name, d.Version))
		}
		for _, l := range *m.Loads {
			told = append(told, fmt.Sprintf("%s through load %d", l.Dataset, l.Newest))
		}
		fmt.Fprintf(a.out, "\nby %s\n", strings.Join(told, ", "))
		return nil
	}
	return c
}

func groupText(group *[]string) string {
	if group == nil {
		return ""
	}
	return strings.Join(*group, "; ")
}

func (a *app) receiptCompare() *cobra.Command {
	c := &cobra.Command{
		Use: "compare NUMBER", Short: "Ask a receipt's question again and list what moved and why", Example: "  vastspan receipt compare 1",
		Args: takes(cobra.ExactArgs(1), "the number of a receipt"),
	}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		id, err := receiptID(args[0])
		if err != nil {
			return err
		}
		r, err := call(a, func(c *api.ClientWithResponses) (*api.CompareReceiptResponse, error) {
			return c.CompareReceiptWithResponse(cmd.Context(), id)
		}, func(r *api.CompareReceiptResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		cmp := r.JSON200
		if *out == asJSON {
			return a.printJSON(cmp)
		}
		g := grid{header: []string{"item", "span", "unit", "group", "figure", "then", "now", "difference", "because"}, right: map[int]bool{5: true, 6: true, 7: true}}
		for _, m := range cmp.Moved {
			now := deref(m.Now)
			if m.Gone != nil {
				now = "gone"
			}
			g.rows = append(g.rows, []string{deref(m.Cell.Item), m.Cell.Expression, deref(m.Cell.Unit), groupText(m.Cell.Group), m.Cell.Figure, deref(m.Cell.Value), now, deref(m.Difference), strings.Join(m.Because, "; ")})
		}
		if *out == asCSV {
			return a.printCSV(g)
		}
		fmt.Fprintf(a.out, "receipt %d: %s, as of %s, made %s\n%s of %s figures moved\n", cmp.Receipt.Id, cmp.Receipt.Title, longDay(cmp.Receipt.AsOf), cmp.Receipt.MadeAt.Format("2006-01-02 15:04"),
			grouped(fmt.Sprint(len(cmp.Moved))), grouped(fmt.Sprint(cmp.Compared)))
		for _, text := range cmp.Changes {
			fmt.Fprintf(a.out, "since then: %s\n", text)
		}
		if cmp.Missing != nil {
			for _, text := range *cmp.Missing {
				fmt.Fprintf(a.out, "cannot be shown any more: %s\n", text)
			}
		}
		if len(g.rows) > 0 {
			fmt.Fprintln(a.out)
			g.shown = func(column int, cell string) string {
				if column >= 5 && column <= 7 && cell != "gone" {
					return grouped(cell)
				}
				return cell
			}
			a.printTable(g)
		}
		return nil
	}
	return c
}

func (a *app) scheduleCommand() *cobra.Command {
	return group("schedule", "Make receipts by themselves on days that a span tells", a.scheduleAdd(), a.scheduleList(), a.scheduleRun(), a.scheduleRemove())
}

func (a *app) scheduleAdd() *cobra.Command {
	var brief, on, calendar, since string
	c := &cobra.Command{
		Use: "add NAME", Short: "Make a receipt of a brief on each day that a span holds",
		Long: `A day is due when the span, read as of that day, holds it: 'first business day of this month', 'today, only
Mon', 'end of this quarter'. Days that were missed while the service was down are made up at its start, once each.`,
		Example: "  vastspan schedule add month-opening --brief monday-crossings --on 'first business day of this month'",
		Args:    takes(cobra.ExactArgs(1), "a name"),
	}
	c.Flags().StringVar(&brief, "brief", "", "the brief to freeze")
	c.Flags().StringVar(&on, "on", "", "expression that holds the days that are due")
	c.Flags().StringVar(&calendar, "calendar", "civil", "calendar in which it is read")
	c.Flags().StringVar(&since, "since", "", "the first day that may be due (default tomorrow); days that are past are made up")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if brief == "" || on == "" {
			return usagef("schedule add: expected --brief and --on, such as --brief monday-crossings --on 'first business day of this month'")
		}
		q := api.ScheduleRequest{Name: args[0], Brief: brief, On: on, Calendar: &calendar}
		if since != "" {
			day, err := civil.ParseDay(since)
			if err != nil {
				return usagef("--since: %v", err)
			}
			q.Since = &day
		}
		_, err := call(a, func(c *api.ClientWithResponses) (*api.AddScheduleResponse, error) {
			return c.AddScheduleWithResponse(cmd.Context(), q)
		}, func(r *api.AddScheduleResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return expressionProblem(err, []string{on})
		}
		fmt.Fprintf(a.out, "schedule %s is kept\n", args[0])
		return nil
	}
	return c
}

func (a *app) scheduleList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the schedules", Example: "  vastspan schedule list", Args: takes(cobra.NoArgs, "no arguments")}
	out := outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, func(c *api.ClientWithResponses) (*api.ListSchedulesResponse, error) {
			return c.ListSchedulesWithResponse(cmd.Context())
		}, func(r *api.ListSchedulesResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		if err != nil {
			return err
		}
		g := grid{header: []string{"name", "brief", "on", "calendar", "since", "done_through", "next"}}
		for _, s := range *r.JSON200 {
			next := ""
			if s.Next != nil {
				next = s.Next.String()
			}
			g.rows = append(g.rows, []string{s.Name, s.Brief, s.On, s.Calendar, s.Since.String(), s.RanUntil.String(), next})
		}
		g.shown = func(_ int, cell string) string { return shownDay(cell) }
		return a.printList(*out, r.JSON200, g, "there are no schedules yet")
	}
	return c
}

func (a *app) scheduleRun() *cobra.Command {
	return &cobra.Command{
		Use: "run", Short: "Make the receipts that are due now; the service does so by itself every ten minutes", Example: "  vastspan schedule run", Args: takes(cobra.NoArgs, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := call(a, func(c *api.ClientWithResponses) (*api.RunSchedulesResponse, error) {
				return c.RunSchedulesWithResponse(cmd.Context())
			}, func(r *api.RunSchedulesResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err == nil {
				fmt.Fprintf(a.out, "receipts made: %d\n", r.JSON200.Made)
			}
			return err
		},
	}
}

func (a *app) scheduleRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a schedule; its receipts stay", Example: "  vastspan schedule remove month-opening", Args: takes(cobra.ExactArgs(1), "the name of a schedule"),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, err := call(a, func(c *api.ClientWithResponses) (*api.RemoveScheduleResponse, error) {
				return c.RemoveScheduleWithResponse(cmd.Context(), args[0])
			}, func(r *api.RemoveScheduleResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
			if err == nil {
				fmt.Fprintf(a.out, "schedule %s is removed\n", args[0])
			}
			return err
		},
	}
}
