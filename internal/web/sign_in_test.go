package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"vastspan/internal/access"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/signon"
	"vastspan/internal/signon/standin"
)

// said returns the status of an answer, and what it says without what differs from one to the next.
func said(t *testing.T, r *http.Response) string {
	t.Helper()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		t.Fatal(err)
	}
	var p map[string]any
	if err := json.Unmarshal(text, &p); err != nil {
		return fmt.Sprintf("%d %s", r.StatusCode, text)
	}
	delete(p, "request")
	out, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf("%d %s", r.StatusCode, out)
}

// cookieIn returns the cookie of an answer; nil where it has none.
func cookieIn(r *http.Response, name string) *http.Cookie {
	for _, c := range r.Cookies() {
		if c.Name == name {
			return c
		}
	}
	return nil
}

func (m *team) signIn(name, password string) *http.Response {
	body, err := json.Marshal(map[string]string{"name": name, "password": password})
	if err != nil {
		m.t.Fatal(err)
	}
	return m.browser("POST", prefix+"/session", string(body), nil)
}

func TestSigningInAndOut(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	in := m.signIn(" Rea ", teamPassword)
	cookie := cookieIn(in, sessionCookie)
	if in.StatusCode != 200 || cookie == nil || !cookie.HttpOnly || cookie.SameSite != http.SameSiteStrictMode || cookie.Path != "/" || cookie.Secure {
		t.Fatalf("signing in: %d with %v", in.StatusCode, cookie)
	}
	as := func(c *http.Cookie) http.Header { return http.Header{"Cookie": {c.Name + "=" + c.Value}} }
	if got := said(t, m.browser("GET", prefix+"/session", "", as(cookie))); got != `200 {"accounts":true,"groups":["reas"],"name":"rea","role":"reader","signed_in":true}` {
		t.Error(got)
	}
	other := cookieIn(m.signIn("rea", teamPassword), sessionCookie)
	// Another site cannot make a browser change anything, whatever cookies that has.
	for _, head := range []http.Header{
		{"Sec-Fetch-Site": {"cross-site"}}, {"Sec-Fetch-Site": {"same-site"}}, {"Origin": {"https://elsewhere.example"}},
	} {
		for name, values := range as(cookie) {
			head[name] = values
		}
		if r := m.browser("DELETE", prefix+"/session", "", head); r.StatusCode != http.StatusForbidden {
			t.Errorf("%v ends the session: %d", head, r.StatusCode)
		}
	}
	// A password is changed with the one before, and the other sessions end.
	for body, want := range map[string]string{
		`{"current":"wrong","password":"gulls over the long pier"}`:           "422 this is not the current password",
		`{"current":"` + teamPassword + `","password":"short"}`:               "422 at least 12 characters",
		`{"current":"` + teamPassword + `","password":"rea rea rea rea rea"}`: "422 tried first",
	} {
		got := said(t, m.browser("PUT", prefix+"/password", body, as(cookie)))
		status, part, _ := strings.Cut(want, " ")
		if !strings.HasPrefix(got, status) || !strings.Contains(got, part) {
			t.Errorf("%s: %s", body, got)
		}
	}
	if r := m.browser("PUT", prefix+"/password", `{"current":"`+teamPassword+`","password":"gulls over the long pier"}`, as(cookie)); r.StatusCode != 204 {
		t.Errorf("changing the password: %s", said(t, r))
	}
	for c, want := range map[*http.Cookie]int{cookie: 200, other: 401} {
		if r := m.browser("GET", prefix+"/sessions", "", as(c)); r.StatusCode != want {
			t.Errorf("after the change of the password a session gives %d, want %d", r.StatusCode, want)
		}
	}
	if r := m.signIn("rea", teamPassword); r.StatusCode != 401 {
		t.Errorf("the old password lets in: %d", r.StatusCode)
	}
	// One session ends another of the same account, and none of others.
	third := cookieIn(m.signIn("rea", "gulls over the long pier"), sessionCookie)
	var list struct {
		Items []struct {
			ID      int64
			Current bool
		}
	}
	if err := json.NewDecoder(m.browser("GET", prefix+"/sessions", "", as(cookie)).Body).Decode(&list); err != nil {
		t.Fatal(err)
	}
	current := 0
	for _, s := range list.Items {
		if s.Current {
			current++
			continue
		}
		path := fmt.Sprintf("%s/sessions/%d", prefix, s.ID)
		if r := m.browser("DELETE", path, "", http.Header{"Cookie": {sessionCookie + "=" + m.tokens[access.Administrator]}}); r.StatusCode != 404 {
			t.Errorf("another account ends a session: %d", r.StatusCode)
		}
		if r := m.browser("DELETE", path, "", as(cookie)); r.StatusCode != 204 {
			t.Errorf("ending a session: %d", r.StatusCode)
		}
	}
	if current != 1 || len(list.Items) != 2 {
		t.Errorf("sessions: %v", list.Items)
	}
	if r := m.browser("GET", prefix+"/sessions", "", as(third)); r.StatusCode != 401 {
		t.Errorf("a session that was ended gives %d", r.StatusCode)
	}
	out := m.browser("DELETE", prefix+"/session", "", as(cookie))
	if gone := cookieIn(out, sessionCookie); out.StatusCode != 204 || gone == nil || gone.MaxAge >= 0 {
		t.Errorf("signing out: %d with %v", out.StatusCode, gone)
	}
	if r := m.browser("GET", prefix+"/spans", "", as(cookie)); r.StatusCode != 401 {
		t.Errorf("after signing out: %d", r.StatusCode)
	}
	m.as(access.Administrator).talk([]exchange{
		{"GET", "/api/v1/audit?account=rea", "", 200, `"action":"signed in"|"action":"signed out"|"action":"changed"|"action":"revoked"|"action":"refused"`},
	})
}

