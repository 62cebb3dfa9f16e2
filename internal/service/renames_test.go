package service

import (
	"context"
	"slices"
	"strings"
	"testing"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/internal/ingest"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/refused"
)

// openAlone is open on a database of its own.
func openAlone(t *testing.T) *desk {
	t.Helper()
	shared := database
	defer func() { database = shared }()
	database = pgtest.Database(t, shared)
	return open(t)
}

// A span that has another name is found by it wherever it was referred to, and nowhere by the old one.
func TestSpansAreRenamed(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	d.load("fares", "day,region,amount\n2026-09-01,North,10\n2026-09-30,South,4\n2026-08-15,North,7\n")
	d.span("closed", "last full month")
	d.span("closed-2", "last full quarter")
	d.span("both", "@closed or @closed-2")
	brief := book.Brief{Name: "monday", Title: "Monday", Prompts: []book.Prompt{{Name: "window", Label: "Days", Default: "@closed"}}, Items: []book.Item{
		{Kind: book.FigureItem, Title: "one", Query: query.Query{Dataset: "fares", Over: []string{"@closed"},
			Figures: []measure.Figure{{Kind: "sum", Column: "amount"}}, Against: []string{"@closed, 1 month earlier"},
			Where: mustFilters(t, "day in @closed")}},
		{Kind: book.LinesItem, Title: "two", Query: query.Query{Each: "month"}, Lines: []query.Line{{Label: "l", Query: query.Query{
			Dataset: "fares", Over: []string{"@closed-2"}, Figures: []measure.Figure{{Kind: measure.Count}}}}}},
	}}
	if _, err := d.Briefs.Put(ctx, brief, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Schedules.Add(ctx, Schedule{Name: "monthly", Brief: "monday", Days: "first day of @closed"}, nil); err != nil {
		t.Fatal(err)
	}
	r := d.receipt(ReceiptRequest{Brief: "monday"})
	s, carried, err := d.Renames.Span(ctx, "closed", "last-month", AnyVersion, "test")
	if err != nil {
		t.Fatal(err)
	}
	want := Carried{"span both", "brief monday", "schedule monthly"}
	if s.Definition.Name != "last-month" || s.Version != 2 || !slices.Equal(carried, want) {
		t.Errorf("it is %+v, and %q were carried", s, carried)
	}
	text, err := d.Definitions.Save(ctx)
	if err != nil || strings.Contains(string(text), "@closed ") || strings.Contains(string(text), `@closed,`) ||
		strings.Count(string(text), "@last-month") != 5 || strings.Count(string(text), "@closed-2") != 2 {
		t.Errorf("the book is %v\n%s", err, text)
	}
	schedules, err := d.Schedules.List(ctx, Paging{Limit: 10})
	if err != nil || schedules.Items[0].Days != "first day of @last-month" {
		t.Errorf("the schedules are %+v, %v", schedules.Items, err)
	}
	versions, err := d.Spans.Versions(ctx, "last-month", Paging{Limit: 10})
	if err != nil || len(versions.Items) != 2 || versions.Items[0].Note != "@closed was renamed @last-month" {
		t.Errorf("its versions are %+v, %v", versions.Items, err)
	}
	if _, err := d.Spans.Get(ctx, "closed"); !refused.IsMissing(err) {
		t.Errorf("the old name is %v", err)
	}
	// A receipt from before is understood, and nothing in it has changed.
	if c := d.compare(r.ID); len(c.Changed) > 0 || len(c.Missing) > 0 || c.Compared == 0 {
		t.Errorf("the comparison is %+v", c)
	}
	d.span("last-month", "this month")
	if c := d.compare(r.ID); len(c.Changed) == 0 || c.Changed[0].Reasons[0].Name != "last-month" {
		t.Errorf("the comparison is %+v", c.Changed)
	}
	// The old name is free again; a name that is in use, or was, is not.
	d.span("closed", "yesterday")
	if err := d.Spans.Remove(ctx, "closed", AnyVersion, "test"); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ to, says string }{
		{"closed-2", "already exists"}, {"closed", "was named closed before"}, {"both", "already exists"}, {"No Name", "is not a name"},
		{"last-month", "its name already"},
	} {
		if _, _, err := d.Renames.Span(ctx, "last-month", c.to, AnyVersion, "test"); !IsRefusal(err) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("as %s: %v", c.to, err)
		}
	}
	if _, _, err := d.Renames.Span(ctx, "last-month", "other", 1, "test"); err == nil || !strings.Contains(err.Error(), "has changed since") {
		t.Errorf("from another version: %v", err)
	}
	if _, _, err := d.Renames.Span(ctx, "nobody", "other", AnyVersion, "test"); !refused.IsMissing(err) {
		t.Errorf("of none: %v", err)
	}
}

