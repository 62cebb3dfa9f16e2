package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// browser opens Debian's Chromium without a window and gives a context for it.
func browser(t *testing.T) context.Context {
	t.Helper()
	profile := t.TempDir()
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath("chromium"), chromedp.NoSandbox, chromedp.UserDataDir(profile), chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true))
	allocated, cancel := chromedp.NewExecAllocator(context.Background(), options...)
	t.Cleanup(cancel)
	ctx, cancelTab := chromedp.NewContext(allocated)
	t.Cleanup(cancelTab)
	ctx, cancelTime := context.WithTimeout(ctx, 2*time.Minute)
	t.Cleanup(cancelTime)
	if err := chromedp.Run(ctx); err != nil { // the tab lives as long as the context that opened it
		t.Fatal(err)
	}
	return ctx
}

// do runs steps in the browser and fails the test with what stands on the page when one of them
// does not come to an end.
func do(t *testing.T, ctx context.Context, what string, actions ...chromedp.Action) {
	t.Helper()
	limited, cancel := context.WithTimeout(ctx, 40*time.Second)
	defer cancel()
	if err := chromedp.Run(limited, actions...); err != nil {
		var page string
		_ = chromedp.Run(ctx, chromedp.Text("body", &page))
		t.Fatalf("%s: %v; the page shows\n%s", what, err, page)
	}
}

// shows waits until an element's text has some words in it.
func shows(selector, words string) chromedp.Action {
	return chromedp.Poll(`[...document.querySelectorAll(`+quoted(selector)+`)].some(e => e.innerText.includes(`+quoted(words)+`))`, nil,
		chromedp.WithPollingInterval(50*time.Millisecond), chromedp.WithPollingTimeout(30*time.Second))
}

func quoted(s string) string { return "`" + strings.ReplaceAll(s, "`", "\\`") + "`" }

func TestConsole(t *testing.T) {
	if _, err := os.Stat("../internal/web/console/dist/index.html"); err != nil {
		t.Fatal("the console is not built: run make build")
	}
	s := start(t)
	file := filepath.Join(s.demoFiles(), "crossings.csv")
	s.loadCrossings(file)
	ctx := browser(t)

	do(t, ctx, "the start page", chromedp.Navigate(s.address), chromedp.WaitVisible("#span-name"), shows("[data-as-of]", "Mon 19 Oct 2026"))
	do(t, ctx, "a refused expression", chromedp.SendKeys("#span-name", "closed-month"), chromedp.SendKeys("#span-is", "last month"),
		shows("[data-check]", "has two readings"), shows("[data-check] button", "trailing 1 month"))
	do(t, ctx, "a reading taken", chromedp.Click(`//div[@data-check]//button[.="last full month"]`, chromedp.BySearch),
		shows("[data-reads]", "1 Sep – 30 Sep 2026"))
	do(t, ctx, "the span added", chromedp.Click(`//button[.="Add span"]`, chromedp.BySearch), shows(`[data-span="closed-month"]`, "1 Sep – 30 Sep 2026"))
	if list := s.must("span", "list", "--as-of", "2026-10-19", "--output", "csv"); !strings.Contains(list, "closed-month,last full month,2026-09-01,2026-09-30,30") {
		t.Errorf("the client lists %s", list)
	}

	// Back over the month's start by keys: the days follow.
	do(t, ctx, "a month back", chromedp.Evaluate(`document.activeElement.blur()`, nil), chromedp.KeyEvent(kb.ArrowLeft, chromedp.KeyModifiers(input.ModifierShift)),
		shows("[data-as-of]", "Sat 19 Sep 2026"), shows(`[data-span="closed-month"] [data-days]`, "1 Aug – 31 Aug 2026"), shows(`[data-span="closed-month"] [data-n]`, "31"))

	august := addUp(t, file, "fare", inMonth("2026-08"))
	do(t, ctx, "the total", chromedp.Click(`//nav//a[contains(., "Totals")]`, chromedp.BySearch), chromedp.WaitVisible("[data-total]"),
		shows("[data-as-of]", "Sat 19 Sep 2026"), shows(`[data-figure="sum_fare"]`, grouped(august.sum.FloatString(2))))
	do(t, ctx, "the records behind it", chromedp.Click(`[data-figure="sum_fare"] a`, chromedp.ByQuery), chromedp.WaitVisible("[data-records]"),
		shows(`[data-sum="fare"]`, grouped(august.sum.FloatString(2))))

	// The address reproduces the page.
	var address string
	do(t, ctx, "the address", chromedp.Location(&address), chromedp.Navigate("about:blank"))
	do(t, ctx, "the address again", chromedp.Navigate(address),
		shows(`[data-sum="fare"]`, grouped(august.sum.FloatString(2))), shows("[data-as-of]", "Sat 19 Sep 2026"))
}

func grouped(s string) string {
	whole, fraction, _ := strings.Cut(s, ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	return whole + "." + fraction
}
