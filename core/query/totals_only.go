package query

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/tally"
)

// wholeValues are the operations that keep or leave out whole values of a category.
var wholeValues = []dataset.Op{dataset.Is, dataset.IsNot, dataset.In, dataset.NotIn, dataset.Blank, dataset.NotBlank}

// checkTotalsOnly refuses what callers who see only totals of an input may not ask: filters and groups by anything but whole values
// of categories, figures of anything but amounts and categories, another date than that of the records, and spans in parts of
// the unit that the records are shown by.
func (p *plan) checkTotalsOnly(in *input) error {
	if in.MinRecords == 0 {
		return nil
	}
	only := func(what string, args ...any) error {
		return fmt.Errorf("%s: you see only totals of %s, which go by whole values of its categories (%s)",
			fmt.Sprintf(what, args...), in.Name, namesOrNone(in.Schema.Names(dataset.Category)))
	}
	role := func(name string) dataset.Role {
		if at := in.Schema.Index(name); at >= 0 {
			return in.Schema.Columns[at].Role
		}
		return ""
	}
	for i, f := range in.request.Where {
		for _, c := range f {
			if role(c.Column) != dataset.Category || !slices.Contains(wholeValues, c.Op) {
				return errorAt(only("a filter on %s", c.Column), "/where/%d", i)
			}
		}
	}
	for i, name := range in.request.By {
		switch part := in.request.Part(i); {
		case part == nil && role(name) != dataset.Category:
			return errorAt(only("a breakdown by %s", name), "/by/%d", i)
		case part != nil && in.TotalsBy != "":
			return errorAt(only("a breakdown by %s", name), "/by/%d", i)
		}
	}
	for i, f := range in.request.Figures {
		want := dataset.Amount
		if e, _ := measure.Lookup(f.Kind); e.AnyType {
			want = dataset.Category
		}
		for _, name := range f.Columns() {
			if role(name) != want {
				return errorAt(only("%s", f), "/figures/%d", i)
			}
		}
	}
	if date := in.request.Date; date != "" && role(date) != dataset.DayRole {
		return errorAt(only("totals by the date %s", date), "/date")
	}
	return in.checkWhole()
}

func namesOrNone(names []string) string {
	if len(names) == 0 {
		return "it has none"
	}
	return strings.Join(names, ", ")
}

// checkWhole refuses periods that are not made of whole units, where the records are shown by those only.
func (in *input) checkWhole() error {
	if in.TotalsBy == "" {
		return nil
	}
	unit, ok := calendar.ParseUnit(in.TotalsBy)
	if !ok {
		return fmt.Errorf("%s is not a unit", in.TotalsBy)
	}
	starts := func(d civil.Day) bool {
		if d == civil.OpenStart || d == civil.OpenEnd {
			return true
		}
		whole, err := calendar.Civil.Containing(unit, d)
		return err == nil && whole.Start == d
	}
	for _, p := range in.request.Periods {
		whole := !p.Timed()
		for v := range p.Days.Intervals() {
			whole = whole && starts(v.Start) && starts(v.End)
		}
		if !whole {
			return errorAt(fmt.Errorf("you see only totals of %s over whole %s: %s is not made of them",
				in.Name, unit.Plural(), p.Touched()), "/over")
		}
	}
	return nil
}

// disclose hides totals of few records in the results of plans that are shown together, by the records that they are of.
func disclose(ctx context.Context, plans ...*plan) error {
	var names []string
	of := map[string][]*input{}
	for _, p := range plans {
		for _, in := range p.inputs {
			if in.MinRecords == 0 {
				continue
			}
			if of[in.Name] == nil {
				names = append(names, in.Name)
			}
			of[in.Name] = append(of[in.Name], in)
		}
	}
	for _, name := range names {
		var list []tally.Answered
		for _, in := range of[name] {
			list = append(list, tally.Answered{Plan: in.plan, Result: in.result})
		}
		if err := tally.Disclose(ctx, of[name][0].Source, of[name][0].MinRecords, list); err != nil {
			return errorAt(err, "")
		}
	}
	return nil
}
