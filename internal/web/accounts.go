package web

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"vastspan/api/server"
	"vastspan/api/types"
	"vastspan/core/civil"
	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// request returns the request that a handler answers.
func request(ctx context.Context) *gin.Context {
	c, ok := ctx.(*gin.Context)
	if !ok {
		panic("web: a handler was called without its request") // the generated server passes it
	}
	return c
}

// sessionState describes who calls.
func (h *handlers) sessionState(c *access.Caller) types.SessionState {
	s := types.SessionState{Accounts: h.service.Accounts.Needed(), SignedIn: c.Role != access.Nobody, Name: optional(c.Name),
		Role: string(c.Role), Groups: append([]string{}, c.Groups...), Key: optional(c.KeyName)}
	if h.settings.SignOn != nil {
		s.SignOn = optional(h.settings.SignOn.Name())
	}
	return s
}

func (h *handlers) GetSession(ctx context.Context, _ server.GetSessionRequestObject) (server.GetSessionResponseObject, error) {
	return server.GetSession200JSONResponse(h.sessionState(access.From(ctx))), nil
}

// begun describes a session that has just begun, and the cookie of it.
func (h *handlers) begun(ctx context.Context, in *service.SignedIn) (types.SessionState, *string) {
	cookie := h.settings.cookie(request(ctx), sessionCookie, in.Token, int(service.SessionLasts.Seconds()), http.SameSiteStrictMode)
	return h.sessionState(&access.Caller{Name: in.Account.Name, Role: in.Account.Role, Groups: in.Account.Groups}), &cookie
}

func (h *handlers) SignIn(ctx context.Context, r server.SignInRequestObject) (server.SignInResponseObject, error) {
	in, err := h.service.Accounts.SignIn(ctx, r.Body.Name, r.Body.Password, request(ctx).Request.UserAgent())
	if err != nil {
		return nil, err
	}
	state, cookie := h.begun(ctx, in)
	return server.SignIn200JSONResponse{Body: state, Headers: server.SignIn200ResponseHeaders{SetCookie: cookie}}, nil
}

func (h *handlers) SignOut(ctx context.Context, _ server.SignOutRequestObject) (server.SignOutResponseObject, error) {
	if err := h.service.Accounts.SignOut(ctx); err != nil {
		return nil, err
	}
	cookie := h.settings.cookie(request(ctx), sessionCookie, "", 0, http.SameSiteStrictMode)
	return server.SignOut204Response{Headers: server.SignOut204ResponseHeaders{SetCookie: &cookie}}, nil
}

func (h *handlers) ListSessions(ctx context.Context, _ server.ListSessionsRequestObject) (server.ListSessionsResponseObject, error) {
	list, err := h.service.Accounts.Sessions(ctx)
	current := access.From(ctx).Session
	return server.ListSessions200JSONResponse{Items: each(list, func(s *service.Session) types.Session {
		return types.Session{
			Id: s.ID, Current: s.ID == current, Address: s.Address, Agent: s.Agent, CreatedAt: s.MadeAt, UsedAt: s.SeenAt, ExpiresAt: s.ExpiresAt,
		}
	})}, err
}

func (h *handlers) EndSession(ctx context.Context, r server.EndSessionRequestObject) (server.EndSessionResponseObject, error) {
	return server.EndSession204Response{}, h.service.Accounts.EndSession(ctx, r.Id)
}

func (h *handlers) ChangePassword(ctx context.Context, r server.ChangePasswordRequestObject) (server.ChangePasswordResponseObject, error) {
	return server.ChangePassword204Response{}, h.service.Accounts.ChangePassword(ctx, r.Body.Current, r.Body.Password)
}

func (h *handlers) OpenLink(ctx context.Context, r server.OpenLinkRequestObject) (server.OpenLinkResponseObject, error) {
	name, err := h.service.Accounts.LinkFor(ctx, r.Body.Link)
	return server.OpenLink200JSONResponse{First: name == "", Name: optional(name)}, err
}

func (h *handlers) UseLink(ctx context.Context, r server.UseLinkRequestObject) (server.UseLinkResponseObject, error) {
	in, err := h.service.Accounts.UseLink(ctx, r.Body.Link, or(r.Body.Name), r.Body.Password, request(ctx).Request.UserAgent())
	if err != nil {
		return nil, err
	}
	state, cookie := h.begun(ctx, in)
	return server.UseLink200JSONResponse{Body: state, Headers: server.UseLink200ResponseHeaders{SetCookie: cookie}}, nil
}

