package web

import (
	"context"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/core/query"
	"vastspan/internal/access"
	"vastspan/internal/service"
)

// reading returns against what expressions of days are read.
func reading(asOf *types.AsOf, atClose *bool, calendar *string) query.Context {
	return query.Context{AsOf: or(asOf), AtClose: or(atClose), Calendar: or(calendar)}
}

// knowing is reading of records as they were known.
func knowing(asOf *types.AsOf, atClose *bool, calendar *string, known *types.KnownState) query.Context {
	c := reading(asOf, atClose, calendar)
	c.Known = or(known)
	return c
}

// against returns against what expressions of days or moments are read.
func against(asOf *types.AsOf, atClose *bool, calendar, zone, dayStarts *string) service.Against {
	return service.Against{Context: reading(asOf, atClose, calendar), Zone: or(zone), DayStarts: or(dayStarts)}
}

func (h *handlers) Resolve(ctx context.Context, r server.ResolveRequestObject) (server.ResolveResponseObject, error) {
	b := r.Body
	c := against(b.AsOf, b.AtClose, b.Calendar, b.Zone, b.DayStarts)
	answer, err := h.service.Expressions.Resolve(ctx, b.Expressions, or(b.Dataset), or(b.Explain), c)
	if err != nil {
		return nil, err
	}
	return server.Resolve200JSONResponse(*answer), nil
}

func (h *handlers) ResolveTimeline(
	ctx context.Context,
	r server.ResolveTimelineRequestObject,
) (server.ResolveTimelineResponseObject, error) {
	b := r.Body
	from := b.From.String()
	c := against(&from, b.AtClose, b.Calendar, b.Zone, b.DayStarts)
	list, err := h.service.Expressions.Timelines(ctx, b.Expressions, b.Through, c)
	if err != nil {
		return nil, err
	}
	if c.Calendar == "" {
		c.Calendar = calendar.Civil.Name()
	}
	return server.ResolveTimeline200JSONResponse{
		From:      b.From,
		Through:   b.Through,
		AtClose:   c.AtClose,
		Calendar:  c.Calendar,
		Timelines: list,
	}, nil
}

func (h *handlers) Rehearse(ctx context.Context, r server.RehearseRequestObject) (server.RehearseResponseObject, error) {
	b := r.Body
	c := against(b.AsOf, b.AtClose, b.Calendar, b.Zone, b.DayStarts)
	rehearsal, err := h.service.Expressions.Rehearse(ctx, b.Expression, or(b.Days), c)
	if err != nil {
		return nil, err
	}
	return server.Rehearse200JSONResponse(*rehearsal), nil
}

func (h *handlers) Check(ctx context.Context, r server.CheckRequestObject) (server.CheckResponseObject, error) {
	b := r.Body
	report, err := h.service.Expressions.Check(ctx, or(b.Expressions), or(b.Days), against(b.AsOf, b.AtClose, b.Calendar, b.Zone, b.DayStarts))
	if err != nil {
		return nil, err
	}
	return server.Check200JSONResponse(*report), nil
}

// Elapse returns how long it is from one day or moment to another.
func (h *handlers) Elapse(ctx context.Context, r server.ElapseRequestObject) (server.ElapseResponseObject, error) {
	b := r.Body
	pairs := make([]service.Pair, len(b.Pairs))
	for i, pair := range b.Pairs {
		pairs[i] = service.Pair{From: pair.From, To: pair.To}
	}
	list, err := h.service.Expressions.Elapsed(ctx, pairs, or(b.BothEnds), against(nil, nil, b.Calendar, b.Zone, b.DayStarts))
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, book.ElapsedDocument(list)), nil
	}
	return server.Elapse200JSONResponse{Items: list}, nil
}

func (h *handlers) ListDays(ctx context.Context, r server.ListDaysRequestObject) (server.ListDaysResponseObject, error) {
	b := r.Body
	t, err := h.service.Expressions.Days(ctx, b.From, b.Through, or(b.Spans), against(b.AsOf, b.AtClose, b.Calendar, b.Zone, b.DayStarts))
	if err != nil {
		return nil, err
	}
	if f, ok := wanted(ctx); ok {
		return document(ctx, f, t.Document()), nil
	}
	return server.ListDays200JSONResponse(*t), nil
}

// GetPublishedDays says which days the tables for other tools hold.
func (h *handlers) GetPublishedDays(
	ctx context.Context,
	_ server.GetPublishedDaysRequestObject,
) (server.GetPublishedDaysResponseObject, error) {
	d, err := h.service.DayTables.Published(ctx)
	if err != nil {
		return nil, err
	}
	return server.GetPublishedDays200JSONResponse(publishedDays(d)), nil
}

// PublishDays has the tables for other tools hold more days.
func (h *handlers) PublishDays(ctx context.Context, r server.PublishDaysRequestObject) (server.PublishDaysResponseObject, error) {
	d, err := h.service.DayTables.Publish(ctx, r.Body.From, r.Body.Through)
	if err != nil {
		return nil, err
	}
	return server.PublishDays200JSONResponse(publishedDays(d)), nil
}

func publishedDays(d service.PublishedDays) types.PublishedDays {
	out := types.PublishedDays{AsOf: d.AsOf, FirstDay: d.Days.First(), LastDay: d.Days.Last()}
	if !d.Asked.Empty() {
		out.Asked = &types.AskedDays{From: d.Asked.First(), Through: d.Asked.Last()}
	}
	return out
}

// AcknowledgeFinding says that a finding of a check is expected.
func (h *handlers) AcknowledgeFinding(
	ctx context.Context, r server.AcknowledgeFindingRequestObject,
) (server.AcknowledgeFindingResponseObject, error) {
	err := h.service.Expressions.Acknowledge(ctx, findingName(r.Body), access.Author(ctx), or(r.Body.Note))
	return server.AcknowledgeFinding204Response{}, err
}

// WithdrawAcknowledgement withdraws what AcknowledgeFinding has said.
func (h *handlers) WithdrawAcknowledgement(
	ctx context.Context, r server.WithdrawAcknowledgementRequestObject,
) (server.WithdrawAcknowledgementResponseObject, error) {
	return server.WithdrawAcknowledgement204Response{}, h.service.Expressions.Withdraw(ctx, findingName(r.Body))
}

func findingName(f *types.FindingName) service.FindingName {
	return service.FindingName{Kind: string(f.Kind), Caution: or(f.Caution), Spans: f.Spans}
}
