package web

import (
	"context"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

func (h *handlers) Total(ctx context.Context, r server.TotalRequestObject) (server.TotalResponseObject, error) {
	a, err := h.service.Totals.Total(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, a.Document()), nil
	}
	return server.Total200JSONResponse(*a), nil
}

// FindDrivers finds what the change of a figure is made of.
func (h *handlers) FindDrivers(ctx context.Context, r server.FindDriversRequestObject) (server.FindDriversResponseObject, error) {
	v, err := h.service.Totals.Drivers(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, v.Document()), nil
	}
	return server.FindDrivers200JSONResponse(*v), nil
}

func (h *handlers) LineUp(ctx context.Context, r server.LineUpRequestObject) (server.LineUpResponseObject, error) {
	up, err := h.service.Totals.Lines(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, up.Document()), nil
	}
	return server.LineUp200JSONResponse(*up), nil
}

// defaultRecords is how many records a page has where nothing is said.
const defaultRecords = 50

func (h *handlers) ListRecords(ctx context.Context, r server.ListRecordsRequestObject) (server.ListRecordsResponseObject, error) {
	b := r.Body
	where, err := dataset.ParseFilters(or(b.Where))
	if err != nil {
		return nil, &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/where", Err: err}
	}
	q := service.RecordsQuery{Dataset: b.Dataset, Over: or(b.Over), Where: where, Date: or(b.Date), Running: or(b.Running),
		OldestFirst: or(b.Order) == types.Oldest, Context: knowing(b.AsOf, b.AtClose, b.Calendar, b.Known)}
	if f, ok := wanted(ctx); ok {
		write, err := h.service.Records.Download(ctx, q, f, wantsSafeCells(ctx))
		if err != nil {
			return nil, err
		}
		return download{b.Dataset + "-records", f, write}, nil
	}
	p := service.Paging{Limit: defaultRecords, After: or(b.After)}
	if b.Limit != nil {
		p.Limit = *b.Limit
	}
	page, err := h.service.Records.Page(ctx, q, p)
	if err != nil {
		return nil, err
	}
	a := page.Answer
	out := server.ListRecords200JSONResponse{
		Dataset: a.Dataset, Date: a.Date, AsOf: a.AsOf, AtClose: a.AtClose, Calendar: a.Calendar, Span: *page.Span(),
		AsOfMoment: optional(a.AsOfMoment), Zone: optional(a.Zone), DayStarts: optional(a.DayStarts),
		Columns: page.Dataset.Schema.Columns, Known: knownOf(a),
		Where: where.Texts(), Records: each(page.Records, cellsOf), Count: page.Count, Undated: a.Undated,
		Sums: []types.ColumnSum{}, Next: optional(page.Next),
	}
	for i, name := range page.Amounts {
		out.Sums = append(out.Sums, types.ColumnSum{Column: name, Sum: page.Sums[i]})
	}
	if page.Running != nil {
		running := each(page.Running, func(v *decimal.Value) *types.Value { return v })
		out.Running = &running
	}
	return out, nil
}

// knownOf says by which states of records an answer was made; nil for the newest.
func knownOf(a *query.Answer) *[]types.Known {
	if len(a.Known) == 0 {
		return nil
	}
	return &a.Known
}

func cellsOf(r *service.Record) types.RecordCells { return r.Cells }

// defaultBoundary is how many records each side of a boundary has where nothing is said.
const defaultBoundary = 3

func (h *handlers) ListBoundaries(ctx context.Context, r server.ListBoundariesRequestObject) (server.ListBoundariesResponseObject, error) {
	b := r.Body
	where, err := dataset.ParseFilters(or(b.Where))
	if err != nil {
		return nil, &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/where", Err: err}
	}
	count := defaultBoundary
	if b.Records != nil {
		count = *b.Records
	}
	q := service.RecordsQuery{
		Dataset: b.Dataset,
		Over:    b.Over,
		Where:   where,
		Date:    or(b.Date),
		Context: knowing(b.AsOf, b.AtClose, b.Calendar, b.Known),
	}
	l, list, err := h.service.Records.Boundaries(ctx, q, count)
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, &table.Document{
			Name: b.Dataset + "-boundaries", Title: "boundaries", All: boundaryGrid(l, list), About: l.Answer.About(),
		}), nil
	}
	a := l.Answer
	return server.ListBoundaries200JSONResponse{
		Dataset: a.Dataset, Date: a.Date, AsOf: a.AsOf, AtClose: a.AtClose, Calendar: a.Calendar, Span: *l.Span(),
		AsOfMoment: optional(a.AsOfMoment), Zone: optional(a.Zone), DayStarts: optional(a.DayStarts),
		Columns: l.Dataset.Schema.Columns, Known: knownOf(a),
		Boundaries: each(list, func(b *service.Boundary) types.Boundary {
			return types.Boundary{Day: b.Day, At: optional(b.At), Begins: b.Begins, Before: each(b.Before, cellsOf), From: each(b.From, cellsOf)}
		}),
	}, nil
}

// boundaryGrid returns the records around boundaries as CSV has them.
func boundaryGrid(l *service.Listed, list []service.Boundary) *table.Grid {
	g := &table.Grid{Header: append([]string{"boundary", "day", "side"}, l.Dataset.Schema.Names()...)}
	add := func(b *service.Boundary, inside bool, records []service.Record) {
		name, side := "ends", "out"
		if b.Begins {
			name = "begins"
		}
		if inside {
			side = "in"
		}
		for _, r := range records {
			at := b.Day.String()
			if b.At != "" {
				at = b.At
			}
			row := []string{name, at, side}
			for _, c := range r.Cells {
				row = append(row, or(c))
			}
			g.Rows = append(g.Rows, row)
		}
	}
	for i := range list {
		add(&list[i], !list[i].Begins, list[i].Before)
		add(&list[i], list[i].Begins, list[i].From)
	}
	return g
}

// ReadLimits reads a list of spans to total over.
func (h *handlers) ReadLimits(_ context.Context, r server.ReadLimitsRequestObject) (server.ReadLimitsResponseObject, error) {
	l, err := query.ReadLimits(r.Body)
	if err != nil {
		return nil, refused.Wrong(err)
	}
	out := server.ReadLimits200JSONResponse{Over: l.Over, Header: l.Beside.Header, Rows: l.Beside.Rows}
	if out.Header == nil {
		out.Header = []string{}
	}
	for i, row := range out.Rows {
		if row == nil {
			out.Rows[i] = []string{}
		}
	}
	return out, nil
}

// Age returns how long the records of a dataset last.
func (h *handlers) Age(ctx context.Context, r server.AgeRequestObject) (server.AgeResponseObject, error) {
	answer, err := h.service.Ageing.Answer(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, answer.Document()), nil
	}
	return server.Age200JSONResponse(*answer), nil
}

func (h *handlers) TotalStatements(
	ctx context.Context, r server.TotalStatementsRequestObject,
) (server.TotalStatementsResponseObject, error) {
	list, err := h.service.Totals.Statements(ctx, *r.Body)
	toStatement := func(s *service.Statement) types.Statement { return types.Statement{Database: s.Database, Sql: s.SQL} }
	return server.TotalStatements200JSONResponse{Items: each(list, toStatement)}, err
}
