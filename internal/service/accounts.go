package service

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"regexp"
	"slices"
	"strings"
	"sync/atomic"
	"time"
	"unicode/utf8"

	"vastspan/core/naming"
	"vastspan/internal/access"
	"vastspan/internal/password"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// accountStore is what accounts, sessions and links are kept in.
type accountStore interface {
	HasAccounts(ctx context.Context) (some, administrator bool, err error)
	Accounts(ctx context.Context) ([]store.Account, error)
	Account(ctx context.Context, name string) (*store.Account, error)
	AccountOf(ctx context.Context, subject string) (*store.Account, error)
	AddAccount(ctx context.Context, a *store.Account) error
	ChangeAccount(
		ctx context.Context, name string, change func(*store.Account) (store.Entry, error),
		end func(before, after *store.Account) (bool, int64),
	) (*store.Account, error)
	AddLink(ctx context.Context, l *store.Link, e store.Entry) error
	Link(ctx context.Context, token []byte) (*store.Link, *store.Account, error)
	UseLink(ctx context.Context, token []byte, name, password string) (*store.Account, error)
	AddSession(ctx context.Context, session *store.Session, a *store.Account, e store.Entry) error
	SessionBy(ctx context.Context, token []byte, idle time.Duration) (*store.Session, *store.Account, error)
	SignedInFrom(ctx context.Context, account, address string) (bool, error)
	Sessions(ctx context.Context, account int64) ([]store.Session, error)
	EndSession(ctx context.Context, account, id int64, e store.Entry) error
	KeyBy(ctx context.Context, token []byte) (*store.Key, *store.Account, error)
	Note(ctx context.Context, e store.Entry) error
}

// Accounts are who may call, and by what they are known. While there are none, everybody who reaches the service is "local".
type Accounts struct {
	store  accountStore
	tries  *tries
	needed atomic.Bool
}

// Account and Session are as they are stored.
type (
	Account = store.Account
	Session = store.Session
)

// How long sessions and links last.
const (
	SessionLasts = 14 * 24 * time.Hour
	SessionIdle  = 2 * 24 * time.Hour
	FirstLasts   = 24 * time.Hour
	LinkLasts    = 3 * 24 * time.Hour
)

// Needed reports whether callers have to be signed in.
func (s *Accounts) Needed() bool { return s.needed.Load() }

// Begin finds out whether callers have to be signed in: where that is wanted, or there are accounts already. It returns a
// token for the one-time link that makes the first administrator where there is none who could sign in; empty where there is.
func (s *Accounts) Begin(ctx context.Context, wanted bool) (first string, err error) {
	some, administrator, err := s.store.HasAccounts(ctx)
	if err != nil {
		return "", err
	}
	s.needed.Store(wanted || some)
	if administrator || !s.needed.Load() {
		return "", nil
	}
	first = newToken("")
	return first, s.store.AddLink(ctx, &store.Link{Token: tokenSum(first), ExpiresAt: time.Now().Add(FirstLasts)}, store.Entry{})
}

// newToken returns a text that nobody can guess.
func newToken(prefix string) string { return prefix + rand.Text() + rand.Text() }

