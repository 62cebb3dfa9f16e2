package web

import (
	"context"
	"fmt"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/civil"
	"vastspan/internal/access"
	"vastspan/internal/deliver"
	"vastspan/internal/service"
)

func (h *handlers) ViewBrief(ctx context.Context, r server.ViewBriefRequestObject) (server.ViewBriefResponseObject, error) {
	b, err := h.service.Briefs.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	v, err := h.service.Views.View(ctx, &b.Definition, viewContext(r.Body))
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, v.Document()), nil
	}
	out := server.ViewBrief200JSONResponse{
		Name:     v.Brief.Name,
		Title:    v.Brief.Title,
		Version:  b.Version,
		AsOf:     v.AsOf,
		Basis:    v.Basis,
		AtClose:  v.AtClose,
		Calendar: v.Calendar,
		Prompts:  v.Prompts,
		Known:    optional(v.Known),
	}
	out.Items = each(v.Items, func(it *service.ItemView) types.BriefItemView {
		if it.Err != nil {
			p := problemOf(h.service.Offering(ctx, it.Err))
			return types.BriefItemView{Item: it.Item, Error: &p.Detail, Pointer: p.Pointer, Expression: p.Expression}
		}
		return types.BriefItemView{Item: it.Item, Answer: it.Answer, Spark: it.Spark, Lineup: it.Lineup, Ageing: it.Ageing, Drivers: it.Drivers}
	})
	return out, nil
}

// viewContext reads as of what a brief is to be shown.
func viewContext(v *types.ViewRequest) service.ViewContext {
	if v == nil {
		return service.ViewContext{}
	}
	return service.ViewContext{Context: knowing(v.AsOf, v.AtClose, v.Calendar, v.Known), Prompts: or(v.Prompts)}
}

func (h *handlers) RehearseBrief(ctx context.Context, r server.RehearseBriefRequestObject) (server.RehearseBriefResponseObject, error) {
	b, err := h.service.Briefs.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	turns, err := h.service.Views.Turns(ctx, &b.Definition, r.Body.From, r.Body.Days, reading(nil, r.Body.AtClose, r.Body.Calendar))
	if err != nil {
		return nil, err
	}
	return server.RehearseBrief200JSONResponse{Turns: each(turns, func(t *service.BriefTurn) types.BriefTurn {
		return types.BriefTurn{Day: t.Day, Changes: t.Changes, Items: t.Items}
	})}, nil
}

func (h *handlers) ListReceipts(ctx context.Context, r server.ListReceiptsRequestObject) (server.ListReceiptsResponseObject, error) {
	page, err := h.service.Receipts.List(ctx, paging(r.Params.Limit, r.Params.After))
	if err != nil {
		return nil, err
	}
	out := server.ListReceipts200JSONResponse{Items: []types.Receipt{}, Next: optional(page.Next)}
	for i := range page.Items {
		one, err := toReceipt(&page.Items[i], false)
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, one)
	}
	return out, nil
}

func (h *handlers) CreateReceipt(ctx context.Context, r server.CreateReceiptRequestObject) (server.CreateReceiptResponseObject, error) {
	b := r.Body
	receipt, err := h.service.Receipts.Create(
		ctx,
		service.ReceiptRequest{
			Title:  or(b.Title),
			Author: access.Author(ctx),
			Key:    or(r.Params.IdempotencyKey),
			Brief:  or(b.Brief),
			View:   viewContext(b.View),
			Query:  b.Total,
		},
	)
	if err != nil {
		return nil, err
	}
	body, err := toReceipt(receipt, true)
	location := fmt.Sprintf(prefix+"/receipts/%d", receipt.ID)
	return server.CreateReceipt201JSONResponse{Body: body, Headers: server.CreateReceipt201ResponseHeaders{Location: &location}}, err
}

func (h *handlers) GetReceipt(ctx context.Context, r server.GetReceiptRequestObject) (server.GetReceiptResponseObject, error) {
	receipt, err := h.service.Receipts.Get(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, receipt.Document()), nil
	}
	body, err := toReceipt(receipt, true)
	return server.GetReceipt200JSONResponse(body), err
}