// LinkPath is the page of the console where a one-time link is used; its token follows a number sign, so that no log has it.
const LinkPath = "/welcome#"

// link returns the address of a one-time link.
func (h *handlers) link(ctx context.Context, l *service.OneTime) string {
	return h.settings.base(request(ctx)) + LinkPath + l.Token
}

func (h *handlers) ListAccounts(ctx context.Context, _ server.ListAccountsRequestObject) (server.ListAccountsResponseObject, error) {
	list, err := h.service.Accounts.List(ctx)
	return server.ListAccounts200JSONResponse{Items: each(list, toAccount)}, err
}

func toAccount(a *service.Account) types.Account {
	return types.Account{Name: a.Name, Role: string(a.Role), Groups: append([]string{}, a.Groups...), Disabled: a.DisabledAt != nil,
		SignsOn: a.Subject != nil, CreatedAt: a.MadeAt, SignedInAt: a.SignedInAt, NoRoleSince: a.NoRoleSince}
}

func (h *handlers) AddAccount(ctx context.Context, r server.AddAccountRequestObject) (server.AddAccountResponseObject, error) {
	a, link, err := h.service.Accounts.Add(ctx, service.NewAccount{
		Name: r.Body.Name, Role: access.Role(r.Body.Role), Groups: or(r.Body.Groups),
	})
	if err != nil {
		return nil, err
	}
	return server.AddAccount201JSONResponse{Account: toAccount(a), Link: h.link(ctx, link), ExpiresAt: link.ExpiresAt}, nil
}

func (h *handlers) ChangeAccount(ctx context.Context, r server.ChangeAccountRequestObject) (server.ChangeAccountResponseObject, error) {
	a, err := h.service.Accounts.Change(ctx, r.Account, service.AccountChange{
		Role: (*access.Role)(r.Body.Role), Groups: r.Body.Groups, Disabled: r.Body.Disabled,
	})
	if err != nil {
		return nil, err
	}
	return server.ChangeAccount200JSONResponse(toAccount(a)), nil
}

func (h *handlers) ResetAccount(ctx context.Context, r server.ResetAccountRequestObject) (server.ResetAccountResponseObject, error) {
	link, err := h.service.Accounts.Reset(ctx, r.Account)
	if err != nil {
		return nil, err
	}
	return server.ResetAccount200JSONResponse{Link: h.link(ctx, link), ExpiresAt: link.ExpiresAt}, nil
}

func (h *handlers) ListKeys(ctx context.Context, r server.ListKeysRequestObject) (server.ListKeysResponseObject, error) {
	page, err := h.service.Keys.List(ctx, or(r.Params.All), paging(r.Params.Limit, r.Params.After))
	return server.ListKeys200JSONResponse{Items: each(page.Items, toKey), Next: optional(page.Next)}, err
}

func toKey(k *service.Key) types.Key {
	return types.Key{
		Id: k.ID, Name: k.Name, Account: k.Account, Role: string(k.Role), Datasets: append([]string{}, k.Datasets...), Hint: k.Hint,
		CreatedAt: k.MadeAt, ExpiresAt: k.ExpiresAt, UsedAt: k.UsedAt, RevokedAt: k.RevokedAt,
		Good: k.RevokedAt == nil && (k.ExpiresAt == nil || k.ExpiresAt.After(time.Now())),
	}
}

func (h *handlers) CreateKey(ctx context.Context, r server.CreateKeyRequestObject) (server.CreateKeyResponseObject, error) {
	n := service.NewKey{Name: r.Body.Name, Role: access.Role(r.Body.Role), Datasets: or(r.Body.Datasets)}
	if r.Body.ExpiresOn != nil {
		end := h.service.DayBegins(*r.Body.ExpiresOn + 1)
		n.Expires = &end
	}
	k, secret, err := h.service.Keys.Create(ctx, n)
	if err != nil {
		return nil, err
	}
	return server.CreateKey201JSONResponse{Key: toKey(k), Secret: secret}, nil
}