// Nobody learns whether there is an account: neither by words nor by what is done for an answer.
func TestAccountsAreNotTold(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	m.as(access.Administrator).talk([]exchange{
		{"POST", "/api/v1/accounts", `{"name":"new","role":"reader"}`, 201, `/welcome#`},
		{"PATCH", "/api/v1/accounts/ana", `{"disabled":true}`, 200, `"disabled":true`},
	})
	answers := map[string][]string{}
	for _, name := range []string{"rea", "nobody", "ana", "new", "", "no name at all!", strings.Repeat("x", 150), "local", "' OR 1=1 --"} {
		password := "some wrong password"
		if name == "ana" {
			password = teamPassword // the right one of an account that is disabled
		}
		r := m.signIn(name, password)
		what := said(t, r) + fmt.Sprint(r.Header["Set-Cookie"], r.Header["Retry-After"], len(r.Header))
		answers[what] = append(answers[what], name)
	}
	if len(answers) != 1 {
		t.Errorf("who is there is told: %v", answers)
	}
	// As many tries are taken of who is there as of who is not, and one address does not use up another's.
	for _, name := range []string{"rea", "nobody"} {
		tries := 0
		for ; tries < 100; tries++ {
			r := m.signIn(name, "wrong again and again")
			if r.StatusCode == http.StatusTooManyRequests {
				if after := r.Header.Get("Retry-After"); after == "" || after == "0" {
					t.Errorf("Retry-After: %q", after)
				}
				break
			}
		}
		if tries != 5 { // one was made before
			t.Errorf("%s: %d tries before one has to wait", name, tries)
		}
	}
	if r := m.signIn("rea", teamPassword); r.StatusCode != http.StatusTooManyRequests {
		t.Errorf("the right password in the midst of wrong ones: %d", r.StatusCode)
	}
	ctx := access.With(context.Background(), access.Caller{Address: "192.0.2.9"})
	if _, err := m.service.Accounts.SignIn(ctx, "rea", teamPassword, ""); err != nil {
		t.Errorf("the owner from elsewhere: %v", err)
	}
}

// It takes as long to refuse who is not there as who is: both passwords are hashed.
func TestRefusingTakesAsLong(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	took := func(name string) time.Duration {
		best := time.Hour
		for i := range 5 {
			ctx := access.With(context.Background(), access.Caller{Address: fmt.Sprintf("192.0.2.%d", i)})
			begun := time.Now()
			if _, err := m.service.Accounts.SignIn(ctx, name, "some wrong password", ""); err == nil {
				t.Fatal("a wrong password lets in")
			}
			best = min(best, time.Since(begun))
		}
		return best
	}
	there, not := took("rea"), took("nobody")
	if not < there/3 || there < not/3 {
		t.Errorf("refusing who is there takes %v, who is not %v", there, not)
	}
}

