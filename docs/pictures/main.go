// Command pictures takes the pictures of docs/screenshots from the demo: pages in Debian's Chromium,
// commands as they print. It also draws the families of the span language for docs/language. Run it with make screenshots.
package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"html"
	"log"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

const (
	binary = "bin/vastspan"
	folder = "docs/screenshots"
	asOf   = "2026-10-19"
)

// A page is a picture of the console. ready is what stands on the page when it is complete.
type page struct {
	name, path, ready string
	width, height     int64
	dark              bool
	print             bool // as it is printed
	late              bool // after the commands have run
}

var pages = []page{
	{"console-spans", "/?span=month-so-far", "[data-reads]", 1280, 960, false, false, false},
	{"console-span", "/span/month-so-far", "[data-rehearsal] tbody tr:nth-child(5)", 1280, 1100, false, false, false},
	{
		"console-calendar",
		"/calendars?calendar=trade-445&year=2026",
		"[data-calendar-year] section:nth-child(12)",
		1280,
		960,
		false,
		false,
		false,
	},
	{"console-check", "/check", "[data-findings] li", 1280, 800, false, false, false},
	{
		"console-totals",
		"/totals?over=%40closed-month%3B%40closed-month-last-year&by=route&figure=count%3Bsum%3Afare%3Bmean%3Afare",
		"[data-table] tbody tr:nth-child(12)",
		1280,
		860,
		false,
		false,
		false,
	},
	{
		"console-breakdown",
		"/totals?over=this%20year&figure=sum%3Afare&against=1%20year%20earlier&each=month&running=year",
		"[data-table] tbody tr:nth-child(13)",
		1280,
		1060,
		false,
		false,
		false,
	},
	{
		"console-crosstab",
		"/totals?over=last%20full%20quarter&figure=sum%3Afare&each=month&by=route&across=route&top=3&against=1%20year%20earlier",
		"[data-table] tbody tr:nth-child(4)",
		1280,
		800,
		false,
		false,
		false,
	},
	{"console-lines", "/lines?running=year", "[data-lineup] tbody tr:nth-child(13)", 1280, 880, false, false, false},
	{
		"console-records",
		"/records?over=%40closed-month&where=route%3DWinter%20Isle%3Broute%3DHeron%20Key&view=boundaries",
		"[data-boundary]:nth-of-type(2) tbody tr:nth-child(4)",
		1280,
		960,
		false,
		false,
		false,
	},
	{"console-brief", "/brief/monday-crossings", "[data-brief] [data-item='7'] tbody tr", 1280, 1010, false, false, false},
	{
		"console-brief-dark",
		"/brief/board-season?rehearse=yes&as_of=2026-10-01",
		"[data-brief] [data-item='6'] canvas",
		1280,
		1180,
		true,
		false,
		false,
	},
	{"console-brief-printed", "/brief/monday-crossings", "[data-brief] [data-item='7'] tbody tr", 760, 560, false, true, false},
	{"console-receipt", "/receipt/1", "[data-receipt] [data-moved]", 1280, 800, false, false, true},
	{"console-phone", "/brief/board-season", "[data-brief] [data-item='3']", 390, 844, false, false, false},
}

// A command is a picture of what commands print.
type command struct {
	name  string
	lines []string
}

var commands = []command{
	{"command-resolve", []string{
		"vastspan resolve 'last full month' 'trailing 90 days excluding today' 'this month so far, only weekends' --as-of " + asOf,
		"vastspan resolve 'month to date excluding today, 1 year earlier' --as-of " + asOf + " --explain",
		"vastspan resolve 'last 3 months' --as-of " + asOf,
	}},
	{"command-breakdown", []string{
		"vastspan total crossings --over 'last full quarter' --sum fare --against 'year earlier' --each month --running quarter --as-of latest",
		"vastspan total crossings --over 'this year' --sum fare --beside 'plan fare=planned_fare' --as-of latest",
		"vastspan total crossings --over 'last full quarter' --sum fare --each month --across route --top 3 --as-of latest",
	}},
	{"command-definitions", []string{
		"vastspan span list --as-of " + asOf,
		"vastspan rehearse 'month to date excluding today' --as-of " + asOf + " --days 80",
		"vastspan check --as-of " + asOf, "vastspan span versions closed-month",
	}},
	{"command-brief", []string{
		"vastspan brief show monday-crossings | head -9", "vastspan receipt make monday-crossings --title 'Monday brief, 19 October'",
		"printf 'sailed_on,booked_on,route,fare_class,channel,passengers,fare\\n" +
			"2026-09-29,2026-09-28,Gull Rock,car,web,2,100.00\\n' > late.csv; vastspan load crossings late.csv",
		"vastspan receipt compare 1 | cut -c1-200",
		"vastspan schedule add openings --brief monday-crossings --on 'first business day of this month' --since 2026-08-01; " +
			"vastspan schedule run; vastspan receipt list",
	}},
	{"command-records", []string{
		"vastspan records crossings --over @month-so-far --where 'route=Gull Rock' --running fare --oldest --as-of latest --limit 8",
		"vastspan records crossings --over @closed-month --edges 2 --as-of latest", "vastspan loads crossings",
		"printf 'sold_on,amount\\n2026-02-30,2\\n2026-03-06,two\\n' | vastspan load sales - --date sold_on --amount amount",
	}},
}