func (h *handlers) RevokeKey(ctx context.Context, r server.RevokeKeyRequestObject) (server.RevokeKeyResponseObject, error) {
	return server.RevokeKey204Response{}, h.service.Keys.Revoke(ctx, r.Id)
}

func (h *handlers) SearchAudit(ctx context.Context, r server.SearchAuditRequestObject) (server.SearchAuditResponseObject, error) {
	q := service.AuditSearch{
		Account: or(r.Params.Account), Action: or(r.Params.Action), Kind: or(r.Params.Kind), Name: or(r.Params.Name),
	}
	for _, day := range []struct {
		name  string
		text  *string
		after civil.Day
		into  *time.Time
	}{{"from", r.Params.From, 0, &q.From}, {"through", r.Params.Through, 1, &q.Until}} {
		if day.text == nil {
			continue
		}
		d, err := civil.ParseDay(*day.text)
		if err != nil {
			return nil, &refused.Error{Kind: refused.Invalid, Code: refused.CodeInvalid, Pointer: "/" + day.name, Err: err}
		}
		*day.into = h.service.DayBegins(d + day.after)
	}
	page, err := h.service.Audit.Search(ctx, q, paging(r.Params.Limit, r.Params.After))
	return server.SearchAudit200JSONResponse{Items: each(page.Items, func(e *service.Entry) types.AuditEntry {
		return types.AuditEntry{Id: e.ID, At: e.At, Account: e.Account, Means: string(e.Means), Address: e.Address, Request: e.Request,
			Action: string(e.Action), Kind: e.Kind, Name: e.Name, Detail: e.Detail}
	}), Next: optional(page.Next)}, err
}

func (h *handlers) GetAccess(ctx context.Context, r server.GetAccessRequestObject) (server.GetAccessResponseObject, error) {
	d, rules, err := h.service.Datasets.Access(ctx, r.Name)
	if err != nil {
		return nil, err
	}
	return server.GetAccess200JSONResponse{Body: toAccess(rules), Headers: server.GetAccess200ResponseHeaders{ETag: etag(d.ETag())}}, nil
}

func toAccess(r access.Rules) types.Access {
	a := types.Access{MinRecords: optional(r.MinRecords)}
	if r.TotalsBy != "" {
		by := types.AccessTotalsBy(r.TotalsBy)
		a.TotalsBy = &by
	}
	if r.Records != nil {
		a.Records = &r.Records
	}
	if r.Totals != nil {
		a.Totals = &r.Totals
	}
	return a
}

func (h *handlers) PutAccess(ctx context.Context, r server.PutAccessRequestObject) (server.PutAccessResponseObject, error) {
	from, err := matched(r.Params.IfMatch, true)
	if err != nil {
		return nil, err
	}
	d, err := h.service.Datasets.PutAccess(ctx, r.Name, access.Rules{
		Records: or(r.Body.Records), Totals: or(r.Body.Totals), MinRecords: or(r.Body.MinRecords),
		TotalsBy: string(or(r.Body.TotalsBy)),
	}, from)
	if err != nil {
		return nil, err
	}
	var rules access.Rules
	if d.Rules != nil {
		rules = *d.Rules
	}
	return server.PutAccess200JSONResponse{Body: toAccess(rules), Headers: server.PutAccess200ResponseHeaders{ETag: etag(d.ETag())}}, nil
}

// ReturnPath is where the provider of sign-on sends browsers back to.
const ReturnPath = prefix + "/sign-on/return"

// stateCookie is the cookie of who is on the way to the provider of sign-on. It comes back from another site, so it is lax.
const (
	stateCookie  = "vastspan-sign-on"
	stateSeconds = 600
)

// errNoSignOn is the refusal where there is no provider.
var errNoSignOn = refused.Because(refused.CodeElsewhere, "this service has no provider of single sign-on")

func (h *handlers) SignOn(ctx context.Context, _ server.SignOnRequestObject) (server.SignOnResponseObject, error) {
	if h.settings.SignOn == nil {
		return nil, errNoSignOn
	}
	to, state, err := h.settings.SignOn.Begin(ctx)
	if err != nil {
		return nil, err
	}
	cookie := h.settings.cookie(request(ctx), stateCookie, state, stateSeconds, http.SameSiteLaxMode)
	return server.SignOn302Response{Headers: server.SignOn302ResponseHeaders{Location: &to, SetCookie: &cookie}}, nil
}

