// Command pictures takes the pictures of docs/screenshots from the demo: pages in Debian's Chromium,
// commands as they print. It also draws the families of the span language for docs/language. Run it with make screenshots.
package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"html"
	"image"
	"image/draw"
	"image/png"
	"log"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"vastspan/internal/deliver"
	"vastspan/internal/postgres"
)

const (
	binary = "bin/vastspan"
	folder = "docs/screenshots"
	asOf   = "2026-10-19"

	defaultWidth = 1280 // of a page, in pixels
)

// A page is a picture of the console. ready is what stands on the page when it is complete.
type page struct {
	name, path, ready string
	width, height     int64
	dark              bool
	before            string // what is done on the page first, in JavaScript
	late              bool   // after the commands have run
	below             []page // what stands below it in the same picture
}

// rowOf selects a row of the first table that answers a query.
func rowOf(n int) string { return fmt.Sprintf("[data-table] tbody tr:nth-child(%d)", n) }

const (
	oneFigure = "/totals?over=last%20full%20quarter&figures=sum%20fare&against=1%20year%20earlier%3Bprior"
	itsChange = "/drivers?over=last%20full%20month&against=1%20year%20earlier&figures=sum%20fare"
	ofTheYear = "/totals?over=year%20to%20date&figures=sum%20fare&each=month&by=route&draw=stacked"
	across    = "/totals?dataset=gates&over=last%2013%20full%20weeks&figures=sum%20people&by=hour%3Bweekday&across=weekday"
	atNight   = "/span/night-shift?as_of=" + asOf + "&time=14%3A30"
	atTheEnds = "/records?over=%40closed-month&where=route%3DWinter%20Isle%3Broute%3DHeron%20Key&view=boundaries"
	ofJobs    = "/ageing?dataset=jobs&by=kind&amount=cost&within=14"
	monday    = "/brief/monday-crossings?rehearse=yes"
	twoWeeks  = "document.querySelector('[data-make-span]').click(); setTimeout(() => { const name = document.querySelector('#new-name'); " +
		"name.value = 'ninety-last-year'; name.dispatchEvent(new Event('input', {bubbles: true})); " +
		"['trailing', 'excluding today', '1 year earlier'].forEach((words, i) => setTimeout(() => " +
		"[...document.querySelectorAll('[data-blocks] button')].find((b) => b.textContent.trim() === words).click(), 100 * i)) }, 300)"
	changing = "document.querySelector('[data-change-calendar]').click()"
	aFile    = "const list = new DataTransfer(); list.items.add(new File(['sold on;zip;pier;revenue\\n03/14/2026;00501;North;1.234,50\\n" +
		"03/15/2026;10001;South;65,5\\n'], 'Bay sales 2026.csv')); const input = document.querySelector('[data-file]'); " +
		"input.files = list.files; input.dispatchEvent(new Event('change', {bubbles: true}))"
	eighthItem = "[data-brief] [data-item='7'] tbody tr"
)

var pages = []page{
	{name: "console-spans", path: "/?span=month-so-far", ready: "[data-reads]", height: 960},
	{name: "console-span", path: atNight, ready: "[data-hours] [data-day]", height: 960, below: []page{
		{path: "/", ready: "[data-make-span]", height: 800, before: twoWeeks},
	}},
	{
		name: "console-calendar", path: "/calendars?calendar=trade-445&year=2026", ready: "[data-change-calendar]", height: 1160,
		before: changing, below: []page{{path: "/events?event=regatta", ready: "[data-events] [data-occurrence]", height: 800}},
	},
	{name: "console-ageing", path: ofJobs, ready: "[data-backlog] canvas", height: 1200},
	{name: "console-totals", path: oneFigure, ready: "[data-big-figure] canvas", height: 860, below: []page{
		{path: itsChange, ready: "[data-drivers] tbody tr", height: 1080},
	}},
	{name: "console-breakdown", path: ofTheYear, ready: "[data-drawn] canvas", height: 1160},
	{name: "console-crosstab", path: across, ready: rowOf(25), height: 1160},
	{name: "console-lines", path: "/lines?running=year", ready: "[data-lineup] tbody tr:nth-child(13)", height: 880, dark: true},
	{name: "console-records", path: atTheEnds, ready: "[data-boundary]:nth-of-type(2) tbody tr:nth-child(4)", height: 960},
	{name: "console-brief", path: monday, ready: eighthItem, height: 1120},
	{name: "console-data", path: "/data", ready: "[data-dataset]", height: 860, before: aFile},
	{name: "console-receipt", path: "/receipt/1", ready: "[data-receipt] [data-changed]", height: 800, late: true},
	{name: "console-phone", path: "/brief/board-season", ready: "[data-brief] [data-item='3']", width: 390, height: 844},
}

