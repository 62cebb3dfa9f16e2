package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// From an empty service to a first own total, in the browser alone: a file whose dates and numbers are not written plainly
// is dropped, put right by what the page suggests, loaded, totalled, loaded once more, and undone.
func TestAFirstTotalOfOnesOwn(t *testing.T) {
	t.Parallel()
	s := start(t)
	file := filepath.Join(s.folder, "Bay Sales 2026.csv")
	text := "sold on;zip;pier;revenue\n03/14/2026;00501;North;1.234,50\n03/15/2026;10001;South;65,5\n03/15/2026;00501;;\n"
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	ctx := openBrowser(t)
	begun := time.Now()
	do(t, ctx, "the first page of an empty service", chromedp.Navigate(s.address), chromedp.WaitVisible("[data-first-file]"),
		chromedp.Click("[data-first-file]"), shows("main", "Drop your first file here"))
	do(t, ctx, "a file is chosen", chromedp.SetUploadFiles("[data-file]", []string{file}, chromedp.ByQuery),
		shows("[data-load-files]", "CSV, semicolon, utf-8"), shows("[data-faults]", "line 2, column sold on"))
	do(t, ctx, "the order of dates is set", click(`//button[.="Set date order to mdy"]`),
		chromedp.WaitNotPresent("[data-faults]"))
	do(t, ctx, "the way numbers are written", click(`//button[.="numbers like 1.234,56?"]`),
		shows("[data-columns] tr:nth-child(4)", "number"), shows("[data-columns] tr:nth-child(2)", "text"))
	do(t, ctx, "it is loaded", click(`//button[.="Load"]`),
		shows("[data-load-files]", "3 records are in bay-sales-2026"), shows("[data-load-files]", "Sat 14 Mar 2026 to Sun 15 Mar 2026"))
	do(t, ctx, "its first total", click(`//a[.="Total them"]`),
		shows("[data-big-figure]", "1,300.0"), chromedp.WaitVisible("[data-big-figure] canvas"))
	if spent := time.Since(begun); spent > 2*time.Minute {
		t.Errorf("the first total took %s", spent)
	}

	do(t, ctx, "the same file again", click(`//nav//a[contains(., "Datasets")]`), chromedp.WaitVisible("[data-dataset]"),
		chromedp.SetUploadFiles("[data-file]", []string{file}, chromedp.ByQuery), shows("[data-load-files]", "There are 3 records"),
		click(`//button[.="Load"]`), shows("[data-load-files]", "the same content was loaded"),
		click(`//button[.="Load it again"]`), shows("[data-load-files]", "3 records are in"),
		click(`//button[.="Done"]`), shows("[data-dataset]", "6 records"))
	do(t, ctx, "it is undone", click(`//button[.="More"]`), shows("[data-loads]", "Bay Sales 2026.csv"),
		click(`//button[.="Undo…"]`), shows("[data-ask]", "You can bring them back for 30 days"), click(`//button[.="Cancel"]`),
		gone("[data-ask]"), click(`//button[.="Undo…"]`), click(`//button[.="Undo the load"]`), shows("[data-dataset]", "3 records"),
		shows("[data-loads]", "undone"), click(`//button[.="Bring back"]`), shows("[data-said]", "is back"), click(`//button[.="Undo…"]`),
		click(`//button[.="Undo the load"]`), shows("[data-dataset]", "3 records"))
	do(t, ctx, "the dataset goes", click(`//button[contains(., "Remove the dataset")]`),
		click(`//*[@data-ask]//button[.="Remove the dataset"]`), shows("main", "Drop your first file here"))
	if list := s.must("dataset", "list", "--output", "csv"); strings.Contains(list, "bay-sales") {
		t.Errorf("the client lists %s", list)
	}
}