// tokenSum is what is kept of a token.
func tokenSum(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// accountName is what an account may be named.
var accountName = regexp.MustCompile(`^[a-z][a-z0-9._@-]{0,59}$`)

// checkAccount returns a name in small letters, refusing what is not a name for an account.
func checkAccount(name string) (string, error) {
	name = strings.ToLower(strings.TrimSpace(name))
	if !accountName.MatchString(name) {
		return "", refused.Wrongf("%q is not a name for an account: expected up to 60 letters, digits, dots, hyphens, underscores and @, "+
			"beginning with a letter", name)
	}
	if name == access.Local.Name {
		return "", refused.Wrongf("an account cannot be named %s: that is who calls where there are no accounts", name)
	}
	return name, nil
}

// serviceWords are what people who guess try first here.
var serviceWords = []string{"vastspan", "vast", "span", "spans"}

// checkPassword refuses a password that is easily guessed.
func checkPassword(given, account string) error {
	known := append(strings.FieldsFunc(account, func(r rune) bool { return strings.ContainsRune("._@-", r) }), account)
	if err := password.Check(given, append(known, serviceWords...)...); err != nil {
		return &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/password", Err: err}
	}
	return nil
}

// A SignedIn is a session that has begun; Token is what its browser has to show.
type SignedIn struct {
	Token   string
	Session *Session
	Account *Account
}

// errSignIn is the refusal of a name and a password, whatever is wrong with them.
var errSignIn error = &refused.Error{
	Kind: refused.SignedOut, Code: refused.CodeSignIn, Err: errors.New("wrong name or password"),
}

// maxAgent is how much is kept of how a browser calls itself, in bytes.
const maxAgent = 200

// SignIn begins a session by a name and a password. What is answered, and how long that takes, does not depend on whether there
// is such an account.
func (s *Accounts) SignIn(ctx context.Context, name, given, agent string) (*SignedIn, error) {
	if !s.Needed() {
		return nil, errNoAccounts
	}
	name = strings.ToLower(strings.TrimSpace(name))
	from := access.From(ctx).Address
	before, err := s.store.SignedInFrom(ctx, name, from)
	if err != nil {
		return nil, err
	}
	if err := s.tries.take(from, name, before); err != nil {
		return nil, err
	}
	a, err := s.store.Account(ctx, name)
	if err != nil && !refused.IsMissing(err) {
		return nil, err
	}
	known, hash := "", "" // what was typed may be a password, and is kept only where it is the name of an account
	if err == nil {
		known = a.Name
	}
	if err == nil && a.DisabledAt == nil && a.Subject == nil {
		hash = a.Password
	}
	ok, err := password.Matches(ctx, given, hash)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, errors.Join(errSignIn, s.store.Note(ctx, store.Entry{Account: known, Action: store.Refused, Kind: "sign-in"}))
	}
	s.tries.forget(from, name)
	return s.begin(ctx, a, agent)
}

// maxNoted is how much of what a caller calls himself is kept in the audit, in bytes.
const maxNoted = 60

// shortened cuts a text to what the audit keeps of it.
func shortened(text string) string {
	text = strings.ToValidUTF8(text[:min(len(text), maxNoted)], "")
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == utf8.RuneError {
			return ' '
		}
		return r
	}, text)
}

// begin begins a session of an account.
func (s *Accounts) begin(ctx context.Context, a *Account, agent string) (*SignedIn, error) {
	in := &SignedIn{Token: newToken(""), Account: a}
	in.Session = &Session{Token: tokenSum(in.Token), Address: access.From(ctx).Address,
		Agent: strings.ToValidUTF8(agent[:min(len(agent), maxAgent)], ""), ExpiresAt: time.Now().Add(SessionLasts)}
	return in, s.store.AddSession(ctx, in.Session, a, store.Entry{Account: a.Name, Action: store.SignedIn, Kind: "session"})
}

// keyPrefix is how keys begin, so that one that was left somewhere is known for what it is.
const keyPrefix = "vskey_"

// Caller returns who calls with the token of a session, or with a key; nobody where there is neither. Where, where there are no
// accounts, everybody is local.
func (s *Accounts) Caller(ctx context.Context, session, key string) (access.Caller, error) {
	if !s.Needed() {
		return access.Local, nil
	}
	switch {
	case key != "":
		k, a, err := s.store.KeyBy(ctx, tokenSum(key))
		if err != nil || k == nil {
			return access.Caller{}, err
		}
		return access.Caller{
			Account: a.ID, Name: a.Name, Role: access.Lesser(a.Role, k.Role), Groups: a.Groups, Key: k.ID, KeyName: k.Name, Datasets: k.Datasets,
		}, nil
	case session != "":
		in, a, err := s.store.SessionBy(ctx, tokenSum(session), SessionIdle)
		if err != nil || in == nil {
			return access.Caller{}, err
		}
		return access.Caller{Account: a.ID, Name: a.Name, Role: a.Role, Groups: a.Groups, Session: in.ID}, nil
	}
	return access.Caller{}, nil
}