// ofATeam is what administrators of a service with accounts see.
var ofATeam = page{name: "console-team", path: "/accounts", ready: "[data-account=tomas]", height: 360, below: []page{
	{path: "/audit", ready: "[data-audit] tbody tr b", height: 620}, {path: "/service", ready: "[data-runs]", height: 620},
	{path: "/you", ready: "[data-sessions] li", height: 560},
}}

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
		"vastspan resolve 'trailing 24 hours' 'from yesterday 22:00 until today 06:00' --as-of " + asOf + "T14:30 --zone Europe/Lisbon",
	}},
	{"command-breakdown", []string{
		"vastspan total crossings --over 'last full quarter' --sum fare --against 'year earlier' --each month --running quarter " +
			"--as-of latest | head -8",
		"vastspan total crossings --over 'last full month' --sum fare --against 'year earlier' --as-of 2026-11-26",
		"vastspan total crossings --over 'last full month' --sum fare --against 'year earlier' --as-of 2026-11-26 " +
			"--like-for-like | head -7 | tail -4",
		"vastspan total gates --over 'yesterday, only 06:00-10:00' --sum people --each hour --running day --as-of latest | head -9",
	}},
	{"command-definitions", []string{
		"vastspan span list --as-of " + asOf,
		"vastspan rehearse 'month to date excluding today' --as-of " + asOf + " --days 80",
		"vastspan check --as-of " + asOf, "vastspan span versions closed-month",
	}},
	{"command-brief", []string{
		"vastspan brief show monday-crossings | head -9", "vastspan receipt create monday-crossings --title 'Monday brief, 19 October'",
		"printf 'sailed_on,booked_on,route,fare_class,channel,passengers,fare\\n" +
			"2026-09-29,2026-09-28,Gull Rock,car,web,2,100.00\\n' > late.csv; vastspan load crossings late.csv",
		"vastspan receipt compare 1 | head -9",
		"vastspan schedule add openings --brief monday-crossings --days 'first business day of this month' --since 2026-08-01 " +
			"--deliver 'folder openings xlsx,markdown'; vastspan schedule run; sleep 2; vastspan schedule deliveries",
	}},
	{"command-records", []string{
		"vastspan dataset list; vastspan database list | cut -c1-17",
		"vastspan records crossings --over @month-so-far --where 'route=Gull Rock' --running fare --oldest --as-of latest --limit 4",
		"vastspan records crossings --over @closed-month --boundary 2 --as-of latest", "vastspan loads crossings",
		"printf 'sold_on,amount\\n2026-02-30,2\\n2026-03-06,two\\n' | vastspan load sales - --date sold_on --amount amount",
	}},
}

func main() {
	log.SetFlags(0)
	if err := errors.Join(drawFamilies("docs"), run()); err != nil {
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
	address, stop, err := started(nil, "demo", "--data", data, "--address", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, stop()) }()
	files := filepath.Join(data, "files")
	if out, err := exec.Command(binary, "demo", "--write", files).CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	ctx, cancel := chromedp.NewExecAllocator(
		context.Background(),
		append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(deliver.HeadlessShell), chromedp.NoSandbox)...)
	defer cancel()
	ctx, cancelTab := chromedp.NewContext(ctx)
	defer cancelTab()
	if err := chromedp.Run(ctx); err != nil { // the tab lives as long as the context that opened it
		return err
	}
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
		p := page{name: c.name, ready: "pre", height: 800}
		if err := take(ctx, p, "data:text/html;charset=utf-8,"+url.PathEscape(document)); err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
	}
	if err := takePages(true); err != nil {
		return err
	}
	return takeTeam(ctx, filepath.Join(data, "demo"))
}

