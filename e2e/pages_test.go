package e2e

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"vastspan/core/book"
)

func awaited(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }

// looker returns a function that goes to a page, does something there, and fails where axe finds anything against what it shows.
func looker(t *testing.T, ctx context.Context, base string) func(what, address, ready string, prepare ...chromedp.Action) {
	t.Helper()
	axe, err := os.ReadFile(filepath.Join("..", "console", "node_modules", "axe-core", "axe.min.js"))
	if err != nil {
		t.Fatal(err)
	}
	return func(what, address, ready string, prepare ...chromedp.Action) {
		t.Helper()
		var found string
		steps := append(
			[]chromedp.Action{chromedp.Navigate(base + address), chromedp.WaitVisible(ready, chromedp.ByQuery)},
			prepare...)
		do(
			t,
			ctx,
			what,
			append(
				steps,
				chromedp.Evaluate(string(axe), nil),
				chromedp.Evaluate(`axe.run(document, {resultTypes: ["violations"], runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "best-practice"]})
			.then(r => r.violations.map(v => v.id + ": " + v.nodes.map(n => n.target.join(" ") + " " + n.failureSummary).join(" | ")).join("\n"))`, &found, awaited),
			)...)
		if found != "" {
			t.Errorf("%s:\n%s", what, found)
		}
	}
}

// countShifts adds up how far a page moves while it loads, as browsers measure it, and notes what moves.
const countShifts = `window.shifted = 0
window.movers = []
new PerformanceObserver((list) => {
	for (const e of list.getEntries()) {
		if (e.hadRecentInput) continue
		window.shifted += e.value
		window.movers.push(e.value.toFixed(3) + " " + e.sources.map((s) => s.node?.nodeName + "." + s.node?.className).join(", "))
	}
}).observe({ type: "layout-shift", buffered: true })`

// tooWide names what makes a page scroll sideways; nothing where it does not.
const tooWide = `document.documentElement.scrollWidth <= innerWidth ? "" : document.documentElement.scrollWidth + " in " + innerWidth + ": " +
	[...document.querySelectorAll("main *, header *")]
		.filter((e) => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest(".overflow-x-auto, .overflow-auto"))
		.map((e) => e.tagName + "." + e.className).slice(0, 6).join("; ")`

