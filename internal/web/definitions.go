package web

import (
	"bytes"
	"context"
	"fmt"
	"io"

	"vastspan/api"
	"vastspan/internal/service"
	"vastspan/internal/wire"
)

// or gives what a pointer points to, or the zero value.
func or[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

// maxCourses is how many expressions one request may follow day by day.
const maxCourses = 1000

func (h *handlers) ResolveEachDay(ctx context.Context, r api.ResolveEachDayRequestObject) (api.ResolveEachDayResponseObject, error) {
	b := r.Body
	if n := len(b.Expressions); n < 1 || n > maxCourses {
		return nil, &service.Invalid{Err: fmt.Errorf("%d expressions are given; expected 1 to %d", n, maxCourses)}
	}
	reading := wire.Reading(nil, b.AtClose, b.Calendar)
	courses, err := h.service.EachDay(ctx, b.Expressions, b.From, b.Through, reading)
	if err != nil {
		return nil, err
	}
	return api.ResolveEachDay200JSONResponse{From: b.From, Through: b.Through, AtClose: reading.AtClose, Calendar: reading.Calendar, Courses: wire.Courses(courses)}, nil
}

func (h *handlers) Rehearse(ctx context.Context, r api.RehearseRequestObject) (api.RehearseResponseObject, error) {
	b := r.Body
	rehearsal, err := h.service.Rehearse(ctx, b.Expression, or(b.Days), wire.Reading(b.AsOf, b.AtClose, b.Calendar))
	if err != nil {
		return nil, err
	}
	return api.Rehearse200JSONResponse(wire.Rehearsal(rehearsal)), nil
}

func (h *handlers) Check(ctx context.Context, r api.CheckRequestObject) (api.CheckResponseObject, error) {
	b := r.Body
	if n := len(or(b.Expressions)); n > maxExpressions {
		return nil, &service.Invalid{Err: fmt.Errorf("%d expressions are given; expected at most %d", n, maxExpressions)}
	}
	c, err := h.service.Check(ctx, or(b.Expressions), or(b.Days), wire.Reading(b.AsOf, b.AtClose, b.Calendar))
	if err != nil {
		return nil, err
	}
	return api.Check200JSONResponse(wire.Check(c)), nil
}

func (h *handlers) ListDays(ctx context.Context, r api.ListDaysRequestObject) (api.ListDaysResponseObject, error) {
	b := r.Body
	t, err := h.service.Days(ctx, b.From, b.Through, or(b.Spans), wire.Reading(b.AsOf, b.AtClose, b.Calendar))
	if err != nil {
		return nil, err
	}
	return api.ListDays200JSONResponse(wire.DayTable(t)), nil
}

func (h *handlers) GetBook(ctx context.Context, _ api.GetBookRequestObject) (api.GetBookResponseObject, error) {
	text, err := h.service.Book(ctx)
	if err != nil {
		return nil, err
	}
	return api.GetBook200ApplicationyamlResponse{Body: bytes.NewReader(text), ContentLength: int64(len(text))}, nil
}

func (h *handlers) LoadBook(ctx context.Context, r api.LoadBookRequestObject) (api.LoadBookResponseObject, error) {
	data, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	changes, err := h.service.LoadBook(ctx, data, author, or(r.Params.Note), or(r.Params.Preview))
	if err != nil {
		return nil, err
	}
	return api.LoadBook200JSONResponse(each(changes, wire.BookChange)), nil
}

func (h *handlers) ListVersions(ctx context.Context, r api.ListVersionsRequestObject) (api.ListVersionsResponseObject, error) {
	versions, err := h.service.Versions(ctx, wire.DefinitionKind(r.Kind), r.Name)
	return api.ListVersions200JSONResponse(each(versions, wire.Version)), err
}

func (h *handlers) BringBack(ctx context.Context, r api.BringBackRequestObject) (api.BringBackResponseObject, error) {
	v, err := h.service.BringBack(ctx, wire.DefinitionKind(r.Kind), r.Name, r.Body.Version, author, or(r.Body.Note))
	if err != nil {
		return nil, err
	}
	return api.BringBack200JSONResponse(wire.Version(v)), nil
}

func (h *handlers) RemoveDefinition(ctx context.Context, r api.RemoveDefinitionRequestObject) (api.RemoveDefinitionResponseObject, error) {
	return api.RemoveDefinition204Response{}, h.service.Remove(ctx, wire.DefinitionKind(r.Kind), r.Name, author)
}

func (h *handlers) ListHolidays(ctx context.Context, _ api.ListHolidaysRequestObject) (api.ListHolidaysResponseObject, error) {
	lists, err := h.service.Holidays(ctx)
	if err != nil {
		return nil, err
	}
	out := api.ListHolidays200JSONResponse{}
	for i := range lists {
		one, err := wire.Holidays(&lists[i])
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

func (h *handlers) PutHolidays(ctx context.Context, r api.PutHolidaysRequestObject) (api.PutHolidaysResponseObject, error) {
	if r.Body.Name != r.Name {
		return nil, &service.Invalid{Err: fmt.Errorf("the list names itself %s, the address %s", r.Body.Name, r.Name)}
	}
	if err := h.service.PutHolidays(ctx, wire.HolidaysDefinition(r.Body), author); err != nil {
		return nil, err
	}
	return api.PutHolidays200JSONResponse(*r.Body), nil
}

func (h *handlers) GetCalendarYear(ctx context.Context, r api.GetCalendarYearRequestObject) (api.GetCalendarYearResponseObject, error) {
	if r.Year < 1 || r.Year > 9999 {
		return nil, &service.Invalid{Err: fmt.Errorf("year %d: expected 1 to 9999", r.Year)}
	}
	cal, v, asOf, err := h.service.CalendarYear(ctx, r.Name, r.Year, service.AsOf(or(r.Params.AsOf)))
	if err != nil {
		return nil, err
	}
	year, err := wire.CalendarYear(cal, r.Year, v, asOf)
	if err != nil {
		return nil, &service.Invalid{Err: err}
	}
	return api.GetCalendarYear200JSONResponse(year), nil
}
