package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"vastspan/core/ageing"
	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
	"vastspan/internal/access"
	"vastspan/internal/attached"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// receiptStore is what receipts are kept in, and what reports how records came.
type receiptStore interface {
	snapshots
	AddReceipt(ctx context.Context, r *store.Receipt) (bool, error)
	Receipts(ctx context.Context, before int64, limit int) ([]store.Receipt, error)
	Receipt(ctx context.Context, id int64) (*store.Receipt, error)
	ReceiptByKey(ctx context.Context, key string) (*store.Receipt, error)
	Dataset(ctx context.Context, name string) (*store.Dataset, error)
	PastRules(ctx context.Context) (*store.PastRules, error)
	Loads(ctx context.Context, d *store.Dataset, before int64, limit int) ([]store.Load, error)
	NewestLoad(ctx context.Context, d *store.Dataset) (int64, error)
	State(ctx context.Context, d *store.Dataset) (attached.State, error)
	RecordsByLoad(ctx context.Context, d *store.Dataset, date string, p tally.Period, after int64) (map[int64]int64, error)
}

// Receipts are what was reported, kept for good.
type Receipts struct {
	store       receiptStore
	definitions *Definitions
	briefs      *Briefs
	totals      *Totals
	views       *Views
	renames     *Renames
}

// A Receipt is what was reported: the query, the figures with their days, the definitions by version and
// the newest load of each dataset. It never changes; the checksum proves it.
type Receipt struct {
	ID        int64
	Title     string
	Author    string
	CreatedAt time.Time
	Schedule  string
	DueDay    *civil.Day
	Checksum  string
	Verified  bool // the checksum is that of the body
	Body      ReceiptBody
}

// bodyVersion is the version of the form in which bodies are written.
const bodyVersion = 1

// A ReceiptBody is what the checksum is of, as JSON.
type ReceiptBody struct {
	Version     int                `json:"version"`
	Subject     string             `json:"subject"` // brief or total
	Brief       *book.Brief        `json:"brief,omitempty"`
	Query       *query.Query       `json:"query,omitempty"` // of a total
	AsOf        string             `json:"as_of"`
	AtClose     bool               `json:"at_close"`
	Calendar    string             `json:"calendar"`
	Prompts     map[string]string  `json:"prompts,omitempty"`
	Cells       []ReceiptCell      `json:"cells"`
	Sources     []ReceiptSource    `json:"sources"`
	Definitions []query.Definition `json:"definitions"`
	Loads       []ReceiptLoad      `json:"loads"`
	Missing     []string           `json:"missing,omitempty"` // items that could not be answered, and why
	// Tops are the values that were the top ones, by item; that of a total is empty.
	Tops map[string][]dataset.Label `json:"tops,omitempty"`
}

// A ReceiptCell is one figure that was reported. Its ID is made of the ids of its item, row and column:
// what people see of it may be the same for several.
type ReceiptCell struct {
	ID         string        `json:"id"`
	Source     int           `json:"source"`
	Item       string        `json:"item,omitempty"`
	Expression string        `json:"expression"`
	Days       string        `json:"days"` // first/last, several by semicolons
	Unit       string        `json:"unit,omitempty"`
	Group      []string      `json:"group,omitempty"`
	Figure     string        `json:"figure"`
	Value      decimal.Value `json:"value"`
}

// A ReceiptSource is what figures depend on: some records by one of their dates, and definitions.
type ReceiptSource struct {
	Dataset     string             `json:"dataset"`
	Date        string             `json:"date"`
	Definitions []query.Definition `json:"definitions"`
	// Since says that figures of it add up what is before their days, too.
	Since bool `json:"since,omitempty"`
	// Ranked says that groups are put together by their rank, so that other records may change them.
	Ranked bool `json:"ranked,omitempty"`
}

