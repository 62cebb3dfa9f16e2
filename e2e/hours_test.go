package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
)

// Hours on the pages are what the client says: an hour beside the week before and running through its day, a cross-tab by
// hour and weekday in shades, a list of shifts from a file, records of an hour, and the line of days by the hour.
func TestHoursOnThePage(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "gates", filepath.Join(s.demoFiles(), "gates.csv"), "--date", "counted_at", "--amount", "people", "--category", "gate",
		"--zone", "Europe/Lisbon")
	ctx := openBrowser(t)
	asked := []string{"total", "gates", "--over", "yesterday", "--sum", "people", "--each", "hour", "--running", "day", "--against", "1 week earlier",
		"--as-of", "2026-10-19T14:30", "--output", "csv"}
	hours := csvRows(t, s.must(asked...))
	if len(hours) != 24 || hours[9]["unit"] != "2026-10-18 09:00" || hours[9]["from"] != "2026-10-18T09:00:00+01:00" {
		t.Fatalf("the hours are %v", hours)
	}
	page := s.address + "/totals?dataset=gates&as_of=2026-10-19&time=14:30&figures=sum%20people"
	do(t, ctx, "each hour", chromedp.Navigate(page+"&over=yesterday&each=hour&running=day&against=1%20week%20earlier"),
		shows("[data-row$='T09:00:00+01:00'] [data-column='sum_people']", hours[9]["sum_people"]),
		shows("[data-row$='T09:00:00+01:00'] [data-column='sum_people_1_week_earlier']", hours[9]["sum_people_1_week_earlier"]),
		shows("[data-row$='T23:00:00+01:00'] [data-column='sum_people_running']", hours[23]["sum_people_running"]))
	do(t, ctx, "the records of an hour", chromedp.Click("[data-row$='T09:00:00+01:00'] [data-column='sum_people'] a", chromedp.ByQuery),
		shows("[data-sum='people']", hours[9]["sum_people"]), shows("[data-count]", "2"))

	parts := csvRows(t, s.must("total", "gates", "--over", "last full month", "--sum", "people", "--by", "hour", "--by", "weekday", "--as-of", "2026-10-19",
		"--output", "csv"))
	if len(parts) != 24*7 || parts[7*12+2]["hour"] != "12:00" || parts[7*12+2]["weekday"] != "Wed" {
		t.Fatalf("%d parts, %v", len(parts), parts[7*12+2])
	}
	var shade string
	do(t, ctx, "hours by weekdays", chromedp.Navigate(page+"&over=last%20full%20month&by=hour%3Bweekday&across=weekday"),
		shows("[data-table] tbody tr:nth-child(13) td:nth-child(4)", parts[7*12+2]["sum_people"]),
		chromedp.Evaluate("document.querySelector('[data-table] tbody tr:nth-child(13) td:nth-child(4)').style.backgroundColor", &shade))
	if shade == "" {
		t.Error("the figures are not in shades")
	}
	do(t, ctx, "as a table", click(`//button[normalize-space(.)="shades"]`),
		chromedp.Poll("document.querySelector('[data-table] tbody tr:nth-child(13) td:nth-child(4)').style.backgroundColor === ''", nil))

	list := filepath.Join(t.TempDir(), "shifts.csv")
	if err := os.WriteFile(list, []byte("crew,from,until\nlate,2026-10-18T14:00,2026-10-18T22:00\nearly,2026-10-18 06:00,2026-10-18 14:00\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	shifts := csvRows(t, s.must("total", "gates", "--over-file", list, "--sum", "people", "--as-of", "2026-10-19", "--output", "csv"))
	if len(shifts) != 2 || shifts[0]["crew"] != "late" || shifts[1]["seconds"] != "28800" {
		t.Fatalf("the shifts are %v", shifts)
	}
	do(t, ctx, "a list of shifts", chromedp.Navigate(page+"&over=yesterday"), click(`//button[normalize-space(.)="Span"]`),
		settled(`[aria-label="A list of spans"]`), chromedp.SetUploadFiles(`[aria-label="A list of spans"]`, []string{list}, chromedp.ByQuery),
		shows("[data-table] tbody tr:nth-child(1)", "late"), shows("[data-table] tbody tr:nth-child(1) [data-column='sum_people']", shifts[0]["sum_people"]),
		shows("[data-table] tbody tr:nth-child(2)", "8:00 hours"), shows("[data-table] tbody tr:nth-child(2) [data-column='sum_people']", shifts[1]["sum_people"]))

	s.must("span", "add", "night-shift", "from yesterday 22:00 until today 06:00")
	do(t, ctx, "the line by the hour", chromedp.Navigate(s.address+"/?reach=hours&as_of=2026-10-19&time=14:30"),
		shows("[data-span='night-shift'] [data-days]", "18 Oct 22:00 – 19 Oct 06:00"), shows("[data-span='night-shift'] [data-n]", "8:00"),
		shows("[data-dayline] [role='slider']", "19 Oct 14:30"))
	do(t, ctx, "the hours of a span", chromedp.Navigate(s.address+"/span/night-shift?as_of=2026-10-19&time=14:30"),
		shows("[data-hours]", "Sun 18 Oct"), chromedp.WaitVisible("[data-day='2026-10-19'] .bg-inside", chromedp.ByQuery))
}

// A click on the number of a band lists its records, and a question about ageing stands on a brief whose receipt keeps it.
func TestAgeingOnABrief(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "jobs", filepath.Join(s.demoFiles(), "jobs.csv"), "--date", "opened_on", "--amount", "cost", "--category", "kind", "--category", "vessel")
	bands := csvRows(t, s.must("ageing", "jobs", "--from-column", "opened_on", "--to-column", "closed_on", "--bands", "0-7,8-30,31+", "--by", "kind", "--open", "closed",
		"--as-of", "2025-06-30", "--output", "csv"))
	var hull string
	for _, b := range bands {
		if b["kind"] == "hull" && b["band"] == "8-30" {
			hull = b["records"]
		}
	}
	ctx := openBrowser(t)
	do(t, ctx, "a band's records", chromedp.Navigate(s.address+"/ageing?dataset=jobs&by=kind&only=closed&bands=0-7%2C8-30%2C31%2B&as_of=2025-06-30"),
		click(`//tr[th[.="hull"]]//td[@data-band="8-30"]/a`), shows("[data-count]", hull))

	s.must("book", "load", s.write(`book: 1
briefs:
  - name: workshop
    title: Workshop
    items:
      - kind: ageing
        title: Jobs
        dataset: jobs
        ageing: {from: opened_on, to: closed_on, bands: "0-7, 8-30, 31+", each: quarter, over: this year}
`))
	answer := csvRows(t, s.must("ageing", "jobs", "--from-column", "opened_on", "--to-column", "closed_on", "--over", "this year", "--as-of", "2026-10-19", "--output", "csv"))[0]
	do(t, ctx, "on the brief", chromedp.Navigate(s.address+"/brief/workshop?as_of=2026-10-19"), shows("[data-lengths] tbody tr", answer["records"]),
		shows("[data-lengths] tbody tr", answer["closed_median"]), chromedp.WaitVisible("[data-backlog] canvas", chromedp.ByQuery))
	s.must("receipt", "create", "workshop", "--as-of", "2026-10-19")
	kept := false
	for _, c := range csvRows(t, s.must("receipt", "show", "1", "--output", "csv")) {
		kept = kept || c["figure"] == "closed_median" && c["value"] == answer["closed_median"] && c["unit"] == ""
	}
	if !kept {
		t.Error("the receipt does not keep the median")
	}
	late := filepath.Join(t.TempDir(), "late.csv")
	if err := os.WriteFile(late, []byte("opened_on,closed_on,vessel,kind,cost\n2026-03-01,,Tern,hull,\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.must("load", "jobs", late)
	changed := csvRows(t, s.must("receipt", "compare", "1", "--output", "csv"))
	if len(changed) == 0 || changed[0]["reasons"] != "+1: 1 late record of these days in load 2 of jobs, late.csv" {
		t.Errorf("after a late record: %v", changed)
	}
}
