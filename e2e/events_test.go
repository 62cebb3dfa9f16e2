package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// drag moves the pointer over the line of a year, from one share of it to another, in hundredths.
func drag(year string, from, to string) chromedp.Action {
	return chromedp.Evaluate(`(() => {
		const line = document.querySelector('[data-year-line="`+year+`"] > div'), box = line.getBoundingClientRect()
		line.setPointerCapture = () => {}
		const at = (kind, share) => line.dispatchEvent(new PointerEvent(kind, {bubbles: true, pointerId: 1,
			clientX: box.left + box.width * share / 100, clientY: box.top + 4}))
		at('pointerdown', `+from+`); at('pointermove', `+to+`); at('pointerup', `+to+`)
	})()`, nil)
}

// Events are added by dragging and by dates, imported from a file, marked where days are drawn, and written by building blocks.
func TestEventsInTheConsole(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("span", "add", "spring", "2026-04")
	ctx := openBrowser(t)
	do(t, ctx, "a list is begun", chromedp.Navigate(s.address+"/events?as_of=2026-10-19"), shows("main", "No events are named yet"),
		chromedp.SetValue(`[aria-label="Name of a new event list"]`, "Harbour-Fair"),
		chromedp.Evaluate(`document.querySelector('[aria-label="Name of a new event list"]').dispatchEvent(new Event('input', {bubbles: true}))`, nil),
		tab("New list"), shows("main", "harbour-fair, new"))
	do(t, ctx, "days are dragged over", drag("2026", "0.1", "0.7"), shows("[data-row='2026-01-01']", "3 days"))
	set := func(id, value string) chromedp.Action {
		return chromedp.Evaluate(`(() => { const f = document.getElementById('`+id+`'); f.value = '`+value+`';
			f.dispatchEvent(new Event('input', {bubbles: true})) })()`, nil)
	}
	do(t, ctx, "dates that touch it are refused", set("event-first", "2026-01-04"), shows("main", "overlaps or touches"))
	do(t, ctx, "dates are typed", set("event-first", "2026-04-03"), set("event-last", "2026-04-06"), set("event-label", "the long one"),
		tab("Add occurrence"), shows("[data-row='2026-04-03']", "4 days"), tab("Add list"), shows("main", "version 1"))
	if out := s.must("event", "show", "harbour-fair", "--output", "csv"); !strings.Contains(out, "2026-01-01,2026-01-03,3,\n2026-04-03,2026-04-06,4,the long one\n") {
		t.Errorf("the list is\n%s", out)
	}
	file := s.write("name,first_day,last_day,label\ngale,2026-09-28,,The autumn gale\ngale,2025-11-21,,\n")
	do(t, ctx, "a file is read", tab("Import…"), chromedp.SetUploadFiles("[data-read-events] input[type=file]", []string{file}, chromedp.ByQuery),
		shows("[data-read-events]", "2 occurrences"), tab("Look at it"), shows("main", "gale, new"), tab("Add list"), shows("main", "version 1"))
	do(t, ctx, "a list is renamed", tab("Rename…"), chromedp.Evaluate(`(() => { const f = document.querySelector('[aria-label="New name of the list"]');
		f.value = 'storm'; f.dispatchEvent(new Event('input', {bubbles: true})) })()`, nil), tab("Rename"), shows("main", "storm"))
	if out := s.must("event", "list", "--output", "csv"); !strings.Contains(out, "storm,2,2025-11-21,2026-09-28") || strings.Contains(out, "gale") {
		t.Errorf("the lists are\n%s", out)
	}
	do(t, ctx, "they are marked", chromedp.Navigate(s.address+"/span/spring?as_of=2026-05-02"), chromedp.WaitVisible("[data-event='harbour-fair']"),
		shows("[data-event-legend]", "harbour-fair"), chromedp.Navigate(s.address+"/calendars?as_of=2026-05-02"),
		chromedp.WaitVisible("[data-calendar-year] [data-event]"))
	block := func(text string) chromedp.Action { return press("data-blocks", text) }
	do(t, ctx, "blocks write what one would type", chromedp.Navigate(s.address+"/?as_of=2026-10-19"), chromedp.WaitVisible("[data-make-span]"),
		chromedp.Click("[data-make-span]"), chromedp.WaitVisible("[data-blocks]"), block("event"), shows("[data-new-span]", "event harbour-fair of this year"),
		block("weekday"), block("last"), block("Fri"), shows("[data-new-span]", "last Fri of this month"), block("this"), block("year"), block("months"), block("Oct"),
		block("Nov"), shows("[data-new-span]", "this year, only Oct/Nov"), block("recurring"), shows("[data-new-span]", "this year, only first business day of each month"))
}
