package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/chromedp"
)

// gone waits until nothing is found by a selector: what lies under a dialog takes no clicks.
func gone(selector string) chromedp.Action {
	return chromedp.WaitNotPresent(selector, chromedp.ByQuery)
}

// press clicks a button of a part of the page by its words.
func press(within, words string) chromedp.Action {
	return click(fmt.Sprintf(`//*[@%s]//button[normalize-space(.)=%q]`, within, words))
}

// click clicks what a path finds, once it stands still.
func click(path string) chromedp.Action {
	return chromedp.Tasks{
		still(`document.evaluate(` + quoted(path) + `, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue`),
		chromedp.Click(path, chromedp.BySearch),
	}
}

// A span is made of blocks, with its days in sight; it is duplicated, renamed and moved.
func TestSpansByBlocks(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.loadCrossings(filepath.Join(s.demoFiles(), "crossings.csv"))
	ctx := openBrowser(t)
	focused := chromedp.Poll(`document.activeElement?.id === "new-name"`, nil)
	do(t, ctx, "the dialog opens with the cursor in its first field", chromedp.Navigate(s.address), shows("main", "No spans are named yet"),
		click(`//button[contains(., "New span")]`), chromedp.WaitVisible("[data-new-span]"), focused)
	do(t, ctx, "blocks write the expression", chromedp.SendKeys("#new-name", "fortnight"), press("data-blocks", "trailing"),
		chromedp.SetValue(`[aria-label="How many"]`, "2"), chromedp.Evaluate(`document.querySelector('[aria-label="How many"]').dispatchEvent(new Event("input", {bubbles: true}))`, nil),
		press("data-blocks", "weeks"), press("data-blocks", "excluding today"), press("data-blocks", "1 year earlier"),
		chromedp.Poll(`document.querySelector("#new-is").value === "trailing 2 weeks excluding today, 1 year earlier"`, nil),
		shows("[data-new-days]", "5 Oct – 18 Oct 2025, 14 days"), shows("[data-new-span] [data-dayline]", "5 Oct – 18 Oct 2025"))
	do(t, ctx, "it is added", press("data-new-span", "Add span"), gone("[data-new-span]"), shows(`[data-span="fortnight"]`, "5 Oct – 18 Oct 2025"))
	do(t, ctx, "it is duplicated", click(`//button[.="Duplicate…"]`), chromedp.WaitVisible("[data-new-span]"),
		chromedp.Poll(`document.querySelector("#new-name").value === "fortnight-2"`, nil), press("data-blocks", "yesterday"),
		press("data-new-span", "Add span"), gone("[data-new-span]"), shows(`[data-span="fortnight-2"]`, "18 Oct 2026"))
	do(t, ctx, "it is renamed", click(`//button[.="Rename…"]`), chromedp.WaitVisible("#span-name"),
		chromedp.Evaluate(`document.querySelector("#span-name").select()`, nil), chromedp.SendKeys("#span-name", "the-day-before"),
		click(`//button[.="Rename"]`), gone("#span-name"), shows(`[data-span="the-day-before"]`, "18 Oct 2026"))
	do(t, ctx, "it is moved", chromedp.Click(`[aria-label="Earlier in the list"]`),
		chromedp.Poll(`document.querySelector("[data-dayline] [data-span]")?.dataset.span === "the-day-before"`, nil))
	if list := s.must("span", "list", "--output", "csv"); !strings.Contains(list, "days\nthe-day-before,") || strings.Contains(list, "fortnight-2") {
		t.Errorf("the client lists %s", list)
	}
}

// Ten thousand spans are found by their words, and the page lays a screenful of them out.
func TestManySpans(t *testing.T) {
	t.Parallel()
	s := start(t)
	var book strings.Builder
	book.WriteString("book: 1\nspans:\n")
	for i := range 10_000 {
		fmt.Fprintf(&book, "  - {name: span-%05d, is: trailing %d days}\n", i, i%400+1)
	}
	s.must("book", "load", s.write(book.String()))
	ctx := openBrowser(t)
	do(t, ctx, "a screenful", chromedp.Navigate(s.address), shows("[data-found]", "10,000 of 10,000 spans"), chromedp.WaitVisible(`[data-span="span-00000"]`),
		chromedp.Poll(`document.querySelectorAll("[data-dayline] [data-span]").length === 25`, nil))
	do(t, ctx, "one is found", chromedp.SendKeys(`[aria-label="Search the spans"]`, "span-0777"), shows("[data-found]", "10 of 10,000"),
		shows(`[data-span="span-07777"] [data-n]`, "178"))
	do(t, ctx, "it is opened", chromedp.Click(`[data-span="span-07777"] button`), chromedp.Poll(`document.querySelector("#span-is")?.value === "trailing 178 days"`, nil))
	if out := s.must("resolve", "@span-09999", "--as-of", "2026-10-19", "--output", "csv"); !strings.Contains(out, ",400,") {
		t.Errorf("the client resolves %s", out)
	}
}

