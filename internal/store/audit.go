package store

import (
	"cmp"
	"context"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/access"
)

// An Entry of the audit says who did what to which thing, and when. It is written in the transaction of what was done.
type Entry struct {
	ID      int64
	At      time.Time
	Account string // who; that of the service itself is empty
	Means   Means
	Address string
	Request string // the name of the request
	Action  Action
	Kind    string // of the thing
	Name    string
	Detail  map[string]any `gorm:"serializer:json;type:jsonb"`
}

// TableName names the table.
func (Entry) TableName() string { return "audit" }

// Means is by what a caller was let in.
type Means string

// The means.
const (
	BySession Means = "session"
	ByKey     Means = "key"
	ByNothing Means = "none"    // no accounts, or not signed in
	ByServer  Means = "server"  // a command on the server itself
	ByService Means = "service" // the service did it by itself
)

// Action is what was done.
type Action string

// The actions.
const (
	Created  Action = "created"
	Changed  Action = "changed"
	Removed  Action = "removed"
	Renamed  Action = "renamed"
	Ordered  Action = "ordered"
	Loaded   Action = "loaded"
	Undone   Action = "undone"
	Restored Action = "restored"
	Attached Action = "attached"
	Retried  Action = "retried"
	Taken    Action = "taken away"
	Revoked  Action = "revoked"
	SignedIn Action = "signed in"
	Left     Action = "signed out"
	Refused  Action = "refused"
)

// auditLock is held from when an entry is written until its transaction ends, so that entries come to be seen in the order of
// their numbers.
const auditLock = 7_420_002

// note writes entries in a transaction, as the last thing in it: others wait for its end. Who asks is in the transaction's
// context.
func note(tx *gorm.DB, entries ...Entry) error {
	if len(entries) == 0 {
		return nil
	}
	now, c := tx.NowFunc(), access.From(tx.Statement.Context)
	for i := range entries {
		entries[i].At = now
		entries[i].by(c)
	}
	if err := tx.Exec("SELECT pg_advisory_xact_lock(?)", auditLock).Error; err != nil {
		return err
	}
	return tx.CreateInBatches(entries, entriesAtOnce).Error
}

// entriesAtOnce is how many entries one statement writes.
const entriesAtOnce = 1000

// by notes who did it; nil is the service itself.
func (e *Entry) by(c *access.Caller) {
	if e.Detail == nil {
		e.Detail = map[string]any{}
	}
	if c == nil {
		e.Means = ByService
		return
	}
	another := e.Account != "" && e.Account != c.Name // who is just being let in, or kept out
	e.Account, e.Address, e.Request, e.Means = cmp.Or(e.Account, c.Name), c.Address, c.Request, ByNothing
	switch {
	case another:
	case c.Server:
		e.Means = ByServer
	case c.Key != 0:
		e.Means, e.Detail["key"] = ByKey, c.KeyName
	case c.Session != 0:
		e.Means = BySession
	}
}

// Note writes an entry on its own: of what changes nothing else, such as a try that was refused.
func (s *Store) Note(ctx context.Context, e Entry) error {
	return s.transaction(ctx, func(tx *gorm.DB) error { return note(tx, e) })
}

// Search says which entries of the audit are wanted; what is empty is not asked for.
type Search struct {
	Account, Action, Kind, Name string
	From, Until                 time.Time // half-open
	// Before lists entries with smaller numbers, newest first; 0 is from the newest on.
	Before int64
	Limit  int
}

// Audit lists entries, newest first.
func (s *Store) Audit(ctx context.Context, q Search) ([]Entry, error) {
	tx := s.reader(ctx).Order("id DESC").Limit(q.Limit)
	for _, c := range []struct{ column, value string }{
		{"account", q.Account}, {"action", q.Action}, {"kind", q.Kind}, {"name", q.Name},
	} {
		if c.value != "" {
			tx = tx.Where(c.column+" = ?", c.value)
		}
	}
	if !q.From.IsZero() {
		tx = tx.Where("at >= ?", q.From)
	}
	if !q.Until.IsZero() {
		tx = tx.Where("at < ?", q.Until)
	}
	if q.Before > 0 {
		tx = tx.Where("id < ?", q.Before)
	}
	var list []Entry
	err := tx.Find(&list).Error
	return list, err
}

// AuditAfter lists entries with greater numbers, oldest first.
func (s *Store) AuditAfter(ctx context.Context, id int64, limit int) ([]Entry, error) {
	var list []Entry
	err := s.db.WithContext(ctx).Where("id > ?", id).Order("id").Limit(limit).Find(&list).Error
	return list, err
}

// NewestEntry returns the number of the newest entry of the audit; 0 where there is none.
func (s *Store) NewestEntry(ctx context.Context) (id int64, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT coalesce(max(id), 0) FROM audit").Scan(&id).Error
	return id, err
}
