package web

import (
	"context"
	"fmt"
	"strings"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/internal/access"
	"vastspan/internal/holidays"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// Spans, calendars, holiday lists, event lists and briefs have the same operations; their types are generated apart.

func errNames(definition, address string) error {
	return fmt.Errorf("the definition names %s, the address %s: a definition is not renamed", definition, address)
}

// The named spans.

func (h *handlers) ListSpans(ctx context.Context, r server.ListSpansRequestObject) (server.ListSpansResponseObject, error) {
	page, err := h.service.Spans.List(ctx, paging(r.Params.Limit, r.Params.After))
	if err != nil {
		return nil, err
	}
	users, err := h.service.Definitions.Users(ctx)
	return server.ListSpans200JSONResponse{
		Items: each(page.Items, func(s *service.Stored[book.Span]) types.Span { return spanWith(s, users) }), Next: optional(page.Next),
	}, err
}

func (h *handlers) AddSpan(ctx context.Context, r server.AddSpanRequestObject) (server.AddSpanResponseObject, error) {
	s, err := h.service.Spans.Put(ctx, *r.Body, 0, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.span(ctx, s)
	location := prefix + "/spans/" + s.Definition.Name
	return server.AddSpan201JSONResponse{
		Body:    body,
		Headers: server.AddSpan201ResponseHeaders{ETag: etag(s.Version), Location: &location},
	}, err
}

func (h *handlers) GetSpan(ctx context.Context, r server.GetSpanRequestObject) (server.GetSpanResponseObject, error) {
	s, err := h.service.Spans.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	body, err := h.span(ctx, s)
	return server.GetSpan200JSONResponse{Body: body, Headers: server.GetSpan200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) PutSpan(ctx context.Context, r server.PutSpanRequestObject) (server.PutSpanResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	if err := sameName(r.Body.Name, r.Name); err != nil {
		return nil, err
	}
	s, err := h.service.Spans.Put(ctx, *r.Body, from, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.span(ctx, s)
	return server.PutSpan200JSONResponse{Body: body, Headers: server.PutSpan200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) RemoveSpan(ctx context.Context, r server.RemoveSpanRequestObject) (server.RemoveSpanResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	return server.RemoveSpan204Response{}, h.service.Spans.Remove(ctx, r.Name, from, access.Author(ctx))
}

func (h *handlers) ListSpanVersions(
	ctx context.Context,
	r server.ListSpanVersionsRequestObject,
) (server.ListSpanVersionsResponseObject, error) {
	page, err := versions(h.service.Spans.Versions(ctx, r.Name, paging(r.Params.Limit, r.Params.After)))
	return server.ListSpanVersions200JSONResponse(page), err
}

func (h *handlers) RestoreSpan(ctx context.Context, r server.RestoreSpanRequestObject) (server.RestoreSpanResponseObject, error) {
	s, err := h.service.Spans.Restore(ctx, r.Name, r.Body.Version, access.Author(ctx), or(r.Body.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.span(ctx, s)
	return server.RestoreSpan200JSONResponse{Body: body, Headers: server.RestoreSpan200ResponseHeaders{ETag: etag(s.Version)}}, err
}

// RenameSpan renames a span.
func (h *handlers) RenameSpan(ctx context.Context, r server.RenameSpanRequestObject) (server.RenameSpanResponseObject, error) {
	from, err := matched(r.Params.IfMatch, true)
	if err != nil {
		return nil, err
	}
	s, carried, err := h.service.Renames.Span(ctx, r.Name, r.Body.Name, from, access.Author(ctx))
	if err != nil {
		return nil, err
	}
	return server.RenameSpan200JSONResponse{
		Body:    types.Renamed{Name: s.Definition.Name, Carried: append([]string{}, carried...)},
		Headers: server.RenameSpan200ResponseHeaders{ETag: etag(s.Version)},
	}, nil
}

// MoveSpan puts a span elsewhere in the list.
func (h *handlers) MoveSpan(ctx context.Context, r server.MoveSpanRequestObject) (server.MoveSpanResponseObject, error) {
	return server.MoveSpan204Response{}, h.service.Renames.MoveSpan(ctx, r.Name, or(r.Body.Before))
}

// The calendars.

func (h *handlers) ListCalendars(ctx context.Context, r server.ListCalendarsRequestObject) (server.ListCalendarsResponseObject, error) {
	page, err := h.service.Definitions.AllCalendars(ctx, paging(r.Params.Limit, r.Params.After))
	return server.ListCalendars200JSONResponse{Items: each(page.Items, calendarView), Next: optional(page.Next)}, err
}

func (h *handlers) AddCalendar(ctx context.Context, r server.AddCalendarRequestObject) (server.AddCalendarResponseObject, error) {
	s, err := h.service.Calendars.Put(ctx, *r.Body, 0, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.calendar(ctx, s)
	location := prefix + "/calendars/" + s.Definition.Name
	return server.AddCalendar201JSONResponse{
		Body:    body,
		Headers: server.AddCalendar201ResponseHeaders{ETag: etag(s.Version), Location: &location},
	}, err
}

func (h *handlers) GetCalendar(ctx context.Context, r server.GetCalendarRequestObject) (server.GetCalendarResponseObject, error) {
	v, err := h.service.Definitions.Calendar(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return server.GetCalendar200JSONResponse{
		Body:    calendarView(v),
		Headers: server.GetCalendar200ResponseHeaders{ETag: etag(v.Version)},
	}, nil
}

func (h *handlers) PutCalendar(ctx context.Context, r server.PutCalendarRequestObject) (server.PutCalendarResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	if err := sameName(r.Body.Name, r.Name); err != nil {
		return nil, err
	}
	s, err := h.service.Calendars.Put(ctx, *r.Body, from, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.calendar(ctx, s)
	return server.PutCalendar200JSONResponse{Body: body, Headers: server.PutCalendar200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) RemoveCalendar(ctx context.Context, r server.RemoveCalendarRequestObject) (server.RemoveCalendarResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	return server.RemoveCalendar204Response{}, h.service.Calendars.Remove(ctx, r.Name, from, access.Author(ctx))
}

func (h *handlers) ListCalendarVersions(
	ctx context.Context,
	r server.ListCalendarVersionsRequestObject,
) (server.ListCalendarVersionsResponseObject, error) {
	page, err := versions(h.service.Calendars.Versions(ctx, r.Name, paging(r.Params.Limit, r.Params.After)))
	return server.ListCalendarVersions200JSONResponse(page), err
}

func (h *handlers) RestoreCalendar(
	ctx context.Context,
	r server.RestoreCalendarRequestObject,
) (server.RestoreCalendarResponseObject, error) {
	s, err := h.service.Calendars.Restore(ctx, r.Name, r.Body.Version, access.Author(ctx), or(r.Body.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.calendar(ctx, s)
	return server.RestoreCalendar200JSONResponse{Body: body, Headers: server.RestoreCalendar200ResponseHeaders{ETag: etag(s.Version)}}, err
}

// The holiday lists.

func (h *handlers) ListHolidayLists(
	ctx context.Context,
	r server.ListHolidayListsRequestObject,
) (server.ListHolidayListsResponseObject, error) {
	page, err := h.service.Holidays.List(ctx, paging(r.Params.Limit, r.Params.After))
	if err != nil {
		return nil, err
	}
	out := server.ListHolidayLists200JSONResponse{Items: []types.HolidayList{}, Next: optional(page.Next)}
	for i := range page.Items {
		one, err := h.holidayList(ctx, &page.Items[i])
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, one)
	}
	return out, nil
}

func (h *handlers) AddHolidayList(ctx context.Context, r server.AddHolidayListRequestObject) (server.AddHolidayListResponseObject, error) {
	s, err := h.service.Holidays.Put(ctx, *r.Body, 0, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.holidayList(ctx, s)
	location := prefix + "/holidays/" + s.Definition.Name
	return server.AddHolidayList201JSONResponse{
		Body:    body,
		Headers: server.AddHolidayList201ResponseHeaders{ETag: etag(s.Version), Location: &location},
	}, err
}

func (h *handlers) GetHolidayList(ctx context.Context, r server.GetHolidayListRequestObject) (server.GetHolidayListResponseObject, error) {
	s, err := h.service.Holidays.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	body, err := h.holidayList(ctx, s)
	return server.GetHolidayList200JSONResponse{Body: body, Headers: server.GetHolidayList200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) PutHolidayList(ctx context.Context, r server.PutHolidayListRequestObject) (server.PutHolidayListResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	if err := sameName(r.Body.Name, r.Name); err != nil {
		return nil, err
	}
	s, err := h.service.Holidays.Put(ctx, *r.Body, from, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.holidayList(ctx, s)
	return server.PutHolidayList200JSONResponse{Body: body, Headers: server.PutHolidayList200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) RemoveHolidayList(
	ctx context.Context,
	r server.RemoveHolidayListRequestObject,
) (server.RemoveHolidayListResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	return server.RemoveHolidayList204Response{}, h.service.Holidays.Remove(ctx, r.Name, from, access.Author(ctx))
}

func (h *handlers) ListHolidayListVersions(
	ctx context.Context,
	r server.ListHolidayListVersionsRequestObject,
) (server.ListHolidayListVersionsResponseObject, error) {
	page, err := versions(h.service.Holidays.Versions(ctx, r.Name, paging(r.Params.Limit, r.Params.After)))
	return server.ListHolidayListVersions200JSONResponse(page), err
}

func (h *handlers) RestoreHolidayList(
	ctx context.Context,
	r server.RestoreHolidayListRequestObject,
) (server.RestoreHolidayListResponseObject, error) {
	s, err := h.service.Holidays.Restore(ctx, r.Name, r.Body.Version, access.Author(ctx), or(r.Body.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.holidayList(ctx, s)
	return server.RestoreHolidayList200JSONResponse{
		Body:    body,
		Headers: server.RestoreHolidayList200ResponseHeaders{ETag: etag(s.Version)},
	}, err
}

// The event lists.

func (h *handlers) ListEventLists(
	ctx context.Context,
	r server.ListEventListsRequestObject,
) (server.ListEventListsResponseObject, error) {
	page, err := h.service.Events.List(ctx, paging(r.Params.Limit, r.Params.After))
	if err != nil {
		return nil, err
	}
	out := server.ListEventLists200JSONResponse{Items: []types.EventList{}, Next: optional(page.Next)}
	for i := range page.Items {
		one, err := h.eventList(ctx, &page.Items[i])
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, one)
	}
	return out, nil
}

func (h *handlers) AddEventList(ctx context.Context, r server.AddEventListRequestObject) (server.AddEventListResponseObject, error) {
	s, err := h.service.Events.Put(ctx, *r.Body, 0, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.eventList(ctx, s)
	location := prefix + "/events/" + s.Definition.Name
	return server.AddEventList201JSONResponse{
		Body:    body,
		Headers: server.AddEventList201ResponseHeaders{ETag: etag(s.Version), Location: &location},
	}, err
}

func (h *handlers) GetEventList(ctx context.Context, r server.GetEventListRequestObject) (server.GetEventListResponseObject, error) {
	s, err := h.service.Events.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	body, err := h.eventList(ctx, s)
	return server.GetEventList200JSONResponse{Body: body, Headers: server.GetEventList200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) PutEventList(ctx context.Context, r server.PutEventListRequestObject) (server.PutEventListResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	if err := sameName(r.Body.Name, r.Name); err != nil {
		return nil, err
	}
	s, err := h.service.Events.Put(ctx, *r.Body, from, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.eventList(ctx, s)
	return server.PutEventList200JSONResponse{Body: body, Headers: server.PutEventList200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) RemoveEventList(
	ctx context.Context,
	r server.RemoveEventListRequestObject,
) (server.RemoveEventListResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	return server.RemoveEventList204Response{}, h.service.Events.Remove(ctx, r.Name, from, access.Author(ctx))
}

func (h *handlers) ListEventListVersions(
	ctx context.Context,
	r server.ListEventListVersionsRequestObject,
) (server.ListEventListVersionsResponseObject, error) {
	page, err := versions(h.service.Events.Versions(ctx, r.Name, paging(r.Params.Limit, r.Params.After)))
	return server.ListEventListVersions200JSONResponse(page), err
}

func (h *handlers) RestoreEventList(
	ctx context.Context,
	r server.RestoreEventListRequestObject,
) (server.RestoreEventListResponseObject, error) {
	s, err := h.service.Events.Restore(ctx, r.Name, r.Body.Version, access.Author(ctx), or(r.Body.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.eventList(ctx, s)
	return server.RestoreEventList200JSONResponse{
		Body:    body,
		Headers: server.RestoreEventList200ResponseHeaders{ETag: etag(s.Version)},
	}, err
}

// RenameEventList renames an event list.
func (h *handlers) RenameEventList(
	ctx context.Context,
	r server.RenameEventListRequestObject,
) (server.RenameEventListResponseObject, error) {
	from, err := matched(r.Params.IfMatch, true)
	if err != nil {
		return nil, err
	}
	s, carried, err := h.service.Renames.Events(ctx, r.Name, r.Body.Name, from, access.Author(ctx))
	if err != nil {
		return nil, err
	}
	return server.RenameEventList200JSONResponse{
		Body:    types.Renamed{Name: s.Definition.Name, Carried: append([]string{}, carried...)},
		Headers: server.RenameEventList200ResponseHeaders{ETag: etag(s.Version)},
	}, nil
}

// ReadEvents reads event lists from a file, without keeping them.
func (h *handlers) ReadEvents(_ context.Context, r server.ReadEventsRequestObject) (server.ReadEventsResponseObject, error) {
	lists, left, err := holidays.ReadEvents(strings.NewReader(r.Body.Text), holidays.Request{
		Name: or(r.Body.Name), FirstYear: or(r.Body.FirstYear), LastYear: or(r.Body.LastYear), BySummary: or(r.Body.BySummary),
	})
	return server.ReadEvents200JSONResponse{Lists: lists, LeftOut: optional(left)}, refused.Wrong(err)
}

// The briefs.

func (h *handlers) ListBriefs(ctx context.Context, r server.ListBriefsRequestObject) (server.ListBriefsResponseObject, error) {
	page, err := h.service.Briefs.List(ctx, paging(r.Params.Limit, r.Params.After))
	if err != nil {
		return nil, err
	}
	out := server.ListBriefs200JSONResponse{Items: []types.Brief{}, Next: optional(page.Next)}
	for i := range page.Items {
		one, err := h.brief(ctx, &page.Items[i])
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, one)
	}
	return out, nil
}

func (h *handlers) AddBrief(ctx context.Context, r server.AddBriefRequestObject) (server.AddBriefResponseObject, error) {
	s, err := h.service.Briefs.Put(ctx, *r.Body, 0, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.brief(ctx, s)
	location := prefix + "/briefs/" + s.Definition.Name
	return server.AddBrief201JSONResponse{
		Body:    body,
		Headers: server.AddBrief201ResponseHeaders{ETag: etag(s.Version), Location: &location},
	}, err
}

func (h *handlers) GetBrief(ctx context.Context, r server.GetBriefRequestObject) (server.GetBriefResponseObject, error) {
	s, err := h.service.Briefs.Get(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	body, err := h.brief(ctx, s)
	return server.GetBrief200JSONResponse{Body: body, Headers: server.GetBrief200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) PutBrief(ctx context.Context, r server.PutBriefRequestObject) (server.PutBriefResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	if err := sameName(r.Body.Name, r.Name); err != nil {
		return nil, err
	}
	s, err := h.service.Briefs.Put(ctx, *r.Body, from, access.Author(ctx), or(r.Params.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.brief(ctx, s)
	return server.PutBrief200JSONResponse{Body: body, Headers: server.PutBrief200ResponseHeaders{ETag: etag(s.Version)}}, err
}

func (h *handlers) RemoveBrief(ctx context.Context, r server.RemoveBriefRequestObject) (server.RemoveBriefResponseObject, error) {
	from, err := matched(r.Params.IfMatch, false)
	if err != nil {
		return nil, err
	}
	return server.RemoveBrief204Response{}, h.service.Briefs.Remove(ctx, r.Name, from, access.Author(ctx))
}

func (h *handlers) ListBriefVersions(
	ctx context.Context,
	r server.ListBriefVersionsRequestObject,
) (server.ListBriefVersionsResponseObject, error) {
	page, err := versions(h.service.Briefs.Versions(ctx, r.Name, paging(r.Params.Limit, r.Params.After)))
	return server.ListBriefVersions200JSONResponse(page), err
}

func (h *handlers) RestoreBrief(ctx context.Context, r server.RestoreBriefRequestObject) (server.RestoreBriefResponseObject, error) {
	s, err := h.service.Briefs.Restore(ctx, r.Name, r.Body.Version, access.Author(ctx), or(r.Body.Note))
	if err != nil {
		return nil, err
	}
	body, err := h.brief(ctx, s)
	return server.RestoreBrief200JSONResponse{Body: body, Headers: server.RestoreBrief200ResponseHeaders{ETag: etag(s.Version)}}, err
}
