package service

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/internal/ingest"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/store"
)

var database string // its address

func TestMain(m *testing.M) { pgtest.Main(m, &database) }

// desk is a service that is on Monday, 19 October 2026, and what tests do with it.
type desk struct {
	*Service
	t  *testing.T
	st *store.Store
}

func open(t *testing.T) *desk {
	t.Helper()
	st, err := store.Open(context.Background(), database, store.Options{Columns: t.TempDir()})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := st.Close(); err != nil {
			t.Error(err)
		}
	})
	now := func() time.Time { return time.Date(2026, 10, 19, 12, 0, 0, 0, time.UTC) }
	return &desk{New(st, NewClock(civil.Clock{}, now)), t, st}
}

func (d *desk) load(name, csv string) *store.Load {
	d.t.Helper()
	f := File{Dataset: name, Name: "test.csv", Author: "test", Again: true, Body: strings.NewReader(csv),
		Hints: ingest.ColumnHints{Date: "day", Amounts: []string{"amount"}, Categories: []string{"region"}}}
	l, err := d.Datasets.Load(context.Background(), f)
	if err != nil {
		d.t.Fatal(err)
	}
	return l
}

func (d *desk) span(name, is string) {
	d.t.Helper()
	if _, err := d.Spans.Put(context.Background(), book.Span{Name: name, Is: is}, AnyVersion, "test", ""); err != nil {
		d.t.Fatal(err)
	}
}

func (d *desk) receipt(r ReceiptRequest) *Receipt {
	d.t.Helper()
	made, err := d.Receipts.Create(context.Background(), r)
	if err != nil {
		d.t.Fatal(err)
	}
	return made
}

func (d *desk) compare(id int64) *ReceiptComparison {
	d.t.Helper()
	c, err := d.Receipts.Compare(context.Background(), id)
	if err != nil {
		d.t.Fatal(err)
	}
	return c
}

// reasons writes down what changed: item, group, difference or state, and the codes of the reasons.
func reasons(c *ReceiptComparison) string {
	var list []string
	for _, m := range c.Changed {
		text := fmt.Sprintf("%s/%s %s%s", m.Cell.Item, strings.Join(m.Cell.Group, ","), m.Difference, m.State)
		for _, r := range m.Reasons {
			text += " " + r.Code + "(" + r.Name + ")"
		}
		list = append(list, text)
	}
	return strings.Join(list, "; ")
}

func sumOf(dataset, over string) query.Query {
	return query.Query{Dataset: dataset, Over: []string{over}, Figures: []measure.Figure{{Kind: "sum", Column: "amount"}}}
}

const sales = "day,region,amount\n2026-09-01,all,10\n2026-09-02,North,5\n2026-09-03,(blank),3\n2026-09-04,,2\n2026-10-01,North,7\n"

// Values of a category that read like the product's own words are values like others.
func TestReceiptsOfCollidingLabels(t *testing.T) {
	d := open(t)
	d.load("labels", sales)
	q := sumOf("labels", "2026-09")
	q.By = []string{"region"}
	r := d.receipt(ReceiptRequest{Title: "labels", Query: &q})
	var cells []string
	ids := map[string]bool{}
	for _, c := range r.Body.Cells {
		cells = append(cells, strings.Join(c.Group, ",")+"="+c.Value.String())
		ids[c.ID] = true
	}
	slices.Sort(cells)
	if got := strings.Join(cells, " "); got != "(blank)=2 (blank)=3 North=5 all=10 all=20" {
		t.Errorf("the cells are %s", got)
	}
	if len(ids) != 5 {
		t.Errorf("the identities are %v", ids)
	}
	if c := d.compare(r.ID); len(c.Changed) != 0 || c.Compared != 5 {
		t.Errorf("at once there has changed %s of %d", reasons(c), c.Compared)
	}
	d.load("labels", "day,region,amount\n2026-09-09,,1\n")
	if got := reasons(d.compare(r.ID)); got != "/(blank) 1changed records(labels); /all 1changed records(labels)" {
		t.Errorf("after a record without a region: %s", got)
	}
}

