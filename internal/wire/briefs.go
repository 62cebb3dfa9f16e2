package wire

import (
	"encoding/json"
	"strings"

	"vastspan/api"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/internal/service"
)

// A brief has the same keys in a span book's JSON and in the interface: one becomes the other by
// way of JSON.
func recode[T any](from any) (T, error) {
	var into T
	data, err := json.Marshal(from)
	if err == nil {
		err = json.Unmarshal(data, &into)
	}
	return into, err
}

// BriefDefinition reads a brief.
func BriefDefinition(d *api.BriefDefinition) (book.Brief, error) { return recode[book.Brief](d) }

// Brief gives a brief as it stands.
func Brief(b *service.Brief) (api.Brief, error) {
	definition, err := recode[api.BriefDefinition](b.Brief)
	if definition.Items == nil {
		definition.Items = []api.BriefItem{}
	}
	return api.Brief{Definition: definition, Version: b.Version, Author: b.Author, Note: optional(b.Note), ChangedAt: b.ChangedAt}, err
}

// ViewReading reads as of what a brief is to be shown.
func ViewReading(v *api.ViewRequest) (service.Reading, map[string]string) {
	return service.Reading{AsOf: service.AsOf(or(v.AsOf, "")), AtClose: or(v.AtClose, false), Calendar: or(v.Calendar, "")}, or(v.Asks, nil)
}

// BriefView gives a brief as of a day.
func BriefView(v *service.BriefView, version int64) (api.BriefView, error) {
	out := api.BriefView{Name: v.Brief.Name, Title: v.Brief.Title, Version: version, AsOf: v.AsOf, AtClose: v.AtClose, Calendar: v.Calendar, Asks: v.Asks,
		Items: make([]api.BriefItemView, len(v.Items))}
	for i := range v.Items {
		it := &v.Items[i]
		item, err := recode[api.BriefItem](it.Item)
		if err != nil {
			return out, err
		}
		one := api.BriefItemView{Item: item}
		if it.Err != nil {
			one.Error = optional(it.Err.Error())
		}
		if it.Total != nil && it.Err == nil {
			total := Total(it.Total)
			one.Total = &total
		}
		if it.Lineup != nil && it.Err == nil {
			lineup := Lineup(it.Lineup)
			one.Lineup = &lineup
		}
		if it.Spark != nil {
			spark := totalRows(it.Spark)
			one.Spark = &spark
		}
		out.Items[i] = one
	}
	return out, nil
}

// BriefTurns gives the days on which items of a brief change kind.
func BriefTurns(turns []service.BriefTurn) []api.BriefTurn {
	out := make([]api.BriefTurn, len(turns))
	for i, t := range turns {
		out[i] = api.BriefTurn{Day: t.Day, Event: strings.Join(t.Events, ", "), Items: t.Items}
	}
	return out
}

// Receipt gives a receipt; with its cells where they are there.
func Receipt(r *service.Receipt) (api.Receipt, error) {
	asOf, err := civil.ParseDay(r.Body.AsOf)
	if err != nil {
		return api.Receipt{}, err
	}
	out := api.Receipt{Id: r.ID, Title: r.Title, Subject: api.ReceiptSubject(r.Body.Subject), AsOf: asOf, Author: r.Author, MadeAt: r.MadeAt,
		Schedule: optional(r.Schedule), DueDay: r.DueDay, Digest: r.Digest}
	if r.Body.Brief != nil {
		out.Brief = &r.Body.Brief.Name
	}
	if r.Body.Cells == nil {
		return out, nil
	}
	out.Sound, out.AtClose, out.Calendar = &r.Sound, &r.Body.AtClose, &r.Body.Calendar
	cells, err := recode[[]api.ReceiptCell](r.Body.Cells)
	if err != nil {
		return out, err
	}
	definitions, err := recode[[]api.ReceiptVersion](r.Body.Definitions)
	if err != nil {
		return out, err
	}
	loads, err := recode[[]api.ReceiptLoad](r.Body.Loads)
	out.Cells, out.Definitions, out.Loads = &cells, &definitions, &loads
	if len(r.Body.Missing) > 0 {
		out.Missing = &r.Body.Missing
	}
	return out, err
}

// ReceiptComparison gives what moved since a receipt was made.
func ReceiptComparison(c *service.ReceiptComparison) (api.ReceiptComparison, error) {
	out := api.ReceiptComparison{Compared: c.Compared, Changes: c.Changes, Moved: make([]api.MovedFigure, len(c.Moved))}
	if len(c.Missing) > 0 {
		out.Missing = &c.Missing
	}
	var err error
	if out.Receipt, err = Receipt(c.Receipt); err != nil {
		return out, err
	}
	out.Receipt.Cells = nil // those that moved are enough
	for i := range c.Moved {
		m := &c.Moved[i]
		cell, err := recode[api.ReceiptCell](m.ReceiptCell)
		if err != nil {
			return out, err
		}
		out.Moved[i] = api.MovedFigure{Cell: cell, Now: m.Now, Difference: m.Difference, DaysNow: optional(m.DaysNow), Gone: optional(m.Gone), New: optional(m.New), Because: m.Because}
	}
	return out, nil
}

// Schedule gives a schedule.
func Schedule(s *service.Schedule) api.Schedule {
	return api.Schedule{Name: s.Name, Brief: s.Brief, On: s.On, Calendar: s.Calendar, Author: s.Author, Since: s.Since, RanUntil: s.RanUntil, Next: s.Next}
}