// No page has anything that axe finds against it, by day, by night and on a phone.
func TestNoPageKeepsAnyoneOut(t *testing.T) {
	t.Parallel()
	s, file := briefs(t)
	s.must("load", "jobs", filepath.Join(filepath.Dir(file), "jobs.csv"), "--date", "opened_on")
	s.must("receipt", "create", "monday-crossings", "--as-of", "latest")
	s.must("schedule", "add", "openings", "--brief", "monday-crossings", "--days", "first business day of this month")
	ctx := openBrowser(t)
	// Nor does any break the policy that pages are served with, or fail in another way that the browser tells.
	var mu sync.Mutex
	var told []string
	chromedp.ListenTarget(ctx, func(event any) {
		if e, ok := event.(*log.EventEntryAdded); ok && e.Entry.Level == log.LevelError {
			mu.Lock()
			defer mu.Unlock()
			told = append(told, e.Entry.Text)
		}
	})
	do(t, ctx, "the log of the browser", log.Enable(), chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := page.AddScriptToEvaluateOnNewDocument(countShifts).Do(ctx)
		return err
	}))
	defer func() {
		mu.Lock()
		defer mu.Unlock()
		for _, text := range told {
			if !strings.Contains(text, "status of 4") { // what is refused is shown on the page
				t.Errorf("the browser tells: %s", text)
			}
		}
	}()
	look := looker(t, ctx, s.address)
	pages := []struct{ address, ready string }{
		{
			"/",
			"[data-reads]",
		}, {"/span/month-so-far", "[data-rehearsal] tbody tr"}, {"/totals?by=route&each=month&over=this%20year&against=1%20year%20earlier&previous=yes", "[data-table] tbody tr"},
		{
			"/totals?by=route&each=month&across=route&over=last%20full%20quarter",
			"[data-table] tbody tr",
		}, {"/lines", "[data-lineup] tbody tr"},
		{
			"/records?over=last%20full%20month&running=fare",
			"[data-records] tbody tr",
		}, {"/records?over=last%20full%20month&view=boundaries", "[data-boundary]"},
		{"/calendars?calendar=trade-445", "[data-calendar-year] section"},
		{"/events", "main h1"}, {"/check", "[data-findings]"}, {"/briefs", "[data-briefs] li"},
		{"/brief/monday-crossings?rehearse=yes", "[data-brief] canvas"}, {"/brief/board-season", "[data-brief] [data-item='4'] tbody tr"},
		{
			"/receipts",
			"[data-receipts] tbody tr",
		}, {"/receipt/1", "[data-receipt] tbody tr"}, {"/ageing?dataset=jobs", "[data-lengths] tbody tr"},
		{"/drivers?over=last%20full%20month&against=1%20year%20earlier", "[data-drivers] tbody tr"}, {"/nowhere", "main h1, main h2"}, {"/totals?over=last%20month", "[role=alert]"},
		{"/data", "[data-dataset]"},
	}
	for _, p := range pages {
		look(p.address, p.address, p.ready)
		var shifted float64
		do(t, ctx, "what moved on "+p.address, chromedp.Evaluate(`window.shifted`, &shifted))
		if shifted > 0.05 {
			var what string
			do(t, ctx, "what it was", chromedp.Evaluate(`window.movers.join("; ")`, &what))
			t.Errorf("%s: the page moves by %.3f while it loads: %s", p.address, shifted, what)
		}
		var wide string
		do(t, ctx, "the width of "+p.address, chromedp.EmulateViewport(320, 640), chromedp.Sleep(300*time.Millisecond), chromedp.Evaluate(tooWide, &wide),
			chromedp.EmulateViewport(1280, 800))
		if wide != "" {
			t.Errorf("%s is wider than a narrow phone: %s", p.address, wide)
		}
	}
	look("a new span", "/", "[data-make-span]", chromedp.Click("[data-make-span]"), chromedp.WaitVisible("[data-blocks]"))
	do(t, ctx, "a choice", chromedp.Navigate(s.address+"/totals"), chromedp.WaitVisible("[data-table]"), chromedp.Click(`[aria-label="Dataset"]`),
		chromedp.WaitVisible("[role=listbox]"))
	scheme := func(name string) chromedp.Action {
		return emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: name}})
	}
	do(t, ctx, "night", scheme("dark"))
	night, every := []int{0, 2, 5, 10, 13}, 4
	if testing.Short() {
		night, every = []int{2}, 16
	}
	for _, p := range night {
		look(pages[p].address+" by night", pages[p].address, pages[p].ready)
	}
	chosen := `const list = new DataTransfer()
		list.items.add(new File(["sold on;pier\n03/14/2026;North\n"], "sales.csv"))
		const input = document.querySelector("[data-file]")
		input.files = list.files
		input.dispatchEvent(new Event("change", {bubbles: true}))`
	look("a file about to be loaded, by night", "/data", "[data-dataset]", chromedp.Evaluate(chosen, nil), chromedp.WaitVisible("[data-faults] button"),
		chromedp.Click("[data-load-files] summary"), chromedp.Click(`[data-dataset="crossings"] button[aria-expanded]`), shows("[data-loads]", "Undo"))
	do(t, ctx, "day, on a phone", scheme("light"))
	for i, p := range pages {
		ready := strings.ReplaceAll(p.ready, "[data-reads]", "[data-dayline]")
		if i%every == 2 {
			do(t, ctx, "a phone", chromedp.EmulateViewport(390, 844))
			look(p.address+" on a phone", p.address, ready)
		}
	}
	do(t, ctx, "a window again", chromedp.EmulateViewport(1280, 800))
	look(
		"the sheet of keys",
		"/",
		"[data-reads]",
		chromedp.Evaluate(`document.activeElement.blur()`, nil),
		chromedp.KeyEvent("?"),
		chromedp.WaitVisible("[data-shortcuts]", chromedp.ByQuery),
	)
	do(
		t,
		ctx,
		"closed by Esc, then g and b",
		chromedp.KeyEvent(kb.Escape),
		chromedp.WaitNotPresent("[data-shortcuts]", chromedp.ByQuery),
		chromedp.KeyEvent("g"),
		chromedp.KeyEvent("b"),
		chromedp.WaitVisible("[data-briefs]", chromedp.ByQuery),
	)
	look(
		"what is edited",
		"/brief/monday-crossings",
		"[data-brief] canvas",
		click(`//button[.="Edit"]`),
		chromedp.WaitVisible(`[aria-label="Title of item 1"]`, chromedp.ByQuery),
	)
}

