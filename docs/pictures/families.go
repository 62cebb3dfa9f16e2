package main

import (
	"bytes"
	"fmt"
	"html"
	"os"
	"path/filepath"

	"vastspan/core/civil"
	"vastspan/core/span"
)

// A family is a group of forms, drawn as bars on one line of days around the as-of day.
type family struct {
	name        string
	first, last civil.Day
	expressions []string
}

func families() []family {
	day := civil.Of
	return []family{
		{
			"units",
			day(2026, 8, 1),
			day(2026, 12, 1),
			[]string{
				"this month",
				"month to date",
				"3 months to date",
				"last full month",
				"next full month",
				"rest of this month",
				"last 4 full weeks",
			},
		},
		{
			"windows",
			day(2026, 9, 1),
			day(2026, 11, 20),
			[]string{
				"trailing 30 days",
				"trailing 30 days excluding today",
				"trailing 10 business days",
				"coming 14 days",
				"coming 14 days including today",
			},
		},
		{
			"parts",
			day(2026, 9, 25),
			day(2027, 1, 5),
			[]string{
				"month 3 of this quarter",
				"first 3 days of this month",
				"last business day of this month",
				"week 2 of this month",
				"first 2 weeks of this quarter",
			},
		},
		{"fixed", day(2026, 6, 1), day(2026, 12, 1), []string{"2026-Q3", "2026-09", "2026-W40", "2026-08-10/2026-09-15", "2026-10-05"}},
		{
			"points",
			day(2026, 8, 1),
			day(2026, 12, 1),
			[]string{
				"from start of this quarter through yesterday",
				"from start of this month - 10 days through end of this month",
				"start of this quarter + 10 days",
				"from today onward",
				"through end of last full month",
			},
		},
		{
			"sets",
			day(2026, 8, 1),
			day(2026, 12, 1),
			[]string{
				"this month or last full month",
				"this quarter and trailing 30 days",
				"this quarter except this week",
				"this month, only Sat/Sun",
				"last full month, only business days",
			},
		},
		{
			"moves",
			day(2026, 8, 1),
			day(2026, 11, 15),
			[]string{
				"month to date excluding today",
				"month to date excluding today, 1 month earlier",
				"last full month, 1 month earlier",
				"trailing 14 days, 4 weeks earlier",
				"this month so far",
			},
		},
	}
}

const (
	labelWidth = 370
	lineWidth  = 560
	rowHeight  = 26
	topHeight  = 38
)

// draw writes the families' pictures into a folder.
func drawFamilies(folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	asOfDay, err := civil.ParseDay(asOf)
	if err != nil {
		return err
	}
	for _, f := range families() {
		picture, err := f.draw(asOfDay)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(folder, f.name+".svg"), picture, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// x returns a day's place on the line.
func (f *family) x(d civil.Day) float64 {
	d = min(max(d, f.first), f.last)
	return labelWidth + lineWidth*float64(d-f.first)/float64(f.last-f.first)
}

func (f *family) draw(asOfDay civil.Day) ([]byte, error) {
	var b bytes.Buffer
	height := topHeight + rowHeight*len(f.expressions) + 8
	fmt.Fprintf(
		&b,
		`<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %[1]d %[2]d"`+
			` font-family="Inter,system-ui,sans-serif" font-size="12" fill="#20252c">`+"\n",
		labelWidth+lineWidth+20,
		height,
	)
	fmt.Fprintf(&b, `<rect width="100%%" height="100%%" rx="10" fill="#fffefb" stroke="#e4dfd3"/>`+"\n")
	y, m, _ := f.first.Date()
	for d := civil.Of(y, m, 1); d < f.last; d, _ = d.AddMonths(1) {
		if d < f.first {
			continue
		}
		fmt.Fprintf(
			&b,
			`<path d="M%.1f 10V%d" stroke="#e4dfd3"/><text x="%.1f" y="20" fill="#6d6759" font-size="11">%s</text>`+"\n",
			f.x(d),
			height-6,
			f.x(d)+4,
			d.Time().Format("Jan 2006"),
		)
	}
	for i, text := range f.expressions {
		n, err := span.Parse(text)
		if err != nil {
			return nil, err
		}
		set, err := span.Resolve(n, span.Scope{AsOf: asOfDay})
		if err != nil {
			return nil, err
		}
		top := topHeight + rowHeight*i
		fmt.Fprintf(&b, `<text x="14" y="%d">%s</text>`+"\n", top+14, html.EscapeString(n.String()))
		for v := range set.Intervals() {
			if left, right := f.x(v.Start), f.x(v.End); right > left {
				fmt.Fprintf(
					&b,
					`<rect x="%.1f" y="%d" width="%.1f" height="11" rx="2" fill="#0f6e66"/>`+"\n",
					left,
					top+5,
					max(right-left, 2),
				)
			}
		}
	}
	at := (f.x(asOfDay) + f.x(asOfDay+1)) / 2
	fmt.Fprintf(
		&b,
		`<path d="M%.1f 26V%d" stroke="#c8401c" stroke-width="2"/>`+
			`<text x="%.1f" y="33" fill="#c8401c" font-size="11">as of 19 Oct</text>`+"\n</svg>\n",
		at,
		height-6,
		at+5,
	)
	return b.Bytes(), nil
}
