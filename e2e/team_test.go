package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// linkIn is a one-time link in what was printed.
var linkIn = regexp.MustCompile(`https?://\S+/welcome#\w+`)

// goodPassword is one that nobody guesses.
const goodPassword = "tide under the old pier"

// keyOf uses a one-time link up, and returns a key of its account with its role.
func (s *running) keyOf(link, role string) string {
	s.t.Helper()
	_, token, _ := strings.Cut(link, "#")
	ask := func(path, cookie, body string, into any) *http.Response {
		q, err := http.NewRequest("POST", s.address+"/api/v1"+path, strings.NewReader(body))
		if err != nil {
			s.t.Fatal(err)
		}
		q.Header.Set("Content-Type", "application/json")
		q.Header.Set("Cookie", cookie)
		r, err := http.DefaultClient.Do(q)
		if err != nil {
			s.t.Fatal(err)
		}
		defer r.Body.Close()
		text, err := io.ReadAll(r.Body)
		if err != nil || r.StatusCode >= 300 {
			s.t.Fatalf("%s: %d %s %v", path, r.StatusCode, text, err)
		}
		if err := json.Unmarshal(text, into); err != nil {
			s.t.Fatal(err)
		}
		return r
	}
	var state struct{ Name string }
	in := ask("/links/use", "", fmt.Sprintf(`{"link":%q,"name":"first","password":%q}`, token, goodPassword), &state)
	var made struct{ Secret string }
	ask("/keys", in.Header.Get("Set-Cookie"), fmt.Sprintf(`{"name":"test","role":%q}`, role), &made)
	return made.Secret
}