func (h *handlers) CompareReceipt(ctx context.Context, r server.CompareReceiptRequestObject) (server.CompareReceiptResponseObject, error) {
	c, err := h.service.Receipts.Compare(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, c.Document()), nil
	}
	head, err := toReceipt(c.Receipt, false)
	out := server.CompareReceipt200JSONResponse{
		Receipt:  head,
		Compared: c.Compared,
		Since:    each(c.Since, toReason),
		Changed: each(c.Changed, func(m *service.FigureChange) types.FigureChange {
			return types.FigureChange{Cell: toCell(&m.Cell, &m.Source), Now: m.Now, Difference: m.Difference, DaysNow: optional(m.DaysNow),
				State: types.FigureChangeState(m.State), Reasons: each(m.Reasons, toReason)}
		}),
	}
	if len(c.Missing) > 0 {
		out.Missing = &c.Missing
	}
	return out, err
}

func toReason(r *service.Reason) types.Reason {
	return types.Reason{Code: r.Code, Text: r.Text, Name: optional(r.Name), Effect: r.Effect}
}

func toCell(c *service.ReceiptCell, s *service.ReceiptSource) types.ReceiptCell {
	out := types.ReceiptCell{
		Id:         c.ID,
		Item:       optional(c.Item),
		Dataset:    s.Dataset,
		Date:       s.Date,
		Expression: c.Expression,
		Days:       c.Days,
		Unit:       optional(c.Unit),
		Figure:     c.Figure,
		Value:      c.Value,
	}
	if c.Group != nil {
		out.Group = &c.Group
	}
	return out
}

// toReceipt returns a receipt, with its figures where they are wanted.
func toReceipt(r *service.Receipt, whole bool) (types.Receipt, error) {
	b := &r.Body
	asOf, err := civil.ParseDay(b.AsOf)
	out := types.Receipt{
		Id:        r.ID,
		Title:     r.Title,
		Subject:   types.ReceiptSubject(b.Subject),
		AsOf:      asOf,
		Author:    r.Author,
		CreatedAt: r.CreatedAt,
		Schedule:  optional(r.Schedule),
		DueDay:    r.DueDay,
		Checksum:  r.Checksum,
	}
	if b.Brief != nil {
		out.Brief = &b.Brief.Name
	}
	if err != nil || !whole {
		return out, err
	}
	cells := each(b.Cells, func(c *service.ReceiptCell) types.ReceiptCell { return toCell(c, &b.Sources[c.Source]) })
	loads := each(b.Loads, func(l *service.ReceiptLoad) types.ReceiptLoad {
		out := types.ReceiptLoad{Dataset: l.Dataset, Newest: l.Newest}
		if e := l.Elsewhere; e != nil {
			out.Elsewhere = &types.ReceiptElsewhere{
				Database: e.Database, Table: e.Table, Records: e.Records, Newest: optional(e.Newest), Figures: e.Figures,
			}
		}
		return out
	})
	out.Verified, out.AtClose, out.Calendar = &r.Verified, &b.AtClose, &b.Calendar
	out.Cells, out.Definitions, out.Loads = &cells, &b.Definitions, &loads
	if len(b.Missing) > 0 {
		out.Missing = &b.Missing
	}
	return out, nil
}

func (h *handlers) ListSchedules(ctx context.Context, r server.ListSchedulesRequestObject) (server.ListSchedulesResponseObject, error) {
	page, err := h.service.Schedules.List(ctx, paging(r.Params.Limit, r.Params.After))
	return server.ListSchedules200JSONResponse{Items: each(page.Items, toSchedule), Next: optional(page.Next)}, err
}

func (h *handlers) GetSchedule(ctx context.Context, r server.GetScheduleRequestObject) (server.GetScheduleResponseObject, error) {
	s, err := h.service.Schedules.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return server.GetSchedule200JSONResponse(toSchedule(s)), nil
}