// Items of one title are distinguished by their identity.
func TestReceiptsOfEqualTitles(t *testing.T) {
	d := open(t)
	d.load("titles", sales)
	b := book.Brief{Name: "twins", Title: "Twins"}
	for _, over := range []string{"2026-09", "2026-10", "2026-09"} {
		b.Items = append(b.Items, book.Item{Kind: "figure", Title: "Amount", Query: sumOf("titles", over)})
	}
	if _, err := d.Briefs.Put(context.Background(), b, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	r := d.receipt(ReceiptRequest{Brief: "twins"})
	if c := d.compare(r.ID); len(c.Changed) != 0 || c.Compared != 3 {
		t.Errorf("at once there has changed %s of %d", reasons(c), c.Compared)
	}
	d.load("titles", "day,region,amount\n2026-10-01,North,1\n")
	if got := reasons(d.compare(r.ID)); got != "Amount/ 1changed records(titles)" {
		t.Errorf("after a record of October: %s", got)
	}
}

// A figure's reasons are those that it depends on itself.
func TestReasonsAreTheFiguresOwn(t *testing.T) {
	d := open(t)
	ctx := context.Background()
	d.load("own-a", sales)
	d.load("own-b", sales)
	d.span("own-month", "2026-09")
	d.span("own-other", "2026-10")
	b := book.Brief{Name: "own", Title: "Own", Items: []book.Item{
		{Kind: "figure", Title: "a", Query: sumOf("own-a", "@own-month")},
		{Kind: "figure", Title: "b", Query: sumOf("own-b", "@own-other")},
	}}
	if _, err := d.Briefs.Put(ctx, b, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	r := d.receipt(ReceiptRequest{Brief: "own"})
	first := d.load("own-b", "day,region,amount\n2026-10-01,North,1\n")
	if got := reasons(d.compare(r.ID)); got != "b/ 1changed records(own-b)" {
		t.Errorf("a load of the other dataset: %s", got)
	}
	d.span("own-month", "2026-09 or 2026-10")
	if got := reasons(d.compare(r.ID)); got != "a/ 7changed definition_changed(own-month); b/ 1changed records(own-b)" {
		t.Errorf("a span of the other figure: %s", got)
	}
	if _, err := d.Datasets.UndoLoad(ctx, "own-b", first.ID); err != nil {
		t.Fatal(err)
	}
	if got := reasons(d.compare(r.ID)); got != "a/ 7changed definition_changed(own-month)" {
		t.Errorf("a load that came and went: %s", got)
	}
	// A dataset that is removed is blamed on nothing but itself.
	if err := d.Datasets.Remove(ctx, "own-b", AnyVersion, true); err != nil {
		t.Fatal(err)
	}
	c := d.compare(r.ID)
	for _, m := range c.Changed {
		for _, why := range m.Reasons {
			if m.Cell.Item == "b" && why.Name == "own-month" {
				t.Errorf("a figure of the removed dataset is blamed on a span: %s", reasons(c))
			}
		}
	}
	if len(c.Missing) != 1 || !strings.Contains(c.Missing[0], "no dataset is named own-b") {
		t.Errorf("what is missing is %q", c.Missing)
	}
	if len(c.Since) == 0 {
		t.Error("nothing is said to have happened since")
	}
}

// A key that was used before gives the receipt that was created then.
func TestOneReceiptForOneKey(t *testing.T) {
	d := open(t)
	d.load("keys", sales)
	q := sumOf("keys", "2026-09")
	first := d.receipt(ReceiptRequest{Title: "a", Key: "k", Query: &q})
	if second := d.receipt(ReceiptRequest{Title: "b", Key: "k", Query: &q}); second.ID != first.ID || second.Title != "a" {
		t.Errorf("the second is %d %s, the first %d", second.ID, second.Title, first.ID)
	}
}

// All figures of a receipt are of one state of the records, that of the newest load it names, whatever
// comes while it is made. Each load brings one record of the amount 1.
func TestReceiptsAreOfOneState(t *testing.T) {
	d := open(t)
	ctx := context.Background()
	first := d.load("moving", "day,region,amount\n2026-09-01,North,1\n")
	b := book.Brief{Name: "moving", Title: "Moving"}
	for i, f := range []measure.Figure{
		{Kind: measure.Count}, {Kind: "sum", Column: "amount"}, {Kind: measure.Count}, {Kind: "sum", Column: "amount"},
	} {
		q := sumOf("moving", "2026-09")
		q.Figures = []measure.Figure{f}
		if i > 1 { // of the records themselves, next to those of the day sums
			q.Where = dataset.Filters{{{Column: "amount", Op: dataset.AtLeast, Values: []string{"1"}}}}
		}
		b.Items = append(b.Items, book.Item{Kind: "figure", Title: "Figure", Query: q})
	}
	if _, err := d.Briefs.Put(ctx, b, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	records := map[int64]string{first.ID: "1"} // after each load
	receipts := 4000
	if testing.Short() {
		receipts = 400
	}
	var working, loading sync.WaitGroup
	var made atomic.Int64
	loading.Go(func() {
		for n := 2; made.Load() < int64(receipts); n++ {
			l := d.load("moving", "day,region,amount\n2026-09-02,North,1\n")
			mu.Lock()
			records[l.ID] = fmt.Sprint(n)
			mu.Unlock()
		}
	})
	bodies := make(chan *Receipt, receipts)
	for range 4 {
		working.Go(func() {
			for made.Add(1) <= int64(receipts) {
				r, err := d.Receipts.Create(ctx, ReceiptRequest{Brief: "moving"})
				if err != nil {
					t.Error(err)
					return
				}
				bodies <- r
			}
		})
	}
	working.Wait()
	loading.Wait()
	close(bodies)
	wrong := 0
	for r := range bodies {
		want := records[r.Body.Loads[0].Newest]
		for _, c := range r.Body.Cells {
			if c.Value.String() != want {
				wrong++
				if wrong < 5 {
					t.Errorf("%s is %s; with load %d there are %s records", c.Figure, c.Value, r.Body.Loads[0].Newest, want)
				}
			}
		}
	}
	if wrong > 0 || len(records) < 20 {
		t.Errorf("%d figures are wrong, while %d loads came", wrong, len(records))
	}
}

// The published day tables cover the records of every dataset and two years on, and grow with them.
func TestDayTablesGrowWithTheRecords(t *testing.T) {
	d := open(t)
	ctx := context.Background()
	refresh := func() (bool, civil.Interval) {
		t.Helper()
		did, err := d.DayTables.Refresh(ctx)
		if err != nil {
			t.Fatal(err)
		}
		made, err := d.st.DaysMade(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return did, made.Reach
	}
	refresh()
	if did, reach := refresh(); did {
		t.Errorf("made again with nothing changed: %s", reach)
	}
	d.load("ancient", "day,region,amount\n1990-06-01,North,1\n2031-02-03,North,2\n")
	if did, reach := refresh(); !did || reach.String() != "1990-01-01/2033-12-31" {
		t.Errorf("with records of 1990 and 2031: %v, %s", did, reach)
	}
	d.load("ancient", "day,region,amount\n1066-06-01,North,1\n")
	if _, reach := refresh(); reach.First() != civil.Of(2026-maxReach, 1, 1) {
		t.Errorf("with records of 1066: %s", reach)
	}
	if err := d.Datasets.Remove(ctx, "ancient", AnyVersion, true); err != nil {
		t.Fatal(err)
	}
	published, err := d.DayTables.Publish(ctx, civil.Of(1801, 5, 1), civil.Of(1802, 1, 31))
	if err != nil || published.Days.First() != civil.Of(1801, 5, 1) || published.Days.Last() != civil.Of(2029, 12, 31) {
		t.Errorf("asked for days of 1801: %v, %v", published, err)
	}
	if did, reach := refresh(); did || reach != published.Days {
		t.Errorf("made again once they hold what was asked for: %v, %s", did, reach)
	}
	for _, asked := range []civil.Interval{
		civil.Through(civil.Of(1500, 1, 1), civil.Of(1500, 1, 1)), civil.Through(civil.Of(1900, 1, 1), civil.Of(9999, 1, 1)),
		{Start: civil.Of(1901, 1, 2), End: civil.Of(1901, 1, 2)},
	} {
		if _, err := d.DayTables.Publish(ctx, asked.Start, asked.Last()); err == nil {
			t.Errorf("%s..%s is taken", asked.Start, asked.Last())
		}
	}
	if p, err := d.DayTables.Publish(ctx, civil.Of(2026, 1, 1), civil.Of(2027, 1, 1)); err != nil || p.Days.First() != civil.Of(2016, 1, 1) {
		t.Errorf("what was asked for before is kept: %v, %v", p, err)
	}
}

// The effect of each cause on a figure is separate, and the effects add up to the difference.
func TestReasonsAddUp(t *testing.T) {
	d := open(t)
	ctx := context.Background()
	d.load("rc", "day,region,amount\n2026-09-05,N,10\n2026-09-07,N,20\n")
	d.span("cm", "last full month")
	b := book.Brief{Name: "rcb", Title: "R", Items: []book.Item{
		{Kind: "figure", Title: "A", Query: sumOf("rc", "@cm")}, {Kind: "figure", Title: "Same", Query: sumOf("rc", "2026-09-07")},
	}}
	if _, err := d.Briefs.Put(ctx, b, 0, "test", ""); err != nil {
		t.Fatal(err)
	}
	r := d.receipt(ReceiptRequest{Brief: "rcb", View: ViewContext{Context: query.Context{AsOf: "2026-10-05"}}})
	effects := func() (list []string) {
		c := d.compare(r.ID)
		for _, m := range c.Changed {
			sum := decimal.Int(0)
			text := m.Cell.Item + " " + m.Difference.String() + ":"
			for _, reason := range m.Reasons {
				var err error
				if sum, err = sum.Plus(reason.Effect); err != nil {
					t.Fatal(err)
				}
				text += " " + reason.Code + " " + reason.Effect.String()
			}
			if m.State == FigureChanged && sum.String() != m.Difference.String() {
				t.Errorf("the effects on %s are %s in all, not %s", m.Cell.Item, sum, m.Difference)
			}
			list = append(list, text)
		}
		return list
	}
	d.load("rc", "day,region,amount\n2026-09-08,N,1000\n")
	d.span("cm", "last full month, only business days")
	if got := strings.Join(effects(), "; "); got != "A 990: records 1000 definition_changed -10" {
		t.Errorf("a late record and another span: %s", got)
	}
	d.span("cm", "last full month") // changed and changed back
	if got := strings.Join(effects(), "; "); got != "A 1000: records 1000" {
		t.Errorf("a span that is as it was: %s", got)
	}
	zero := "zero"
	d.load("rc", "day,region,amount\n2026-09-09,N,1\n")
	if _, err := d.Datasets.Describe(ctx, "rc", Description{NoRecords: &zero}, AnyVersion); err != nil {
		t.Fatal(err)
	}
	if c := d.compare(r.ID); len(c.Since) != 3 || c.Since[0].Code != settingsChanged {
		t.Errorf("what has happened since is %+v", c.Since)
	}
}

// A row of top values is compared with itself, whichever values are the top ones now.
func TestTopRowsAreComparedWithThemselves(t *testing.T) {
	d := open(t)
	d.load("ranked", "day,region,amount\n2026-09-01,North,50\n2026-09-02,South,20\n2026-09-03,West,90\n")
	q := sumOf("ranked", "2026-09")
	q.By, q.Top = []string{"region"}, 2
	r := d.receipt(ReceiptRequest{Title: "top", Query: &q})
	d.load("ranked", "day,region,amount\n2026-09-04,South,40\n")
	c := d.compare(r.ID)
	if got := reasons(c); got != "/(the other 1) 40changed records(ranked); /all 40changed records(ranked); /South new top_changed(ranked)" {
		t.Errorf("the changes are %s", got)
	}
	if n := len(c.Since); n == 0 || c.Since[n-1].Code != topChanged || !strings.Contains(c.Since[n-1].Text, "no longer North; now South") {
		t.Errorf("what has happened since is %+v", c.Since)
	}
}
