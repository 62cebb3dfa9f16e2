// Package signon lets people in whom an OpenID Connect provider knows, by the code flow with PKCE. Their groups there say which
// role they have here.
package signon

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/oauth2"

	"vastspan/core/naming"
	"vastspan/internal/access"
	"vastspan/internal/refused"
)

// A Definition is a provider as the configuration states it.
type Definition struct {
	// Name is what people know the provider by; it is on the button.
	Name string `yaml:"name"`
	// Issuer is its address, by which it is discovered; over https unless it is on loopback.
	Issuer   string `yaml:"issuer"`
	ClientID string `yaml:"client_id"`
	// SecretFile holds the client's secret, SecretVariable names the environment variable that does; one of them, or none for a
	// client without a secret.
	SecretFile     string `yaml:"client_secret_file"`
	SecretVariable string `yaml:"client_secret_variable"`
	// Scopes are asked for next to openid and profile.
	Scopes []string `yaml:"scopes"`
	// NameClaim and GroupsClaim say which claims hold the name of the account and the groups; preferred_username and groups
	// where nothing is said.
	NameClaim   string `yaml:"name_claim"`
	GroupsClaim string `yaml:"groups_claim"`
	// Roles are those of groups of the provider: who is in several has the one that may most, who is in none is not let in.
	Roles map[string]access.Role `yaml:"roles"`
	// Groups are the names here of groups of the provider; those that are no names here, and have none, are left out.
	Groups map[string]string `yaml:"groups"`
}

// How long somebody may take to sign on, how many may at a time, and how long the provider may take to answer.
const (
	patience    = 10 * time.Minute
	maxPending  = 10_000
	callTimeout = 10 * time.Second
)

// A Provider is one that people may sign on by. It is safe for use at once by many.
type Provider struct {
	definition Definition
	secret     string
	back       string // where it sends browsers back to
	client     *http.Client
	pending    *expirable.LRU[string, attempt]

	mu       sync.Mutex
	endpoint *oidc.Provider // once it was discovered
}

// An attempt is that somebody is on their way to the provider.
type attempt struct{ nonce, verifier string }

// Configure checks a definition. back is where the provider sends browsers back to.
func Configure(d Definition, back string) (*Provider, error) {
	issuer, err := url.Parse(d.Issuer)
	switch {
	case err != nil || issuer.Host == "" || issuer.Scheme != "https" && !isLoopback(issuer):
		return nil, fmt.Errorf("sign_on: issuer %q: expected an address with https", d.Issuer)
	case d.ClientID == "":
		return nil, errors.New("sign_on: expected a client_id")
	case len(d.Roles) == 0:
		return nil, errors.New("sign_on: expected roles: which groups have which role")
	case d.SecretFile != "" && d.SecretVariable != "":
		return nil, errors.New("sign_on: expected a client_secret_file or a client_secret_variable, not both")
	}
	for group, role := range d.Roles {
		if _, err := access.ParseRole(string(role)); err != nil {
			return nil, fmt.Errorf("sign_on: group %s: %w", group, err)
		}
	}
	for theirs, ours := range d.Groups {
		if err := naming.Check(ours); err != nil {
			return nil, fmt.Errorf("sign_on: group %s: %w", theirs, err)
		}
	}
	d.Name = cmp.Or(d.Name, issuer.Host)
	d.NameClaim, d.GroupsClaim = cmp.Or(d.NameClaim, "preferred_username"), cmp.Or(d.GroupsClaim, "groups")
	p := &Provider{
		definition: d, back: back, client: &http.Client{Timeout: callTimeout},
		pending: expirable.NewLRU[string, attempt](maxPending, nil, patience),
	}
	switch {
	case d.SecretFile != "":
		text, err := os.ReadFile(d.SecretFile)
		if err != nil {
			return nil, fmt.Errorf("sign_on: the client's secret cannot be read: %w", err)
		}
		p.secret = strings.TrimSpace(string(text))
	case d.SecretVariable != "":
		if p.secret = os.Getenv(d.SecretVariable); p.secret == "" {
			return nil, fmt.Errorf("sign_on: the environment variable %s is not set", d.SecretVariable)
		}
	}
	return p, nil
}

func isLoopback(u *url.URL) bool {
	return u.Scheme == "http" && (u.Hostname() == "127.0.0.1" || u.Hostname() == "::1" || u.Hostname() == "localhost")
}

// Name is what people know the provider by.
func (p *Provider) Name() string { return p.definition.Name }

