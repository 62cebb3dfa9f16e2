package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/access"
	"vastspan/internal/refused"
)

// An Account is somebody who may sign in. Accounts are disabled, never removed: what they did stays theirs.
type Account struct {
	ID     int64
	Name   string
	Role   access.Role
	Groups []string `gorm:"serializer:json;type:jsonb"`
	// Password is its hash; empty where there is none yet, or the account signs on elsewhere.
	Password string
	// Subject is who it is where it signs on; nil for an account with a password.
	Subject    *string
	MadeAt     time.Time
	DisabledAt *time.Time
	SignedInAt *time.Time
	// NoRoleSince is when its provider of sign-on last said that it has no role; nil where it has one. It may not call.
	NoRoleSince *time.Time
}

// A Session is that somebody is signed in, in one browser.
type Session struct {
	ID                        int64
	AccountID                 int64
	Token                     []byte // its checksum
	Address, Agent            string
	MadeAt, SeenAt, ExpiresAt time.Time
}

// A Key lets a program call as an account.
type Key struct {
	ID        int64
	AccountID int64
	Name      string
	Role      access.Role // at most this
	Datasets  []string    `gorm:"serializer:json;type:jsonb"` // none for all
	Token     []byte      // its checksum
	Hint      string      // how it begins
	MadeAt    time.Time
	ExpiresAt *time.Time
	UsedAt    *time.Time
	RevokedAt *time.Time
}

// TableName names the table.
func (Key) TableName() string { return "api_keys" }

// A Link lets somebody in once, to set a password. One without an account makes the first administrator.
type Link struct {
	Token             []byte `gorm:"primaryKey"` // its checksum
	AccountID         *int64
	MadeAt, ExpiresAt time.Time
}

// Accounts lists the accounts by name.
func (s *Store) Accounts(ctx context.Context) ([]Account, error) {
	var list []Account
	err := s.reader(ctx).Order("name").Find(&list).Error
	return list, err
}

// HasAccounts reports whether there is any account, and whether there is an administrator who can sign in.
func (s *Store) HasAccounts(ctx context.Context) (some, administrator bool, err error) {
	err = s.reader(ctx).Raw(`
		SELECT EXISTS (SELECT FROM accounts),
			EXISTS (SELECT FROM accounts WHERE role = ? AND disabled_at IS NULL AND (password <> '' OR subject IS NOT NULL))`,
		access.Administrator).Row().Scan(&some, &administrator)
	return some, administrator, err
}

// Account finds an account by its name.
func (s *Store) Account(ctx context.Context, name string) (*Account, error) {
	return findAccount(s.reader(ctx).Where("name = ?", name), name)
}

// AccountOf finds the account of who signs on elsewhere.
func (s *Store) AccountOf(ctx context.Context, subject string) (*Account, error) {
	return findAccount(s.reader(ctx).Where("subject = ?", subject), subject)
}

func findAccount(tx *gorm.DB, name string) (*Account, error) {
	var a Account
	err := tx.Take(&a).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, refused.Missing("account", name)
	}
	return &a, err
}

// AddAccount creates an account.
func (s *Store) AddAccount(ctx context.Context, a *Account) error {
	return s.transaction(ctx, func(tx *gorm.DB) error { return addAccount(tx, a, "") })
}

// addAccount creates an account; by is who did it where that is not the caller.
func addAccount(tx *gorm.DB, a *Account, by string) error {
	a.MadeAt = tx.NowFunc()
	if a.Groups == nil {
		a.Groups = []string{}
	}
	err := tx.Create(a).Error
	if isUnique(err) {
		return refused.Because(refused.CodeAlreadyExists, "account %s already exists", a.Name)
	}
	if err != nil {
		return err
	}
	return note(tx, Entry{
		Account: by, Action: Created, Kind: "account", Name: a.Name, Detail: map[string]any{"role": a.Role, "groups": a.Groups},
	})
}

// ChangeAccount changes an account in one transaction: change is given it as it is, and says what is done, for the audit.
// Its sessions, but for one of them, end where end says so. The last administrator who can sign in stays one.
func (s *Store) ChangeAccount(
	ctx context.Context, name string, change func(*Account) (Entry, error), end func(before, after *Account) (sessions bool, but int64),
) (*Account, error) {
	var a *Account
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		// One after the other, so that no two administrators disable one another.
		if err := tx.Exec("LOCK TABLE accounts IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
			return err
		}
		var err error
		if a, err = findAccount(tx.Where("name = ?", name), name); err != nil {
			return err
		}
		before := *a
		entry, err := change(a)
		if err != nil {
			return err
		}
		if err := tx.Save(a).Error; err != nil {
			return err
		}
		if isWorking(&before) && !isWorking(a) {
			var left int64
			err := tx.Model(&Account{}).Where("role = ? AND disabled_at IS NULL", access.Administrator).Count(&left).Error
			if err == nil && left == 0 {
				err = refused.Because(refused.CodeInUse, "%s is the last administrator: make another one first", name)
			}
			if err != nil {
				return err
			}
		}
		if sessions, but := end(&before, a); sessions {
			if err := tx.Where("account_id = ? AND id <> ?", a.ID, but).Delete(&Session{}).Error; err != nil {
				return err
			}
		}
		return note(tx, entry)
	})
	return a, err
}

// isWorking reports whether an account is that of an administrator who is not disabled.
func isWorking(a *Account) bool { return a.Role == access.Administrator && a.DisabledAt == nil }