func (h *handlers) AddSchedule(ctx context.Context, r server.AddScheduleRequestObject) (server.AddScheduleResponseObject, error) {
	b := r.Body
	s, err := h.service.Schedules.Add(
		ctx,
		service.Schedule{
			Name: b.Name, Brief: b.Brief, Days: b.Days, Calendar: or(b.Calendar),
			Author: access.Author(ctx), Deliver: each(or(b.Deliver), fromTarget),
		},
		b.Since,
	)
	if err != nil {
		return nil, err
	}
	location := prefix + "/schedules/" + s.Name
	return server.AddSchedule201JSONResponse{Body: toSchedule(s), Headers: server.AddSchedule201ResponseHeaders{Location: &location}}, nil
}

func (h *handlers) RemoveSchedule(ctx context.Context, r server.RemoveScheduleRequestObject) (server.RemoveScheduleResponseObject, error) {
	return server.RemoveSchedule204Response{}, h.service.Schedules.Remove(ctx, r.Name)
}

func (h *handlers) RunSchedules(ctx context.Context, _ server.RunSchedulesRequestObject) (server.RunSchedulesResponseObject, error) {
	created, err := h.service.Schedules.Run(ctx)
	return server.RunSchedules200JSONResponse{Created: created}, err
}

func toSchedule(s *service.Schedule) types.Schedule {
	return types.Schedule{
		Name:            s.Name,
		Brief:           s.Brief,
		Days:            s.Days,
		Calendar:        s.Calendar,
		Author:          s.Author,
		Since:           s.Since,
		UpToDateThrough: s.UpToDate,
		Next:            s.Next,
		Deliver:         each(s.Deliver, toTarget),
	}
}

func fromTarget(t *types.Target) deliver.Target {
	return deliver.Target{To: deliver.Kind(t.To), Address: t.Address, Formats: or(t.Formats)}
}

func toTarget(t *deliver.Target) types.Target {
	out := types.Target{To: types.TargetTo(t.To), Address: t.Address}
	if len(t.Formats) > 0 {
		out.Formats = &t.Formats
	}
	return out
}

// ListDeliveries lists what receipts of schedules bring.
func (h *handlers) ListDeliveries(
	ctx context.Context,
	r server.ListDeliveriesRequestObject,
) (server.ListDeliveriesResponseObject, error) {
	page, err := h.service.Deliveries.List(ctx, paging(r.Params.Limit, r.Params.After))
	return server.ListDeliveries200JSONResponse{Items: each(page.Items, toDelivery), Next: optional(page.Next)}, err
}

func (h *handlers) RetryDelivery(ctx context.Context, r server.RetryDeliveryRequestObject) (server.RetryDeliveryResponseObject, error) {
	d, err := h.service.Deliveries.Retry(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return server.RetryDelivery200JSONResponse(toDelivery(d)), nil
}

func toDelivery(d *service.Delivery) types.Delivery {
	return types.Delivery{
		Id: d.ID, Receipt: d.ReceiptID, Schedule: d.Schedule, Target: d.Target, State: types.DeliveryState(d.State), Tries: d.Tries,
		NextTry: d.NextTry, Reason: optional(d.Reason), ChangedAt: d.ChangedAt,
	}
}

// GetDeliveryMeans says what can be delivered to.
func (h *handlers) GetDeliveryMeans(
	_ context.Context,
	_ server.GetDeliveryMeansRequestObject,
) (server.GetDeliveryMeansResponseObject, error) {
	out := server.GetDeliveryMeans200JSONResponse{Formats: h.service.Deliveries.Means.Formats()}
	for _, kind := range []deliver.Kind{deliver.Folder, deliver.Webhook, deliver.Mail} {
		one := types.DeliveryMean{To: types.DeliveryMeanTo(kind)}
		if err := h.service.Deliveries.Means.Has(kind); err != nil {
			one.Missing = optional(err.Error())
		}
		out.Targets = append(out.Targets, one)
	}
	return out, nil
}
