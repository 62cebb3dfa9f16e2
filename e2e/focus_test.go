package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// focused waits until the focus is inside what a selector finds, and has not fallen back to the top of the page.
func focused(selector string) chromedp.Action {
	return chromedp.Poll(`document.activeElement !== document.body && document.activeElement.closest(`+"`"+selector+"`"+`) !== null`, nil)
}

// tab moves the focus to a button by its text and presses it, as a keyboard does.
func tab(text string) chromedp.Action {
	find := `[...document.querySelectorAll("main button, [data-ask] button")].find((b) => b.textContent.trim() === ` + "`" + text + "`" + `)`
	return chromedp.Tasks{
		chromedp.Poll(find+` !== undefined && !`+find+`.disabled`, nil),
		chromedp.Evaluate(`(() => { const b = `+find+`; b.focus(); b.click() })()`, nil),
	}
}

// What is done by keyboard leaves the focus near the place where it was, and removing something asks.
func TestTheFocusStaysNearby(t *testing.T) {
	t.Parallel()
	s := start(t)
	folder := t.TempDir()
	file := filepath.Join(folder, "small.csv")
	if err := os.WriteFile(file, []byte("day,fare\n2026-09-01,5\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.must("load", "small", file, "--date", "day", "--amount", "fare")
	s.must("brief", "add", "monday", "--title", "Monday", "--item", "figure Fares: dataset=small; over=2026-09; figures=sum fare")
	s.must("span", "add", "closed", "last full month")
	s.must("holidays", "add", "quay-days", "2026-05-01")
	s.must("calendar", "add", "fiscal", "--year-starts", "04-01", "--year-label", "starting")
	s.must("schedule", "add", "openings", "--brief", "monday", "--days", "first day of this month")
	ctx := openBrowser(t)

	do(t, ctx, "a brief is edited", chromedp.Navigate(s.address+"/brief/monday"), shows("[data-brief]", "5"), tab("Edit"), focused("main"),
		tab("Discard changes"), focused("main"))
	do(t, ctx, "a calendar is changed", chromedp.Navigate(s.address+"/calendars?calendar=fiscal"), chromedp.WaitVisible("[data-calendar-year]"),
		tab("Change fiscal…"), focused("main"), chromedp.SetValue(`[data-calendar-editor] input[type=text], [data-calendar-editor] #calendar-about`, "a year"),
		tab("Save change"), gone("[data-calendar-editor]"), focused("main"))
	do(t, ctx, "holidays", tab("Holidays…"), focused("main"), tab("Remove…"), shows("[data-ask]", "Remove the holidays quay-days?"),
		focused("[data-ask]"), tab("Cancel"), gone("[data-ask]"), focused("main"))
	do(t, ctx, "a calendar is removed", tab("Done"), focused("main"), tab("Change fiscal…"), press("data-calendar-editor", "Remove…"), shows("[data-ask]", "Remove calendar fiscal?"),
		tab("Remove the calendar"), gone("[data-ask]"), gone("[data-calendar-editor]"), focused("main"))
	do(t, ctx, "a span is removed", chromedp.Navigate(s.address+"/?span=closed"), shows("main", "last full month"), tab("Remove…"),
		shows("[data-ask]", "Remove @closed?"), tab("Remove the span"), gone("[data-ask]"), focused("main"))
	do(t, ctx, "a schedule is removed", chromedp.Navigate(s.address+"/receipts"), shows("main", "first day of this month"),
		click(`//button[@aria-label="Remove the schedule openings"]`), shows("[data-ask]", "Remove schedule openings?"), tab("Remove the schedule"), gone("[data-ask]"),
		chromedp.Poll(`!document.querySelector("main").textContent.includes("first day of this month")`, nil))
	do(t, ctx, "a load is undone", chromedp.Navigate(s.address+"/data"), chromedp.WaitVisible("[data-dataset]"), tab("More"),
		shows("[data-loads]", "small.csv"), tab("Undo…"), shows("[data-ask]", "Undo load"), tab("Undo the load"), gone("[data-ask]"),
		shows("[data-said]", "is undone"), focused("main"))
	do(t, ctx, "a file is loaded", chromedp.SetUploadFiles("[data-file]", []string{s.write("day,fare\n2026-09-02,7\n")}, chromedp.ByQuery),
		shows("[data-columns]", "fare"), tab("Load"), focused("main"), shows("[data-loaded]", "1 record loaded into file"))
	for _, list := range [][]string{{"span", "list"}, {"schedule", "list"}} {
		if out := s.must(list...); strings.Contains(out, "closed") || strings.Contains(out, "openings") {
			t.Errorf("%v: %s", list, out)
		}
	}
}

// Of a breakdown by day over years the page holds only the rows in sight; the last one is there when it is scrolled to.
func TestLongTablesHoldWhatIsInSight(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.loadCrossings(filepath.Join(s.demoFiles(), "crossings.csv"))
	ctx := openBrowser(t)
	var rows, stated int
	do(t, ctx, "five years by day", chromedp.Navigate(s.address+"/totals?over=2022-01-01/2026-10-19&each=day&figures=count;sum+fare&as_of=2026-10-19"),
		chromedp.WaitVisible("[data-row]", chromedp.ByQuery), chromedp.Evaluate(`document.querySelectorAll("[data-row]").length`, &rows),
		chromedp.Evaluate(`Number(document.querySelector("[data-table]").ariaRowCount)`, &stated))
	if rows == 0 || rows > 150 || stated != 1754 {
		t.Errorf("%d rows are in the page and %d stated, expected at most 150 of 1754", rows, stated)
	}
	do(t, ctx, "its end", chromedp.Evaluate(`window.scrollTo(0, document.body.scrollHeight)`, nil), shows("[data-table] tbody", "2026-10-19"),
		shows("[data-table] tbody", "1,271,130.59"))
}