// An event list that has another name is found by it in spans, briefs and schedules, and is not removed while they name it.
func TestEventListsAreRenamed(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	d.load("fares", "day,region,amount\n2026-04-05,North,10\n2026-04-07,South,4\n")
	list := book.Events{Name: "easter", Days: []string{"2026-04-03/2026-04-06", "2025-04-18/2025-04-21"}}
	if _, err := d.Events.Put(ctx, list, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Events.Put(ctx, book.Events{Name: "easter-2", Days: []string{"2026-05-01"}}, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	d.span("spring", "event easter of this year or event easter-2")
	brief := book.Brief{Name: "monday", Title: "Monday", Items: []book.Item{
		{Kind: book.FigureItem, Title: "one", Query: query.Query{Dataset: "fares", Over: []string{"this year, only event easter"},
			Figures: []measure.Figure{{Kind: "sum", Column: "amount"}}, Where: mustFilters(t, "day in event easter")}}}}
	if _, err := d.Briefs.Put(ctx, brief, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Schedules.Add(ctx, Schedule{Name: "yearly", Brief: "monday", Days: "event easter"}, nil); err != nil {
		t.Fatal(err)
	}
	r := d.receipt(ReceiptRequest{Brief: "monday", View: ViewContext{Context: query.Context{AsOf: "2026-10-19"}}})
	err := d.Events.Remove(ctx, "easter", AnyVersion, "test")
	for _, user := range []string{"spring", "brief monday", "schedule yearly"} {
		if err == nil || !strings.Contains(err.Error(), user) {
			t.Errorf("it is removed while %s names it: %v", user, err)
		}
	}
	s, carried, err := d.Renames.Events(ctx, "easter", "passion", AnyVersion, "test")
	if err != nil {
		t.Fatal(err)
	}
	if want := (Carried{"span spring", "brief monday", "schedule yearly"}); s.Definition.Name != "passion" || !slices.Equal(carried, want) {
		t.Errorf("it is %+v, and %q were carried", s, carried)
	}
	text, err := d.Definitions.Save(ctx)
	if err != nil || strings.Count(string(text), "event passion") != 3 || strings.Count(string(text), "event easter-2") != 1 {
		t.Errorf("the book is %v\n%s", err, text)
	}
	if c := d.compare(r.ID); len(c.Changed) > 0 || len(c.Missing) > 0 || c.Compared == 0 {
		t.Errorf("the comparison is %+v", c)
	}
	list.Name, list.Days = "passion", list.Days[1:]
	if _, err := d.Events.Put(ctx, list, s.Version, "test", ""); err != nil {
		t.Fatal(err)
	}
	if c := d.compare(r.ID); len(c.Changed) == 0 || c.Changed[0].Reasons[0].Name != "passion" {
		t.Errorf("the comparison is %+v", c.Changed)
	}
	for _, wrong := range []book.Events{
		{Name: "passion", Days: []string{"2026-04-03/2026-04-06", "2026-04-07"}}, {Name: "passion", Days: []string{"2026-04-06/2026-04-03"}},
		{Name: "passion", Days: []string{"soon"}}, {Name: "passion"},
	} {
		if _, err := d.Events.Put(ctx, wrong, AnyVersion, "test", ""); !IsRefusal(err) {
			t.Errorf("%+v: %v", wrong, err)
		}
	}
}

func mustFilters(t *testing.T, texts ...string) dataset.Filters {
	t.Helper()
	f, err := dataset.ParseFilters(texts)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func TestDatasetsAreRenamed(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	d.load("fares", "day,region,amount\n2026-09-01,North,10\n2026-09-30,South,4\n")
	d.load("plan", "day,region,amount\n2026-09-01,North,12\n")
	q := sumOf("fares", "2026-09")
	other, err := query.ParseOther("plan")
	if err != nil {
		t.Fatal(err)
	}
	q.AgainstDataset = []query.Other{other}
	brief := book.Brief{Name: "monday", Title: "Monday", Items: []book.Item{{Kind: book.FigureItem, Title: "one", Query: q}}}
	if _, err := d.Briefs.Put(ctx, brief, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	r := d.receipt(ReceiptRequest{Brief: "monday"})
	for _, names := range [][2]string{{"fares", "takings"}, {"plan", "hopes"}} {
		set, carried, err := d.Renames.Dataset(ctx, names[0], names[1], AnyVersion, "test")
		if err != nil || set.Name != names[1] || !slices.Equal(carried, Carried{"brief monday"}) {
			t.Errorf("%s: %+v, %q, %v", names[0], set, carried, err)
		}
	}
	if c := d.compare(r.ID); len(c.Changed) > 0 || len(c.Missing) > 0 || c.Compared == 0 {
		t.Errorf("the comparison is %+v", c)
	}
	d.load("takings", "day,region,amount\n2026-09-02,North,1\n")
	if got := reasons(d.compare(r.ID)); !strings.Contains(got, "one/ 1changed records(takings)") {
		t.Errorf("a late load: %s", got)
	}
	if _, err := d.Datasets.Get(ctx, "fares"); !refused.IsMissing(err) {
		t.Errorf("the old name is %v", err)
	}
	if err := d.Datasets.Remove(ctx, "hopes", AnyVersion, false); err == nil || !strings.Contains(err.Error(), "in use by brief monday") {
		t.Errorf("one that a brief is about: %v", err)
	}
	if _, _, err := d.Renames.Dataset(ctx, "takings", "hopes", AnyVersion, "test"); err == nil || !strings.Contains(err.Error(), "already exists") {
		t.Errorf("a name that is in use: %v", err)
	}
}

func TestSpansAreMoved(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	for _, name := range []string{"a", "b", "c", "d"} {
		d.span(name, "today")
	}
	order := func() string {
		list, err := d.Spans.All(ctx)
		if err != nil {
			t.Fatal(err)
		}
		var names []string
		for _, s := range list {
			names = append(names, s.Definition.Name)
		}
		return strings.Join(names, "")
	}
	for _, c := range []struct{ name, before, want string }{
		{"d", "a", "dabc"}, {"d", "c", "abdc"}, {"a", "", "bdca"}, {"b", "d", "bdca"}, {"a", "d", "badc"},
	} {
		if err := d.Renames.MoveSpan(ctx, c.name, c.before); err != nil {
			t.Fatal(err)
		}
		if got := order(); got != c.want {
			t.Errorf("%s before %q gives %s, want %s", c.name, c.before, got, c.want)
		}
	}
	if err := d.Renames.MoveSpan(ctx, "e", ""); !refused.IsMissing(err) {
		t.Errorf("one that is not there: %v", err)
	}
}

// A column of another type or role gives the figures that loading it so would have given.
func TestColumnsChangeTheirUse(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	csv := "day,region,amount,code,due\n2026-09-01,North,10,7,20260905\n2026-09-02,South,4.50,12,20260907\n2026-09-02,North,1,7,\n"
	d.load("fares", csv)
	describe := func(c ColumnDescription) error {
		_, err := d.Datasets.Describe(ctx, "fares", Description{Columns: []ColumnDescription{c}}, AnyVersion)
		return err
	}
	answer := func(q query.Query) string {
		q.Context = query.Context{AsOf: "2026-10-19"}
		a, err := d.Totals.Total(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		var parts []string
		for _, row := range a.Tables[0].Rows {
			for _, l := range row.Group {
				parts = append(parts, l.Text)
			}
			parts = append(parts, row.Cells[0].String())
		}
		return strings.Join(parts, " ")
	}
	verified := func() {
		t.Helper()
		v, err := d.Datasets.Verify(ctx, "fares")
		if err != nil || v.Wrong > 0 || v.Records != 3 {
			t.Errorf("verified: %+v, %v", v, err)
		}
	}
	kind := func(t dataset.Type) *dataset.Type { return &t }
	role := func(r dataset.Role) *dataset.Role { return &r }
	q := query.Query{Dataset: "fares", Over: []string{"2026-09"}, Figures: []measure.Figure{{Kind: "sum", Column: "amount"}}, By: []string{"code"}}
	steps := []struct {
		change ColumnDescription
		want   string
	}{
		{ColumnDescription{Name: "code", Role: role(dataset.Category)}, "7 11 12 4.50  15.50"}, // numbers, in their order
		{ColumnDescription{Name: "code", Type: kind(dataset.Text)}, "12 4.50 7 11  15.50"},
		{ColumnDescription{Name: "code", Type: kind(dataset.Number), Role: role(dataset.Amount)}, "7 11 12 4.50  15.50"},
		{ColumnDescription{Name: "amount", Role: role(dataset.Detail)}, "7 11 12 4.50  15.50"},
		{ColumnDescription{Name: "due", Type: kind(dataset.Date)}, "7 11 12 4.50  15.50"},
	}
	for _, step := range steps {
		if err := describe(step.change); err != nil {
			t.Fatal(err)
		}
		verified()
		if got := answer(q); got != step.want {
			t.Errorf("with %+v the total is %q, want %q", step.change, got, step.want)
		}
	}
	q.By, q.Date = nil, "due"
	if got := answer(q); got != "14.50" {
		t.Errorf("by the new date it is %q", got)
	}
	for _, c := range []struct {
		change ColumnDescription
		says   string
	}{
		{ColumnDescription{Name: "region", Type: kind(dataset.Number)}, `not every value is a number in plain digits: "North" in 2, "South" in 1 records`},
		{ColumnDescription{Name: "code", Type: kind(dataset.Date)}, `"7" in 2`},
		{ColumnDescription{Name: "day", Type: kind(dataset.Text)}, "its type and role stay"},
		{ColumnDescription{Name: "region", Role: role(dataset.DayRole)}, "stays as it is"},
		{ColumnDescription{Name: "region", Role: role(dataset.Amount)}, "an amount is a number"},
		{ColumnDescription{Name: "due", Role: role(dataset.Category)}, "a category is a text or a number"},
		{ColumnDescription{Name: "region", Type: kind(dataset.Timestamp)}, "load the file again"},
		{ColumnDescription{Name: "moon", Role: role(dataset.Detail)}, "no column"},
	} {
		if err := describe(c.change); !IsRefusal(err) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v", c.change, err)
		}
		verified()
	}
	// Later loads are read with the new types.
	if _, err := d.Datasets.Load(ctx, File{Dataset: "fares", Name: "more.csv", Body: strings.NewReader(
		"day,region,amount,code,due\n2026-09-03,North,1,x,2026-09-09\n")}); err == nil || !strings.Contains(err.Error(), "expected a number") {
		t.Errorf("a text among the numbers: %v", err)
	}
}

// Wrong dates that look like dates are found, replaced records change along, and a load can be undone after it.
func TestTypesOfReplacedRecords(t *testing.T) {
	d := openAlone(t)
	ctx := context.Background()
	if _, err := d.Datasets.Load(ctx, File{Dataset: "fares", Name: "first.csv", Hints: ingest.ColumnHints{Date: "day", Categories: []string{"due"}},
		Body: strings.NewReader("day,region,amount,due\n2026-09-01,North,10,20260228\n2026-09-02,South,4,20260230\n")}); err != nil {
		t.Fatal(err)
	}
	text := dataset.Text
	date := dataset.Date
	change := func(t dataset.Type) error {
		_, err := d.Datasets.Describe(ctx, "fares", Description{Columns: []ColumnDescription{{Name: "due", Type: &t}}}, AnyVersion)
		return err
	}
	if err := change(date); err == nil || !strings.Contains(err.Error(), `"20260230" in 1`) {
		t.Errorf("a day that there is not: %v", err)
	}
	l, err := d.Datasets.Load(ctx, File{Dataset: "fares", Name: "again.csv", Replace: "all", Body: strings.NewReader(
		"day,region,amount,due\n2026-09-02,South,5,20260301\n")})
	if err != nil {
		t.Fatal(err)
	}
	if err := change(date); err == nil || !strings.Contains(err.Error(), `"20260230" in 1`) {
		t.Errorf("a replaced record, which may come back: %v", err)
	}
	number := dataset.Number
	if err := change(number); err != nil {
		t.Fatal(err)
	}
	if err := change(text); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Datasets.UndoLoad(ctx, "fares", l.ID); err != nil {
		t.Fatal(err)
	}
	v, err := d.Datasets.Verify(ctx, "fares")
	if err != nil || v.Records != 2 || v.Wrong != 0 {
		t.Errorf("verified: %+v, %v", v, err)
	}
	newest, _, err := newestOf(ctx, d.st, "fares", "")
	if err != nil || newest.Day != civil.Of(2026, 9, 2) {
		t.Errorf("the newest day is %v, %v", newest.Day, err)
	}
}
