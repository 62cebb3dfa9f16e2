package wire

import (
	"vastspan/api"
	"vastspan/core/book"
	"vastspan/core/tally"
	"vastspan/internal/service"
	"vastspan/internal/tabular"
)

// or gives what a pointer points to, or a default.
func or[T any](p *T, otherwise T) T {
	if p == nil {
		return otherwise
	}
	return *p
}

// Reading reads against what expressions are to be read.
func Reading(asOf *api.AsOf, atClose *bool, calendar *string) service.Reading {
	return service.Reading{AsOf: service.AsOf(or(asOf, "")), AtClose: or(atClose, false), Calendar: or(calendar, "")}
}

// Filters reads filters.
func Filters(list *[]api.Filter) []tally.Filter {
	var where []tally.Filter
	for _, f := range or(list, nil) {
		filter := tally.Filter{Column: f.Column, Test: tally.Test(or(f.Test, api.FilterTest(tally.Is)))}
		for _, v := range f.Values {
			if v == nil {
				filter.Values = append(filter.Values, tally.Label{})
			} else {
				filter.Values = append(filter.Values, tally.LabelOf(*v))
			}
		}
		where = append(where, filter)
	}
	return where
}

// Question reads a total's question.
func Question(r *api.TotalRequest) service.Question {
	q := service.Question{Top: or(r.Top, 0), Date: or(r.Date, ""), Previous: or(r.Previous, false), Share: string(or(r.Share, "")), Edges: or(r.Edges, false),
		BlankIncomplete: or(r.BlankIncomplete, false),
		Over:            r.Over, By: or(r.By, nil), Where: Filters(r.Where), Reading: Reading(r.AsOf, r.AtClose, r.Calendar)}
	q.Against, q.Even, q.Rolling, q.Planned = or(r.Against, nil), or(r.Even, false), or(r.Rolling, 0), or(r.Planned, false)
	q.Each, q.Running = string(or(r.Each, "")), string(or(r.Running, ""))
	for i := range r.Figures {
		q.Figures = append(q.Figures, oneFigure(&r.Figures[i]))
	}
	for _, b := range or(r.Beside, nil) {
		other := service.Beside{Dataset: b.Dataset, Columns: or(b.Columns, nil), Date: or(b.Date, "")}
		if b.Where != nil {
			where := Filters(b.Where)
			other.Where = &where
		}
		q.Beside = append(q.Beside, other)
	}
	return q
}

func oneFigure(f *api.Figure) tally.Figure {
	return tally.Figure{Kind: tally.Kind(f.Kind), Column: or(f.Column, "")}
}

// Lines reads a question for several lines.
func Lines(r *api.LinesRequest) service.LinesQuestion {
	q := service.LinesQuestion{Each: string(r.Each), Running: string(or(r.Running, "")), Reading: Reading(r.AsOf, r.AtClose, r.Calendar)}
	for i := range r.Lines {
		l := &r.Lines[i]
		q.Lines = append(q.Lines, service.Line{Label: or(l.Label, ""), Dataset: l.Dataset, Over: l.Over, Figure: oneFigure(&l.Figure), Where: Filters(l.Where),
			Date: or(l.Date, ""), Against: or(l.Against, ""), Planned: or(l.Planned, false)})
	}
	return q
}

// Description reads what is said about a dataset.
func Description(r *api.DatasetDescription) service.Description {
	var d service.Description
	if r.Covers != nil {
		covers := string(*r.Covers)
		d.Covers = &covers
	}
	for _, c := range or(r.Columns, nil) {
		one := service.ColumnDescription{Name: c.Name, Unit: c.Unit, Decimals: c.Decimals}
		if c.Better != nil {
			b := tabular.Better(*c.Better)
			if *c.Better == api.BetterNeither {
				b = tabular.Neither
			}
			one.Better = &b
		}
		d.Columns = append(d.Columns, one)
	}
	return d
}

// Definition reads a span's definition and the note that goes with it.
func Definition(d *api.SpanDefinition) (def book.Span, note string) {
	return book.Span{Name: d.Name, Is: d.Is, Calendar: or(d.Calendar, ""), About: or(d.About, ""), Tags: or(d.Tags, nil)}, or(d.Note, "")
}

// LoadRequest reads what is stated about a file.
func LoadRequest(name string, p api.LoadFileParams) service.LoadRequest {
	return service.LoadRequest{
		Dataset: name, File: or(p.File, "(unnamed)"), AllowUndated: or(p.AllowUndated, false),
		Wishes: tabular.Wishes{
			Date: or(p.Date, ""), Amounts: or(p.Amount, nil), Categories: or(p.Category, nil), Details: or(p.Detail, nil),
			Zone: or(p.Zone, ""), DateOrder: tabular.DateOrder(or(p.DateOrder, "")), Numbers: or(p.Numbers, ""),
		},
	}
}