func TestLinksLetInOnce(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	ada := m.as(access.Administrator)
	link := func(method, path, body string) string {
		t.Helper()
		status, _, text := ada.ask(method, path, body)
		var made struct{ Link string }
		if err := json.Unmarshal([]byte(text), &made); err != nil || status >= 300 {
			t.Fatalf("%s: %d %s", path, status, text)
		}
		_, token, found := strings.Cut(made.Link, LinkPath)
		if !found || !strings.HasPrefix(made.Link, m.url) {
			t.Fatalf("the link is %s", made.Link)
		}
		return token
	}
	first := link("POST", prefix+"/accounts", `{"name":"Piet","role":"analyst","groups":["quay","quay","board"]}`)
	second := link("POST", prefix+"/accounts/piet/reset", "")
	m.talk([]exchange{
		{"POST", "/api/v1/links/open", `{"link":"` + first + `"}`, 404, "this link was used already or has expired"}, // the newer one takes its place
		{"POST", "/api/v1/links/open", `{"link":"` + second + `"}`, 200, `{"first":false,"name":"piet"}`},
		{"POST", "/api/v1/links/use", `{"link":"` + second + `","password":"piet1234567890"}`, 422, "tried first"},
		{"POST", "/api/v1/links/use", `{"link":"` + second + `","name":"boss","password":"lamps along the quay"}`, 200, `"name":"piet"|"role":"analyst"|["board","quay"]`},
		{"POST", "/api/v1/links/use", `{"link":"` + second + `","password":"lamps along the quay"}`, 404, "this link was used already or has expired"},
		{"POST", "/api/v1/links/open", `{"link":""}`, 404, "this link was used already or has expired"},
	})
	ada.talk([]exchange{
		{"POST", "/api/v1/accounts", `{"name":"piet","role":"reader"}`, 409, "already exists"},
		{"POST", "/api/v1/accounts", `{"name":"9lives","role":"reader"}`, 422, "not a name for an account"},
		{"POST", "/api/v1/accounts", `{"name":"local","role":"reader"}`, 422, "cannot be named local"},
		{"POST", "/api/v1/accounts", `{"name":"root","role":"root"}`, 422, ""},
		{"PATCH", "/api/v1/accounts/nobody", `{"role":"reader"}`, 404, "no account is named nobody"},
		{"PATCH", "/api/v1/accounts/piet", `{}`, 422, ""},
		{"PATCH", "/api/v1/accounts/ada", `{"role":"analyst"}`, 409, "ada is the last administrator"},
		{"PATCH", "/api/v1/accounts/ada", `{"disabled":true}`, 409, "ada is the last administrator"},
		{"PATCH", "/api/v1/accounts/piet", `{"role":"administrator"}`, 200, ""},
		{"PATCH", "/api/v1/accounts/piet", `{"disabled":true}`, 200, `"disabled":true`},
		{"POST", "/api/v1/accounts/piet/reset", "", 409, "is disabled"},
		{"PATCH", "/api/v1/accounts/ada", `{"disabled":true}`, 409, "ada is the last administrator"},
	})
	// A link of somebody who is kept out lets nobody in.
	ada.talk([]exchange{{"PATCH", "/api/v1/accounts/piet", `{"disabled":false}`, 200, ""}})
	third := link("POST", prefix+"/accounts/piet/reset", "")
	ada.talk([]exchange{{"PATCH", "/api/v1/accounts/piet", `{"disabled":true}`, 200, ""}})
	m.talk([]exchange{{"POST", "/api/v1/links/use", `{"link":"` + third + `","password":"lamps along the quay"}`, 404, ""}})
}

