package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// A compared figure leads to what its change is made of, a bar of that to the drivers of its value, and all of it can be asked as it
// was known before later records came: the page says what the client says.
func TestDriversPage(t *testing.T) {
	t.Parallel()
	s := start(t)
	crossings := filepath.Join(s.demoFiles(), "crossings.csv")
	text, err := os.ReadFile(crossings)
	if err != nil {
		t.Fatal(err)
	}
	header, _, _ := strings.Cut(string(text), "\n")
	late := filepath.Join(t.TempDir(), "late.csv")
	if err := os.WriteFile(late, []byte(header+"\n2026-09-28,2026-09-20,Gull Rock,car,quay,3,1000.00\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, file := range []string{crossings, late} {
		s.must("load", "crossings", file, "--date", "sailed_on", "--amount", "fare", "--amount", "passengers", "--category", "route",
			"--category", "fare_class", "--category", "channel", "--allow-undated")
	}
	said := func(known ...string) string {
		lines := strings.Split(s.must(append([]string{
			"drivers", "crossings", "--over", "2026-09", "--against", "1 year earlier", "--sum", "fare", "--as-of", "2026-10-19",
		}, known...)...), "\n")
		return lines[3]
	}
	now, then := said(), said("--known", "load 1")
	if now == then || !strings.HasPrefix(then, "Fare fell 1,822.97 (5.6 %). By fare class, car brought 3,589.95 less;") {
		t.Fatalf("now %q, by what was known after the first load %q", now, then)
	}
	ctx := openBrowser(t)
	do(t, ctx, "a compared figure", chromedp.Navigate(s.address+"/totals?over=2026-09&against=1%20year%20earlier&figures=sum%20fare&as_of=2026-10-19"),
		chromedp.Click("[data-big-figure] [data-why]", chromedp.ByQuery), shows("[data-sentence]", now))
	do(t, ctx, "as known earlier", chromedp.Click("[data-known]", chromedp.ByQuery), chromedp.SendKeys("#as-known", "load 1\r", chromedp.ByQuery),
		shows("[data-known]", "As known after load 1"), shows("[data-sentence]", then), shows("[data-drivers=fare_class]", "−3,589.95"))
	do(t, ctx, "the drivers of a value", chromedp.Click(`[data-step="car"]`, chromedp.ByQuery), shows("[data-sentence]", "Fare fell 3,589.95 (25.2 %)."),
		shows("[data-known]", "As known after load 1"), shows("main", "1 later change is left out: load 2 (late.csv)"))
	do(t, ctx, "another column", chromedp.Click(`//button[.="channel"]`, chromedp.BySearch), shows("[data-drivers=channel]", "quay"))
	do(t, ctx, "what is known now", chromedp.Click(`[aria-label="As known now"]`, chromedp.ByQuery), shows("[data-sentence]", "Fare fell 2,589.95"))
	do(t, ctx, "what a load changed", chromedp.Navigate(s.address+"/records?dataset=crossings&over=2026-09&view=changes&since=load%201&as_of=2026-10-19"),
		shows("[data-changes-of=came]", "+1,000.00"), shows("[data-changes-of=went]", "0"), shows("[data-changed-records]", "2026-09-28"))
}
