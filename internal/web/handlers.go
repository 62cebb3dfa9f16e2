package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"

	"vastspan/api"
	"vastspan/internal/service"
	"vastspan/internal/wire"
)

// handlers answers the routes of api/openapi.yaml.
type handlers struct {
	service *service.Service
	version string
}

// author names who makes a change; there is no sign-in yet.
const author = "local"

var _ api.StrictServerInterface = (*handlers)(nil)

// each turns every element of a list.
func each[T, U any](list []T, turn func(*T) U) []U {
	out := make([]U, len(list))
	for i := range list {
		out[i] = turn(&list[i])
	}
	return out
}

func (h *handlers) GetStatus(ctx context.Context, _ api.GetStatusRequestObject) (api.GetStatusResponseObject, error) {
	if err := h.service.Ping(ctx); err != nil {
		return nil, err
	}
	return api.GetStatus200JSONResponse{Version: h.version, Zone: h.service.Zone().String(), Today: h.service.Today()}, nil
}

// maxExpressions is how many expressions one request may ask about.
const maxExpressions = 10_000

func (h *handlers) Resolve(ctx context.Context, r api.ResolveRequestObject) (api.ResolveResponseObject, error) {
	b := r.Body
	if n := len(b.Expressions); n < 1 || n > maxExpressions {
		return nil, &service.Invalid{Err: fmt.Errorf("%d expressions are given; expected 1 to %d", n, maxExpressions)}
	}
	reading := wire.Reading(b.AsOf, b.AtClose, b.Calendar)
	reading.Explain = b.Explain != nil && *b.Explain
	if b.Dataset != nil {
		reading.Dataset = *b.Dataset
	}
	answer, err := h.service.Resolve(ctx, b.Expressions, reading)
	if err != nil {
		return nil, err
	}
	return api.Resolve200JSONResponse(wire.ResolveAnswer(answer)), nil
}

func (h *handlers) ListSpans(ctx context.Context, _ api.ListSpansRequestObject) (api.ListSpansResponseObject, error) {
	spans, err := h.service.Spans(ctx)
	return api.ListSpans200JSONResponse(each(spans, wire.Span)), err
}

func (h *handlers) AddSpan(ctx context.Context, r api.AddSpanRequestObject) (api.AddSpanResponseObject, error) {
	def, note := wire.Definition(r.Body)
	s, err := h.service.AddSpan(ctx, def, author, note)
	if err != nil {
		return nil, err
	}
	return api.AddSpan201JSONResponse(wire.Span(s)), nil
}

