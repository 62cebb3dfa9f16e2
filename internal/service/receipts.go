package service

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/store"
)

// A Receipt is what was reported, frozen: the question, the figures with their days, the definitions
// by version and the newest load of each dataset. It never changes; the digest proves it.
type Receipt struct {
	ID       int64
	Title    string
	Author   string
	MadeAt   time.Time
	Schedule string
	DueDay   *civil.Day
	Digest   string
	Sound    bool // the digest is that of the body
	Body     ReceiptBody
}

// A ReceiptBody is what the digest is of, as JSON.
type ReceiptBody struct {
	Subject     string            `json:"subject"` // brief or total
	Brief       *book.Brief       `json:"brief,omitempty"`
	Dataset     string            `json:"dataset,omitempty"` // of a total
	Question    *Question         `json:"question,omitempty"`
	AsOf        string            `json:"as_of"`
	AtClose     bool              `json:"at_close"`
	Calendar    string            `json:"calendar"`
	Asks        map[string]string `json:"asks,omitempty"`
	Cells       []ReceiptCell     `json:"cells"`
	Definitions []UsedVersion     `json:"definitions"`
	Loads       []ReceiptLoad     `json:"loads"`
	Missing     []string          `json:"missing,omitempty"` // items that could not be answered, and why
}

// A ReceiptCell is one figure that was reported.
type ReceiptCell struct {
	Item       string   `json:"item,omitempty"`
	Dataset    string   `json:"dataset"`
	Date       string   `json:"date"`
	Expression string   `json:"expression"`
	Days       string   `json:"days"` // first/last, several by semicolons
	Unit       string   `json:"unit,omitempty"`
	Group      []string `json:"group,omitempty"`
	Figure     string   `json:"figure"`
	Value      *string  `json:"value"`
}

// key tells a cell from the others of its receipt, whatever its days and value are.
func (c *ReceiptCell) key() string {
	return strings.Join([]string{c.Item, c.Dataset, c.Expression, c.Unit, strings.Join(c.Group, "\x01"), c.Figure}, "\x00")
}

// A ReceiptLoad is the newest load of a dataset at the time.
type ReceiptLoad struct {
	Dataset string `json:"dataset"`
	Newest  int64  `json:"newest"`
}

// freezing collects the cells of a receipt.
type freezing struct {
	body     *ReceiptBody
	nodes    []span.Node
	datasets map[string]bool
}

func (f *freezing) total(item string, t *Total) error {
	for i := range t.Spans {
		sp := &t.Spans[i]
		n, err := span.Parse(sp.Text)
		if err != nil {
			return err
		}
		f.nodes = append(f.nodes, n)
		rows := append([]Row{sp.Total}, sp.Rows...)
		if len(sp.Rows) == 1 && sp.Rows[0].Unit == nil && len(sp.Rows[0].Group) == 0 {
			rows = rows[:1]
		}
		for j := range rows {
			f.row(item, t, sp, &rows[j])
		}
	}
	f.datasets[t.Dataset] = true
	for _, b := range t.Question.Beside {
		f.datasets[b.Dataset] = true
	}
	return nil
}

func (f *freezing) row(item string, t *Total, sp *SpanTotal, r *Row) {
	cell := ReceiptCell{Item: item, Dataset: t.Dataset, Date: t.Date, Expression: sp.Text, Days: sp.Days.String()}
	if r.Unit != nil {
		cell.Unit, cell.Days = r.Unit.Label, r.Unit.Days.String()
	}
	for _, l := range r.Group {
		cell.Group = append(cell.Group, labelText(l))
	}
	add := func(figure string, v tally.Value) {
		one := cell
		one.Figure = figure
		if v.Set {
			text := v.String()
			one.Value = &text
		}
		f.body.Cells = append(f.body.Cells, one)
	}
	for i, fig := range t.Question.Figures {
		add(fig.Name(), r.Values[i])
		for j, c := range r.Against {
			add(fmt.Sprintf("%s against %s", fig.Name(), sp.Counterparts[j].Against), c[i].Against)
		}
		if r.Running != nil {
			add(fig.Name()+" running", r.Running[i])
		}
		if r.Rolling != nil {
			add(fig.Name()+" rolling", r.Rolling[i])
		}
	}
}

func labelText(l tally.Label) string {
	switch {
	case l.IsAll():
		return "all"
	case l.IsRest():
		return "(the rest)"
	case !l.Set:
		return "(blank)"
	}
	return l.Text
}

// FreezeBrief makes a receipt of a brief as of a day.
func (s *Service) FreezeBrief(ctx context.Context, name string, r Reading, asks map[string]string, title, author string) (*Receipt, error) {
	b, err := s.Brief(ctx, name)
	if err != nil {
		return nil, err
	}
	body, err := s.briefBody(ctx, &b.Brief, r, asks)
	if err != nil {
		return nil, err
	}
	if title == "" {
		title = b.Title
	}
	return s.keep(ctx, body, &store.Receipt{Title: title, Author: author})
}

