package e2e

import (
	"context"
	"fmt"
	"math/big"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"vastspan/internal/deliver"
)

// openBrowser opens the headless shell of Debian's Chromium and gives a context for it.
func openBrowser(t *testing.T) context.Context {
	t.Helper()
	profile, err := os.MkdirTemp("", "vastspan-profile-")
	if err != nil {
		t.Fatal(err)
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(deliver.HeadlessShell), chromedp.NoSandbox, chromedp.UserDataDir(profile), chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true))
	allocated, cancel := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, _ := chromedp.NewContext(allocated)
	t.Cleanup(func() {
		_ = chromedp.Cancel(ctx) // closes the browser in order; one that has gone already is no matter
		cancel()
		for range 50 { // its last processes may still write
			if os.RemoveAll(profile) == nil {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
		t.Errorf("the browser's profile %s cannot be removed", profile)
	})
	ctx, cancelTime := context.WithTimeout(ctx, 6*time.Minute)
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

// shows waits until an element's text has some words in it. A page that is left while it is looked at is looked at again.
func shows(selector, words string) chromedp.Action {
	look := chromedp.Poll(`[...document.querySelectorAll(`+quoted(selector)+`)].some(e => e.innerText.includes(`+quoted(words)+`))`, nil,
		chromedp.WithPollingInterval(50*time.Millisecond), chromedp.WithPollingTimeout(30*time.Second))
	return chromedp.ActionFunc(func(ctx context.Context) error {
		for {
			err := look.Do(ctx)
			if err == nil || ctx.Err() != nil || !strings.Contains(err.Error(), "Cannot find context") {
				return err
			}
		}
	})
}

// settled waits until an element has stood in the same place for a while: what is drawn over others moves into its place.
func settled(selector string) chromedp.Action {
	return still(`document.querySelector(` + quoted(selector) + `)`)
}

// still is settled of what an expression finds.
func still(found string) chromedp.Action {
	return chromedp.Poll(`(() => {
		const box = (`+found+`)?.getBoundingClientRect()
		const place = box ? [box.x, box.y, box.width, box.height].join() : ""
		if (place !== window.lastPlace) { window.lastPlace = place; window.placedAt = performance.now() }
		return place !== "" && performance.now() - window.placedAt > 150
	})()`, nil, chromedp.WithPollingInterval(50*time.Millisecond), chromedp.WithPollingTimeout(30*time.Second))
}

func quoted(s string) string { return "`" + strings.ReplaceAll(s, "`", "\\`") + "`" }

func TestConsole(t *testing.T) {
	t.Parallel()
	if _, err := os.Stat("../internal/web/console/dist/index.html"); err != nil {
		t.Fatal("the console is not built: run make build")
	}
	s := start(t)
	file := filepath.Join(s.demoFiles(), "crossings.csv")
	s.loadCrossings(file)
	ctx := openBrowser(t)

	do(t, ctx, "the start page", chromedp.Navigate(s.address), shows("main", "No spans are named yet"), shows("[data-as-of]", "Mon 19 Oct 2026"))
	do(t, ctx, "a refused expression", click(`//button[contains(., "New span")]`), chromedp.WaitVisible("#new-name"),
		chromedp.SendKeys("#new-name", "closed-month"), chromedp.SendKeys("#new-is", "last month"),
		shows("[data-check]", "has two meanings"), shows("[data-check] button", "trailing 1 month"))
	do(t, ctx, "a reading taken", click(`//div[@data-check]//button[.="last full month"]`),
		shows("[data-reads]", "1 Sep – 30 Sep 2026"))
	do(
		t,
		ctx,
		"the span added",
		press("data-new-span", "Add span"),
		gone("[data-new-span]"),
		shows(`[data-span="closed-month"]`, "1 Sep – 30 Sep 2026"),
	)
	if list := s.must("span", "list", "--as-of", "2026-10-19", "--output", "csv"); !strings.Contains(
		list,
		"closed-month,last full month,2026-09-01,2026-09-30,30",
	) {
		t.Errorf("the client lists %s", list)
	}

	// Back over the month's start by keys: the days follow.
	do(
		t,
		ctx,
		"a month back",
		chromedp.Evaluate(`document.activeElement.blur()`, nil),
		chromedp.KeyEvent(kb.ArrowLeft, chromedp.KeyModifiers(input.ModifierShift)),
		shows(
			"[data-as-of]",
			"Sat 19 Sep 2026",
		),
		shows(`[data-span="closed-month"] [data-days]`, "1 Aug – 31 Aug 2026"),
		shows(`[data-span="closed-month"] [data-n]`, "31"),
	)

	august := addUp(t, file, "fare", inMonth("2026-08"))
	do(t, ctx, "the total", click(`//nav//a[contains(., "Totals")]`), chromedp.WaitVisible("[data-table]"),
		shows("[data-as-of]", "Sat 19 Sep 2026"), shows(`[data-column="sum_fare"]`, grouped(august.sum.FloatString(2))))
	do(
		t,
		ctx,
		"the records behind it",
		chromedp.Click(`[data-column="sum_fare"] a`, chromedp.ByQuery),
		chromedp.WaitVisible("[data-records]"),
		shows(`[data-sum="fare"]`, grouped(august.sum.FloatString(2))),
	)

	// The address reproduces the page.
	var address string
	do(t, ctx, "the address", chromedp.Location(&address), chromedp.Navigate("about:blank"))
	do(t, ctx, "the address again", chromedp.Navigate(address),
		shows(`[data-sum="fare"]`, grouped(august.sum.FloatString(2))), shows("[data-as-of]", "Sat 19 Sep 2026"))
}

// The as-of line is moved by keys: every bar follows, and no step needs a call.
func TestDayline(t *testing.T) {
	t.Parallel()
	s := start(t)
	folder := s.demoFiles()
	s.must("book", "load", filepath.Join(folder, "book.yaml"))
	more := "book: 1\nspans:\n" // thirty in all
	for i := range 18 {
		more += fmt.Sprintf("  - {name: window-%d, is: trailing %d days}\n", i+1, 7*(i+1))
	}
	s.must("book", "load", s.write(more))
	ctx := openBrowser(t)
	do(
		t,
		ctx,
		"the spans",
		chromedp.Navigate(s.address+"/?as_of=2026-10-19"),
		shows(`[data-span="month-so-far"] [data-n]`, "18"),
		shows("[data-reads]", "1 Sep – 30 Sep 2026"),
	)

	var before, after int
	calls := chromedp.Evaluate(`performance.getEntriesByType("resource").filter(e => e.name.includes("timeline")).length`, &before)
	do(t, ctx, "the calls so far", chromedp.Evaluate(`document.activeElement.blur()`, nil), calls)
	for range 13 {
		do(t, ctx, "a day on", chromedp.KeyEvent(kb.ArrowRight))
	}
	do(t, ctx, "the days that follow", shows("[data-as-of]", "Sun 1 Nov 2026"), shows(`[data-span="month-so-far"] [data-days]`, "no days"),
		shows(`[data-span="closed-month"] [data-days]`, "1 Oct – 31 Oct 2026"), shows(`[data-span="trade-period"] [data-n]`, "1"),
		chromedp.Evaluate(`performance.getEntriesByType("resource").filter(e => e.name.includes("timeline")).length`, &after))
	if before < 1 || after != before {
		t.Errorf("%d calls before thirteen steps, %d after", before, after)
	}

	// The line is dragged back to where March begins.
	var milliseconds float64
	do(
		t,
		ctx,
		"the line dragged",
		chromedp.Evaluate(`(async () => {
		const line = document.querySelector('[role="slider"]'), strip = line.parentElement.getBoundingClientRect(), at = line.getBoundingClientRect()
		const from = +line.getAttribute('aria-valuemin'), to = +line.getAttribute('aria-valuemax') + 1
		const x = day => strip.left + strip.width * (day + 0.5 - from) / (to - from)
		const now = +line.getAttribute('aria-valuenow'), goal = Date.parse('2026-09-01') / 864e5
		const fire = (type, x) => line.dispatchEvent(new PointerEvent(type, {bubbles: true, pointerId: 1, clientX: x, clientY: at.top + 5}))
		line.setPointerCapture = () => {}
		fire('pointerdown', x(now))
		const start = performance.now()
		let steps = 0
		for (let day = now - 1; day >= goal; day--, steps++) { fire('pointermove', x(day)); await new Promise(requestAnimationFrame) }
		const spent = (performance.now() - start) / steps
		fire('pointerup', x(goal))
		return spent
	})()`, &milliseconds, func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }),
		shows(
			"[data-as-of]",
			"Tue 1 Sep 2026",
		),
		shows(`[data-span="closed-month"] [data-days]`, "1 Aug – 31 Aug 2026"),
		shows(`[data-span="month-so-far"] [data-days]`, "no days"),
	)
	t.Logf("a step of the line with 30 spans, drawn: %.1f ms", milliseconds)
	var address string
	do(t, ctx, "the address follows", chromedp.Poll(`location.search.includes("as_of=2026-09-01")`, nil), chromedp.Location(&address))
}

func TestSpanAndCalendarPages(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("book", "load", filepath.Join(s.demoFiles(), "book.yaml"))
	s.must("span", "change", "month-so-far", "month to date", "--note", "today counts")
	ctx := openBrowser(t)
	do(
		t,
		ctx,
		"the span's page",
		chromedp.Navigate(s.address+"/span/month-so-far?as_of=2026-10-19"),
		shows("[data-span-days]", "1 Oct – 19 Oct 2026"),
		shows("[data-rehearsal]", "rolls over"),
	)
	var inside int
	do(t, ctx, "the days in the grid", chromedp.Evaluate(`document.querySelectorAll("[data-inside]").length`, &inside))
	if inside != 19 {
		t.Errorf("%d days are marked, want 19", inside)
	}
	do(
		t,
		ctx,
		"the older version brought back",
		click(`//section[@aria-label="Versions"]//button[.="Restore"]`),
		shows(
			"[data-span-days]",
			"1 Oct – 18 Oct 2026",
		),
		shows("[data-rehearsal]", "becomes empty"),
		shows(`[aria-label="Versions"]`, "version 1 restored"),
	)
	do(
		t,
		ctx,
		"standing on the day it empties",
		click(`//table[@data-rehearsal]//button[.="Sun 1 Nov 2026"]`),
		shows("[data-span-days]", "no days"),
	)
	do(
		t,
		ctx,
		"a year of 53 weeks",
		chromedp.Navigate(s.address+"/calendars?calendar=trade-445&year=2028&as_of=2026-10-19"),
		shows("[data-calendar-year]", "P12 2028"),
		shows("[data-calendar-year]", "W53"),
	)
	do(
		t,
		ctx,
		"what there is to look at",
		chromedp.Navigate(s.address+"/check?as_of=2026-10-19&over=@closed-month;@trailing-ninety"),
		shows("[data-findings]", "Overlap"),
		shows("[data-findings]", "30 days"),
	)
}

func grouped(s string) string {
	whole, fraction, _ := strings.Cut(s, ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	return whole + "." + fraction
}

// A filter that is written out and figures made of others: what stands on the page is what the file adds up to.
func TestFiltersAndFiguresOnThePage(t *testing.T) {
	t.Parallel()
	s := start(t)
	file := filepath.Join(s.demoFiles(), "crossings.csv")
	s.loadCrossings(file)
	booked := func(row map[string]string) bool {
		return strings.HasPrefix(row["sailed_on"], "2026-09") && row["booked_on"] > "2026-08-31" && row["booked_on"] < "2026-10-01" &&
			(row["route"] == "Gull Rock" || strings.Contains(strings.ToLower(row["route"]), "isle"))
	}
	fares, people := addUp(t, file, "fare", booked), addUp(t, file, "passengers", booked)
	if fares.count == 0 {
		t.Fatal("the filters leave nothing to add up")
	}
	ctx := openBrowser(t)
	trigger := func(words string) chromedp.Action {
		return click(`//button[normalize-space(.)="` + words + `"]`)
	}
	choose := func(label, option string) chromedp.Action {
		return chromedp.Tasks{
			chromedp.Click(`[data-pair] [aria-label^="`+label+`"]`, chromedp.ByQuery),
			settled(`[role="option"]`), click(`//*[@role="option"][contains(., "` + option + `")]`),
			shows(`[data-pair] [aria-label^="`+label+`"]`, option),
		}
	}
	do(t, ctx, "the totals", chromedp.Navigate(s.address+"/totals?dataset=crossings&as_of=2026-10-19&over=last%20full%20month&figures=sum%20fare"),
		shows(`[data-column="sum_fare"]`, grouped(addUp(t, file, "fare", inMonth("2026-09")).sum.FloatString(2))))
	for _, filter := range []string{"booked_on in last full month", `route="Gull Rock" or route contains ISLE ignoring case`} {
		do(t, ctx, filter, trigger("Filter"), chromedp.SendKeys("#filter-written", filter+kb.Enter), shows("[data-filters] .chip-on", filter[:9]))
	}
	do(t, ctx, "the filtered sum", shows(`[data-column="sum_fare"]`, grouped(fares.sum.FloatString(2))))
	do(t, ctx, "a ratio", trigger("Figure"), choose("ratio of", "fare"), choose("ratio to", "passengers"),
		chromedp.SendKeys(`//*[@data-pair]//button[.="add"]`, kb.Enter, chromedp.BySearch),
		shows(`[data-column="ratio_fare_passengers"]`, new(big.Rat).Quo(fares.sum, people.sum).FloatString(2)))
	perDay := new(big.Rat).Quo(fares.sum, big.NewRat(30, 1)).FloatString(2)
	do(t, ctx, "a sum per day", chromedp.SendKeys(`//*[@data-derived="sum fare"]//button[.="per day"]`, kb.Enter, chromedp.BySearch),
		shows(`[data-column="sum_fare_per_day"]`, grouped(perDay)), shows("[data-figures] .chip-on", "sum of fare per day"))
}

// The page Ageing: what stands on it is what the client says, and a past day shows the backlog of that day.
func TestAgeingPage(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "jobs", filepath.Join(s.demoFiles(), "jobs.csv"), "--date", "opened_on", "--amount", "cost", "--category", "kind", "--category", "vessel")
	ctx := openBrowser(t)
	for _, asOf := range []string{"2026-10-19", "2024-06-30"} {
		answer := csvRows(t, s.must("ageing", "jobs", "--from-column", "opened_on", "--to-column", "closed_on", "--as-of", asOf, "--output", "csv"))[0]
		bands := csvRows(t, s.must("ageing", "jobs", "--from-column", "opened_on", "--to-column", "closed_on", "--bands", "0-10,11+", "--as-of", asOf, "--output", "csv"))
		do(t, ctx, "as of "+asOf, chromedp.Navigate(s.address+"/ageing?dataset=jobs&from=opened_on&to=closed_on&bands=0-10,11%2B&as_of="+asOf),
			shows("[data-lengths] tbody tr", answer["records"]), shows("[data-lengths] tbody tr", answer["closed_median"]),
			shows(`[data-band="0-10"]`, bands[0]["records"]), shows(`[data-band="11+"]`, bands[1]["records"]), chromedp.WaitVisible("[data-backlog] canvas"))
	}
}

// A span of moments is read as of a time, which is stepped by the hour across midnight.
func TestTimesOnThePage(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("span", "add", "last-day", "trailing 24 hours")
	ctx := openBrowser(t)
	do(t, ctx, "without a time", chromedp.Navigate(s.address+"/span/last-day?as_of=2026-10-19"), shows("[data-span-days]", "needs a time"))
	do(t, ctx, "as of a time", chromedp.Navigate(s.address+"/span/last-day?as_of=2026-10-19&time=23:30"),
		shows("[data-span-days]", "18 Oct 2026 23:30 +00:00 – 19 Oct 2026 23:30 +00:00"), shows("[data-span-days]", "24:00 hours"), shows("[data-offset]", "+00:00"))
	do(t, ctx, "an hour on", chromedp.Click(`[aria-label="One hour on"]`, chromedp.ByQuery), shows("[data-as-of]", "Tue 20 Oct 2026"),
		shows("[data-span-days]", "19 Oct 2026 00:30 +00:00 – 20 Oct 2026 00:30 +00:00"))
	do(t, ctx, "no time", chromedp.Click(`[aria-label="Leave the time out"]`, chromedp.ByQuery), shows("[data-span-days]", "needs a time"))
}
