package main

import (
	"bytes"
	"fmt"
	"html"
	"os"
	"path/filepath"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/demo"
)

// A family is a group of forms, drawn as bars on one line of days around the as-of day.
type family struct {
	name              string // of its file, in the folder of the documents
	asOf, first, last civil.Day
	bars              []bar
}

// A bar is the days of one expression.
type bar struct {
	expression string
	words      string    // in place of the expression
	later      civil.Day // how many days to the right it is drawn, beside what it is compared with
	newest     civil.Day // of the records: days after it are drawn hollow; 0 where records do not matter
}

func forms(expressions ...string) []bar {
	list := make([]bar, len(expressions))
	for i, e := range expressions {
		list[i].expression = e
	}
	return list
}

func families() []family {
	day := civil.Of
	today := day(2026, 10, 19)
	return []family{
		{
			"language/units", today,
			day(2026, 8, 1),
			day(2026, 12, 1),
			forms(
				"this month",
				"month to date",
				"3 months to date",
				"last full month",
				"next full month",
				"rest of this month",
				"last 4 full weeks",
			),
		},
		{
			"language/windows", today,
			day(2026, 9, 1),
			day(2026, 11, 20),
			forms(
				"trailing 30 days",
				"trailing 30 days excluding today",
				"trailing 10 business days",
				"coming 14 days",
				"coming 14 days including today",
			),
		},
		{
			"language/parts", today,
			day(2026, 9, 25),
			day(2027, 1, 5),
			forms(
				"month 3 of this quarter",
				"first 3 days of this month",
				"last business day of this month",
				"week 2 of this month",
				"first 2 weeks of this quarter",
			),
		},
		{"language/fixed", today, day(2026, 6, 1), day(2026, 12, 1), forms(
			"2026-Q3", "2026-09", "2026-W40", "2026-08-10/2026-09-15", "2026-10-05",
		)},
		{
			"language/points", today,
			day(2026, 8, 1),
			day(2026, 12, 1),
			forms(
				"from start of this quarter through yesterday",
				"from start of this month - 10 days through end of this month",
				"start of this quarter + 10 days",
				"from today onward",
				"through end of last full month",
			),
		},
		{
			"language/sets", today,
			day(2026, 8, 1),
			day(2026, 12, 1),
			forms(
				"this month or last full month",
				"this quarter and trailing 30 days",
				"this quarter except this week",
				"this month, only Sat/Sun",
				"last full month, only business days",
			),
		},
		{
			"language/moves", today,
			day(2026, 8, 1),
			day(2026, 11, 15),
			forms(
				"month to date excluding today",
				"month to date excluding today, 1 month earlier",
				"last full month, 1 month earlier",
				"trailing 14 days, 4 weeks earlier",
				"this month so far",
			),
		},
		{
			"language/seasons", today,
			day(2026, 1, 1),
			day(2027, 1, 1),
			forms(
				"this year, only Jun/Jul/Aug",
				"this year, only first week of each month",
				"this year, only last business day of each quarter",
				"Fri 3 of this month",
			),
		},
		{
			"events/events", today,
			day(2026, 1, 1),
			day(2027, 1, 15),
			forms(
				"event easter of this year",
				"@around-easter",
				"last event harbour-festival",
				"next event winter-break",
				"this year except event easter",
			),
		},
		{"comparisons/newest", day(2026, 11, 26), day(2026, 10, 1), day(2026, 12, 10), []bar{
			{expression: "last full month", newest: today},
			{expression: "last full month, 1 year earlier", later: 365},
			{expression: "2026-10-01/2026-10-19", words: "like-for-like: last full month"},
			{expression: "2025-10-01/2025-10-19", words: "like-for-like: 1 year earlier", later: 365},
		}},
		{"comparisons/moved", day(2026, 3, 31), day(2026, 2, 1), day(2026, 4, 8), forms(
			"month to date excluding today", "month to date excluding today, 1 month earlier",
		)},
		{"comparisons/weekdays", today, day(2026, 10, 1), day(2026, 10, 26), []bar{
			{expression: "trailing 14 days"},
			{
				expression: "trailing 14 days, 52 weeks earlier",
				words:      "trailing 14 days, 52 weeks earlier: weekdays line up",
				later:      52 * 7,
			},
			{expression: "trailing 14 days, 1 year earlier", words: "trailing 14 days, 1 year earlier: a weekday off", later: 52 * 7},
		}},
	}
}

const (
	labelWidth = 370
	lineWidth  = 560
	rowHeight  = 26
	topHeight  = 38
)

// drawFamilies writes the families' pictures into the documents' folder.
func drawFamilies(folder string) error {
	for _, f := range families() {
		picture, err := f.draw()
		if err != nil {
			return err
		}
		file := filepath.Join(folder, f.name+".svg")
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(file, picture, 0o644); err != nil {
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

func (f *family) draw() ([]byte, error) {
	var b bytes.Buffer
	height := topHeight + rowHeight*len(f.bars) + 8
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
	for i, bar := range f.bars {
		if err := f.drawBar(&b, &bar, topHeight+rowHeight*i); err != nil {
			return nil, err
		}
	}
	at := (f.x(f.asOf) + f.x(f.asOf+1)) / 2
	fmt.Fprintf(
		&b,
		`<path d="M%.1f 26V%d" stroke="#c8401c" stroke-width="2"/>`+
			`<text x="%.1f" y="33" fill="#c8401c" font-size="11">as of %s</text>`+"\n</svg>\n",
		at,
		height-6,
		at+5,
		f.asOf.Time().Format("2 Jan"),
	)
	return b.Bytes(), nil
}

// drawBar writes the days of one expression beside its words; what records do not cover is hollow.
func (f *family) drawBar(b *bytes.Buffer, bar *bar, top int) error {
	n, err := span.Parse(bar.expression)
	if err != nil {
		return err
	}
	names, err := book.Read(demo.Book)
	if err != nil {
		return err
	}
	set, err := span.Resolve(n, span.Scope{AsOf: f.asOf, Names: names})
	if err != nil {
		return err
	}
	words := bar.words
	if words == "" {
		words = n.String()
	}
	fmt.Fprintf(b, `<text x="14" y="%d">%s</text>`+"\n", top+14, html.EscapeString(words))
	for v := range set.Intervals() {
		covered := v
		if bar.newest > 0 {
			covered.End = min(v.End, bar.newest+1)
		}
		for _, part := range []struct {
			days civil.Interval
			look string
		}{
			{covered, `fill="#0f6e66"`}, {civil.Interval{Start: covered.End, End: v.End}, `fill="none" stroke="#0f6e66" stroke-dasharray="3 3"`},
		} {
			if left, right := f.x(part.days.Start+bar.later), f.x(part.days.End+bar.later); right > left {
				fmt.Fprintf(b, `<rect x="%.1f" y="%d" width="%.1f" height="11" rx="2" %s/>`+"\n", left, top+5, max(right-left, 2), part.look)
			}
		}
	}
	return nil
}
