package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/dustin/go-humanize"

	"vastspan/bench/made"
	"vastspan/bench/report"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/tally"
	"vastspan/internal/attached"
	"vastspan/internal/cluster"
)

// statementTimeout bounds what is written by hand as well as what the service sends.
const statementTimeout = 10 * time.Minute

// measureTable times eight spans and their counterparts by a category over the table of a cluster, attached as a dataset, next to one
// statement by hand over the table as a whole.
func measureTable(ctx context.Context, c *cluster.Cluster, records int, keep bool) error {
	databases, err := attached.Configure(map[string]attached.Definition{"together": {URL: c.URL, Timeout: statementTimeout}})
	if err != nil {
		return err
	}
	defer databases.Close()
	source, err := sourceOf(ctx, databases, c.Table)
	if err != nil {
		return err
	}
	sets, err := made.Periods()
	if err != nil {
		return err
	}
	table := report.New("cluster", "question")
	column := fmt.Sprintf("%s records, %d servers of %s", humanize.Comma(int64(records)), len(c.Servers), c.Engine)
	if keep {
		if err := table.Read(); err != nil {
			return err
		}
	}
	for _, q := range []struct {
		what, figure, conditional string
		figures                   []measure.Figure
		filter                    bool
	}{
		{"sums", "sum(amount)", "sumIf(amount, %s)", []measure.Figure{{Kind: measure.Sum, Column: "amount"}}, false},
		{"sums, filtered", "sum(amount)", "sumIf(amount, %s)", []measure.Figure{{Kind: measure.Sum, Column: "amount"}}, true},
		{"distinct products", "count(DISTINCT product)", "uniqExactIf(product, %s)",
			[]measure.Figure{{Kind: measure.Distinct, Column: "product"}}, false},
	} {
		request := tally.Request{Periods: tally.EachOfDays(sets...), Figures: q.figures, By: []string{"region"}}
		where := ""
		if q.filter {
			request.Where = dataset.Filters{{{Column: "channel", Op: dataset.Is, Values: []string{"channel 1"}}}}
			where = " WHERE channel = 'channel 1'"
		}
		plan, err := tally.NewPlan(request)
		if err != nil {
			return err
		}
		mine, err := made.Timed(3, func() error { _, err := tally.Run(ctx, plan, source); return err })
		if err != nil {
			return err
		}
		hand, err := made.Timed(3, func() error {
			_, err := cluster.Ask(ctx, c.URL, byHand(c, sets, q.figure, q.conditional, where))
			return err
		})
		if err != nil {
			return err
		}
		table.Ratios(q.what, column, mine, hand)
	}
	return report.Write(keep, table)
}

// sourceOf attaches the table.
func sourceOf(ctx context.Context, databases *attached.Databases, table string) (tally.Source, error) {
	db, err := databases.Find("together")
	if err != nil {
		return nil, err
	}
	columns, err := db.Describe(ctx, table)
	if err != nil {
		return nil, err
	}
	schema := &dataset.Schema{}
	for _, c := range columns {
		one := dataset.Column{Name: c.Name, Type: c.Form.Type(), Role: dataset.Category}
		switch one.Type {
		case dataset.Date:
			one.Role = dataset.DayRole
		case dataset.Number:
			one.Role = dataset.Amount
		}
		schema.Columns = append(schema.Columns, one)
	}
	return databases.Source(&attached.Table{Database: "together", Name: table, Columns: columns}, schema), nil
}

func byHand(c *cluster.Cluster, sets []civil.Set, figure, conditional, where string) string {
	figures := make([]string, len(sets))
	for i, s := range sets {
		v := s.At(0)
		days := fmt.Sprintf("day >= '%s' AND day < '%s'", v.Start, v.End)
		if c.Engine == "ClickHouse" {
			figures[i] = fmt.Sprintf(conditional, days)
		} else {
			figures[i] = figure + " FILTER (WHERE " + days + ")"
		}
	}
	return "SELECT region, " + strings.Join(figures, ", ") + " FROM " + c.Table + where + " GROUP BY region"
}