// A brief in the console: its figures, a step of the day, its arrangement by keys, a change that someone
// else made meanwhile, and what is added to it from Totals.
func TestBriefInTheConsole(t *testing.T) {
	t.Parallel()
	s, file := briefs(t)
	ctx := openBrowser(t)
	october := addUp(t, file, "fare", func(r map[string]string) bool {
		return r["sailed_on"] >= "2026-10-01" && r["sailed_on"] <= "2026-10-18"
	})
	do(
		t,
		ctx,
		"the brief",
		chromedp.Navigate(s.address+"/brief/monday-crossings"),
		shows("[data-item='0'] [data-card-value]", grouped(october.sum.FloatString(2))),
		shows("[data-item='7']", "no dataset is named gates"),
		chromedp.WaitVisible("[data-item='4'] canvas", chromedp.ByQuery),
	)

	do(t, ctx, "from its figure to its records", chromedp.Click("[data-item='0'] [data-card-value] a"),
		shows("[data-sum='fare']", grouped(october.sum.FloatString(2))), chromedp.NavigateBack(),
		chromedp.WaitVisible("[data-item='0'] h2 a"))
	do(t, ctx, "and to Totals", chromedp.Click("[data-item='0'] h2 a"), shows("[data-big-figure]", grouped(october.sum.FloatString(2))),
		shows("[data-big-comparison]", "year earlier"), chromedp.NavigateBack(), chromedp.WaitVisible("[data-item='4'] h2 a"),
		chromedp.Click("[data-item='4'] h2 a"), shows("[data-lineup]", "this year so far"))

	t.Logf("a step of the day on a brief of eight items, drawn: %.0f ms", s.steps(ctx, "monday-crossings"))
	twelve := book.Brief{Name: "twelve", Title: "Twelve cards"}
	for i, over := range []string{"@month-so-far", "@closed-month", "@trailing-ninety", "@season-to-date", "last full week", "year to date", "last full quarter", "trailing 30 days", "month to date", "@last-four-weeks", "@trade-period", "today"} {
		item := figureItem(fmt.Sprint("card ", i+1), over)
		item.Against, item.Spark = []string{"1 year earlier"}, "month"
		twelve.Items = append(twelve.Items, item)
	}
	if code, why := putAt(t, s, "twelve", 0, twelve); code != 201 {
		t.Fatalf("%d %s", code, why)
	}
	t.Logf("a step of the day on a brief of twelve cards, drawn: %.0f ms", s.steps(ctx, "twelve"))
	do(
		t,
		ctx,
		"the first of the month",
		chromedp.Navigate(s.address+"/brief/monday-crossings?as_of=2026-10-01&rehearse=yes"),
		shows("[data-turn]", "becomes empty"),
		shows("[data-item='0'] [data-card-days]", "no days"),
		shows("[data-item='1'] [data-card-days]", "1 Sep – 30 Sep 2026"),
	)

	do(
		t,
		ctx,
		"the second item moved to the front by keys",
		chromedp.Navigate(s.address+"/brief/monday-crossings"),
		chromedp.WaitVisible("[data-item='1'] [data-card-value]", chromedp.ByQuery),
		chromedp.Click(
			`//button[.="Edit"]`,
			chromedp.BySearch,
		),
		chromedp.WaitVisible(`[aria-label="Title of item 2"]`, chromedp.ByQuery),
		chromedp.Focus("[data-item='1']", chromedp.ByQuery),
		chromedp.KeyEvent(kb.ArrowLeft),
		chromedp.Poll(`document.querySelector('[aria-label="Title of item 1"]').value.startsWith('Passengers')`, nil),
	)
	// Someone else changes it meanwhile.
	b := s.brief("monday-crossings")
	b.About = "changed by someone else"
	if code, why := putAt(t, s, "monday-crossings", 1, b); code != 200 {
		t.Fatalf("%d %s", code, why)
	}
	do(
		t,
		ctx,
		"kept, and told of the other change",
		click(`//button[.="Save"]`),
		shows("[data-conflict]", "has changed"),
		chromedp.Poll(
			`document.querySelector('[aria-label="Title of item 1"]').value.startsWith('Passengers')`,
			nil,
		),
		click(`//button[.="Overwrite with mine"]`),
		shows("[data-item='0'] h2", "Passengers, closed month"),
	)
	if now := s.brief("monday-crossings"); now.Items[0].Title != "Passengers, closed month" {
		t.Errorf("the first item is %s", now.Items[0].Title)
	}

	do(
		t,
		ctx,
		"a total added to a new brief",
		chromedp.Navigate(s.address+"/totals?over=last%20full%20month&figures=sum%20fare&by=route"),
		chromedp.WaitVisible("[data-table] tbody tr", chromedp.ByQuery),
		chromedp.Click(
			`//button[contains(., "Add to a brief")]`,
			chromedp.BySearch,
		),
		chromedp.SendKeys("#brief-item-title", "September by route", chromedp.ByQuery),
		chromedp.SendKeys(
			"#brief-new-title",
			"My month",
			chromedp.ByQuery,
		),
		click(`//button[.="Add"]`),
		click(`//a[.="Open it"]`),
		shows("[data-brief='my-month']", "September by route"),
		shows("[data-brief='my-month']", "30,695.02"),
	)
	do(
		t,
		ctx,
		"frozen",
		click(`//button[contains(., "Receipt")]`),
		click(`//button[.="Create"]`),
		click(`//a[.="Open it"]`),
		shows("[data-comparison]", "No figure has changed since"),
		shows("[data-receipt]", "30,695.02"),
	)

	// Two dates where a span is expected; a start after the end is refused.
	do(
		t,
		ctx,
		"two dates",
		chromedp.Navigate(s.address+"/totals?"+url.Values{"figures": {"sum fare"}, "over": {"2026"}}.Encode()),
		chromedp.WaitVisible("[data-big-figure]", chromedp.ByQuery),
		chromedp.Click(
			`//*[@data-over]//button[contains(., "Span")]`,
			chromedp.BySearch,
		),
		chromedp.WaitVisible("#over-dates-first", chromedp.ByQuery),
		setDate("#over-dates-first", "2026-09-30"),
		setDate("#over-dates-last", "2026-09-01"),
		shows("[data-date-pair]", "comes after"),
		setDate(
			"#over-dates-first",
			"2026-09-01",
		),
		setDate("#over-dates-last", "2026-09-30"),
		shows("[data-date-pair]", "kept as 2026-09-01/2026-09-30"),
		click(`//form[.//input[@id="over-dates-first"]]//button`),
		shows("[data-table]", "30,695.02"),
	)
}

