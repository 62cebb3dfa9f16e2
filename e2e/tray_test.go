package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// Files that are being loaded are seen from every page, and can be cancelled there; a draft of a brief is not left without a question,
// and a reload keeps it.
func TestWorkIsNotLost(t *testing.T) {
	t.Parallel()
	s := start(t)
	folder := t.TempDir()
	small := filepath.Join(folder, "small.csv")
	if err := os.WriteFile(small, []byte("day,fare\n2026-09-01,5\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.must("load", "small", small, "--date", "day", "--amount", "fare")
	s.must("brief", "add", "monday", "--title", "Monday", "--item", "figure Fares: dataset=small; over=2026-09; figures=sum fare")
	var b strings.Builder
	b.WriteString("day,fare,text\n")
	for i := range 1_500_000 {
		fmt.Fprintf(&b, "2026-09-%02d,%d,%s\n", 1+i%30, i%500, "some words to fill the row with so that it takes a while")
	}
	long := filepath.Join(folder, "long.csv")
	if err := os.WriteFile(long, []byte(b.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	ctx := openBrowser(t)
	do(t, ctx, "a long file is loaded", chromedp.Navigate(s.address+"/data"), chromedp.SetUploadFiles("[data-file]", []string{long}, chromedp.ByQuery),
		shows("[data-columns]", "fare"), click(`//button[.="Load"]`), chromedp.WaitVisible("[role=progressbar]"))
	do(t, ctx, "another page shows it", click(`//nav//a[contains(., "Spans")]`), shows(`[data-upload="sending"]`, "long.csv"),
		click(`//nav//a[contains(., "Calendars")]`), shows("[data-uploads]", "into long"))
	do(t, ctx, "it is cancelled there", click(`//*[@data-uploads]//button[.="Cancel"]`), shows(`[data-upload="failed"]`, "nothing was loaded"),
		click(`//*[@data-uploads]//button[.="Close"]`), gone("[data-uploads]"))
	if list := s.must("dataset", "list", "--output", "csv"); strings.Contains(list, "long") {
		t.Errorf("something was loaded: %s", list)
	}
	do(t, ctx, "a brief is edited", chromedp.Navigate(s.address+"/brief/monday"), click(`//button[.="Edit"]`),
		chromedp.WaitVisible(`input[aria-label="Title of the brief"]`), chromedp.SendKeys(`input[aria-label="Title of the brief"]`, " morning"))
	do(t, ctx, "leaving it asks", click(`//nav//a[contains(., "Totals")]`), shows("[data-ask]", "Leave without saving?"),
		click(`//*[@data-ask]//button[.="Cancel"]`), gone("[data-ask]"), value(`input[aria-label="Title of the brief"]`, "Monday morning"))
	do(t, ctx, "a reload keeps it", chromedp.Reload(), value(`input[aria-label="Title of the brief"]`, "Monday morning"))
	do(t, ctx, "it is discarded", click(`//nav//a[contains(., "Totals")]`), shows("[data-ask]", "Leave without saving?"),
		click(`//*[@data-ask]//button[.="Discard changes"]`), shows("h1", "Totals"))
	do(t, ctx, "and gone", chromedp.Navigate(s.address+"/brief/monday"), shows("h1", "Monday"), chromedp.WaitVisible(`//button[.="Edit"]`))
}

// A console whose service is away says so, on pages that are open and on those that it has to fetch.
func TestAServiceThatIsAway(t *testing.T) {
	t.Parallel()
	s := start(t)
	file := filepath.Join(t.TempDir(), "small.csv")
	if err := os.WriteFile(file, []byte("day,fare\n2026-09-01,5\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.must("load", "small", file, "--date", "day", "--amount", "fare")
	ctx := openBrowser(t)
	do(t, ctx, "a total", chromedp.Navigate(s.address+"/totals?dataset=small&over=2026-09&figures=sum+fare&as_of=2026-10-19"), shows("main", "5"))
	s.stop()
	do(t, ctx, "another as-of day", click(`//button[.="Today"]`), shows("main [role=alert]", "The service does not answer"))
	do(t, ctx, "another page", click(`//nav//a[contains(., "Ageing")]`), shows("main [role=alert]", "The service does not answer"))
}

// value waits until a field holds a text.
func value(selector, text string) chromedp.Action {
	return chromedp.Poll(fmt.Sprintf("document.querySelector(%q)?.value === %q", selector, text), nil)
}