// A ReceiptLoad is the newest load of a dataset at the time.
type ReceiptLoad struct {
	Dataset string `json:"dataset"`
	Newest  int64  `json:"newest"`
	// Settings are what was said about the dataset as a whole; nil in receipts that do not say.
	Settings *DatasetSettings `json:"settings,omitempty"`
	// Elsewhere is what the source of an attached table could tell; nil of one whose records are kept here.
	Elsewhere *ReceiptElsewhere `json:"elsewhere,omitempty"`
}

// A ReceiptElsewhere is where an attached table was, what it could tell of itself, and a checksum of the figures that were
// reported of it: the source may move since.
type ReceiptElsewhere struct {
	Database string `json:"database"`
	Table    string `json:"table"`
	Records  int64  `json:"records"`
	Newest   string `json:"newest,omitempty"`
	Figures  string `json:"figures"`
}

// A snapshotter collects the cells of a receipt.
type snapshotter struct {
	body    *ReceiptBody
	library *book.Library
	nodes   []span.Node
}

// answer takes the figures of an answer in. The id and the title are those of its item.
func (s *snapshotter) answer(id, title string, a *query.Answer) {
	s.nodes = append(s.nodes, a.Expressions()...)
	if len(a.Top) > 0 {
		if s.body.Tops == nil {
			s.body.Tops = map[string][]dataset.Label{}
		}
		s.body.Tops[id] = a.Top
	}
	for i := range a.Tables {
		t := &a.Tables[i]
		for j := range t.Rows {
			r := &t.Rows[j]
			if r.Kind == table.Subtotal {
				continue
			}
			for k := range t.Columns {
				s.cell(id, title, a, t, r, k)
			}
		}
	}
}

// ageing takes the figures of an answer about ageing in: they depend on all records that had begun.
func (s *snapshotter) ageing(id, title string, a *ageing.Answer) {
	s.nodes = append(s.nodes, a.Nodes...)
	source := s.source(ReceiptSource{Dataset: a.Dataset, Date: a.From, Definitions: s.library.Definitions(a.Nodes, s.body.Calendar)})
	a.Cells(func(c ageing.Cell) {
		cell := ReceiptCell{
			ID: id + "/" + c.Key, Source: source, Item: title, Expression: a.Title(), Days: a.OverDays.String(), Unit: c.Unit,
			Figure: c.Figure, Value: c.Value,
		}
		if a.By != "" {
			cell.Group = []string{a.GroupText(c.Group)}
		}
		s.body.Cells = append(s.body.Cells, cell)
	})
}

// cell takes one figure in; what follows from others, such as a difference, is left out.
func (s *snapshotter) cell(id, title string, a *query.Answer, t *table.Table, r *table.Row, k int) {
	c := &t.Columns[k]
	days, source := r.Extent, ReceiptSource{Dataset: a.Dataset, Date: a.Date, Ranked: a.Query.Top > 0}
	nodes := append([]span.Node{a.Nodes[r.Span]}, a.Filters...)
	switch c.Role {
	case table.Figure:
	case table.Running, table.Rolling:
		source.Since = true
	case table.Counterpart:
		if c.Comparison == "previous" {
			return // it is the figure of another row
		}
		var other span.Node
		days, source.Dataset, source.Date, other = compared(a, r, c.Comparison)
		if other != nil {
			nodes = append(nodes, other)
		}
	default:
		return
	}
	source.Definitions = s.library.Definitions(nodes, s.body.Calendar)
	cell := ReceiptCell{
		ID: strings.Join(
			[]string{id, r.Key, c.ID},
			"/",
		), Source: s.source(source), Item: title, Expression: a.Spans[r.Span].Expression, Days: daysText(&days),
		Figure: c.ID, Value: r.Cells[k],
	}
	if r.Unit != nil {
		cell.Unit = r.Unit.Label
	}
	group := r.Group
	if c.Group != nil { // of a cross-tab
		cell.ID = strings.Join([]string{id, r.Key, t.Figure, dataset.GroupKey([]dataset.Label{*c.Group})}, "/")
		cell.Figure, group = t.Figure, append(slices.Clone(group), *c.Group)
	}
	for _, l := range group {
		cell.Group = append(cell.Group, table.LabelText(l, a.Others))
	}
	s.body.Cells = append(s.body.Cells, cell)
}