// steps opens a brief, steps fifteen days back by key and gives how long a step takes until it is drawn,
// in milliseconds.
func (s *running) steps(ctx context.Context, brief string) (milliseconds float64) {
	s.t.Helper()
	do(
		s.t,
		ctx,
		"stepping back on "+brief,
		chromedp.Navigate(s.address+"/brief/"+brief),
		chromedp.WaitVisible("[data-item='0'] [data-card-value]", chromedp.ByQuery),
		chromedp.Evaluate(
			`document.activeElement.blur()`,
			nil,
		),
		chromedp.KeyEvent(kb.ArrowLeft),
		shows("[data-brief-as-of='2026-10-18']", "18 Oct"),
		chromedp.Evaluate(`(async () => {
			const start = performance.now()
			for (let i = 17; i > 2; i--) {
				document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowLeft', bubbles: true}))
				const day = '2026-10-' + String(i).padStart(2, '0')
				while (!document.querySelector('[data-brief-as-of="' + day + '"]') && performance.now() - start < 20000) await new Promise(requestAnimationFrame)
			}
			return (performance.now() - start) / 15
		})()`, &milliseconds, awaited),
		shows("[data-brief-as-of='2026-10-03']", "3 Oct"),
	)
	return milliseconds
}

// setDate sets a date field as a person would by picking.
func setDate(selector, day string) chromedp.Action {
	return chromedp.Evaluate(
		fmt.Sprintf(
			`(() => { const f = document.querySelector(%q); f.value = %q; f.dispatchEvent(new Event('input', {bubbles: true})) })()`,
			selector,
			day,
		),
		nil,
	)
}

