package service

import (
	"context"
	"time"

	"vastspan/core/naming"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// keyStore is what keys are kept in.
type keyStore interface {
	AddKey(ctx context.Context, k *store.Key, account string) error
	Keys(ctx context.Context, account, before int64, limit int) ([]store.OwnedKey, error)
	RevokeKey(ctx context.Context, account, id int64) error
	Dataset(ctx context.Context, name string) (*store.Dataset, error)
}

// Keys let programs call as accounts.
type Keys struct{ store keyStore }

// A Key is one of them, with the name of its account.
type Key = store.OwnedKey

// NewKey says what a key is for.
type NewKey struct {
	Name string
	// Role is the most that it may do; never more than its account.
	Role access.Role
	// Datasets are those that it is for; none is all that its account sees.
	Datasets []string
	// Expires is when it runs out; nil for never.
	Expires *time.Time
}

// hintLength is how much of a key is shown in lists, after its prefix.
const hintLength = 6

// Create creates a key of the caller, and returns what programs have to show, which is kept nowhere.
func (s *Keys) Create(ctx context.Context, n NewKey) (*Key, string, error) {
	c, err := own(ctx)
	if err != nil {
		return nil, "", err
	}
	if err := naming.Check(n.Name); err != nil {
		return nil, "", refused.Wrong(err)
	}
	if n.Role, err = access.ParseRole(string(n.Role)); err != nil {
		return nil, "", err
	}
	if !c.Role.Covers(n.Role) {
		return nil, "", access.Refusedf("a key may do no more than its account: %s is %s", c.Name, c.Role)
	}
	if n.Expires != nil && !n.Expires.After(time.Now()) {
		return nil, "", refused.Wrongf("a key that runs out at %s would never be good", n.Expires.Format(time.RFC3339))
	}
	for _, name := range n.Datasets {
		if _, err := visible(ctx, s.store, name, access.Totals); err != nil {
			return nil, "", err
		}
	}
	token := newToken(keyPrefix)
	k := &store.Key{
		AccountID: c.Account, Name: n.Name, Role: n.Role, Datasets: n.Datasets, Token: tokenSum(token), Hint: token[:len(keyPrefix)+hintLength],
		ExpiresAt: n.Expires,
	}
	if err := s.store.AddKey(ctx, k, c.Name); err != nil {
		return nil, "", err
	}
	return &Key{Key: *k, Account: c.Name}, token, nil
}

// List lists the keys of the caller, newest first; with all, of all accounts, which is for administrators.
func (s *Keys) List(ctx context.Context, all bool, p Paging) (Page[Key], error) {
	page := Page[Key]{Items: []Key{}}
	account, err := keysOf(ctx, all)
	if err != nil {
		return page, err
	}
	before, err := numberAfter(p.After)
	if err != nil {
		return page, err
	}
	if page.Items, err = s.store.Keys(ctx, account, before, p.Limit+1); err == nil && len(page.Items) > p.Limit {
		page.Items = page.Items[:p.Limit]
		page.Next = itoa(int(page.Items[p.Limit-1].ID))
	}
	return page, err
}

// keysOf returns whose keys a caller has to do with; 0 is of all.
func keysOf(ctx context.Context, all bool) (int64, error) {
	c := access.From(ctx)
	if c == nil || c.Account == 0 {
		return 0, errNoAccounts
	}
	if all {
		return 0, access.Need(ctx, access.Administrator)
	}
	return c.Account, nil
}

// Revoke ends a key for good: one of the caller's, or of anybody where the caller is administrator.
func (s *Keys) Revoke(ctx context.Context, id int64) error {
	account, err := keysOf(ctx, access.Need(ctx, access.Administrator) == nil)
	if err != nil {
		return err
	}
	return s.store.RevokeKey(ctx, account, id)
}