// own returns who is signed in by a session: what concerns passwords and sessions is not for keys.
func own(ctx context.Context) (*access.Caller, error) {
	c := access.From(ctx)
	switch {
	case c != nil && c.Name == access.Local.Name:
		return nil, errNoAccounts
	case c == nil || c.Account == 0:
		return nil, access.ErrSignIn
	case c.Session == 0:
		return nil, access.Refusedf("this is done by who is signed in, not by a key")
	}
	return c, nil
}

// SignOut ends the caller's session.
func (s *Accounts) SignOut(ctx context.Context) error {
	c, err := own(ctx)
	if err != nil {
		return err
	}
	return s.store.EndSession(ctx, c.Account, c.Session, store.Entry{Action: store.Left, Kind: "session"})
}

// Sessions lists the caller's sessions, the one that was used last first.
func (s *Accounts) Sessions(ctx context.Context) ([]Session, error) {
	c, err := own(ctx)
	if err != nil {
		return nil, err
	}
	return s.store.Sessions(ctx, c.Account)
}

// EndSession ends one of the caller's sessions.
func (s *Accounts) EndSession(ctx context.Context, id int64) error {
	c, err := own(ctx)
	if err != nil {
		return err
	}
	return s.store.EndSession(ctx, c.Account, id, store.Entry{Action: store.Revoked, Kind: "session"})
}

// ChangePassword replaces the password of the caller, whose other sessions end.
func (s *Accounts) ChangePassword(ctx context.Context, current, wanted string) error {
	c, err := own(ctx)
	if err != nil {
		return err
	}
	if err := s.tries.take(c.Address, c.Name, true); err != nil {
		return err
	}
	a, err := s.store.Account(ctx, c.Name)
	if err != nil {
		return err
	}
	if a.Subject != nil {
		return refused.Because(refused.CodeElsewhere, "%s signs on elsewhere, and has no password here", a.Name)
	}
	ok, err := password.Matches(ctx, current, a.Password)
	if err != nil {
		return err
	}
	if !ok {
		wrong := &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/current",
			Err: errors.New("this is not the current password")}
		return errors.Join(wrong, s.store.Note(ctx, store.Entry{Action: store.Refused, Kind: "password", Name: c.Name}))
	}
	s.tries.forget(c.Address, c.Name)
	if err := checkPassword(wanted, a.Name); err != nil {
		return err
	}
	hash, err := password.Hash(ctx, wanted)
	if err != nil {
		return err
	}
	_, err = s.store.ChangeAccount(ctx, a.Name, func(a *store.Account) (store.Entry, error) {
		a.Password = hash
		return store.Entry{Action: store.Changed, Kind: "password", Name: a.Name}, nil
	}, func(_, _ *Account) (bool, int64) { return true, c.Session })
	return err
}

// List lists the accounts by name.
func (s *Accounts) List(ctx context.Context) ([]Account, error) { return s.store.Accounts(ctx) }

// A OneTime is a link that lets somebody in once, until it runs out.
type OneTime struct {
	Token     string
	ExpiresAt time.Time
}

// NewAccount says what an account may do.
type NewAccount struct {
	Name   string
	Role   access.Role
	Groups []string
}

// errNoAccounts is the refusal of what is about accounts where callers need not sign in: the first account would lock out who
// made it.
var errNoAccounts = refused.Because(refused.CodeElsewhere, "this service has no accounts: start it with --accounts, or make the first "+
	"one on its server by vastspan account add")