// discovered returns the provider as it describes itself, which is asked for once.
func (p *Provider) discovered(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.endpoint != nil {
		return p.endpoint, nil
	}
	// What is discovered outlives the request: its keys are read again when they change.
	found, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), p.client), p.definition.Issuer)
	if err != nil {
		return nil, refused.Unavailable(p.definition.Name+" does not answer", err)
	}
	p.endpoint = found
	return found, nil
}

func (p *Provider) config(at *oidc.Provider) *oauth2.Config {
	return &oauth2.Config{
		ClientID: p.definition.ClientID, ClientSecret: p.secret, Endpoint: at.Endpoint(), RedirectURL: p.back,
		Scopes: append([]string{oidc.ScopeOpenID, "profile"}, p.definition.Scopes...),
	}
}

// Begin returns where a browser goes to sign on, and a state that it has to bring back in a cookie.
func (p *Provider) Begin(ctx context.Context) (to, state string, err error) {
	at, err := p.discovered(ctx)
	if err != nil {
		return "", "", err
	}
	state = rand.Text()
	a := attempt{rand.Text(), oauth2.GenerateVerifier()}
	p.pending.Add(state, a)
	return p.config(at).AuthCodeURL(state, oidc.Nonce(a.nonce), oauth2.S256ChallengeOption(a.verifier)), state, nil
}

// An Identity is who somebody is by the provider.
type Identity struct {
	Subject, Name string
	Role          access.Role // nobody's where none of their groups has one
	Groups        []string
}

// errState is the refusal of who comes back without having gone.
var errState error = &refused.Error{
	Kind: refused.Invalid, Code: refused.CodeInvalid,
	Err: errors.New("this way of signing on has run out, or was begun in another browser: begin again"),
}

// Finish returns who has come back with a code: with the state that the address holds, and that of the cookie.
func (p *Provider) Finish(ctx context.Context, code, state, cookie string) (*Identity, error) {
	a, ok := p.pending.Get(state)
	if !ok || cookie == "" || subtle.ConstantTimeCompare([]byte(state), []byte(cookie)) != 1 {
		return nil, errState
	}
	p.pending.Remove(state)
	at, err := p.discovered(ctx)
	if err != nil {
		return nil, err
	}
	ctx = oidc.ClientContext(ctx, p.client)
	token, err := p.config(at).Exchange(ctx, code, oauth2.VerifierOption(a.verifier))
	var answered *oauth2.RetrieveError
	switch {
	case errors.As(err, &answered):
		return nil, refused.Wrongf("%s does not take the code: %s", p.definition.Name, cmp.Or(answered.ErrorCode, "no reason is given"))
	case err != nil:
		return nil, refused.Unavailable(p.definition.Name+" does not answer", err)
	}
	raw, ok := token.Extra("id_token").(string)
	if !ok {
		return nil, refused.Wrongf("%s has sent no identity", p.definition.Name)
	}
	id, err := at.Verifier(&oidc.Config{ClientID: p.definition.ClientID}).Verify(ctx, raw)
	if err != nil {
		return nil, refused.Wrongf("what %s has sent is not valid: %w", p.definition.Name, err)
	}
	if subtle.ConstantTimeCompare([]byte(id.Nonce), []byte(a.nonce)) != 1 {
		return nil, errState
	}
	claims := map[string]any{}
	if err := id.Claims(&claims); err != nil {
		return nil, refused.Wrongf("what %s has sent cannot be read: %w", p.definition.Name, err)
	}
	return p.identity(id.Issuer, id.Subject, claims)
}

// identity reads claims.
func (p *Provider) identity(issuer, subject string, claims map[string]any) (*Identity, error) {
	name, ok := claims[p.definition.NameClaim].(string)
	if !ok || name == "" {
		return nil, refused.Wrongf("%s does not say who you are: there is no claim %s", p.definition.Name, p.definition.NameClaim)
	}
	who := &Identity{Subject: issuer + " " + subject, Name: name}
	for _, group := range texts(claims[p.definition.GroupsClaim]) {
		if role, ok := p.definition.Roles[group]; ok && (who.Role == access.Nobody || role.Covers(who.Role)) {
			who.Role = role
		}
		ours := cmp.Or(p.definition.Groups[group], group)
		if naming.Check(ours) == nil {
			who.Groups = append(who.Groups, ours)
		}
	}
	return who, nil
}

// texts returns the texts of a claim, which may be one or a list.
func texts(claim any) (list []string) {
	switch c := claim.(type) {
	case string:
		return []string{c}
	case []any:
		for _, one := range c {
			if text, ok := one.(string); ok {
				list = append(list, text)
			}
		}
	}
	return list
}