// A team gets in: the first administrator by the link of the first start, the others by theirs; each sees what is theirs to see.
func TestATeamGetsIn(t *testing.T) {
	t.Parallel()
	s := startWith(t, "accounts: true\n")
	first := linkIn.FindString(s.said)
	if first == "" || !strings.Contains(s.said, "Make the first one here, once, within 24 hours") {
		t.Fatalf("the first start says %s", s.said)
	}
	s.refused(1, "sign in first", "span", "list")
	if who := s.must("who"); !strings.Contains(who, "Nobody is signed in") {
		t.Error(who)
	}
	ctx := openBrowser(t)
	look := looker(t, ctx, s.address)
	fill := func(selector, text string) chromedp.Action {
		return chromedp.SendKeys(selector, text, chromedp.ByQuery)
	}
	look("the page of who is not in", "/totals?over=2026", "[data-sign-in]")
	look("the first start", strings.TrimPrefix(first, s.address), "[data-welcome]")
	do(t, ctx, "a password that is too easy", fill("#name", "Ines"), fill("#password", "passwordpassword"), press("data-welcome", "Sign in from now on"),
		shows("[data-welcome] [role=alert]", "tried first"))
	do(t, ctx, "the first administrator", chromedp.Navigate("about:blank"), chromedp.Navigate(first), chromedp.WaitVisible("[data-welcome]"), fill("#name", "Ines"),
		fill("#password", goodPassword), press("data-welcome", "Sign in from now on"), shows("[data-you-link]", "ines"), shows("main", "No spans are named yet"))
	do(t, ctx, "the link is used up", chromedp.Navigate("about:blank"), chromedp.Navigate(first), shows("[role=alert]", "this link was used already"))

	look("people", "/accounts", "[data-accounts] tr[data-account]")
	var link string
	do(t, ctx, "somebody is let in", fill("#account-name", "tomas"), chromedp.SetValue("#account-role", "analyst"),
		chromedp.Evaluate(`document.querySelector("#account-role").dispatchEvent(new Event("change", {bubbles: true}))`, nil), fill("#account-groups", "harbour, finance"),
		press("data-add-account", "Add"), shows(`[data-account="tomas"]`, "never"), chromedp.Text("[data-link]", &link))
	key := ""
	do(t, ctx, "a key", chromedp.Navigate(s.address+"/you"), chromedp.WaitVisible("[data-create-key]"), fill("#key-name", "nightly"),
		press("data-create-key", "Create a key"), chromedp.WaitVisible("[data-secret]"), chromedp.Text("[data-secret]", &key), shows("[data-keys]", "nightly"))
	look("who one is", "/you", "[data-sessions] li")
	s.key = key
	if who := s.must("who"); who != "ines, reader, by key nightly\n" {
		t.Errorf("by the key one is %s", who)
	}
	s.refused(1, "this needs the role of analyst; ines is reader", "span", "add", "closed", "last full month")
	s.key = ""

	do(t, ctx, "signing out", chromedp.Click("[data-sign-out]"), chromedp.WaitVisible("[data-sign-in]"))
	do(t, ctx, "a wrong password", fill("#name", "ines"), fill("#password", "not this one at all"), press("data-sign-in", "Sign in"),
		shows("[data-sign-in] [role=alert]", "wrong name or password"))
	do(t, ctx, "the analyst's link", chromedp.Navigate(link), shows("[data-name]", "tomas"), fill("#password", "lamps along the quay"),
		press("data-welcome", "Sign in from now on"), shows("[data-you-link]", "tomas"))
	do(t, ctx, "what is not an analyst's is not offered", chromedp.WaitVisible("[data-make-span]"),
		chromedp.Poll(`![...document.querySelectorAll("nav a")].some(a => /Accounts|Audit|Status/.test(a.textContent))`, nil))
	do(t, ctx, "a span by its real author", chromedp.Click("[data-make-span]"), chromedp.WaitVisible("[data-new-span]"), fill("#new-name", "closed"), fill("#new-is", "last full month"),
		press("data-new-span", "Add span"), gone("[data-new-span]"), shows("main form", "by tomas"))
	// The client signs in by itself, and keeps its key for itself.
	if out := s.runWith(strings.NewReader("lamps along the quay\n"), "sign-in", "--name", "tomas"); out.code != 0 || !strings.Contains(out.out, "tomas is signed in at "+s.address+" as analyst") {
		t.Errorf("%d %s%s", out.code, out.out, out.err)
	}
	s.must("span", "add", "open-month", "this month")
	s.refused(1, "needs the role of auditor; tomas is analyst", "audit")
	if list := s.must("key", "list", "--output", "csv"); !strings.Contains(list, "client-") {
		t.Error(list)
	}
	s.must("sign-out")
	s.refused(1, "sign in first", "span", "list")
	if out := s.runWith(strings.NewReader("not the password\n"), "sign-in", "--name", "tomas"); out.code != 1 || !strings.Contains(out.err, "wrong name or password") {
		t.Errorf("%d %s%s", out.code, out.out, out.err)
	}
	// On the server itself: who may read the data may look after accounts.
	if list := s.must("account", "list", "--output", "csv"); !strings.Contains(list, "ines,administrator,,good,") || !strings.Contains(list, "tomas,analyst,finance harbour,good,") {
		t.Error(list)
	}
	s.must("account", "role", "tomas", "reader", "--no-groups")
	do(t, ctx, "who may less is signed out", chromedp.Navigate(s.address+"/"), chromedp.WaitVisible("[data-sign-in]"), fill("#name", "tomas"), fill("#password", "lamps along the quay"),
		press("data-sign-in", "Sign in"), shows("[data-you-link]", "tomas"), shows("main", "closed"),
		chromedp.Poll(`getComputedStyle(document.querySelector("[data-make-span]")).display === "none"`, nil))
	s.refused(1, "last administrator", "account", "disable", "ines")
	s.must("account", "disable", "tomas")
	do(t, ctx, "who is kept out is out at the next question", click(`//nav//a[normalize-space(.)="Check"]`), chromedp.WaitVisible("[data-sign-in]"))
	s.refused(1, "no account is named nobody", "account", "reset", "nobody")

	scheme := func(name string) chromedp.Action {
		return emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: name}})
	}
	do(t, ctx, "the administrator again, by night", scheme("dark"), chromedp.Navigate(s.address+"/audit"), chromedp.WaitVisible("[data-sign-in]"), fill("#name", "ines"),
		fill("#password", goodPassword), press("data-sign-in", "Sign in"), shows("[data-audit]", "tomas"))
	look("the audit by night", "/audit", "[data-audit] tbody tr b")
	do(t, ctx, "it is searched", chromedp.Navigate(s.address+"/audit?kind=span"), shows("[data-audit]", "created span closed"),
		chromedp.Poll(`![...document.querySelectorAll("[data-audit] tbody tr")].some(r => r.innerText.includes("account"))`, nil))
	look("the status by night", "/service", "[data-facts]")
	look("people by night", "/accounts", "[data-accounts] tr[data-account]")
	look("who one is by night", "/you", "[data-sessions] li")
	do(t, ctx, "a phone", scheme("light"), chromedp.EmulateViewport(390, 844))
	for path, ready := range map[string]string{"/accounts": "[data-account]", "/audit": "[data-audit] tbody tr b", "/service": "[data-facts]", "/you": "[data-keys]"} {
		look(path+" on a phone", path, ready)
		var wide bool
		do(t, ctx, "the width of "+path, chromedp.Evaluate(`document.documentElement.scrollWidth > 391`, &wide))
		if wide {
			t.Errorf("%s is wider than a phone", path)
		}
	}
	do(t, ctx, "out, on a phone", chromedp.Navigate(s.address+"/you"), chromedp.WaitVisible("[data-sign-out]"), chromedp.Click("[data-sign-out]"), chromedp.WaitVisible("[data-sign-in]"))
	look("signing in on a phone", "/", "[data-sign-in]")
	// An auditor reads the audit, and nothing else.
	rev := linkIn.FindString(s.must("account", "add", "rev", "--role", "auditor"))
	do(t, ctx, "an auditor", chromedp.EmulateViewport(1280, 800), chromedp.Navigate(rev), shows("[data-name]", "rev"), fill("#password", "tides under the pier"),
		press("data-welcome", "Sign in from now on"), shows("[data-audit]", "created span"),
		chromedp.Poll(`[...document.querySelectorAll("nav a")].map(a => a.textContent.trim()).filter(n => n && n !== "Vast Span").join() === "Audit,rev"`, nil))
	if out := s.runWith(strings.NewReader("tides under the pier\n"), "sign-in", "--name", "rev"); out.code != 0 {
		t.Errorf("%d %s%s", out.code, out.out, out.err)
	}
	s.refused(1, "this needs the role of reader; rev is auditor", "span", "list")
	if out := s.must("audit", "--output", "csv"); !strings.Contains(out, "open-month") {
		t.Errorf("the audit is %s", out)
	}
}

// people lets a team in on the server itself, has the service started again, and returns the keys of its roles; "gone" is that of
// an administrator who was kept out since.
func (s *running) people() map[string]string {
	s.t.Helper()
	links := map[string]string{}
	for role, name := range map[string]string{"administrator": "ada", "analyst": "ana", "reader": "rea", "gone": "gus"} {
		of := role
		if role == "gone" {
			of = "administrator"
		}
		links[role] = linkIn.FindString(s.must("account", "add", name, "--role", of))
	}
	s.stop()
	s.launch()
	keys := map[string]string{}
	for role, link := range links {
		of := role
		if role == "gone" {
			of = "administrator"
		}
		keys[role] = s.keyOf(link, of)
	}
	s.must("account", "disable", "gus")
	return keys
}
