// Package report collects what the benchmarks measure in tables, and writes docs/performance.md with them: every cell is measured.
package report

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"text/template"
	"time"
)

// A Table is what was measured: rows and columns in the order in which they came.
type Table struct {
	Name, Corner string // of its file; what the rows are
	rows         []string
	columns      []string
	cells        map[[2]string]string
}

// New returns an empty table.
func New(name, corner string) *Table {
	return &Table{Name: name, Corner: corner, cells: map[[2]string]string{}}
}

// Put sets a cell.
func (t *Table) Put(row, column, text string) {
	if !slices.Contains(t.rows, row) {
		t.rows = append(t.rows, row)
	}
	if !slices.Contains(t.columns, column) {
		t.columns = append(t.columns, column)
	}
	t.cells[[2]string{row, column}] = text
}

// Ratios sets a cell to the ratios of a time to others, and the times in seconds; others that were not measured are 0.
func (t *Table) Ratios(row, column string, mine time.Duration, others ...time.Duration) {
	var ratios, times []string
	times = append(times, fmt.Sprintf("%.3f", mine.Seconds()))
	for _, other := range others {
		if other > 0 {
			ratios = append(ratios, fmt.Sprintf("%.4f", mine.Seconds()/other.Seconds()))
			times = append(times, fmt.Sprintf("%.3f", other.Seconds()))
		}
	}
	t.Put(row, column, strings.Join(ratios, ", ")+" ("+strings.Join(times, " : ")+")")
}

// Read takes over the cells of the table's file, where there is one: of what other runs measured.
func (t *Table) Read() error {
	text, err := os.ReadFile(fileOf(t.Name))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	var head []string
	for i, line := range strings.Split(strings.TrimSpace(string(text)), "\n") {
		cells := strings.Split(strings.Trim(line, "|"), "|")
		for j := range cells {
			cells[j] = strings.TrimSpace(cells[j])
		}
		switch {
		case i == 0:
			head = cells
		case i > 1 && len(cells) == len(head):
			for j := 1; j < len(cells); j++ {
				t.Put(cells[0], head[j], cells[j])
			}
		}
	}
	return nil
}

// Markdown writes the table.
func (t *Table) Markdown() string {
	var b strings.Builder
	fmt.Fprintf(&b, "| %s | %s |\n| --- |%s\n", t.Corner, strings.Join(t.columns, " | "), strings.Repeat(" ---: |", len(t.columns)))
	for _, row := range t.rows {
		fmt.Fprintf(&b, "| %s |", row)
		for _, column := range t.columns {
			if text := t.cells[[2]string{row, column}]; text != "" {
				b.WriteString(" " + text)
			}
			b.WriteString(" |")
		}
		b.WriteString("\n")
	}
	return b.String()
}

// The places of what is kept, from the root of the project.
const (
	folder   = "bench/results"
	document = "docs/performance.md"
	layout   = "bench/performance.tmpl"
)

// Write prints tables. Where keep is set it also replaces their files, and writes the document from all files that there are.
func Write(keep bool, tables ...*Table) error {
	for _, t := range tables {
		if len(t.rows) == 0 {
			continue
		}
		fmt.Printf("\n### %s\n\n%s", t.Name, t.Markdown())
		if !keep {
			continue
		}
		if err := os.WriteFile(fileOf(t.Name), []byte(t.Markdown()), 0o644); err != nil {
			return err
		}
	}
	if !keep {
		return nil
	}
	return assemble()
}

func fileOf(table string) string { return filepath.Join(folder, table+".md") }

// assemble writes the document. Its layout shows a table by {{table "NAME"}}, and may ask {{measured "NAME"}} whether there is one.
func assemble() error {
	parsed, err := template.New(filepath.Base(layout)).Funcs(template.FuncMap{
		"table": func(name string) (string, error) {
			table, err := os.ReadFile(fileOf(name))
			return string(table), err
		},
		"measured": func(name string) bool {
			_, err := os.Stat(fileOf(name))
			return err == nil
		},
	}).ParseFiles(layout)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := parsed.Execute(&b, nil); err != nil {
		return err
	}
	return os.WriteFile(document, b.Bytes(), 0o644)
}