// Totals are drawn, a single figure is shown large, and what was refused is put right by a click.
func TestTotalsAreDrawn(t *testing.T) {
	t.Parallel()
	s := start(t)
	file := filepath.Join(s.demoFiles(), "crossings.csv")
	s.loadCrossings(file)
	ctx := openBrowser(t)
	september := addUp(t, file, "fare", inMonth("2026-09"))
	at := s.address + "/totals?as_of=2026-10-19&"
	do(t, ctx, "a figure, large", chromedp.Navigate(at+"over=last+full+month&figures=sum+fare&against=1+year+earlier"),
		shows("[data-big-figure]", grouped(september.sum.FloatString(2))), shows("[data-big-days]", "1 Sep – 30 Sep 2026"),
		shows("[data-big-comparison]", "1 year earlier: 1 Sep – 30 Sep 2025"), chromedp.WaitVisible("[data-big-figure] canvas"))
	do(t, ctx, "its course", click(`//*[@data-big-figure]//button[contains(., "Table")]`),
		chromedp.Poll(`document.querySelectorAll("[data-big-figure] [data-chart-table] tbody tr").length === 30`, nil))
	do(t, ctx, "a breakdown, stacked", chromedp.Navigate(at+"over=last+full+quarter&figures=sum+fare&each=month&by=route"),
		chromedp.WaitVisible("[data-table]"), click(`//button[.="Stacked"]`), chromedp.WaitVisible(`[data-drawn="stacked"] canvas`),
		shows("[data-drawn]", "Gull Rock"), shows("[data-drawn]", "Winter Isle"))
	do(t, ctx, "as a table", click(`//*[@data-drawn]//button[contains(., "Table")]`),
		chromedp.Poll(`document.querySelectorAll("[data-chart-table] tbody tr").length === 3 && document.querySelectorAll("[data-chart-table] thead th").length === 6`, nil))
	do(t, ctx, "the span stands above its rows", shows(`[data-span-head="0"]`, "last full quarter 1 Jul – 30 Sep 2026, 92 days"))
	do(t, ctx, "first columns stay in sight", chromedp.Navigate(at+"over=last+full+quarter&figures=sum+fare;count;sum+passengers&each=month&by=route&against=1+year+earlier;prior"),
		chromedp.WaitVisible("[data-table]"), chromedp.Poll(`(() => {
			const table = document.querySelector("[data-table]"), box = table.parentElement
			box.scrollLeft = 300
			const cell = table.querySelector("[data-row] td").getBoundingClientRect()
			return box.scrollWidth > box.clientWidth && box.scrollLeft > 0 && Math.abs(cell.left - box.getBoundingClientRect().left) < 3
		})()`, nil))
	do(t, ctx, "a difference, and the records that a figure is compared with",
		chromedp.Navigate(at+"over=last+full+month&figures=sum+fare&by=route&against=1+year+earlier"),
		shows(`[data-row] [data-column="sum_fare_1_year_earlier_difference"]`, "+"), click(`//button[contains(., "difference")]`),
		chromedp.WaitVisible(`th[aria-sort="descending"]`), click(`//*[@data-column="sum_fare_1_year_earlier"]/a`),
		shows("main", "1 Sep – 30 Sep 2025"))
	do(t, ctx, "ageing begins in the direction that fits", chromedp.Navigate(s.address+"/ageing?dataset=crossings&as_of=2026-10-19"),
		shows("main", "booked on"), chromedp.Poll(`document.querySelector("main").innerText.indexOf("booked on") < document.querySelector("main").innerText.indexOf("sailed on")`, nil))
	for _, page := range []string{"/totals?over=last+full+mont&figures=sum+fare", "/records?over=last+full+mont"} {
		do(t, ctx, "what was refused, on "+page, chromedp.Navigate(s.address+page+"&as_of=2026-10-19"), shows("[data-offers]", "last full month"),
			press("data-offers", "last full month"), shows("main", "1 Sep – 30 Sep 2026"))
	}
	s.must("brief", "add", "quay", "--item", "figure Fares: dataset=crossings; over=@closd; figures=sum fare", "--item", "figure Ages: dataset=crossings; over=today; figures=count")
	s.must("span", "add", "closed", "last full month")
	do(t, ctx, "what was refused, in a brief", chromedp.Navigate(s.address+"/brief/quay?as_of=2026-10-19"), shows("[data-item-error]", "no span is named @closd"),
		press("data-offers", "@closed"), shows("[data-brief]", grouped(september.sum.FloatString(2))))
	do(t, ctx, "a file is downloaded", browser.SetDownloadBehavior(browser.SetDownloadBehaviorBehaviorAllow).WithDownloadPath(s.folder),
		chromedp.Navigate(at+"over=last+full+month&figures=sum+fare&by=route"), chromedp.WaitVisible("[data-table]"),
		click(`//button[contains(., "Download")]`), click(`//*[@role="menuitem"][contains(., "Workbook")]`),
		shows("main", "crossings-total.xlsx saved"))
	for wait := 0; ; wait++ {
		if _, err := os.Stat(filepath.Join(s.folder, "crossings-total.xlsx")); err == nil {
			break
		}
		if wait == 100 {
			t.Fatal("no file has come")
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// Calendars and holidays are edited, with the year laid out while the fields change.
func TestCalendarsAreEdited(t *testing.T) {
	t.Parallel()
	s := start(t)
	ctx := openBrowser(t)
	do(t, ctx, "a new calendar", chromedp.Navigate(s.address+"/calendars?as_of=2026-10-19&year=2026"), chromedp.WaitVisible("[data-calendar-year]"),
		click(`//button[contains(., "New calendar")]`), chromedp.SendKeys("#calendar-name", "retail"),
		press("data-calendar-editor", "whole weeks"), shows("[data-layout]", "ending on the last Saturday of January"), shows("main", "1 Feb 2026 – 30 Jan 2027"))
	do(t, ctx, "its fields change the year", chromedp.SetValue(`[aria-label="Weekday on which the year ends"]`, "sunday"),
		chromedp.Evaluate(`document.querySelector('[aria-label="Weekday on which the year ends"]').dispatchEvent(new Event("change", {bubbles: true}))`, nil),
		shows("[data-layout]", "last Sunday of January"), press("data-calendar-editor", "Add calendar"), chromedp.WaitNotPresent("[data-calendar-editor]"))
	if out := s.must("calendar", "show", "retail", "--year", "2026"); !strings.Contains(out, "Mon 26 Jan 2026 to Sun 31 Jan 2027") {
		t.Errorf("the client shows %s", out)
	}
	do(t, ctx, "a list of holidays", click(`//button[.="Holidays…"]`), chromedp.SendKeys(`[aria-label="Name of a new list"]`, "quay-days"),
		press("data-holidays-editor", "Begin it"), shows("[data-holidays-editor]", "0 days are in the list"),
		chromedp.Evaluate(`[...document.querySelectorAll("[data-calendar-year] button")].find(b => b.title.startsWith("Fri 1 May")).click()`, nil),
		shows("[data-holidays-editor]", "1 day is in the list"), shows("[data-layout]", "holidays quay-days"), press("data-holidays-editor", "Add list"),
		chromedp.Poll(`[...document.querySelectorAll("[data-holidays-editor] button")].some(b => b.textContent === "Save change" && b.disabled)`, nil))
	if out := s.must("holidays", "list", "--output", "csv"); !strings.Contains(out, "quay-days,1,2026-05-01,2026-05-01") {
		t.Errorf("the client lists %s", out)
	}
}

// A dataset's columns change their use in the browser, and it is renamed with the briefs that are about it.
func TestDatasetsAreChanged(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "sales", s.write("day,region,code,amount\n2026-09-01,North,7,10.50\n2026-09-30,South,12,4\n"), "--date", "day", "--amount", "amount")
	s.must("brief", "add", "quay", "--item", "figure Fares: dataset=sales; over=2026-09; figures=sum amount")
	ctx := openBrowser(t)
	change := func(label, value string) chromedp.Action {
		at := fmt.Sprintf(`document.querySelector('[aria-label=%q]')`, label)
		return chromedp.Evaluate(fmt.Sprintf(`(() => { const e = %s; e.value = %q; e.dispatchEvent(new Event("change", {bubbles: true})) })()`, at, value), nil)
	}
	do(t, ctx, "a column of numbers becomes a category", chromedp.Navigate(s.address+"/data"), chromedp.WaitVisible("[data-dataset]"),
		click(`//button[.="More"]`), chromedp.WaitVisible(`[aria-label="Role of code"]`), change("Role of code", "category"),
		chromedp.Poll(`document.querySelector('[aria-label="Role of code"]').value === "category"`, nil))
	do(t, ctx, "a text does not become a number", change("Type of region", "number"), shows("[data-dataset]", `"North" in 1`))
	do(t, ctx, "it is renamed", click(`//button[.="Rename…"]`), chromedp.Evaluate(`document.querySelector('[aria-label="New name of sales"]').select()`, nil),
		chromedp.SendKeys(`[aria-label="New name of sales"]`, "takings"), click(`//button[.="Rename"]`),
		chromedp.WaitVisible(`[data-dataset="takings"]`))
	if out := s.must("brief", "show", "quay"); !strings.Contains(out, "14.50") {
		t.Errorf("the brief shows %s", out)
	}
	if out := s.must("total", "takings", "--over", "2026-09", "--count", "--by", "code", "--output", "csv"); !strings.Contains(out, ",7,,1,") {
		t.Errorf("by code it is %s", out)
	}
}
