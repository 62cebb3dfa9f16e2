package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"vastspan/core/table"
	"vastspan/internal/deliver"
	"vastspan/internal/store"
)

// deliveryStore is what deliveries are kept in.
type deliveryStore interface {
	TakeDelivery(ctx context.Context) (*store.Delivery, error)
	SettleDelivery(ctx context.Context, d *store.Delivery) error
	NextDelivery(ctx context.Context) (*time.Time, error)
	AbandonDeliveries(ctx context.Context) error
	Deliveries(ctx context.Context, before int64, limit int) ([]store.Delivery, error)
	RetryDelivery(ctx context.Context, id int64) (*store.Delivery, error)
}

// Deliveries bring the receipts of schedules to folders, webhooks and mailboxes.
type Deliveries struct {
	store deliveryStore
	// Means are what is delivered by.
	Means deliver.Means
	// waits are how long the tries of a delivery are apart.
	waits []time.Duration
	// due is told that there may be something to deliver.
	due chan struct{}
}

// Delivery is what a receipt brings to one target.
type Delivery = store.Delivery

// DeliveryState says how far a delivery is.
type DeliveryState = store.DeliveryState

// waits is how long is waited after each try that failed; after the last of them a delivery has failed.
var waits = []time.Duration{
	time.Minute, 5 * time.Minute, 15 * time.Minute, time.Hour, 3 * time.Hour, 6 * time.Hour, 12 * time.Hour, 24 * time.Hour,
}

// A parcel is what is stored of what is brought.
type parcel struct {
	Title    string          `json:"title"`
	Document *table.Document `json:"document"`
	Message  json.RawMessage `json:"message"`
}

// parcelOf returns what a receipt brings.
func parcelOf(r *Receipt, d *table.Document) (json.RawMessage, error) {
	document := *d
	document.Shown = d.Readable()
	document.Name = fmt.Sprintf("%s-%s-receipt-%d", d.Name, r.Body.AsOf, r.ID)
	document.About = append([]table.Fact{
		{Name: "receipt", Text: fmt.Sprint(r.ID)}, {Name: "checksum", Text: r.Checksum},
	}, d.About...)
	message, err := json.Marshal(map[string]any{
		"receipt": r.ID, "title": r.Title, "brief": r.Body.Brief.Name, "schedule": r.Schedule, "as_of": r.Body.AsOf,
		"calendar": r.Body.Calendar, "created_at": r.CreatedAt.UTC().Format(time.RFC3339), "checksum": r.Checksum,
		"figures": messageCells(&r.Body), "missing": append([]string{}, r.Body.Missing...),
	})
	if err != nil {
		return nil, err
	}
	return json.Marshal(parcel{Title: r.Title, Document: &document, Message: message})
}

// messageCells are the figures of a receipt as a webhook gets them.
func messageCells(b *ReceiptBody) []map[string]any {
	list := []map[string]any{}
	for i := range b.Cells {
		c := &b.Cells[i]
		list = append(list, map[string]any{
			"id": c.ID, "item": c.Item, "dataset": b.Sources[c.Source].Dataset, "span": c.Expression, "days": c.Days, "unit": c.Unit,
			"group": append([]string{}, c.Group...), "figure": c.Figure, "value": c.Value,
		})
	}
	return list
}

// List lists the deliveries, newest first.
func (s *Deliveries) List(ctx context.Context, p Paging) (Page[Delivery], error) {
	var page Page[Delivery]
	before, err := numberAfter(p.After)
	if err != nil {
		return page, err
	}
	page.Items, err = s.store.Deliveries(ctx, before, p.Limit+1)
	if len(page.Items) > p.Limit {
		page.Items = page.Items[:p.Limit]
		page.Next = fmt.Sprint(page.Items[p.Limit-1].ID)
	}
	return page, err
}

// Retry has a delivery tried again that failed, or may not have arrived.
func (s *Deliveries) Retry(ctx context.Context, id int64) (*Delivery, error) {
	d, err := s.store.RetryDelivery(ctx, id)
	if err == nil {
		s.told()
	}
	return d, err
}

// told says that there may be something to deliver.
func (s *Deliveries) told() {
	select {
	case s.due <- struct{}{}:
	default: // it has been told already
	}
}

// Run delivers what is due, one after the other, and returns how many arrived.
func (s *Deliveries) Run(ctx context.Context) (int, error) {
	arrived := 0
	for ctx.Err() == nil {
		d, err := s.store.TakeDelivery(ctx)
		if err != nil || d == nil {
			return arrived, err
		}
		s.try(ctx, d)
		if d.State == store.Delivered {
			arrived++
		}
		// What a try came to is kept even where the service is ending: else nobody would know.
		if err := s.store.SettleDelivery(context.WithoutCancel(ctx), d); err != nil {
			return arrived, err
		}
	}
	return arrived, ctx.Err()
}

// try delivers once, and says what it came to.
func (s *Deliveries) try(ctx context.Context, d *Delivery) {
	err := s.bring(ctx, d)
	var final *deliver.Final
	var uncertain *deliver.Uncertain
	d.NextTry = nil
	switch {
	case err == nil:
		d.State, d.Reason = store.Delivered, ""
		return
	case errors.As(err, &uncertain):
		d.State = store.Uncertain
	case errors.As(err, &final) || d.Tries > len(s.waits):
		d.State = store.Failed
	default:
		next := time.Now().Add(s.waits[d.Tries-1])
		d.State, d.NextTry = store.Waiting, &next
	}
	d.Reason = err.Error()
	slog.Warn("a receipt could not be delivered", "receipt", d.ReceiptID, "target", d.Target, "state", d.State, "error", err)
}

func (s *Deliveries) bring(ctx context.Context, d *Delivery) error {
	target, err := deliver.ParseTarget(d.Target)
	if err != nil {
		return &deliver.Final{Err: err}
	}
	var p parcel
	if err := json.Unmarshal(d.Parcel, &p); err != nil {
		return &deliver.Final{Err: err}
	}
	key := fmt.Sprintf("receipt-%d-delivery-%d", d.ReceiptID, d.ID)
	return s.Means.Deliver(ctx, target, deliver.Parcel{Key: key, Title: p.Title, Document: p.Document, Message: p.Message})
}

// deliveryInterval is how often deliveries are looked for where nothing tells of them.
const deliveryInterval = time.Minute

// Keep delivers whenever something is due, until the context ends.
func (s *Deliveries) Keep(ctx context.Context) {
	if err := s.store.AbandonDeliveries(ctx); err != nil && ctx.Err() == nil {
		slog.Error("deliveries could not be looked at", "error", err)
	}
	for {
		if _, err := s.Run(ctx); err != nil && ctx.Err() == nil {
			slog.Error("deliveries could not be made", "error", err)
		}
		wait := time.Duration(deliveryInterval)
		if next, err := s.store.NextDelivery(ctx); err == nil && next != nil {
			wait = max(time.Second, min(wait, time.Until(*next)))
		}
		select {
		case <-ctx.Done():
			return
		case <-s.due:
		case <-time.After(wait):
		}
	}
}