// AddLink keeps a link, which replaces earlier ones of its account or of the first administrator.
func (s *Store) AddLink(ctx context.Context, l *Link, e Entry) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		l.MadeAt = tx.NowFunc()
		if err := tx.Where("account_id IS NOT DISTINCT FROM ? OR expires_at < ?", l.AccountID, l.MadeAt).Delete(&Link{}).Error; err != nil {
			return err
		}
		if err := tx.Create(l).Error; err != nil || e.Action == "" {
			return err
		}
		return note(tx, e)
	})
}

// errLink is the refusal of a link that lets nobody in, whatever the reason.
func errLink() error {
	return &refused.Error{Kind: refused.NotFound, Code: refused.CodeNotFound,
		Err: errors.New("this link was used already or has expired: ask for another one")}
}

// Link finds a link that is still good, with its account; nil for that of the first administrator.
func (s *Store) Link(ctx context.Context, token []byte) (*Link, *Account, error) {
	return findLink(s.reader(ctx), token)
}

func findLink(tx *gorm.DB, token []byte) (*Link, *Account, error) {
	var l Link
	err := tx.Where("token = ? AND expires_at > now()", token).Take(&l).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil, errLink()
	}
	if err != nil || l.AccountID == nil {
		return &l, nil, err
	}
	var a Account
	if err := tx.Session(&gorm.Session{NewDB: true}).Where("id = ?", *l.AccountID).Take(&a).Error; err != nil {
		return nil, nil, err
	}
	if a.DisabledAt != nil {
		return nil, nil, errLink()
	}
	return &l, &a, nil
}

// UseLink uses a link up: the account, a new one for the first administrator, has a password from then on, and its sessions end.
func (s *Store) UseLink(ctx context.Context, token []byte, name, password string) (a *Account, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		var l *Link
		if l, a, err = findLink(tx.Clauses(forUpdate), token); err != nil {
			return err
		}
		if err := tx.Where("account_id IS NOT DISTINCT FROM ?", l.AccountID).Delete(&Link{}).Error; err != nil {
			return err
		}
		if a == nil {
			a = &Account{Name: name, Role: access.Administrator, Password: password}
			return addAccount(tx, a, name)
		}
		if err := tx.Model(a).Update("password", password).Error; err != nil {
			return err
		}
		if err := tx.Where("account_id = ?", a.ID).Delete(&Session{}).Error; err != nil {
			return err
		}
		return note(tx, Entry{Account: a.Name, Action: Changed, Kind: "password", Name: a.Name})
	})
	return a, err
}

// AddSession keeps a session of an account.
func (s *Store) AddSession(ctx context.Context, session *Session, a *Account, e Entry) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		now := tx.NowFunc()
		session.MadeAt, session.SeenAt, session.AccountID = now, now, a.ID
		if err := tx.Where("expires_at < ?", now).Delete(&Session{}).Error; err != nil {
			return err
		}
		if err := tx.Create(session).Error; err != nil {
			return err
		}
		if err := tx.Model(a).Update("signed_in_at", now).Error; err != nil {
			return err
		}
		return note(tx, e)
	})
}

// seenStep is how far apart it is noted that a session or a key is used, in SQL.
const seenStep = "interval '1 minute'"

// SessionBy finds a session that has not ended, and its account, by the checksum of its token; nil where there is none. It ends
// when it has not been used for a while.
func (s *Store) SessionBy(ctx context.Context, token []byte, idle time.Duration) (*Session, *Account, error) {
	var list []struct {
		Session
		Account Account `gorm:"embedded;embeddedPrefix:of_"`
		Old     bool
	}
	err := s.db.WithContext(ctx).Raw(`
		SELECT s.*, s.seen_at < now() - `+seenStep+` AS old, a.id AS of_id, a.name AS of_name, a.role AS of_role, a.groups AS of_groups,
			a.subject AS of_subject
		FROM sessions s JOIN accounts a ON a.id = s.account_id
		WHERE s.token = ? AND s.expires_at > now() AND s.seen_at > ?
			AND a.disabled_at IS NULL AND a.no_role_since IS NULL`, token, s.db.NowFunc().Add(-idle)).
		Scan(&list).Error
	if err != nil || len(list) == 0 {
		return nil, nil, err
	}
	found := &list[0]
	if found.Old {
		err = s.db.WithContext(ctx).Model(&Session{ID: found.ID}).Update("seen_at", s.db.NowFunc()).Error
	}
	return &found.Session, &found.Account, err
}

// SignedInFrom reports whether an account has signed in from an address lately.
func (s *Store) SignedInFrom(ctx context.Context, account, address string) (bool, error) {
	var some bool
	err := s.reader(ctx).Raw(`SELECT EXISTS (SELECT 1 FROM audit WHERE account = ? AND action = ? AND kind = 'session' AND address = ?
		AND at > now() - interval '90 days')`, account, SignedIn, address).Scan(&some).Error
	return some, err
}

// Sessions lists the sessions of an account, the one that was used last first.
func (s *Store) Sessions(ctx context.Context, account int64) ([]Session, error) {
	var list []Session
	err := s.reader(ctx).Where("account_id = ? AND expires_at > now()", account).Order("seen_at DESC, id DESC").Find(&list).Error
	return list, err
}

// EndSession ends a session of an account.
func (s *Store) EndSession(ctx context.Context, account, id int64, e Entry) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		result := tx.Where("account_id = ? AND id = ?", account, id).Delete(&Session{})
		if result.Error == nil && result.RowsAffected == 0 {
			return refused.Missing("session", itoa(id))
		}
		if result.Error != nil {
			return result.Error
		}
		return note(tx, e)
	})
}