func (h *handlers) GetSpan(ctx context.Context, r api.GetSpanRequestObject) (api.GetSpanResponseObject, error) {
	s, err := h.service.Span(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return api.GetSpan200JSONResponse(wire.Span(s)), nil
}

func (h *handlers) ChangeSpan(ctx context.Context, r api.ChangeSpanRequestObject) (api.ChangeSpanResponseObject, error) {
	def, note := wire.Definition(r.Body)
	if def.Name != r.Name {
		return nil, &service.Invalid{Err: fmt.Errorf("the definition names @%s, the address @%s; a span is not renamed", def.Name, r.Name)}
	}
	if r.Params.Version < 1 {
		return nil, &service.Invalid{Err: fmt.Errorf("version: %d: expected the version that the change was made from, 1 or more", r.Params.Version)}
	}
	s, err := h.service.ChangeSpan(ctx, def, r.Params.Version, author, note)
	if err != nil {
		return nil, err
	}
	return api.ChangeSpan200JSONResponse(wire.Span(s)), nil
}

func (h *handlers) RemoveSpan(ctx context.Context, r api.RemoveSpanRequestObject) (api.RemoveSpanResponseObject, error) {
	return api.RemoveSpan204Response{}, h.service.RemoveSpan(ctx, r.Name, author)
}

func (h *handlers) ListCalendars(ctx context.Context, _ api.ListCalendarsRequestObject) (api.ListCalendarsResponseObject, error) {
	cals, err := h.service.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	list := api.ListCalendars200JSONResponse{}
	for _, c := range cals {
		list = append(list, wire.Calendar(c))
	}
	return list, nil
}

func (h *handlers) ListDatasets(ctx context.Context, _ api.ListDatasetsRequestObject) (api.ListDatasetsResponseObject, error) {
	sets, err := h.service.Datasets(ctx)
	return api.ListDatasets200JSONResponse(each(sets, wire.Dataset)), err
}

func (h *handlers) GetDataset(ctx context.Context, r api.GetDatasetRequestObject) (api.GetDatasetResponseObject, error) {
	d, err := h.service.Dataset(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return api.GetDataset200JSONResponse(wire.Dataset(d)), nil
}

func (h *handlers) RemoveDataset(ctx context.Context, r api.RemoveDatasetRequestObject) (api.RemoveDatasetResponseObject, error) {
	return api.RemoveDataset204Response{}, h.service.RemoveDataset(ctx, r.Name)
}

func (h *handlers) PreviewLoad(ctx context.Context, r api.PreviewLoadRequestObject) (api.PreviewLoadResponseObject, error) {
	in := wire.LoadRequest(r.Name, api.LoadFileParams(r.Params))
	in.Body = r.Body
	p, err := h.service.Preview(ctx, in)
	if err != nil {
		return nil, err
	}
	return api.PreviewLoad200JSONResponse(wire.Preview(p)), nil
}

func (h *handlers) LoadFile(ctx context.Context, r api.LoadFileRequestObject) (api.LoadFileResponseObject, error) {
	in := wire.LoadRequest(r.Name, r.Params)
	in.Body, in.Author = r.Body, author
	l, err := h.service.Load(ctx, in)
	if err != nil {
		return nil, err
	}
	return api.LoadFile201JSONResponse(wire.Load(l)), nil
}

func (h *handlers) ListLoads(ctx context.Context, r api.ListLoadsRequestObject) (api.ListLoadsResponseObject, error) {
	loads, err := h.service.Loads(ctx, r.Name)
	return api.ListLoads200JSONResponse(each(loads, wire.Load)), err
}

func (h *handlers) TakeLoadBack(ctx context.Context, r api.TakeLoadBackRequestObject) (api.TakeLoadBackResponseObject, error) {
	l, err := h.service.TakeBack(ctx, r.Name, r.Load)
	if err != nil {
		return nil, err
	}
	return api.TakeLoadBack200JSONResponse(wire.Load(l)), nil
}

func (h *handlers) Total(ctx context.Context, r api.TotalRequestObject) (api.TotalResponseObject, error) {
	if n := len(r.Body.Over); n > maxExpressions {
		return nil, &service.Invalid{Err: fmt.Errorf("%d spans are given; expected at most %d", n, maxExpressions)}
	}
	t, err := h.service.Total(ctx, r.Name, wire.Question(r.Body))
	if err != nil {
		return nil, err
	}
	return api.Total200JSONResponse(wire.Total(t)), nil
}

// Pages of records have at most maxPage rows, defaultPage where nothing is said.
const (
	maxPage     = 1000
	defaultPage = 50
)

func (h *handlers) ListRecords(ctx context.Context, r api.ListRecordsRequestObject) (api.ListRecordsResponseObject, error) {
	b := r.Body
	q := service.RecordsQuestion{Over: "all dates", Limit: defaultPage, Where: wire.Filters(b.Where), Reading: wire.Reading(b.AsOf, b.AtClose, b.Calendar)}
	if b.Over != nil {
		q.Over = *b.Over
	}
	if b.Date != nil {
		q.Date = *b.Date
	}
	if b.Running != nil {
		q.Running = *b.Running
	}
	q.OldestFirst = b.Order != nil && *b.Order == api.Oldest
	if b.After != nil {
		q.After = *b.After
	}
	if b.Limit != nil {
		q.Limit = *b.Limit
	}
	if q.Limit < 1 || q.Limit > maxPage {
		return nil, &service.Invalid{Err: fmt.Errorf("limit: %d: expected 1 to %d", q.Limit, maxPage)}
	}
	p, err := h.service.Records(ctx, r.Name, q)
	if err != nil {
		return nil, err
	}
	return api.ListRecords200JSONResponse(wire.Page(p, q.AtClose)), nil
}

func (h *handlers) ListEdges(ctx context.Context, r api.ListEdgesRequestObject) (api.ListEdgesResponseObject, error) {
	b := r.Body
	q := service.EdgesQuestion{Over: b.Over, Where: wire.Filters(b.Where), Records: defaultEdge, Reading: wire.Reading(b.AsOf, b.AtClose, b.Calendar)}
	if b.Date != nil {
		q.Date = *b.Date
	}
	if b.Records != nil {
		q.Records = *b.Records
	}
	if q.Records < 1 || q.Records > maxEdge {
		return nil, &service.Invalid{Err: fmt.Errorf("records: %d: expected 1 to %d on each side of an edge", q.Records, maxEdge)}
	}
	e, err := h.service.Edges(ctx, r.Name, q)
	if err != nil {
		return nil, err
	}
	return api.ListEdges200JSONResponse(wire.Edges(e, q.AtClose)), nil
}

// Each side of an edge shows at most maxEdge records.
const (
	maxEdge     = 50
	defaultEdge = 3
)

func (h *handlers) DownloadRecords(ctx context.Context, r api.DownloadRecordsRequestObject) (api.DownloadRecordsResponseObject, error) {
	p := r.Params
	q := service.RecordsQuestion{Over: "all dates", Reading: wire.Reading(p.AsOf, p.AtClose, p.Calendar)}
	if p.Over != nil {
		q.Over = *p.Over
	}
	if p.Date != nil {
		q.Date = *p.Date
	}
	if p.Where != nil {
		var where []api.Filter
		if err := json.Unmarshal([]byte(*p.Where), &where); err != nil {
			return nil, &service.Invalid{Err: fmt.Errorf("where: expected a JSON array of filters: %w", err)}
		}
		q.Where = wire.Filters(&where)
	}
	write, err := h.service.Download(ctx, r.Name, q)
	if err != nil {
		return nil, err
	}
	body, out := io.Pipe()
	go func() { out.CloseWithError(write(out)) }()
	return api.DownloadRecords200TextcsvResponse{Body: body}, nil
}

func (h *handlers) LineUp(ctx context.Context, r api.LineUpRequestObject) (api.LineUpResponseObject, error) {
	up, err := h.service.Lines(ctx, wire.Lines(r.Body))
	if err != nil {
		return nil, err
	}
	return api.LineUp200JSONResponse(wire.Lineup(up)), nil
}

func (h *handlers) DescribeDataset(ctx context.Context, r api.DescribeDatasetRequestObject) (api.DescribeDatasetResponseObject, error) {
	d, err := h.service.Describe(ctx, r.Name, wire.Description(r.Body))
	if err != nil {
		return nil, err
	}
	return api.DescribeDataset200JSONResponse(wire.Dataset(d)), nil
}

func (h *handlers) VerifyDataset(ctx context.Context, r api.VerifyDatasetRequestObject) (api.VerifyDatasetResponseObject, error) {
	v, err := h.service.Verify(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return api.VerifyDataset200JSONResponse{DaySums: v.Rows, Records: v.Records, Wrong: v.Wrong}, nil
}

func (h *handlers) ListValues(ctx context.Context, r api.ListValuesRequestObject) (api.ListValuesResponseObject, error) {
	values, err := h.service.Values(ctx, r.Name, r.Params.Column)
	if err != nil {
		return nil, err
	}
	list := api.ListValues200JSONResponse{}
	for _, v := range values {
		one := api.CategoryValue{Records: v.Records}
		if v.Value.Valid {
			one.Value = &v.Value.String
		}
		list = append(list, one)
	}
	return list, nil
}