func main() {
	log.SetFlags(0)
	if err := errors.Join(drawFamilies("docs/language"), run()); err != nil {
		log.Fatal(err)
	}
}

func run() (err error) {
	data, err := os.MkdirTemp("", "vastspan-pictures-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(data)
	if err := os.Chmod(data, 0o755); err != nil {
		return err
	}
	service := exec.Command(binary, "demo", "--data", data, "--address", "127.0.0.1:0")
	out, err := service.StdoutPipe()
	if err != nil {
		return err
	}
	if err := service.Start(); err != nil {
		return err
	}
	defer func() {
		_ = service.Process.Signal(os.Interrupt)
		err = errors.Join(err, service.Wait())
	}()
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		return err
	}
	address := strings.TrimSpace(strings.TrimPrefix(line, "Vast Span is at "))
	files := filepath.Join(data, "files")
	if out, err := exec.Command(binary, "demo", "--write", files).CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	ctx, cancel := chromedp.NewExecAllocator(
		context.Background(),
		append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("chromium"), chromedp.NoSandbox)...)
	defer cancel()
	ctx, cancelTab := chromedp.NewContext(ctx)
	defer cancelTab()
	takePages := func(late bool) error {
		for _, p := range pages {
			if p.late != late {
				continue
			}
			if err := take(ctx, p, address+p.path); err != nil {
				return fmt.Errorf("%s: %w", p.name, err)
			}
		}
		return nil
	}
	if err := takePages(false); err != nil {
		return err
	}
	for _, c := range commands {
		document, err := c.document(address, files)
		if err != nil {
			return err
		}
		p := page{name: c.name, ready: "pre", width: 1280, height: 800}
		if err := take(ctx, p, "data:text/html;charset=utf-8,"+url.PathEscape(document)); err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
	}
	return takePages(true)
}

func take(ctx context.Context, p page, address string) error {
	scheme := "light"
	if p.dark {
		scheme = "dark"
	}
	medium := "screen"
	if p.print {
		medium = "print"
	}
	var png []byte
	err := chromedp.Run(
		ctx,
		chromedp.EmulateViewport(p.width, p.height),
		emulation.SetEmulatedMedia().WithMedia(
			medium,
		).WithFeatures(
			[]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}},
		),
		chromedp.Navigate(
			address,
		),
		chromedp.WaitVisible(p.ready, chromedp.ByQuery),
		chromedp.Sleep(700*time.Millisecond),
		chromedp.CaptureScreenshot(&png),
	)
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, p.name+".png"), png, 0o644)
}

// document runs the commands and sets what they print as a terminal would.
func (c command) document(address, files string) (string, error) {
	bin, err := filepath.Abs(filepath.Dir(binary))
	if err != nil {
		return "", err
	}
	var b strings.Builder
	for _, line := range c.lines {
		shell := exec.Command("bash", "-c", line)
		shell.Dir = files
		shell.Env = append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"), "VASTSPAN_SERVER="+address, "TZ=UTC")
		out, err := shell.CombinedOutput()
		var exit *exec.ExitError
		if err != nil && !errors.As(err, &exit) {
			return "", err
		}
		fmt.Fprintf(&b, "<b>$ %s</b>\n%s\n", html.EscapeString(line), html.EscapeString(string(out)))
	}
	return `<!doctype html><body style="margin:0;background:#15171a">` +
		`<pre style="margin:0;padding:22px 26px;color:#d9d5cb;font:12px/1.45 'DejaVu Sans Mono',monospace;white-space:pre-wrap">` +
		strings.ReplaceAll(
			b.String(),
			"<b>",
			`<b style="color:#45b3a4">`,
		) + "</pre>", nil
}
