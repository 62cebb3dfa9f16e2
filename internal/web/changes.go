package web

import (
	"context"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/table"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// ListChanges lists what changed between two states of a dataset.
func (h *handlers) ListChanges(ctx context.Context, r server.ListChangesRequestObject) (server.ListChangesResponseObject, error) {
	b := r.Body
	where, err := dataset.ParseFilters(or(b.Where))
	if err != nil {
		return nil, &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/where", Err: err}
	}
	q := service.ChangesQuery{Since: b.Since, Key: or(b.Key), RecordsQuery: service.RecordsQuery{
		Dataset: b.Dataset, Over: or(b.Over), Where: where, Date: or(b.Date), Context: knowing(b.AsOf, b.AtClose, b.Calendar, b.Known),
	}}
	p := service.Paging{Limit: defaultRecords, After: or(b.After)}
	if b.Limit != nil {
		p.Limit = *b.Limit
	}
	f, taken := wanted(ctx)
	if taken {
		p.Limit, p.After = mostTaken, ""
	}
	c, err := h.service.Records.Changes(ctx, q, p)
	if err != nil {
		return nil, err
	}
	if taken {
		if c.Next != "" {
			return nil, refused.Wrongf("more than %d records changed: take a shorter span, or filter", mostTaken)
		}
		return document(ctx, f, &table.Document{
			Name: b.Dataset + "-changes", Title: "changes", All: changesGrid(c), About: c.Answer.About(),
		}), nil
	}
	values := func(list []decimal.Value) []*types.Value {
		return each(list, func(v *decimal.Value) *types.Value { return v })
	}
	sum := func(s *service.ChangedSum) types.ChangeSum {
		return types.ChangeSum{Records: s.Records, Effects: values(s.Effects)}
	}
	return server.ListChanges200JSONResponse{
		Dataset: c.Answer.Dataset, Date: c.Answer.Date, AsOf: c.Answer.AsOf, Calendar: c.Answer.Calendar, Span: *c.Span(),
		Columns: c.Dataset.Schema.Columns, Since: c.Since, Until: c.Until, Amounts: c.Amounts,
		Before: values(c.Before), After: values(c.After), Came: sum(&c.Came), Went: sum(&c.Went), Changed: sum(&c.Altered),
		Records: each(c.Records, func(r *service.ChangedRecord) types.ChangedRecord {
			one := types.ChangedRecord{Change: types.ChangedRecordChange(kindOf(r)), Day: r.Day, Effects: values(r.Effects)}
			if r.Before != nil {
				one.Before = &r.Before
			}
			if r.After != nil {
				one.After = &r.After
			}
			return one
		}), Next: optional(c.Next),
	}, nil
}

// mostTaken is how many changed records a file holds at most.
const mostTaken = 200_000

func kindOf(r *service.ChangedRecord) string {
	switch {
	case r.Before == nil:
		return "came"
	case r.After == nil:
		return "went"
	}
	return "changed"
}

// changesGrid is a row for each record, with its values before and after.
func changesGrid(c *service.Changes) *table.Grid {
	g := &table.Grid{Header: []string{"change"}}
	for _, column := range c.Dataset.Schema.Columns {
		g.Header = append(g.Header, column.Name+"_before", column.Name+"_after")
	}
	for _, name := range c.Amounts {
		g.Header = append(g.Header, name+"_effect")
	}
	for i := range c.Records {
		r := &c.Records[i]
		row := []string{kindOf(r)}
		for at := range c.Dataset.Schema.Columns {
			for _, side := range [][]*string{r.Before, r.After} {
				text := ""
				if side != nil {
					text = or(side[at])
				}
				row = append(row, text)
			}
		}
		for _, v := range r.Effects {
			row = append(row, v.String())
		}
		g.Rows = append(g.Rows, row)
	}
	return g
}