// daysText writes days as first/last, or moments as start/end, several by semicolons.
func daysText(e *table.Extent) string {
	if e.Moments != nil {
		return e.Moments.Text()
	}
	return e.Intervals.String()
}

// compared returns the days, the dataset and its date, and the expression of a comparison of a row.
func compared(a *query.Answer, r *table.Row, name string) (days table.Extent, of, date string, n span.Node) {
	sp := &a.Spans[r.Span]
	i := slices.IndexFunc(sp.Comparisons, func(c table.Comparison) bool { return c.Name == name })
	c := &sp.Comparisons[i]
	days, of, date = c.Extent, a.Dataset, a.Date
	if r.Comparisons != nil {
		days = r.Comparisons[i]
	}
	if i < len(a.Counterparts) {
		n = a.Counterparts[i]
	}
	if c.Dataset != "" {
		of, date = c.Dataset, a.Query.AgainstDataset[i-len(a.Counterparts)].Date
	}
	return days, of, date, n
}

// source returns the position of a source, which is added where it is new.
func (s *snapshotter) source(one ReceiptSource) int {
	same := func(other ReceiptSource) bool {
		return one.Dataset == other.Dataset && one.Date == other.Date && one.Since == other.Since && one.Ranked == other.Ranked &&
			slices.Equal(one.Definitions, other.Definitions)
	}
	i := slices.IndexFunc(s.body.Sources, same)
	if i < 0 {
		i = len(s.body.Sources)
		s.body.Sources = append(s.body.Sources, one)
	}
	return i
}

// Provenance of a receipt: what was used, by version and load.
func (s *Receipts) provenance(ctx context.Context, f *snapshotter) error {
	b := f.body
	b.Definitions = f.library.Definitions(f.nodes, b.Calendar)
	if b.Brief != nil {
		if v := f.library.Version(book.BriefKind, b.Brief.Name); v > 0 {
			b.Definitions = append(b.Definitions, query.Definition{Kind: book.BriefKind, Name: b.Brief.Name, Version: v})
		}
	}
	b.Loads = []ReceiptLoad{}
	for _, source := range b.Sources {
		if slices.ContainsFunc(b.Loads, func(l ReceiptLoad) bool { return l.Dataset == source.Dataset }) {
			continue
		}
		d, err := visible(ctx, s.store, source.Dataset, access.Records)
		if err != nil {
			return err
		}
		settings := settingsOf(&d.Schema)
		load := ReceiptLoad{Dataset: source.Dataset, Settings: &settings}
		if d.Attached != nil {
			if load.Elsewhere, err = s.elsewhere(ctx, d, b); err != nil {
				return err
			}
		} else if load.Newest, err = s.store.NewestLoad(ctx, d); err != nil {
			return err
		}
		b.Loads = append(b.Loads, load)
	}
	slices.SortFunc(b.Loads, func(x, y ReceiptLoad) int { return strings.Compare(x.Dataset, y.Dataset) })
	return nil
}

// elsewhere notes what the source of an attached table can tell.
func (s *Receipts) elsewhere(ctx context.Context, d *store.Dataset, b *ReceiptBody) (*ReceiptElsewhere, error) {
	state, err := s.store.State(ctx, d)
	if err != nil {
		return nil, err
	}
	figures := sha256.New()
	for _, c := range b.Cells {
		if b.Sources[c.Source].Dataset == d.Name {
			fmt.Fprintf(figures, "%s\x00%s\n", c.ID, c.Value)
		}
	}
	return &ReceiptElsewhere{
		d.Attached.Database, d.Attached.Name, state.Records, state.Newest, hex.EncodeToString(figures.Sum(nil)),
	}, nil
}

