package store

import (
	"context"
	"errors"
	"strconv"

	"gorm.io/gorm"

	"vastspan/internal/refused"
)

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// An OwnedKey is a key with the name of its account.
type OwnedKey struct {
	Key
	Account string
}

// AddKey keeps a key.
func (s *Store) AddKey(ctx context.Context, k *Key, account string) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		k.MadeAt = tx.NowFunc()
		if k.Datasets == nil {
			k.Datasets = []string{}
		}
		err := tx.Create(k).Error
		if isUnique(err) {
			return refused.Because(refused.CodeAlreadyExists, "%s has a key %s already: revoke it first, or choose another name", account, k.Name)
		}
		if err != nil {
			return err
		}
		return note(tx, Entry{Action: Created, Kind: "key", Name: k.Name, Detail: map[string]any{
			"account": account, "role": k.Role, "datasets": k.Datasets, "expires_at": k.ExpiresAt,
		}})
	})
}

// Keys lists the keys of an account, newest first, those that were revoked or have run out as well; 0 is of all accounts.
func (s *Store) Keys(ctx context.Context, account, before int64, limit int) ([]OwnedKey, error) {
	var list []OwnedKey
	tx := s.reader(ctx).Table("api_keys").Select("api_keys.*, accounts.name AS account").
		Joins("JOIN accounts ON accounts.id = account_id").Order("api_keys.id DESC").Limit(limit)
	if account != 0 {
		tx = tx.Where("account_id = ?", account)
	}
	if before > 0 {
		tx = tx.Where("api_keys.id < ?", before)
	}
	err := tx.Find(&list).Error
	return list, err
}

// RevokeKey revokes a key of an account; 0 is of any.
func (s *Store) RevokeKey(ctx context.Context, account, id int64) error {
	return s.transaction(ctx, func(tx *gorm.DB) error {
		var k Key
		of := tx.Clauses(forUpdate).Where("id = ? AND revoked_at IS NULL", id)
		if account != 0 {
			of = of.Where("account_id = ?", account)
		}
		err := of.Take(&k).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return refused.Missing("key in use", itoa(id))
		}
		if err == nil {
			err = tx.Model(&k).Update("revoked_at", tx.NowFunc()).Error
		}
		if err != nil {
			return err
		}
		return note(tx, Entry{Action: Revoked, Kind: "key", Name: k.Name})
	})
}

// KeyBy finds a key that is in use, and its account, by the checksum of its token; nil where there is none.
func (s *Store) KeyBy(ctx context.Context, token []byte) (*Key, *Account, error) {
	var list []struct {
		Key
		Account Account `gorm:"embedded;embeddedPrefix:of_"`
		Old     bool
	}
	err := s.db.WithContext(ctx).Raw(`
		SELECT k.*, k.used_at IS NULL OR k.used_at < now() - `+seenStep+` AS old, a.id AS of_id, a.name AS of_name, a.role AS of_role,
			a.groups AS of_groups
		FROM api_keys k JOIN accounts a ON a.id = k.account_id
		WHERE k.token = ? AND k.revoked_at IS NULL AND (k.expires_at IS NULL OR k.expires_at > now()) 
			AND a.disabled_at IS NULL AND a.no_role_since IS NULL`, token).
		Scan(&list).Error
	if err != nil || len(list) == 0 {
		return nil, nil, err
	}
	found := &list[0]
	if found.Old {
		err = s.db.WithContext(ctx).Model(&Key{ID: found.ID}).Update("used_at", s.db.NowFunc()).Error
	}
	return &found.Key, &found.Account, err
}