// An item is dragged by its handle with a finger; the page is saved in the new order.
func TestItemsAreDraggedByTouch(t *testing.T) {
	t.Parallel()
	s, _ := briefs(t)
	ctx := openBrowser(t)
	var titles []string
	order := chromedp.Evaluate(`[...document.querySelectorAll('[data-brief] [data-item]')].map(e => e.ariaLabel)`, &titles)
	type point struct{ X, Y float64 }
	var from, to point
	middle := func(selector string, p *point) chromedp.Action {
		return chromedp.Evaluate(fmt.Sprintf(
			`(() => { const b = document.querySelector(%q).getBoundingClientRect(); return {X: b.x + b.width / 2, Y: b.y + b.height / 2} })()`,
			selector), p)
	}
	do(t, ctx, "the page is edited", emulation.SetTouchEmulationEnabled(true), chromedp.Navigate(s.address+"/brief/monday-crossings"),
		chromedp.WaitVisible("[data-item='1'] [data-card-value]", chromedp.ByQuery), click(`//button[.="Edit"]`),
		chromedp.WaitVisible(`[aria-label="Title of item 2"]`, chromedp.ByQuery), order,
		middle(`[aria-label^="Drag Fares, month so far"]`, &from), middle("[data-item='2']", &to))
	before := slices.Clone(titles)
	touch := func(kind input.TouchType, p point) chromedp.Action {
		list := []*input.TouchPoint{{X: p.X, Y: p.Y}}
		if kind == input.TouchEnd {
			list = nil
		}
		return input.DispatchTouchEvent(kind, list)
	}
	steps := []chromedp.Action{touch(input.TouchStart, from)}
	for i := 1; i <= 20; i++ {
		at := point{from.X + (to.X-from.X)*float64(i)/20, from.Y + (to.Y-from.Y)*float64(i)/20}
		steps = append(steps, touch(input.TouchMove, at), chromedp.Sleep(40*time.Millisecond))
	}
	steps = append(steps, chromedp.Sleep(500*time.Millisecond), touch(input.TouchEnd, to),
		chromedp.Poll(`document.querySelector('[data-item="0"]')?.ariaLabel !== 'Fares, month so far'`, nil), order)
	do(t, ctx, "an item is dragged", steps...)
	if len(titles) != len(before) || titles[0] == before[0] {
		t.Fatalf("the order was %q, now %q", before, titles)
	}
	do(t, ctx, "and saved", click(`//button[.="Save"]`), chromedp.WaitVisible(`//button[.="Edit"]`, chromedp.BySearch))
	if now := s.brief("monday-crossings"); now.Items[0].Title != titles[0] {
		t.Errorf("the first item is kept as %s, on the page it is %s", now.Items[0].Title, titles[0])
	}
}

// A whole month beside one whose records stop early carries the warning with the days that are covered; one click
// makes both sides end at the same day.
func TestRecordsThatStopEarly(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.loadCrossings(filepath.Join(s.demoFiles(), "crossings.csv"))
	ctx := openBrowser(t)
	const page = "/totals?dataset=crossings&over=last%20full%20month&figures=sum%20fare&against=1%20year%20earlier&as_of=2026-11-26"
	const changed = "[data-big-comparison]"
	var warning, end, before, after string
	do(t, ctx, "the warning",
		chromedp.Navigate(s.address+page),
		chromedp.WaitVisible("[data-unlike]", chromedp.ByQuery),
		chromedp.Text("[data-unlike]", &warning, chromedp.ByQuery),
		chromedp.Text("[data-records-end]", &end, chromedp.ByQuery),
		chromedp.Text(changed, &before, chromedp.ByQuery),
		chromedp.Click("[data-unlike] button", chromedp.ByQuery),
		chromedp.WaitNotPresent("[data-unlike]", chromedp.ByQuery),
		chromedp.Poll(`document.querySelector("`+changed+`").textContent.includes("7.3")`, nil),
		chromedp.Text(changed, &after, chromedp.ByQuery),
	)
	if !strings.Contains(warning, "covers 19 of its 31 days: records end on Mon 19 Oct 2026") || end != "records end 19 Oct" {
		t.Errorf("the warning is %q, the as-of bar says %q", warning, end)
	}
	if !strings.Contains(before, "▼") || !strings.Contains(before, "32.8%") || !strings.Contains(after, "▲") {
		t.Errorf("the change is %q, then %q", before, after)
	}

	// A dataset that ended long ago, and a plan that reaches ahead, do not move the as-of day of pages about all datasets.
	s.must("load", "birds", s.write("seen,n\n2002-07-25,1\n"))
	s.must("load", "budget", s.write("month,n\nOct 2026,1\nNov 2026,2\n"))
	for _, page := range []string{"/totals?over=2026&figures=count&dataset=board", "/records?over=2026&dataset=board", "/ageing?dataset=board"} {
		do(t, ctx, "a dataset that is not there, at "+page, chromedp.Navigate(s.address+page),
			shows("[data-no-dataset]", "No dataset is named board"), chromedp.WaitNotPresent("main table", chromedp.ByQuery))
	}
	do(t, ctx, "another one is chosen", click(`//*[@data-no-dataset]//button[.="crossings"]`), chromedp.WaitNotPresent("[data-no-dataset]", chromedp.ByQuery))
	do(t, ctx, "the newest day of all datasets",
		chromedp.Navigate(s.address+"/"), shows("[data-as-of]", "Mon 19 Oct 2026"),
		chromedp.Navigate(s.address+"/totals?dataset=birds&over=all+dates"), shows("[data-as-of]", "Thu 25 Jul 2002"),
		chromedp.Navigate(s.address+"/calendars"), shows("[data-as-of]", "Mon 19 Oct 2026"))
}