func (s *Service) briefBody(ctx context.Context, b *book.Brief, r Reading, asks map[string]string) (*ReceiptBody, error) {
	v, err := s.ViewBrief(ctx, b, r, asks)
	if err != nil {
		return nil, err
	}
	body := &ReceiptBody{Subject: "brief", Brief: b, AsOf: v.AsOf.String(), AtClose: v.AtClose, Calendar: v.Calendar, Asks: v.Asks, Cells: []ReceiptCell{}}
	f := &freezing{body, nil, map[string]bool{}}
	for i := range v.Items {
		it := &v.Items[i]
		switch {
		case it.Err != nil:
			body.Missing = append(body.Missing, it.Item.Title+": "+it.Err.Error())
		case it.Total != nil:
			err = f.total(it.Item.Title, it.Total)
		case it.Lineup != nil:
			for j := range it.Lineup.Lines {
				l := &it.Lineup.Lines[j]
				if err = f.total(it.Item.Title+", "+l.Label, l.Total); err != nil {
					return nil, err
				}
			}
		}
		if err != nil {
			return nil, err
		}
	}
	return body, s.provenance(ctx, f, UsedVersion{Kind: store.BriefDefinition, Name: b.Name})
}

// FreezeTotal makes a receipt of a total.
func (s *Service) FreezeTotal(ctx context.Context, dataset string, q Question, title, author string) (*Receipt, error) {
	if strings.TrimSpace(title) == "" {
		return nil, invalidf("a receipt of a total needs a title")
	}
	body, err := s.totalBody(ctx, dataset, q)
	if err != nil {
		return nil, err
	}
	return s.keep(ctx, body, &store.Receipt{Title: title, Author: author})
}

func (s *Service) totalBody(ctx context.Context, dataset string, q Question) (*ReceiptBody, error) {
	t, err := s.Total(ctx, dataset, q)
	if err != nil {
		return nil, err
	}
	q.AsOf = AsOf(t.AsOf.String())
	body := &ReceiptBody{Subject: "total", Dataset: dataset, Question: &q, AsOf: t.AsOf.String(), AtClose: q.AtClose, Calendar: t.Calendar, Cells: []ReceiptCell{}}
	f := &freezing{body, nil, map[string]bool{}}
	if err := f.total("", t); err != nil {
		return nil, err
	}
	return body, s.provenance(ctx, f)
}

// provenance notes the versions of all definitions that were used and the newest load of each
// dataset.
func (s *Service) provenance(ctx context.Context, f *freezing, more ...UsedVersion) error {
	l, err := s.Library(ctx)
	if err != nil {
		return err
	}
	versions, err := s.inPlace(ctx, l)
	if err != nil {
		return err
	}
	spans, calendars := l.Used(f.nodes), l.CalendarsUsed(f.nodes)
	calendars = append(calendars, f.body.Calendar)
	holidays := l.HolidaysOf(calendars)
	f.body.Definitions = []UsedVersion{}
	for _, d := range versions {
		used := map[store.DefinitionKind][]string{store.SpanDefinition: spans, store.CalendarDefinition: calendars, store.HolidaysDefinition: holidays}[d.Kind]
		if slices.Contains(used, d.Name) || slices.ContainsFunc(more, func(v UsedVersion) bool { return v.Kind == d.Kind && v.Name == d.Name }) {
			f.body.Definitions = append(f.body.Definitions, d)
		}
	}
	f.body.Loads = []ReceiptLoad{}
	for name := range f.datasets {
		d, err := s.store.Dataset(ctx, name)
		if err != nil {
			return err
		}
		newest, err := s.store.NewestLoad(ctx, d)
		if err != nil {
			return err
		}
		f.body.Loads = append(f.body.Loads, ReceiptLoad{name, newest})
	}
	slices.SortFunc(f.body.Loads, func(a, b ReceiptLoad) int { return strings.Compare(a.Dataset, b.Dataset) })
	return nil
}

func digest(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// keep stores a receipt; nil where its schedule has made one for its day already.
func (s *Service) keep(ctx context.Context, body *ReceiptBody, r *store.Receipt) (*Receipt, error) {
	asOf, err := civil.ParseDay(body.AsOf)
	if err != nil {
		return nil, err
	}
	text, err := json.Marshal(body)
	if err != nil {
		return nil, err
	}
	r.Subject, r.AsOf, r.Body, r.Digest = body.Subject, asOf.Time(), string(text), digest(text)
	made, err := s.store.AddReceipt(ctx, r)
	if err != nil || !made {
		return nil, err
	}
	return s.Receipt(ctx, r.ID)
}

// Receipts lists the receipts, newest first; their cells are left out.
func (s *Service) Receipts(ctx context.Context) ([]Receipt, error) {
	list, err := s.store.Receipts(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]Receipt, len(list))
	for i := range list {
		out[i] = receipt(&list[i])
	}
	return out, nil
}

func receipt(r *store.Receipt) Receipt {
	out := Receipt{ID: r.ID, Title: r.Title, Author: r.Author, MadeAt: r.MadeAt, Digest: r.Digest, Body: ReceiptBody{Subject: r.Subject, AsOf: store.DayOf(r.AsOf).String()}}
	if r.Schedule != nil {
		out.Schedule = *r.Schedule
	}
	if r.DueDay != nil {
		day := store.DayOf(*r.DueDay)
		out.DueDay = &day
	}
	return out
}

// Receipt finds a receipt and checks it against its digest.
func (s *Service) Receipt(ctx context.Context, id int64) (*Receipt, error) {
	stored, err := s.store.Receipt(ctx, id)
	if err != nil {
		return nil, err
	}
	r := receipt(stored)
	r.Sound = digest([]byte(stored.Body)) == stored.Digest
	d := json.NewDecoder(bytes.NewReader([]byte(stored.Body)))
	return &r, d.Decode(&r.Body)
}
