// Package export writes what is taken away in open formats that others read: CSV, Markdown, lines of JSON, XLSX and
// Parquet. Numbers are written as numbers with all of their digits, days as days; what a column holds is said by who
// knows it, else told by its cells.
package export

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"vastspan/core/table"
)

// A Format is one in which something is taken away.
type Format struct {
	Name string // for --output
	Type string // the media type
	// Endings are those of files, the usual one first.
	Endings []string
	write   func(w io.Writer, sheets []Sheet, about []table.Fact) error
}

// The formats.
var (
	CSV       = Format{"csv", "text/csv", []string{".csv"}, writeCSV}
	Markdown  = Format{"markdown", "text/markdown", []string{".md"}, writeMarkdown}
	JSONLines = Format{"json-lines", "application/x-ndjson", []string{".jsonl", ".ndjson"}, writeJSONLines}
	XLSX      = Format{
		"xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", []string{".xlsx"}, writeXLSX,
	}
	Parquet = Format{"parquet", "application/vnd.apache.parquet", []string{".parquet"}, writeParquet}
)

// Formats lists them.
var Formats = []Format{CSV, Markdown, JSONLines, XLSX, Parquet}

// Lookup finds a format by its name.
func Lookup(name string) (Format, bool) {
	return find(func(f Format) bool { return f.Name == name })
}

// OfType finds a format by its media type.
func OfType(media string) (Format, bool) {
	return find(func(f Format) bool { return f.Type == media })
}

// OfFile finds the format that the ending of a file names.
func OfFile(name string) (Format, bool) {
	return find(func(f Format) bool {
		return slices.ContainsFunc(f.Endings, func(e string) bool { return strings.HasSuffix(strings.ToLower(name), e) })
	})
}

func find(is func(Format) bool) (Format, bool) {
	at := slices.IndexFunc(Formats, is)
	if at < 0 {
		return Format{}, false
	}
	return Formats[at], true
}

// Ending is the usual ending of files of a format.
func (f Format) Ending() string { return f.Endings[0] }

// Binary reports whether a format is no text.
func (f Format) Binary() bool { return f.Name == XLSX.Name || f.Name == Parquet.Name }

// Write writes a document. With safe, cells of CSV are as table.SafeCell has them.
func (f Format) Write(w io.Writer, d *table.Document, safe bool) error {
	var sheets []Sheet
	switch {
	case f.Name == Markdown.Name:
		for _, s := range d.Readable() {
			sheets = append(sheets, shownSheet(&s))
		}
	case f.Name == XLSX.Name:
		for _, s := range d.Sheets() {
			sheets = append(sheets, workbookSheet(s.Title, s.Grid))
		}
	default:
		return f.WriteSheet(w, SheetOf(d.Title, d.All), safe)
	}
	if d.Titled && f.Name == Markdown.Name {
		if _, err := io.WriteString(w, "# "+escaped.Replace(d.Title)+"\n\n"); err != nil {
			return err
		}
	}
	return f.write(w, sheets, d.About)
}

// WriteSheet writes one table, a row at a time.
func (f Format) WriteSheet(w io.Writer, s Sheet, safe bool, about ...table.Fact) error {
	if safe && f.Name == CSV.Name {
		s = s.safe()
	}
	return f.write(w, []Sheet{s}, about)
}

// aboutSheet is what a document rests on, as a sheet.
func aboutSheet(facts []table.Fact) Sheet {
	g := &table.Grid{Header: []string{"what", "of", "is"}, Labels: []string{"what", "of", "is"}}
	for _, f := range facts {
		g.Rows = append(g.Rows, []string{f.Name, f.Of, f.Text})
	}
	return SheetOf("About", g)
}

// errOneTable is what a format says that has room for one table only: Write never gives it more.
func onlySheet(sheets []Sheet) (Sheet, error) {
	if len(sheets) != 1 {
		return Sheet{}, fmt.Errorf("%d tables are not a single one", len(sheets))
	}
	return sheets[0], nil
}