// A ReceiptRequest asks for a receipt of a brief, or of a total.
type ReceiptRequest struct {
	Title, Author, Key string
	Brief              string
	View               ViewContext
	Query              *query.Query
}

// Create creates a receipt. With a key that was used before it gives the receipt that was created then.
func (s *Receipts) Create(ctx context.Context, r ReceiptRequest) (*Receipt, error) {
	if r.Key != "" {
		have, err := s.store.ReceiptByKey(ctx, r.Key)
		if !refused.IsMissing(err) {
			if err != nil {
				return nil, err
			}
			return s.Get(ctx, have.ID)
		}
	}
	var body *ReceiptBody
	switch {
	case (r.Brief == "") == (r.Query == nil):
		return nil, refused.Wrongf("a receipt is of a brief, or of a total: say which one")
	case r.Query != nil && r.Query.Known != "", r.View.Known != "":
		return nil, Refused(&query.Error{Pointer: "/known", Err: errKnown})
	case r.Query != nil && strings.TrimSpace(r.Title) == "":
		return nil, refused.Wrongf("a receipt of a total needs a title")
	case r.Query != nil:
		var err error
		if body, err = inSnapshot(ctx, s.store, func(ctx context.Context) (*ReceiptBody, error) {
			return s.totalBody(ctx, *r.Query)
		}); err != nil {
			return nil, err
		}
	default:
		var err error
		if body, err = s.ofBrief(ctx, r.Brief, r.View); err != nil {
			return nil, err
		}
		if r.Title == "" {
			r.Title = body.Brief.Title
		}
	}
	stored := &store.Receipt{Title: r.Title, Author: r.Author}
	if r.Key != "" {
		stored.Idempotency = &r.Key
	}
	kept, err := s.save(ctx, body, stored)
	if err == nil && kept == nil { // another request with the key was quicker
		return s.Create(ctx, r)
	}
	return kept, err
}

// ofBrief returns the body of a receipt of a stored brief: its figures, versions and loads are of one
// state of the database.
func (s *Receipts) ofBrief(ctx context.Context, name string, c ViewContext) (*ReceiptBody, error) {
	return inSnapshot(ctx, s.store, func(ctx context.Context) (*ReceiptBody, error) {
		b, err := s.briefs.Get(ctx, name)
		if err != nil {
			return nil, err
		}
		return s.briefBody(ctx, &b.Definition, c)
	})
}

func (s *Receipts) briefBody(ctx context.Context, b *book.Brief, c ViewContext) (*ReceiptBody, error) {
	v, err := s.views.View(ctx, b, c)
	if err != nil {
		return nil, err
	}
	return s.viewBody(ctx, v)
}

// viewed returns the body of a receipt of a stored brief, with the page that it is of.
func (s *Receipts) viewed(ctx context.Context, name string, c ViewContext) (body *ReceiptBody, v *BriefView, err error) {
	err = s.store.Snapshot(ctx, func(ctx context.Context) error {
		b, err := s.briefs.Get(ctx, name)
		if err != nil {
			return err
		}
		if v, err = s.views.View(ctx, &b.Definition, c); err != nil {
			return err
		}
		body, err = s.viewBody(ctx, v)
		return err
	})
	return body, v, err
}

func (s *Receipts) viewBody(ctx context.Context, v *BriefView) (*ReceiptBody, error) {
	f := figuresOfView(v)
	return f.body, s.provenance(ctx, f)
}

