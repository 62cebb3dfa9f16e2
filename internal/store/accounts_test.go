package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"vastspan/internal/access"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/refused"
)

func openAlone(t *testing.T) *Store {
	t.Helper()
	s, err := Open(t.Context(), pgtest.Database(t, database), Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s
}

func (s *Store) account(t *testing.T, name string, role access.Role) *Account {
	t.Helper()
	a := &Account{Name: name, Role: role, Password: "x"}
	if err := s.AddAccount(t.Context(), a); err != nil {
		t.Fatal(err)
	}
	return a
}

// A session is found by its token until it ends: by its time, without use, with its account.
func TestSessionsEnd(t *testing.T) {
	s := openAlone(t)
	ctx := t.Context()
	ines, rosa := s.account(t, "ines", access.Administrator), s.account(t, "rosa", access.Reader)
	begin := func(a *Account, token string, lasts time.Duration) *Session {
		t.Helper()
		session := &Session{Token: []byte(token), ExpiresAt: time.Now().Add(lasts)}
		if err := s.AddSession(ctx, session, a, Entry{Action: SignedIn, Kind: "session"}); err != nil {
			t.Fatal(err)
		}
		return session
	}
	is := func(what, token, want string, idle time.Duration) {
		t.Helper()
		found, a, err := s.SessionBy(ctx, []byte(token), idle)
		got := ""
		if found != nil {
			got = fmt.Sprintf("%s %s %v", a.Name, a.Role, a.Groups)
		}
		if got != want || err != nil {
			t.Errorf("%s: %q, %v, want %q", what, got, err, want)
		}
	}
	first := begin(ines, "one", time.Hour)
	begin(rosa, "two", time.Hour)
	begin(rosa, "late", -time.Second)
	is("a session", "one", "ines administrator []", time.Hour)
	is("another account's", "two", "rosa reader []", time.Hour)
	is("one that has run out", "late", "", time.Hour)
	is("no token", "", "", time.Hour)
	if err := s.db.Exec("UPDATE sessions SET seen_at = now() - interval '3 hours' WHERE id = ?", first.ID).Error; err != nil {
		t.Fatal(err)
	}
	is("without use", "one", "", time.Hour)
	is("with longer patience", "one", "ines administrator []", 4*time.Hour)
	is("which counts as use", "one", "ines administrator []", time.Minute)
	// What an account may changes with it at once.
	keep := func(_, _ *Account) (bool, int64) { return false, 0 }
	change := func(name string, change func(*Account)) error {
		_, err := s.ChangeAccount(ctx, name, func(a *Account) (Entry, error) {
			change(a)
			return Entry{Action: Changed, Kind: "account", Name: name}, nil
		}, keep)
		return err
	}
	if err := change("rosa", func(a *Account) { a.Role, a.Groups = access.Analyst, []string{"quay"} }); err != nil {
		t.Fatal(err)
	}
	is("with another role", "two", "rosa analyst [quay]", time.Hour)
	now := time.Now()
	if err := change("rosa", func(a *Account) { a.DisabledAt = &now }); err != nil {
		t.Fatal(err)
	}
	is("of who is kept out", "two", "", time.Hour)
	for _, who := range []func(*Account){
		func(a *Account) { a.DisabledAt = &now }, func(a *Account) { a.Role = access.Analyst },
	} {
		if err := change("ines", who); err == nil || !strings.Contains(err.Error(), "last administrator") {
			t.Errorf("the last administrator: %v", err)
		}
	}
	is("of who stays", "one", "ines administrator []", time.Hour)
	if err := s.EndSession(ctx, rosa.ID, first.ID, Entry{Action: Revoked, Kind: "session"}); !refused.IsMissing(err) {
		t.Errorf("another account's session is ended: %v", err)
	}
	if err := s.EndSession(ctx, ines.ID, first.ID, Entry{Action: Revoked, Kind: "session"}); err != nil {
		t.Error(err)
	}
	is("one that was ended", "one", "", time.Hour)
}

// A key is found by its token until it runs out, is revoked, or its account is kept out; its name is free again then.
func TestKeysEnd(t *testing.T) {
	s := openAlone(t)
	ctx := t.Context()
	ines := s.account(t, "ines", access.Analyst)
	s.account(t, "ada", access.Administrator)
	soon := time.Now().Add(-time.Second)
	add := func(name, token string, until *time.Time) (*Key, error) {
		k := &Key{AccountID: ines.ID, Name: name, Role: access.Reader, Token: []byte(token), Hint: "h", ExpiresAt: until, Datasets: []string{"sales"}}
		return k, s.AddKey(ctx, k, "ines")
	}
	first, err := add("nightly", "one", nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := add("nightly", "two", nil); err == nil || !strings.Contains(err.Error(), "has a key nightly already") {
		t.Errorf("the same name: %v", err)
	}
	if _, err := add("past", "three", &soon); err != nil {
		t.Fatal(err)
	}
	good := func(token string) bool {
		t.Helper()
		k, a, err := s.KeyBy(ctx, []byte(token))
		if err != nil {
			t.Fatal(err)
		}
		if k != nil && (a.Name != "ines" || a.Role != access.Analyst || k.Role != access.Reader || k.Datasets[0] != "sales") {
			t.Errorf("%+v of %+v", k, a)
		}
		return k != nil
	}
	if !good("one") || good("three") || good("four") {
		t.Error("which keys are good is wrong")
	}
	list, err := s.Keys(ctx, ines.ID, 0, 9)
	if err != nil || len(list) != 2 || list[1].UsedAt == nil || list[0].UsedAt != nil || list[1].Account != "ines" {
		t.Errorf("%+v, %v", list, err)
	}
	if err := s.RevokeKey(ctx, ines.ID+1, first.ID); !refused.IsMissing(err) {
		t.Errorf("another account's key is revoked: %v", err)
	}
	if err := s.RevokeKey(ctx, 0, first.ID); err != nil {
		t.Error(err)
	}
	if err := s.RevokeKey(ctx, 0, first.ID); !refused.IsMissing(err) {
		t.Errorf("a key is revoked twice: %v", err)
	}
	if good("one") {
		t.Error("a revoked key is good")
	}
	if _, err := add("nightly", "five", nil); err != nil || !good("five") {
		t.Errorf("the name again: %v", err)
	}
	now := time.Now()
	if _, err := s.ChangeAccount(ctx, "ines", func(a *Account) (Entry, error) {
		a.DisabledAt = &now
		return Entry{Action: Changed, Kind: "account", Name: "ines"}, nil
	}, func(_, _ *Account) (bool, int64) { return true, 0 }); err != nil {
		t.Fatal(err)
	}
	if good("five") {
		t.Error("a key of who is kept out is good")
	}
}

// The audit says by what a caller was let in, takes part in what is done, and is never changed.
func TestTheAuditIsOnlyAddedTo(t *testing.T) {
	s := openAlone(t)
	who := access.Caller{Account: 3, Name: "ines", Address: "192.0.2.7", Request: "r1"}
	as := func(change func(*access.Caller)) context.Context {
		c := who
		change(&c)
		return access.With(t.Context(), c)
	}
	span := func(ctx context.Context, name string, fails error) error {
		_, err := s.Change(ctx, []Change{{Kind: "span", Name: name, Body: []byte(`{}`), Author: access.Author(ctx), Note: "why"}},
			func([]Definition, int64) error { return fails })
		return err
	}
	means := map[string]context.Context{
		"session": as(func(c *access.Caller) { c.Session = 1 }), "key": as(func(c *access.Caller) { c.Key, c.KeyName = 2, "nightly" }),
		"server": as(func(c *access.Caller) { c.Server = true }), "none": as(func(*access.Caller) {}), "service": t.Context(),
	}
	for name, ctx := range means {
		if err := span(ctx, name, nil); err != nil {
			t.Fatal(err)
		}
	}
	failed := errors.New("it does not fit")
	if err := span(t.Context(), "refused", failed); !errors.Is(err, failed) {
		t.Fatal(err)
	}
	list, err := s.Audit(t.Context(), Search{Kind: "span", Limit: 9})
	if err != nil || len(list) != len(means) {
		t.Fatalf("%d entries, %v", len(list), err)
	}
	for _, e := range list {
		if string(e.Means) != e.Name || e.Action != Created || e.Detail["note"] != "why" {
			t.Errorf("%+v", e)
		}
		if by := e.Name != "service"; by != (e.Account == "ines" && e.Address == "192.0.2.7" && e.Request == "r1") || (e.Name == "key") != (e.Detail["key"] == "nightly") {
			t.Errorf("%+v", e)
		}
	}
	for _, statement := range []string{"UPDATE audit SET account = 'eve'", "DELETE FROM audit", "TRUNCATE audit"} {
		if err := s.db.Exec(statement).Error; err == nil || !strings.Contains(err.Error(), "only added to") {
			t.Errorf("%s: %v", statement, err)
		}
	}
	for what, q := range map[string]struct {
		search Search
		want   int
	}{
		"by account": {Search{Account: "ines"}, 4}, "by name": {Search{Name: "key"}, 1}, "by action": {Search{Action: "removed"}, 0},
		"of today":  {Search{From: time.Now().Add(-time.Hour), Until: time.Now().Add(time.Hour)}, 5},
		"of before": {Search{Until: time.Now().Add(-time.Hour)}, 0}, "older ones": {Search{Before: list[0].ID}, 4},
	} {
		q.search.Limit = 9
		if found, err := s.Audit(t.Context(), q.search); err != nil || len(found) != q.want {
			t.Errorf("%s: %d entries, %v, want %d", what, len(found), err, q.want)
		}
	}
}

// A link lets in once, whoever uses it at the same time.
func TestLinksAreUsedOnce(t *testing.T) {
	s := openAlone(t)
	ctx := t.Context()
	add := func(token string, account *int64, lasts time.Duration) {
		t.Helper()
		l := &Link{Token: []byte(token), AccountID: account, ExpiresAt: time.Now().Add(lasts)}
		if err := s.AddLink(ctx, l, Entry{}); err != nil {
			t.Fatal(err)
		}
	}
	add("first", nil, time.Hour)
	won := make(chan string, 8)
	for i := range cap(won) {
		go func() {
			a, err := s.UseLink(ctx, []byte("first"), fmt.Sprintf("a%d", i), "hash")
			if err != nil {
				won <- ""
				return
			}
			won <- a.Name
		}()
	}
	winners := 0
	for range cap(won) {
		if <-won != "" {
			winners++
		}
	}
	list, err := s.Accounts(ctx)
	if err != nil || winners != 1 || len(list) != 1 || list[0].Role != access.Administrator {
		t.Errorf("%d were let in by one link: %+v, %v", winners, list, err)
	}
	add("late", &list[0].ID, -time.Second)
	if _, _, err := s.Link(ctx, []byte("late")); !refused.IsMissing(err) {
		t.Errorf("a link that has run out: %v", err)
	}
	if some, administrator, err := s.HasAccounts(ctx); !some || !administrator || err != nil {
		t.Errorf("accounts %v, an administrator %v, %v", some, administrator, err)
	}
}
