package web

import (
	"context"

	"vastspan/api"
	"vastspan/internal/service"
	"vastspan/internal/wire"
)

func (h *handlers) ListBriefs(ctx context.Context, _ api.ListBriefsRequestObject) (api.ListBriefsResponseObject, error) {
	briefs, err := h.service.Briefs(ctx)
	if err != nil {
		return nil, err
	}
	list := api.ListBriefs200JSONResponse{}
	for i := range briefs {
		b, err := wire.Brief(&briefs[i])
		if err != nil {
			return nil, err
		}
		list = append(list, b)
	}
	return list, nil
}

func (h *handlers) GetBrief(ctx context.Context, r api.GetBriefRequestObject) (api.GetBriefResponseObject, error) {
	b, err := h.service.Brief(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	out, err := wire.Brief(b)
	return api.GetBrief200JSONResponse(out), err
}

func (h *handlers) PutBrief(ctx context.Context, r api.PutBriefRequestObject) (api.PutBriefResponseObject, error) {
	def, err := wire.BriefDefinition(r.Body)
	if err != nil {
		return nil, err
	}
	if def.Name != r.Name {
		return nil, service.Invalidf("the definition names brief %s, the address %s; a brief is not renamed", def.Name, r.Name)
	}
	if r.Params.Version < 0 {
		return nil, service.Invalidf("version: %d: expected the version that the change was made from, 0 for a new brief", r.Params.Version)
	}
	b, err := h.service.PutBrief(ctx, def, r.Params.Version, author, or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	out, err := wire.Brief(b)
	return api.PutBrief200JSONResponse(out), err
}

func (h *handlers) ViewBrief(ctx context.Context, r api.ViewBriefRequestObject) (api.ViewBriefResponseObject, error) {
	b, err := h.service.Brief(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	reading, asks := wire.ViewReading(r.Body)
	v, err := h.service.ViewBrief(ctx, &b.Brief, reading, asks)
	if err != nil {
		return nil, err
	}
	out, err := wire.BriefView(v, b.Version)
	return api.ViewBrief200JSONResponse(out), err
}

func (h *handlers) BriefTurns(ctx context.Context, r api.BriefTurnsRequestObject) (api.BriefTurnsResponseObject, error) {
	b, err := h.service.Brief(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	reading := service.Reading{AtClose: or(r.Body.AtClose), Calendar: or(r.Body.Calendar)}
	turns, err := h.service.BriefTurns(ctx, &b.Brief, r.Body.From, r.Body.Days, reading)
	return api.BriefTurns200JSONResponse(wire.BriefTurns(turns)), err
}

func (h *handlers) ListReceipts(ctx context.Context, _ api.ListReceiptsRequestObject) (api.ListReceiptsResponseObject, error) {
	receipts, err := h.service.Receipts(ctx)
	if err != nil {
		return nil, err
	}
	list := api.ListReceipts200JSONResponse{}
	for i := range receipts {
		r, err := wire.Receipt(&receipts[i])
		if err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, nil
}

func (h *handlers) MakeReceipt(ctx context.Context, r api.MakeReceiptRequestObject) (api.MakeReceiptResponseObject, error) {
	b := r.Body
	var made *service.Receipt
	var err error
	switch {
	case b.Brief != nil && b.Total == nil:
		view := or(b.View)
		reading, asks := wire.ViewReading(&view)
		made, err = h.service.FreezeBrief(ctx, *b.Brief, reading, asks, or(b.Title), author)
	case b.Total != nil && b.Dataset != nil && b.Brief == nil:
		made, err = h.service.FreezeTotal(ctx, *b.Dataset, wire.Question(b.Total), or(b.Title), author)
	default:
		err = service.Invalidf("a receipt is of a brief, or of a total with its dataset")
	}
	if err != nil {
		return nil, err
	}
	out, err := wire.Receipt(made)
	return api.MakeReceipt201JSONResponse(out), err
}

func (h *handlers) GetReceipt(ctx context.Context, r api.GetReceiptRequestObject) (api.GetReceiptResponseObject, error) {
	found, err := h.service.Receipt(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	out, err := wire.Receipt(found)
	return api.GetReceipt200JSONResponse(out), err
}

func (h *handlers) CompareReceipt(ctx context.Context, r api.CompareReceiptRequestObject) (api.CompareReceiptResponseObject, error) {
	c, err := h.service.CompareReceipt(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	out, err := wire.ReceiptComparison(c)
	return api.CompareReceipt200JSONResponse(out), err
}

func (h *handlers) ListSchedules(ctx context.Context, _ api.ListSchedulesRequestObject) (api.ListSchedulesResponseObject, error) {
	schedules, err := h.service.Schedules(ctx)
	return api.ListSchedules200JSONResponse(each(schedules, wire.Schedule)), err
}

func (h *handlers) AddSchedule(ctx context.Context, r api.AddScheduleRequestObject) (api.AddScheduleResponseObject, error) {
	b := r.Body
	err := h.service.AddSchedule(ctx, service.Schedule{Name: b.Name, Brief: b.Brief, On: b.On, Calendar: or(b.Calendar), Author: author, Since: or(b.Since)})
	return api.AddSchedule204Response{}, err
}

func (h *handlers) RemoveSchedule(ctx context.Context, r api.RemoveScheduleRequestObject) (api.RemoveScheduleResponseObject, error) {
	return api.RemoveSchedule204Response{}, h.service.RemoveSchedule(ctx, r.Name)
}

func (h *handlers) RunSchedules(ctx context.Context, _ api.RunSchedulesRequestObject) (api.RunSchedulesResponseObject, error) {
	made, err := h.service.RunSchedules(ctx)
	return api.RunSchedules200JSONResponse{Made: made}, err
}
