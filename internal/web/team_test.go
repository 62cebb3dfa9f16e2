package web

import (
	"context"
	"net/http"
	"strings"
	"testing"
	"time"

	"vastspan/internal/access"
	"vastspan/internal/attached"
	"vastspan/internal/service"
)

// A team is a site with accounts, one of each role, and a key of each.
type team struct {
	*site
	service *service.Service
	keys    map[access.Role]string
	tokens  map[access.Role]string // of a session of each
}

// teamPassword is that of all accounts of a team.
const teamPassword = "tide under the old pier"

// names of the accounts of a team.
var teamNames = map[access.Role]string{access.Reader: "rea", access.Analyst: "ana", access.Auditor: "aud", access.Administrator: "ada"}

// openTeam opens a site with accounts.
func openTeam(t *testing.T, database string, others map[string]attached.Definition, settings Settings) *team {
	t.Helper()
	requests, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	svc := openService(t, database, others)
	settings.Version = "test"
	m := &team{service: svc, keys: map[access.Role]string{}, tokens: map[access.Role]string{}}
	ctx := access.With(context.Background(), access.Caller{Name: "root", Role: access.Administrator, Server: true, Address: "test"})
	if _, err := svc.Accounts.Begin(ctx, true); err != nil {
		t.Fatal(err)
	}
	for role, name := range teamNames {
		_, link, err := svc.Accounts.Add(ctx, service.NewAccount{Name: name, Role: role, Groups: []string{name + "s"}})
		if err != nil {
			t.Fatal(err)
		}
		in, err := svc.Accounts.UseLink(ctx, link.Token, "", teamPassword, "test")
		if err != nil {
			t.Fatal(err)
		}
		m.tokens[role] = in.Token
		m.keys[role] = m.newKey(t, in, service.NewKey{Name: "test", Role: role})
	}
	m.site = serveWith(t, svc, requests, settings)
	return m
}

// newKey creates a key of who has signed in.
func (m *team) newKey(t *testing.T, in *service.SignedIn, n service.NewKey) string {
	t.Helper()
	ctx := access.With(context.Background(), access.Caller{
		Account: in.Account.ID, Name: in.Account.Name, Role: in.Account.Role, Groups: in.Account.Groups, Session: in.Session.ID,
	})
	_, key, err := m.service.Keys.Create(ctx, n)
	if err != nil {
		t.Fatal(err)
	}
	return key
}

// as is the site as an account of a role calls it, by its key.
func (m *team) as(role access.Role) *site { return &site{t: m.t, url: m.url, key: m.keys[role]} }

// browser asks with cookies, as a page of the service does.
func (m *team) browser(method, path, body string, header http.Header) *http.Response {
	m.t.Helper()
	q, err := http.NewRequest(method, m.url+path, strings.NewReader(body))
	if err != nil {
		m.t.Fatal(err)
	}
	if body != "" {
		q.Header.Set("Content-Type", "application/json")
	}
	for name, values := range header {
		q.Header[name] = values
	}
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }, Timeout: time.Minute}
	r, err := client.Do(q)
	if err != nil {
		m.t.Fatal(err)
	}
	m.t.Cleanup(func() { r.Body.Close() })
	return r
}
