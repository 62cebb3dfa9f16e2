package web

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"slices"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/calendar"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

func (h *handlers) GetBook(ctx context.Context, _ server.GetBookRequestObject) (server.GetBookResponseObject, error) {
	text, err := h.service.Briefs.Book(ctx)
	if err != nil {
		return nil, err
	}
	attach(ctx, "book.yaml")
	return server.GetBook200ApplicationyamlResponse{Body: bytes.NewReader(text)}, nil
}

func (h *handlers) LoadBook(ctx context.Context, r server.LoadBookRequestObject) (server.LoadBookResponseObject, error) {
	data, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	changes, err := h.service.Briefs.LoadBook(ctx, data, access.Author(ctx), or(r.Params.Note), or(r.Params.Preview))
	if err != nil {
		return nil, err
	}
	l, err := h.service.Definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	answer := server.LoadBook200JSONResponse{Revision: l.Revision(), Changes: []types.BookChange{}}
	for i := range changes {
		c := &changes[i]
		one := types.BookChange{
			Kind: types.DefinitionKind(c.Kind), Name: c.Name, Change: types.BookChangeChange(c.Change), Note: optional(c.Note),
		}
		if one.Before, err = anyDefinition(c.Before); err == nil {
			one.After, err = anyDefinition(c.After)
		}
		if err != nil {
			return nil, err
		}
		answer.Changes = append(answer.Changes, one)
	}
	return answer, nil
}

// anyDefinition returns a stored definition as an object; nil where there is none.
func anyDefinition(body json.RawMessage) (*types.AnyDefinition, error) {
	if body == nil {
		return nil, nil
	}
	var d types.AnyDefinition
	err := json.Unmarshal(body, &d)
	return &d, err
}

func versions(page service.Page[service.Version], err error) (types.VersionsPage, error) {
	out := types.VersionsPage{Items: []types.Version{}, Next: optional(page.Next)}
	for _, v := range page.Items {
		one := types.Version{
			Version:   v.Version,
			Author:    v.Author,
			Note:      optional(v.Note),
			ChangedAt: v.ChangedAt,
			Removed:   v.Definition == nil,
		}
		if err == nil {
			one.Definition, err = anyDefinition(v.Definition)
		}
		out.Items = append(out.Items, one)
	}
	return out, err
}

// sameName refuses a definition that names itself otherwise than its address.
func sameName(definition, address string) error {
	if definition != address {
		return &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/name", Err: errNames(definition, address)}
	}
	return nil
}

// span returns a named span with those that refer to it.
func (h *handlers) span(ctx context.Context, s *service.Stored[book.Span]) (types.Span, error) {
	users, err := h.service.Definitions.Users(ctx)
	return spanWith(s, users), err
}

// spanWith returns a span with what refers to it, given what refers to each.
func spanWith(s *service.Stored[book.Span], users map[string][]string) types.Span {
	out := types.Span{
		Definition: s.Definition,
		Version:    s.Version,
		Author:     s.Author,
		Note:       optional(s.Note),
		ChangedAt:  s.ChangedAt,
		Users:      users[s.Definition.Name],
	}
	if out.Users == nil {
		out.Users = []string{}
	}
	return out
}

func (h *handlers) calendar(ctx context.Context, s *service.Stored[calendar.Spec]) (types.Calendar, error) {
	v, err := h.service.Definitions.Calendar(ctx, s.Definition.Name)
	if err != nil {
		return types.Calendar{}, err
	}
	v.Stored = *s
	return calendarView(v), nil
}

func calendarView(v *service.CalendarView) types.Calendar {
	out := types.Calendar{Definition: v.Definition, Layout: v.Layout, Version: v.Version}
	if v.Version > 0 {
		out.Author, out.Note, out.ChangedAt = &v.Author, optional(v.Note), &v.ChangedAt
	}
	return out
}

func (h *handlers) holidayList(_ context.Context, s *service.Stored[book.Holidays]) (types.HolidayList, error) {
	return types.HolidayList{
		Definition: s.Definition,
		Version:    s.Version,
		Author:     s.Author,
		Note:       optional(s.Note),
		ChangedAt:  s.ChangedAt,
	}, nil
}

func (h *handlers) eventList(ctx context.Context, s *service.Stored[book.Events]) (types.EventList, error) {
	l, err := h.service.Definitions.Library(ctx)
	if err != nil {
		return types.EventList{}, err
	}
	users := slices.Concat(l.EventUsers(s.Definition.Name), l.BriefsWithEvent(s.Definition.Name))
	out := types.EventList{
		Definition: s.Definition, Version: s.Version, Author: s.Author, Note: optional(s.Note), ChangedAt: s.ChangedAt,
	}
	if len(users) > 0 {
		out.Users = &users
	}
	return out, nil
}

func (h *handlers) brief(_ context.Context, s *service.Stored[book.Brief]) (types.Brief, error) {
	b := types.Brief{Definition: s.Definition, Version: s.Version, Author: s.Author, Note: optional(s.Note), ChangedAt: s.ChangedAt}
	if b.Definition.Items == nil {
		b.Definition.Items = []book.Item{}
	}
	return b, nil
}

// LayOutCalendar lays a year of a calendar out that is not kept.
func (h *handlers) LayOutCalendar(
	ctx context.Context,
	r server.LayOutCalendarRequestObject,
) (server.LayOutCalendarResponseObject, error) {
	year, layout, err := h.service.Expressions.LayOut(ctx, r.Body.Definition, r.Body.List, r.Body.Year, or(r.Body.AsOf))
	if err != nil {
		return nil, err
	}
	return server.LayOutCalendar200JSONResponse{Year: *year, Layout: layout}, nil
}

func (h *handlers) GetCalendarYear(
	ctx context.Context,
	r server.GetCalendarYearRequestObject,
) (server.GetCalendarYearResponseObject, error) {
	y, err := h.service.Expressions.Year(ctx, r.Name, r.Year, or(r.Params.AsOf))
	if err != nil {
		return nil, err
	}
	return server.GetCalendarYear200JSONResponse(*y), nil
}