// The first start makes one administrator, once; a service without accounts is everybody's, and has none.
func TestTheFirstAdministrator(t *testing.T) {
	own := pgtest.Database(t, database)
	svc := openService(t, own, nil)
	ctx := t.Context()
	requests, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	s := serve(t, svc, requests)
	s.talk([]exchange{
		{"GET", "/api/v1/session", "", 200, `{"accounts":false,"groups":[],"name":"local","role":"administrator","signed_in":true}`},
		{"POST", "/api/v1/session", `{"name":"a","password":"b"}`, 409, "this service has no accounts"},
		{"POST", "/api/v1/accounts", `{"name":"ines","role":"reader"}`, 409, "start it with --accounts"},
		{"GET", "/api/v1/keys", "", 409, "this service has no accounts"},
		{"GET", "/api/v1/sessions", "", 409, "this service has no accounts"},
		{"POST", "/api/v1/spans", `{"name":"closed","is":"last full month"}`, 201, `"author":"local"`},
		{"GET", "/api/v1/audit", "", 200, `"account":"local"|"means":"none"`},
		{"GET", "/api/v1/sign-on", "", 409, "no provider"},
	})
	first, err := svc.Accounts.Begin(ctx, true)
	if err != nil || first == "" {
		t.Fatalf("the first link: %q, %v", first, err)
	}
	again, err := svc.Accounts.Begin(ctx, true) // another start
	if err != nil || again == first {
		t.Fatalf("the link of another start: %q, %v", again, err)
	}
	s.talk([]exchange{
		{"GET", "/api/v1/spans", "", 401, ""},
		{"POST", "/api/v1/links/open", `{"link":"` + first + `"}`, 404, ""},
		{"POST", "/api/v1/links/open", `{"link":"` + again + `"}`, 200, `{"first":true}`},
		{"POST", "/api/v1/links/use", `{"link":"` + again + `","password":"tide under the old pier"}`, 422, "not a name for an account"},
		{"POST", "/api/v1/links/use", `{"link":"` + again + `","name":"ines","password":"tide under the old pier"}`, 200, `"role":"administrator"`},
		{"POST", "/api/v1/links/use", `{"link":"` + again + `","name":"eve","password":"tide under the old pier"}`, 404, ""},
	})
	if first, err := svc.Accounts.Begin(ctx, false); err != nil || first != "" || !svc.Accounts.Needed() {
		t.Errorf("a start without the flag: link %q, needed %v, %v", first, svc.Accounts.Needed(), err)
	}
}

// Over TLS cookies are secure and of this host alone; behind a proxy that is trusted the caller's address is his own.
func TestBehindAProxy(t *testing.T) {
	public, err := url.Parse("https://reports.example")
	if err != nil {
		t.Fatal(err)
	}
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{PublicURL: public, TrustedProxies: []string{"127.0.0.1"}})
	body := `{"name":"rea","password":"` + teamPassword + `"}`
	ask := func(host, forwarded string) *http.Response {
		q, err := http.NewRequest("POST", m.url+prefix+"/session", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		q.Host = host
		q.Header.Set("Content-Type", "application/json")
		q.Header.Set("X-Forwarded-For", forwarded)
		r, err := http.DefaultClient.Do(q)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { r.Body.Close() })
		return r
	}
	r := ask("reports.example", "203.0.113.9, 198.51.100.7")
	cookie := cookieIn(r, securePrefix+sessionCookie)
	if r.StatusCode != 200 || cookie == nil || !cookie.Secure {
		t.Fatalf("%s, %v", said(t, r), r.Cookies())
	}
	if r := ask("elsewhere.example", "198.51.100.7"); r.StatusCode != 403 {
		t.Errorf("by another name: %d", r.StatusCode)
	}
	m.as(access.Administrator).talk([]exchange{
		{"GET", "/api/v1/audit?account=rea&action=signed%20in&limit=1", "", 200, `"address":"198.51.100.7"`},
		{"POST", "/api/v1/accounts", `{"name":"new","role":"reader"}`, 201, `"link":"https://reports.example/welcome#`},
	})
	for path, want := range map[string]int{"/livez": 200, "/readyz": 200, metricsPath: 403, prefix + "/session": 403, "/": 403} {
		q, err := http.NewRequest("GET", m.url+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		q.Host = "10.0.0.7:7420"
		r, err := http.DefaultClient.Do(q)
		if err != nil {
			t.Fatal(err)
		}
		r.Body.Close()
		if r.StatusCode != want {
			t.Errorf("%s by a number: %d, want %d", path, r.StatusCode, want)
		}
	}
}

