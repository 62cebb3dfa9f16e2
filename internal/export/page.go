package export

import (
	_ "embed"
	"html/template"
	"io"

	"vastspan/core/table"
)

//go:embed page.html
var pageText string

var page = template.Must(template.New("page").Parse(pageText))

// Page writes a document as a page of HTML that needs nothing else: to be printed, or read in a mail.
func Page(w io.Writer, d *table.Document) error {
	type cell struct {
		Text  string
		Right bool
	}
	type part struct {
		Title  string
		Head   []string
		Foot   []string
		Header []cell
		Rows   [][]cell
	}
	var parts []part
	for _, s := range d.Readable() {
		sheet := shownSheet(&s)
		one := part{Title: s.Title, Head: s.Head, Foot: s.Foot}
		row := func(cells []string) []cell {
			list := make([]cell, len(cells))
			for i, c := range cells {
				list[i] = cell{c, i < len(sheet.Columns) && sheet.Columns[i].Kind == Number}
			}
			return list
		}
		one.Header = row(sheet.names())
		for _, cells := range s.Rows {
			one.Rows = append(one.Rows, row(cells))
		}
		parts = append(parts, one)
	}
	return page.Execute(w, map[string]any{"Title": d.Title, "Parts": parts, "About": d.About})
}