// Add creates an account, and returns the link by which its owner sets a password.
func (s *Accounts) Add(ctx context.Context, n NewAccount) (*Account, *OneTime, error) {
	if c := access.From(ctx); !s.Needed() && c != nil && !c.Server {
		return nil, nil, errNoAccounts
	}
	name, err := checkAccount(n.Name)
	if err != nil {
		return nil, nil, err
	}
	groups, err := checkGroups(n.Groups)
	if err != nil {
		return nil, nil, err
	}
	if n.Role, err = access.ParseRole(string(n.Role)); err != nil {
		return nil, nil, err
	}
	a := &Account{Name: name, Role: n.Role, Groups: groups}
	if err := s.store.AddAccount(ctx, a); err != nil {
		return nil, nil, err
	}
	link, err := s.link(ctx, a)
	return a, link, err
}

// maxGroups is in how many groups an account may be.
const maxGroups = 100

// checkGroups returns the names of groups in their order, each once.
func checkGroups(names []string) ([]string, error) {
	groups := []string{}
	for _, name := range names {
		if err := naming.Check(name); err != nil {
			return nil, refused.Wrongf("group %w", err)
		}
		groups = append(groups, name)
	}
	slices.Sort(groups)
	if groups = slices.Compact(groups); len(groups) > maxGroups {
		return nil, refused.Wrongf("an account is in at most %d groups", maxGroups)
	}
	return groups, nil
}

// link returns a one-time link for an account.
func (s *Accounts) link(ctx context.Context, a *Account) (*OneTime, error) {
	l := &OneTime{newToken(""), time.Now().Add(LinkLasts)}
	return l, s.store.AddLink(ctx, &store.Link{Token: tokenSum(l.Token), AccountID: &a.ID, ExpiresAt: l.ExpiresAt},
		store.Entry{Action: store.Created, Kind: "link", Name: a.Name})
}

// Reset returns a link by which the owner of an account sets a password; until then the old one is good.
func (s *Accounts) Reset(ctx context.Context, name string) (*OneTime, error) {
	a, err := s.store.Account(ctx, name)
	if err != nil {
		return nil, err
	}
	switch {
	case a.Subject != nil:
		return nil, refused.Because(refused.CodeElsewhere, "%s signs on elsewhere, and has no password here", name)
	case a.DisabledAt != nil:
		return nil, refused.Because(refused.CodeIsCurrent, "account %s is disabled: enable it first", name)
	}
	return s.link(ctx, a)
}

// An AccountChange says what changes of an account; what is nil stays.
type AccountChange struct {
	Role     *access.Role
	Groups   *[]string
	Disabled *bool
}

// Change changes what an account may do. Its sessions end where it may less than before.
func (s *Accounts) Change(ctx context.Context, name string, c AccountChange) (*Account, error) {
	return s.store.ChangeAccount(ctx, name, func(a *Account) (store.Entry, error) {
		e := store.Entry{Action: store.Changed, Kind: "account", Name: name, Detail: map[string]any{}}
		if c.Role != nil {
			role, err := access.ParseRole(string(*c.Role))
			if err != nil {
				return e, err
			}
			a.Role, a.NoRoleSince, e.Detail["role"] = role, nil, role
		}
		if c.Groups != nil {
			groups, err := checkGroups(*c.Groups)
			if err != nil {
				return e, err
			}
			a.Groups, e.Detail["groups"] = groups, groups
		}
		if c.Disabled != nil {
			e.Detail["disabled"] = *c.Disabled
			switch now := time.Now().UTC(); {
			case *c.Disabled && a.DisabledAt == nil:
				a.DisabledAt = &now
			case !*c.Disabled:
				a.DisabledAt = nil
			}
		}
		return e, nil
	}, func(before, after *Account) (bool, int64) {
		return after.DisabledAt != nil || !after.Role.Covers(before.Role), 0
	})
}

// LinkFor returns the name of the account that a link is for; empty for that of the first administrator.
func (s *Accounts) LinkFor(ctx context.Context, token string) (string, error) {
	_, a, err := s.store.Link(ctx, tokenSum(token))
	if err != nil || a == nil {
		return "", err
	}
	return a.Name, nil
}