// figuresOfView collects the figures of a page.
func figuresOfView(v *BriefView) *snapshotter {
	body := &ReceiptBody{
		Version:  bodyVersion,
		Subject:  "brief",
		Brief:    &v.Brief,
		AsOf:     v.AsOf.String(),
		AtClose:  v.AtClose,
		Calendar: v.Calendar,
		Prompts:  v.Prompts,
		Cells:    []ReceiptCell{},
	}
	f := &snapshotter{body: body, library: v.library}
	for i := range v.Items {
		it := &v.Items[i]
		switch {
		case it.Err != nil:
			body.Missing = append(body.Missing, it.Item.Title+": "+it.Err.Error())
		case it.Lineup != nil:
			for j := range it.Lineup.Lines {
				l := &it.Lineup.Lines[j]
				f.answer(fmt.Sprintf("%s.%d", it.Item.ID, j+1), lineTitle(it.Item.Title, l.Label), l.Answer)
			}
		case it.Ageing != nil:
			f.ageing(it.Item.ID, it.Item.Title, it.Ageing)
		default:
			f.answer(it.Item.ID, it.Item.Title, it.Answer)
		}
	}
	return f
}

func (s *Receipts) totalBody(ctx context.Context, q query.Query) (*ReceiptBody, error) {
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	a, err := s.totals.totalWith(ctx, l, q)
	if err != nil {
		return nil, err
	}
	f := figuresOfTotal(l, a)
	return f.body, s.provenance(ctx, f)
}

// figuresOfTotal collects the figures of an answer.
func figuresOfTotal(l *book.Library, a *query.Answer) *snapshotter {
	kept := a.Query
	kept.AsOf, kept.AtClose = a.AsOf.String(), a.AtClose
	body := &ReceiptBody{
		Version:  bodyVersion,
		Subject:  "total",
		Query:    &kept,
		AsOf:     kept.AsOf,
		AtClose:  a.AtClose,
		Calendar: a.Calendar,
		Cells:    []ReceiptCell{},
	}
	f := &snapshotter{body: body, library: l}
	f.answer("", "", a)
	return f
}