func (h *handlers) ReturnFromSignOn(
	ctx context.Context, r server.ReturnFromSignOnRequestObject,
) (server.ReturnFromSignOnResponseObject, error) {
	if h.settings.SignOn == nil {
		return nil, errNoSignOn
	}
	in, err := h.signedOn(ctx, r.Params)
	to, cookie := "/", ""
	switch {
	case err == nil:
		_, began := h.begun(ctx, in)
		cookie = *began
	case isSaid(err): // the person is in a browser: the page of sign-in says why
		slog.Warn("a sign-on was refused", "request", request(ctx).GetString(requestKey), "error", err)
		to = "/sign-in?why=" + whyCode(err)
		cookie = h.settings.cookie(request(ctx), stateCookie, "", 0, http.SameSiteLaxMode)
	default:
		return nil, err
	}
	return server.ReturnFromSignOn302Response{Headers: server.ReturnFromSignOn302ResponseHeaders{Location: &to, SetCookie: &cookie}}, nil
}

// whyCode is the code by which the page of sign-in says why somebody was not signed on. It takes no text from an address.
func whyCode(err error) string {
	var refusal *refused.Error
	switch {
	case errors.As(err, new(*service.NoRole)):
		return "no-role"
	case !errors.As(err, &refusal):
		return "failed"
	case refusal.Code == refused.CodeAlreadyExists:
		return "name-taken"
	case refusal.Kind == refused.Forbidden:
		return "disabled"
	case refusal.Kind == refused.Passing:
		return "unavailable"
	}
	return "failed"
}

// isSaid reports whether an error says something to the person whom it keeps out.
func isSaid(err error) bool {
	for _, kind := range []refused.Kind{refused.Invalid, refused.Forbidden, refused.Conflict, refused.Passing} {
		if isKind(err, kind) {
			return true
		}
	}
	return false
}

func (h *handlers) signedOn(ctx context.Context, p types.ReturnFromSignOnParams) (*service.SignedIn, error) {
	if p.Error != nil {
		return nil, refused.Wrongf("%s lets you in nowhere: %s", h.settings.SignOn.Name(), *p.Error)
	}
	c := request(ctx)
	who, err := h.settings.SignOn.Finish(ctx, or(p.Code), or(p.State), h.settings.cookieOf(c, stateCookie))
	if err != nil {
		return nil, err
	}
	return h.service.Accounts.SignOn(ctx, service.Identity{Subject: who.Subject, Name: who.Name, Role: who.Role, Groups: who.Groups},
		c.Request.UserAgent())
}

func (h *handlers) DescribeService(
	ctx context.Context, _ server.DescribeServiceRequestObject,
) (server.DescribeServiceResponseObject, error) {
	state, err := h.service.State(ctx)
	if err != nil {
		return nil, err
	}
	return server.DescribeService200JSONResponse{
		Version: h.settings.Version, Since: h.since, DatabaseBytes: state.DatabaseBytes, Slow: h.slow.all(),
		Datasets: each(state.Datasets, func(d *service.DatasetSize) types.DatasetSize {
			one := types.DatasetSize{Name: d.Name, Records: d.Coverage.Records + d.Undated, Loads: d.Loads, Bytes: d.Bytes,
				PastBytes: d.PastBytes, ColumnsBytes: d.ColumnsBytes, LoadedAt: d.LoadedAt, Trouble: optional(d.Trouble)}
			if d.Attached != nil {
				one.Database = &d.Attached.Database
			}
			return one
		}),
		Schedules: each(state.Schedules, toScheduleState),
	}, nil
}

func toScheduleState(s *service.ScheduleState) types.ScheduleState {
	one := types.ScheduleState{Name: s.Name, Brief: s.Brief, Days: s.On, Through: service.DayOf(s.UpToDate)}
	if s.Last.Receipt == 0 {
		return one
	}
	one.Receipt, one.CreatedAt = &s.Last.Receipt, &s.Last.CreatedAt
	if len(s.Last.States) > 0 {
		texts := each(s.Last.States, func(state *service.DeliveryState) string { return string(*state) })
		failed := slices.ContainsFunc(s.Last.States, func(state service.DeliveryState) bool { return !state.Well() })
		one.Deliveries, one.Failed = &texts, &failed
	}
	return one
}