// Who signs on by a provider has the role of their groups there, each time anew.
func TestSingleSignOn(t *testing.T) {
	provider, err := standin.New()
	if err != nil {
		t.Fatal(err)
	}
	defer provider.Close()
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	t.Setenv("SIGN_ON_SECRET", standin.Secret)
	definition := signon.Definition{
		Name: "Bay Identity", Issuer: provider.URL, ClientID: standin.ClientID, SecretVariable: "SIGN_ON_SECRET",
		Roles: map[string]access.Role{"Harbour Office": access.Reader, "BI": access.Analyst}, Groups: map[string]string{"Harbour Office": "harbour"},
	}
	requests, err := newValidator()
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewUnstartedServer(nil) // the provider has to know its address
	defer server.Close()
	m.url = "http://" + server.Listener.Addr().String()
	on, err := signon.Configure(definition, m.url+ReturnPath)
	if err != nil {
		t.Fatal(err)
	}
	if server.Config.Handler, err = handler(m.service, Settings{Version: "test", SignOn: on}, requests); err != nil {
		t.Fatal(err)
	}
	server.Start()

	// walk goes to the provider and comes back, as a browser does; where it ends, and the session's cookie.
	walk := func(change func(back *url.URL, cookie *string)) (string, *http.Cookie) {
		t.Helper()
		r := m.browser("GET", prefix+"/sign-on", "", nil)
		if r.StatusCode != 302 {
			t.Fatalf("going to the provider: %s", said(t, r))
		}
		state := cookieIn(r, stateCookie)
		if state == nil || !state.HttpOnly || state.SameSite != http.SameSiteLaxMode {
			t.Fatalf("the state's cookie is %v", state)
		}
		client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		at, err := client.Get(r.Header.Get("Location"))
		if err != nil {
			t.Fatal(err)
		}
		at.Body.Close()
		back, err := url.Parse(at.Header.Get("Location"))
		if err != nil || at.StatusCode != 302 {
			t.Fatalf("the provider: %d, %v", at.StatusCode, err)
		}
		cookie := state.Name + "=" + state.Value
		if change != nil {
			change(back, &cookie)
		}
		end := m.browser("GET", back.RequestURI(), "", http.Header{"Cookie": {cookie}})
		return fmt.Sprintf("%d %s", end.StatusCode, end.Header.Get("Location")), cookieIn(end, sessionCookie)
	}
	claims := func(groups ...string) {
		provider.Set(func(p *standin.Provider) {
			p.Claims = map[string]any{"sub": "77", "preferred_username": "Maren@bay.example", "groups": groups}
		})
	}
	state := func(cookie *http.Cookie) string {
		return said(t, m.browser("GET", prefix+"/session", "", http.Header{"Cookie": {cookie.Name + "=" + cookie.Value}}))
	}
	claims("Harbour Office", "board", "Everyone!")
	to, cookie := walk(nil)
	if to != "302 /" || cookie == nil {
		t.Fatalf("signing on ends at %s with %v", to, cookie)
	}
	if got := state(cookie); !strings.Contains(got, `"groups":["board","harbour"],"name":"maren@bay.example","role":"reader","sign_on":"Bay Identity","signed_in":true`) {
		t.Error(got)
	}
	claims("Harbour Office", "BI")
	if _, cookie = walk(nil); !strings.Contains(state(cookie), `"groups":["harbour"],"name":"maren@bay.example","role":"analyst"`) {
		t.Error(state(cookie))
	}
	// Who loses every group there loses everything here, session and keys, until a group gives a role again.
	r := m.browser("POST", prefix+"/keys", `{"name":"program","role":"analyst"}`, http.Header{"Cookie": {cookie.Name + "=" + cookie.Value}})
	var made struct{ Secret string }
	if err := json.NewDecoder(r.Body).Decode(&made); err != nil || made.Secret == "" {
		t.Fatalf("a key: %d %v", r.StatusCode, err)
	}
	program := &site{t: t, url: m.url, key: made.Secret}
	program.talk([]exchange{{"GET", "/api/v1/datasets", "", 200, ""}})
	before := cookie
	claims()
	if to, in := walk(nil); !strings.Contains(to, "why=no-role") || in != nil {
		t.Errorf("without a group: %s", to)
	}
	if got := state(before); !strings.Contains(got, `"signed_in":false`) {
		t.Errorf("the session goes on: %s", got)
	}
	program.talk([]exchange{{"GET", "/api/v1/datasets", "", 401, ""}})
	m.as(access.Administrator).talk([]exchange{{"GET", "/api/v1/accounts", "", 200, `"no_role_since"`}})
	claims("BI")
	if to, in := walk(nil); to != "302 /" || in == nil {
		t.Errorf("with a group again: %s", to)
	}
	program.talk([]exchange{{"GET", "/api/v1/datasets", "", 200, ""}})
	// What is not in order lets nobody in, and says why where a person reads it.
	for what, c := range map[string]struct {
		prepare func(*standin.Provider)
		change  func(*url.URL, *string)
		want    string
	}{
		"no group has a role": {func(p *standin.Provider) {
			p.Claims = map[string]any{"sub": "78", "preferred_username": "eve", "groups": []string{"x"}}
		}, nil, "why=no-role"},
		"the name is taken": {func(p *standin.Provider) {
			p.Claims = map[string]any{"sub": "79", "preferred_username": "ada", "groups": "BI"}
		}, nil, "why=name-taken"},
		"there is no name":     {func(p *standin.Provider) { p.Claims = map[string]any{"sub": "80", "groups": "BI"} }, nil, "why=failed"},
		"the provider refuses": {func(p *standin.Provider) { p.Refuses = "access_denied" }, nil, "why=failed"},
		"another nonce":        {func(p *standin.Provider) { p.WrongNonce = true }, nil, "why=failed"},
		"another key":          {func(p *standin.Provider) { p.WrongKey = true }, nil, "why=failed"},
		"another browser":      {nil, func(_ *url.URL, cookie *string) { *cookie = stateCookie + "=other" }, "why=failed"},
		"no cookie":            {nil, func(_ *url.URL, cookie *string) { *cookie = "x=y" }, "why=failed"},
		"another state":        {nil, func(u *url.URL, _ *string) { u.RawQuery = "code=x&state=y" }, "why=failed"},
		"another code": {nil, func(u *url.URL, _ *string) {
			q := u.Query()
			q.Set("code", "guessed")
			u.RawQuery = q.Encode()
		}, "why=failed"},
	} {
		claims("BI")
		if c.prepare != nil {
			provider.Set(c.prepare)
		}
		to, cookie := walk(c.change)
		if !strings.HasPrefix(to, "302 /sign-in?why=") || !strings.Contains(to, c.want) || cookie != nil {
			t.Errorf("%s: %s with %v, want %s", what, to, cookie, c.want)
		}
		provider.Set(func(p *standin.Provider) { p.Refuses, p.WrongNonce, p.WrongKey = "", false, false })
	}
	// Coming back twice lets in once.
	claims("BI")
	var back string
	if to, _ := walk(func(u *url.URL, cookie *string) { back = u.RequestURI() + " " + *cookie }); to != "302 /" {
		t.Error(to)
	}
	path, stateText, _ := strings.Cut(back, " ")
	if r := m.browser("GET", path, "", http.Header{"Cookie": {stateText}}); !strings.Contains(r.Header.Get("Location"), "why=failed") {
		t.Errorf("coming back twice: %s", r.Header.Get("Location"))
	}
	m.as(access.Administrator).talk([]exchange{
		{"GET", "/api/v1/accounts", "", 200, `"name":"maren@bay.example"|"signs_on":true`},
		{"POST", "/api/v1/accounts/maren@bay.example/reset", "", 409, "signs on elsewhere"},
		{"PATCH", "/api/v1/accounts/maren@bay.example", `{"disabled":true}`, 200, ""},
		{"GET", "/api/v1/audit?kind=sign-on", "", 200, `"action":"refused"`},
	})
	if r := m.signIn("maren@bay.example", "anything at all"); r.StatusCode != 401 {
		t.Errorf("who signs on by a password: %d", r.StatusCode)
	}
	if to, cookie := walk(nil); !strings.Contains(to, "why=disabled") || cookie != nil {
		t.Errorf("who is kept out signs on: %s", to)
	}
	provider.Server.Close()
	if fresh, err := signon.Configure(definition, m.url+ReturnPath); err != nil {
		t.Error(err)
	} else if _, _, err := fresh.Begin(t.Context()); err == nil || !strings.Contains(err.Error(), "does not answer") {
		t.Errorf("a provider that is down: %v", err)
	}
}