// started starts a service, and returns its address and what stops it.
func started(env []string, args ...string) (address string, stop func() error, err error) {
	service := exec.Command(binary, args...)
	service.Env = append(os.Environ(), env...)
	out, err := service.StdoutPipe()
	if err == nil {
		err = service.Start()
	}
	if err != nil {
		return "", nil, err
	}
	stop = func() error {
		_ = service.Process.Signal(os.Interrupt)
		return service.Wait()
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		return "", nil, errors.Join(err, stop())
	}
	return strings.TrimSpace(strings.TrimPrefix(line, "Vast Span is at ")), stop, nil
}

// takeTeam serves the demo's records to a team, and takes the pages that accounts have.
func takeTeam(ctx context.Context, demo string) (err error) {
	database, err := postgres.Address(demo)
	if err != nil {
		return err
	}
	run := func(args ...string) (string, error) {
		c := exec.Command(binary, args...)
		c.Env = append(os.Environ(), "VASTSPAN_DATABASE="+database)
		out, err := c.Output()
		return string(out), err
	}
	printed, err := run("account", "add", "ines", "--role", "administrator", "--group", "board")
	if err == nil {
		_, err = run("account", "add", "tomas", "--role", "analyst", "--group", "harbour", "--group", "finance")
	}
	if err == nil {
		_, err = run("account", "add", "rosa", "--group", "finance")
	}
	if err != nil {
		return err
	}
	address, end, err := started([]string{"VASTSPAN_DATABASE=" + database}, "serve", "--address", "127.0.0.1:0",
		"--data", filepath.Join(demo, "team"))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, end()) }()
	_, token, _ := strings.Cut(printed, "#")
	token, _, _ = strings.Cut(token, "\n")
	limited, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	err = chromedp.Run(limited, chromedp.EmulateViewport(defaultWidth, 800), chromedp.Navigate(address+"/welcome#"+token),
		chromedp.SendKeys("#password", "tide under the old pier", chromedp.ByQuery), chromedp.Click("[data-welcome] button"),
		chromedp.WaitVisible("[data-you-link]", chromedp.ByQuery))
	if err != nil {
		return err
	}
	return take(ctx, ofATeam, address+ofATeam.path)
}

// take takes the picture of a page, with those that stand below it.
func take(ctx context.Context, p page, address string) error {
	base := strings.TrimSuffix(address, p.path)
	data, err := shoot(ctx, p, address)
	for _, b := range p.below {
		var other []byte
		if err == nil {
			other, err = shoot(ctx, b, base+b.path)
		}
		if err == nil {
			data, err = stacked(data, other)
		}
	}
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, p.name+".png"), data, 0o644)
}

// stacked puts one picture below another.
func stacked(above, below []byte) ([]byte, error) {
	a, err := png.Decode(bytes.NewReader(above))
	if err != nil {
		return nil, err
	}
	b, err := png.Decode(bytes.NewReader(below))
	if err != nil {
		return nil, err
	}
	height := a.Bounds().Dy()
	both := image.NewRGBA(image.Rect(0, 0, max(a.Bounds().Dx(), b.Bounds().Dx()), height+b.Bounds().Dy()))
	draw.Draw(both, a.Bounds(), a, image.Point{}, draw.Src)
	draw.Draw(both, b.Bounds().Add(image.Pt(0, height)), b, image.Point{}, draw.Src)
	var out bytes.Buffer
	err = png.Encode(&out, both)
	return out.Bytes(), err
}

// patience is how long a page may take to be complete.
const patience = time.Minute

func shoot(ctx context.Context, p page, address string) ([]byte, error) {
	scheme := "light"
	if p.dark {
		scheme = "dark"
	}
	width := p.width
	if width == 0 {
		width = defaultWidth
	}
	ctx, stop := context.WithTimeout(ctx, patience)
	defer stop()
	var data []byte
	err := chromedp.Run(
		ctx,
		chromedp.EmulateViewport(width, p.height),
		emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}),
		chromedp.Navigate(
			address,
		),
		chromedp.WaitVisible(p.ready, chromedp.ByQuery),
		chromedp.Evaluate(p.before, nil),
		chromedp.Sleep(1500*time.Millisecond),
		chromedp.CaptureScreenshot(&data),
	)
	return data, err
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
		shell.Env = append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"), "VASTSPAN_SERVER="+address, "TZ=UTC", "COLUMNS=150")
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