// UseLink sets a password by a link, which is used up, and begins a session. The name is for the first administrator only.
func (s *Accounts) UseLink(ctx context.Context, token, name, wanted, agent string) (*SignedIn, error) {
	_, a, err := s.store.Link(ctx, tokenSum(token))
	if err != nil {
		return nil, err
	}
	if a != nil {
		name = a.Name
	} else if name, err = checkAccount(name); err != nil {
		return nil, err
	}
	if err := checkPassword(wanted, name); err != nil {
		return nil, err
	}
	hash, err := password.Hash(ctx, wanted)
	if err != nil {
		return nil, err
	}
	if a, err = s.store.UseLink(ctx, tokenSum(token), name, hash); err != nil {
		return nil, err
	}
	return s.begin(ctx, a, agent)
}

// An Identity is who somebody is by a provider of sign-on.
type Identity struct {
	Subject string // with the provider's address, so that no two are the same
	Name    string
	Role    access.Role // by their groups there
	Groups  []string
}

// SignOn begins a session of who was signed on elsewhere: the account is made at the first time, and has the role and the groups
// that they have there now.
func (s *Accounts) SignOn(ctx context.Context, who Identity, agent string) (*SignedIn, error) {
	groups, err := checkGroups(who.Groups)
	if err != nil {
		return nil, err
	}
	refuse := func(err error) (*SignedIn, error) {
		return nil, errors.Join(err, s.store.Note(ctx, store.Entry{Account: shortened(who.Name), Action: store.Refused, Kind: "sign-on"}))
	}
	a, err := s.store.AccountOf(ctx, who.Subject)
	switch {
	case err != nil && !refused.IsMissing(err):
		return nil, err
	case who.Role == access.Nobody:
		if err == nil {
			if err := s.loseRole(ctx, a.Name); err != nil {
				return nil, err
			}
		}
		return refuse(&NoRole{})
	}
	switch {
	case refused.IsMissing(err):
		name, err := checkAccount(who.Name)
		if err != nil {
			return refuse(err)
		}
		a = &Account{Name: name, Role: who.Role, Groups: groups, Subject: &who.Subject}
		if err := s.store.AddAccount(ctx, a); err != nil {
			if IsRefusal(err) {
				return refuse(err)
			}
			return nil, err
		}
	case a.DisabledAt != nil:
		return refuse(access.Refusedf("account %s is disabled", a.Name))
	case a.Role != who.Role || !slices.Equal(a.Groups, groups) || a.NoRoleSince != nil:
		if a, err = s.Change(ctx, a.Name, AccountChange{Role: &who.Role, Groups: &groups}); err != nil {
			return refuse(err)
		}
	}
	return s.begin(ctx, a, agent)
}

// NoRole is the refusal of somebody who has no role by their groups at the provider of sign-on.
type NoRole struct{}

func (*NoRole) Error() string {
	return "none of your groups has a role in this service: ask its administrators"
}

// Unwrap returns it as a refusal.
func (e *NoRole) Unwrap() error { return access.Refusedf("%s", e.Error()) }

// loseRole ends the sessions of an account that has no role any more, and has its keys refused, until a sign-on gives it one.
func (s *Accounts) loseRole(ctx context.Context, name string) error {
	_, err := s.store.ChangeAccount(ctx, name, func(a *store.Account) (store.Entry, error) {
		if a.NoRoleSince == nil {
			now := time.Now().UTC()
			a.NoRoleSince = &now
		}
		return store.Entry{Account: name, Action: store.Changed, Kind: "account", Name: name, Detail: map[string]any{"role": ""}}, nil
	}, func(_, _ *Account) (bool, int64) { return true, 0 })
	return err
}

// NoteRefused keeps in the audit that a caller was refused an operation, unless he was so too often lately: the audit is not to be
// filled by it.
func (s *Accounts) NoteRefused(ctx context.Context, operation string) error {
	c := access.From(ctx)
	if !s.tries.notes(cmp.Or(c.Name, c.Address)) {
		return nil
	}
	return s.store.Note(ctx, store.Entry{Action: store.Refused, Kind: "operation", Name: operation})
}
