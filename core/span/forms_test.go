package span

import (
	"go/ast"
	goparser "go/parser"
	gotoken "go/token"
	"reflect"
	"testing"

	"vastspan/core/calendar"
	"vastspan/core/civil"
	"vastspan/core/event"
)

// formOfEach is an expression of each type of node; those of a clock have a unit of their own.
var formOfEach = map[string]string{
	"Relative": "yesterday", "This": "this month", "ToDate": "2 months to date", "LastFull": "last 2 full months", "NextFull": "next full month",
	"RestOf": "rest of this month", "Trailing": "trailing 90 days", "Coming": "coming 14 days", "Nth": "month 2 of last full quarter",
	"FirstLast": "first 2 months of last full quarter", "DateRange": "2026-03-01/2026-03-31",
	"MomentRange": "2026-10-18T22:00/2026-10-19T06:00", "UnitLiteral": "2026-Q3", "PointDay": "start of this quarter + 10 days",
	"FromThrough": "from 2026-03-01 through today", "FromOnward": "from 2026-03-01 onward", "Through": "through 2026-03-01",
	"AllDates": "all dates", "Name": "@closed", "SetOp": "today or last full month", "ExcludingToday": "this month excluding today",
	"SoFar": "this month so far", "Move": "last full month, 1 year earlier", "OnlyDays": "this month, only business days",
	"NthWeekday": "Fri 3 of this month", "FirstLastWeekday": "last Fri of this month", "Event": "event easter",
	"EventOf": "event easter of 2026", "NearEvent": "last event easter",
	"OnlyTimes": "yesterday, only 09:00-17:00", "InCalendar": "year to date, in fiscal",
}

// formTypes lists the types of nodes: those that are written as text.
func formTypes(t *testing.T) []string {
	t.Helper()
	file, err := goparser.ParseFile(gotoken.NewFileSet(), "print.go", nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, d := range file.Decls {
		f, ok := d.(*ast.FuncDecl)
		if !ok || f.Name.Name != "write" || f.Recv == nil {
			continue
		}
		if star, ok := f.Recv.List[0].Type.(*ast.StarExpr); ok {
			names = append(names, star.X.(*ast.Ident).Name)
		}
	}
	return names
}

type formNames struct{}

func (formNames) Span(string) (Node, *calendar.Calendar, error) {
	n, err := Parse("last full month")
	return n, nil, err
}

func (formNames) Calendar(string) (*calendar.Calendar, error) { return calendar.Civil, nil }

func (formNames) Event(name string) (*event.List, error) {
	return event.New(name, []event.Occurrence{
		{Days: civil.One(civil.Of(2025, 4, 20))}, {Days: civil.Through(civil.Of(2026, 4, 3), civil.Of(2026, 4, 6))}}, 0, 0, true)
}

// Every form of the language is known to all that goes over forms: it is resolved, explained, compared with the period before and
// carried to its whole unit, by days and by moments, and what it answers about itself agrees with its fields.
func TestEveryFormIsKnown(t *testing.T) {
	types := formTypes(t)
	if len(types) != len(formOfEach) {
		t.Errorf("there are %d types of nodes, and an expression for %d: %v", len(types), len(formOfEach), types)
	}
	clock, err := civil.ReadClock("Europe/Lisbon", "")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range types {
		text, ok := formOfEach[name]
		if !ok {
			t.Errorf("there is no expression for %s", name)
			continue
		}
		n, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		v := reflect.ValueOf(n).Elem()
		if got := v.Type().Name(); got != name {
			t.Errorf("%s is a %s, want %s", text, got, name)
		}
		if unit := v.FieldByName("Unit"); unit.IsValid() && n.unit() != unit.Interface() {
			t.Errorf("%s counts in %v, and says %v", text, unit, n.unit())
		}
		if x := v.FieldByName("X"); x.IsValid() != (n.modifies() != nil) {
			t.Errorf("%s modifies %v, and says %v", text, x, n.modifies())
		}
		if m := n.before(); m != nil && (m.Unit != n.unit() || m.N >= 0) {
			t.Errorf("the move to the period before %s is %v", text, m)
		}
		asOf := civil.Of(2026, 10, 19)
		s := Scope{AsOf: asOf, Clock: clock, Now: clock.StartOf(asOf), HasNow: true, Names: formNames{}}
		if _, err := ResolveEither(n, s); err != nil {
			t.Errorf("%s is not resolved: %v", text, err)
		}
		if steps, err := Explain(n, s); err != nil || len(steps.Steps) == 0 {
			t.Errorf("%s is not explained: %v, %v", text, steps, err)
		}
		if _, err := (Against{prior: true}).Explain(n, s); err != nil && name != "AllDates" && name != "FromOnward" && name != "Through" {
			t.Errorf("%s has no period before: %v", text, err)
		}
		if _, err := Whole(n, s); err != nil {
			t.Errorf("%s has no whole: %v", text, err)
		}
	}
}