func checksum(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// save stores a receipt; nil where its schedule has created one for its day already, or its key was used.
func (s *Receipts) save(ctx context.Context, body *ReceiptBody, r *store.Receipt) (*Receipt, error) {
	if err := fillReceipt(r, body); err != nil {
		return nil, err
	}
	made, err := s.store.AddReceipt(ctx, r)
	if err != nil || !made {
		return nil, err
	}
	return read(r)
}

// fillReceipt puts a body into a receipt.
func fillReceipt(r *store.Receipt, body *ReceiptBody) error {
	asOf, err := civil.ParseDay(body.AsOf)
	if err != nil {
		return err
	}
	text, err := json.Marshal(body)
	r.Subject, r.AsOf, r.Body, r.Checksum = body.Subject, asOf.Time(), string(text), checksum(text)
	return err
}

// List lists the receipts, newest first; their cells are left out.
func (s *Receipts) List(ctx context.Context, p Paging) (Page[Receipt], error) {
	page := Page[Receipt]{Items: []Receipt{}}
	before, err := numberAfter(p.After)
	if err != nil {
		return page, err
	}
	rules, err := s.store.PastRules(ctx)
	if err != nil {
		return page, err
	}
	for {
		list, err := s.store.Receipts(ctx, before, p.Limit+1)
		if err != nil {
			return page, err
		}
		for i := range list {
			if !seen(ctx, rules, &list[i]) {
				continue
			}
			if len(page.Items) == p.Limit {
				page.Next = itoa(int(page.Items[p.Limit-1].ID))
				return page, nil
			}
			page.Items = append(page.Items, head(&list[i]))
		}
		if len(list) <= p.Limit {
			return page, nil
		}
		before = list[len(list)-1].ID // those that the caller may not see are passed over
	}
}

// seen reports whether the caller may see a receipt: the records of all the datasets that it is about.
func seen(ctx context.Context, rules *store.PastRules, r *store.Receipt) bool {
	for _, name := range r.Datasets {
		now, list := rules.Then(name, r.MadeAt)
		for _, one := range append(list, nil) { // without rules a key may still be for other datasets
			if access.LevelOf(ctx, now, one) < access.Records {
				return false
			}
		}
	}
	return true
}

func head(r *store.Receipt) Receipt {
	out := Receipt{ID: r.ID, Title: r.Title, Author: r.Author, CreatedAt: r.MadeAt, Checksum: r.Checksum, DueDay: dayOrNil(r.DueDay),
		Body: ReceiptBody{Subject: r.Subject, AsOf: store.DayOf(r.AsOf).String()}}
	if r.Schedule != nil {
		out.Schedule = *r.Schedule
	}
	return out
}

// Get finds a receipt and checks it against its checksum.
func (s *Receipts) Get(ctx context.Context, id int64) (*Receipt, error) {
	stored, err := s.store.Receipt(ctx, id)
	if err != nil {
		return nil, err
	}
	rules, err := s.store.PastRules(ctx)
	if err != nil {
		return nil, err
	}
	if !seen(ctx, rules, stored) {
		return nil, refused.Missing("receipt", strconv.FormatInt(id, 10))
	}
	return read(stored)
}

// read parses a stored receipt.
func read(stored *store.Receipt) (*Receipt, error) {
	r := head(stored)
	r.Verified = checksum([]byte(stored.Body)) == stored.Checksum
	var version struct {
		Version int `json:"version"`
	}
	err := json.Unmarshal([]byte(stored.Body), &version)
	switch {
	case err != nil:
	case version.Version != bodyVersion:
		err = fmt.Errorf("the receipt was created by another version of the service: its form is %d, expected %d", version.Version, bodyVersion)
	default:
		err = json.Unmarshal([]byte(stored.Body), &r.Body)
	}
	return &r, err
}

// Grid returns a receipt's figures, as CSV has them.
func (r *Receipt) Grid() *table.Grid {
	g := &table.Grid{Header: []string{"item", "dataset", "span", "days", "unit", "group", "figure", "value"}}
	for i := range r.Body.Cells {
		c := &r.Body.Cells[i]
		g.Rows = append(
			g.Rows,
			[]string{
				c.Item,
				r.Body.Sources[c.Source].Dataset,
				c.Expression,
				c.Days,
				c.Unit,
				strings.Join(c.Group, "; "),
				c.Figure,
				c.Value.String(),
			},
		)
	}
	return g
}

// Document returns a receipt as it is taken away: a sheet for each item of its brief.
func (r *Receipt) Document() *table.Document {
	b := &r.Body
	d := &table.Document{Name: fmt.Sprintf("receipt-%d", r.ID), Title: r.Title, All: r.Grid()}
	if b.Brief != nil {
		d.Apart = r.items(d.All)
	}
	d.About = []table.Fact{
		{Name: "receipt", Text: fmt.Sprintf("%d: %s", r.ID, r.Title)},
		{Name: "as of", Text: b.AsOf},
		{Name: "calendar", Text: b.Calendar},
		{Name: "created", Text: r.CreatedAt.UTC().Format(time.RFC3339) + " by " + r.Author},
		{Name: "checksum", Text: r.Checksum},
	}
	for _, u := range b.Definitions {
		d.About = append(d.About, table.Fact{Name: string(u.Kind), Of: u.Name, Text: fmt.Sprintf("version %d", u.Version)})
	}
	for _, l := range b.Loads {
		d.About = append(d.About, table.Fact{Name: "dataset", Of: l.Dataset, Text: fmt.Sprintf("through load %d", l.Newest)})
	}
	for _, text := range b.Missing {
		d.About = append(d.About, table.Fact{Name: "missing", Text: text})
	}
	return d
}

// items returns the rows of the items of a brief apart from each other, in their order.
func (r *Receipt) items(all *table.Grid) (sheets []table.Sheet) {
	at := map[string]int{}
	for _, row := range all.Rows {
		title := row[0]
		i, ok := at[title]
		if !ok {
			i = len(sheets)
			at[title] = i
			sheets = append(sheets, table.Sheet{Title: title, Grid: &table.Grid{Header: all.Header[1:], Labels: all.Labels}})
		}
		sheets[i].Rows = append(sheets[i].Rows, row[1:])
	}
	return sheets
}
