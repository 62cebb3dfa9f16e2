package ingest

import (
	"cmp"
	"errors"
	"fmt"
	"iter"
	"slices"
	"strings"
	"unicode/utf8"

	"vastspan/core/dataset"
)

// ColumnHints are what the caller states about a file's columns; the rest is inferred.
type ColumnHints struct {
	Date       string
	Amounts    []string
	Categories []string
	// MaybeCategories are categories where there are columns of such names.
	MaybeCategories []string
	Details         []string
	Zone            string
	DayStarts       string
	DateOrder       dataset.DateOrder
	Numbers         string
	Ambiguous       dataset.Ambiguous
	Epoch           dataset.Epoch
	// Century is the first of the hundred years that two-digit years mean; 0 refuses such years.
	Century int
	// Grain is the unit that a record stands for; empty is told by the dates.
	Grain string
	// Types are those of columns, as ParseTypes reads them.
	Types []string
	// Blanks are words that mean blank, such as n/a and -.
	Blanks []string
	// Trim takes blanks off both ends of texts.
	Trim bool
}

// ParseTypes reads the types of columns: COLUMN=TYPE.
func ParseTypes(texts []string) (map[string]dataset.Type, error) {
	types := map[string]dataset.Type{}
	for _, text := range texts {
		at := strings.LastIndexByte(text, '=')
		if at < 1 {
			return nil, fmt.Errorf("type %q: expected COLUMN=TYPE, such as zip=text", text)
		}
		kind := dataset.Type(text[at+1:])
		if !slices.Contains([]dataset.Type{dataset.Text, dataset.Number, dataset.Date, dataset.Timestamp}, kind) {
			return nil, fmt.Errorf("type %q: expected text, number, date or timestamp", text)
		}
		types[text[:at]] = kind
	}
	return types, nil
}

// stateTypes sets the types of columns that are stated, and the roles that go with them. Values that do not fit are left to be
// found row by row.
func stateTypes(s *dataset.Schema, h ColumnHints, sample []Row, style NumberStyle) error {
	types, err := ParseTypes(h.Types)
	if err != nil {
		return err
	}
	for name, kind := range types {
		c, err := s.Find(name)
		if err != nil {
			return err
		}
		if c.Type == kind {
			continue
		}
		was := c.Type
		c.Type, c.Decimals = kind, 0
		switch {
		case kind == dataset.Number:
			c.Role = dataset.Amount
			for v := range valuesOf(sample, s.Index(name)) {
				if v, ok := style.reads(v, true); ok {
					_, fraction, _ := strings.Cut(v, ".")
					c.Decimals = max(c.Decimals, len(fraction))
				}
			}
		case kind == dataset.Text && was == dataset.Number:
			c.Role = roleOfTexts(countValues(sample, s.Index(name)))
		case kind.IsTime():
			c.Role = dataset.Detail
		}
	}
	return nil
}

// Reading returns a schema by which a file is read whose hints say how it is written, where that differs from the schema.
func (h *ColumnHints) Reading(s *dataset.Schema) (*dataset.Schema, error) {
	read := *s
	read.DateOrder = cmp.Or(h.DateOrder, s.DateOrder)
	read.Numbers = cmp.Or(h.Numbers, s.Numbers)
	read.Ambiguous = cmp.Or(h.Ambiguous, s.Ambiguous)
	read.Epoch = cmp.Or(h.Epoch, s.Epoch)
	read.Century = cmp.Or(h.Century, s.Century)
	read.Trim = h.Trim || s.Trim
	read.Blanks = slices.Concat(s.Blanks, h.Blanks)
	if err := read.CheckTimes(); err != nil {
		return nil, err
	}
	_, err := ParseNumberStyle(read.Numbers)
	return &read, err
}

// maxColumnName is the longest name a column may have, in bytes.
const maxColumnName = 60

// maxColumns is how many columns a table may have.
const maxColumns = 1500

func checkWidth(columns int) error {
	if columns > maxColumns {
		return fmt.Errorf("the header names %d columns: at most %d", columns, maxColumns)
	}
	return nil
}

// checkHeader refuses a header in which columns cannot be distinguished.
func checkHeader(header []string) error {
	if err := checkWidth(len(header)); err != nil {
		return err
	}
	seen := map[string]int{}
	for i, name := range header {
		switch {
		case strings.TrimSpace(name) == "":
			return fmt.Errorf("the header names no column %d: every column needs a name", i+1)
		case !utf8.ValidString(name) || strings.ContainsRune(name, 0):
			return fmt.Errorf("the name of column %d is not text: it holds NUL, or bytes that are not UTF-8", i+1)
		case len(name) > maxColumnName:
			return fmt.Errorf("the name of column %d is %d bytes long: at most %d", i+1, len(name), maxColumnName)
		case strings.HasPrefix(name, "_"):
			return fmt.Errorf("column %q: names that begin with _ are kept for the service; leave it out (omit)", name)
		case seen[name] > 0:
			return fmt.Errorf("the header names %q twice, as column %d and column %d", name, seen[name], i+1)
		}
		seen[name] = i + 1
	}
	return nil
}

// InferOf finds out what the columns of a file hold, as Infer does; what it refuses of a workbook names the sheets that were not read.
func InferOf(r Reader, h ColumnHints) (*dataset.Schema, error) {
	s, err := Infer(r.Header(), r.Sample(), h)
	if w := r.Written(); err != nil && w.OtherSheets != "" {
		err = fmt.Errorf("%w; read was the sheet %s, others are %s: state which one is meant (sheet)", err, w.Sheet, w.OtherSheets)
	}
	return s, err
}

// Infer describes a table from its header and a sample of its rows. What is stated is taken as
// stated; a column that cannot hold it is an error. Exactly one column of dates or times is taken
// for the day where none is stated.
func Infer(header []string, sample []Row, h ColumnHints) (*dataset.Schema, error) {
	if err := checkHeader(header); err != nil {
		return nil, err
	}
	sample = withoutBlankWords(sample, h.Blanks)
	s := &dataset.Schema{
		Blanks: h.Blanks, Trim: h.Trim, Zone: h.Zone, DateOrder: h.DateOrder, Numbers: h.Numbers, Ambiguous: h.Ambiguous, Epoch: h.Epoch,
		Century: h.Century,
	}
	if err := s.CheckTimes(); err != nil {
		return nil, err
	}
	if s.Zone == "" {
		s.Zone = "UTC"
	}
	if _, err := s.Clock(); err != nil {
		return nil, err
	}
	if err := s.SetDayStarts(h.DayStarts); err != nil {
		return nil, err
	}
	if h.Grain != "" {
		if err := s.SetGrain(h.Grain); err != nil {
			return nil, err
		}
	}
	style, err := ParseNumberStyle(h.Numbers)
	if err != nil {
		return nil, err
	}
	for i, name := range header {
		c := describe(name, i, sample, style, h.Century)
		s.Columns = append(s.Columns, c)
	}
	if err := stateTypes(s, h, sample, style); err != nil {
		return nil, err
	}
	if err := applyHints(s, h, sample, style); err != nil {
		return nil, err
	}
	return s, chooseDay(s, h, sample)
}

// withoutBlankWords returns a sample in which words that mean blank are empty.
func withoutBlankWords(sample []Row, words []string) []Row {
	if len(words) == 0 {
		return sample
	}
	list := make([]Row, len(sample))
	for i, row := range sample {
		list[i] = Row{row.Line, slices.Clone(row.Cells)}
		for j, c := range row.Cells {
			if slices.Contains(words, strings.TrimSpace(c)) {
				list[i].Cells[j] = ""
			}
		}
	}
	return list
}

// valuesOf yields the values of a column of the sample that are not blank.
func valuesOf(sample []Row, column int) iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, row := range sample {
			if column < len(row.Cells) {
				if v := strings.TrimSpace(row.Cells[column]); v != "" && !yield(v) {
					return
				}
			}
		}
	}
}

// countValues returns how many values of a column of the sample are not blank, and how many of them differ.
func countValues(sample []Row, column int) (filled, distinct int) {
	seen := map[string]bool{}
	for v := range valuesOf(sample, column) {
		filled++
		seen[v] = true
	}
	return filled, len(seen)
}

// datesOf returns the form of date that all values of a column have; false where one of them has another, or none.
func datesOf(sample []Row, column, century int) (calendarKind, bool) {
	k := calendarKind{century: century}
	for v := range valuesOf(sample, column) {
		if !k.add(v) {
			return k, false
		}
	}
	return k, k.form != noDate
}

// anyValue reports whether a column of the sample has a value of some kind.
func anyValue(sample []Row, column int, is func(string) bool) bool {
	return slices.ContainsFunc(sample, func(row Row) bool {
		return column < len(row.Cells) && is(strings.TrimSpace(row.Cells[column]))
	})
}

// describe finds a column's type and its likely role from the sample.
func describe(name string, i int, sample []Row, style NumberStyle, century int) dataset.Column {
	c := dataset.Column{Name: name, Type: dataset.Text}
	dates, isDate := datesOf(sample, i, century)
	isTime, isNumber, isWhole := true, true, true
	running := runningNumber{}
	filled, distinct := countValues(sample, i)
	for v := range valuesOf(sample, i) {
		isNumber = isNumber && !leadingZero(v)
		isTime = isTime && looksLikeTime(v)
		if v, isNumber = style.reads(v, isNumber); isNumber {
			if _, fraction, ok := strings.Cut(v, "."); ok {
				c.Decimals = max(c.Decimals, len(fraction))
				isWhole = false
			}
			running.add(v)
		}
	}
	switch {
	case filled == 0:
		c.Role = dataset.Detail
	case isDate && dates.sure:
		c.Type, c.Role = dataset.Date, dataset.Detail
	case isTime:
		c.Type, c.Role = dataset.Timestamp, dataset.Detail
	case isNumber:
		c.Type, c.Role = dataset.Number, roleOfNumbers(name, isWhole, running.proven())
	default:
		c.Role = roleOfTexts(filled, distinct)
	}
	if c.Type != dataset.Number {
		c.Decimals = 0
	}
	return c
}

// leadingZero reports whether a number begins with a zero that would be lost, as in a code.
func leadingZero(v string) bool { return len(v) > 1 && v[0] == '0' && v[1] >= '0' && v[1] <= '9' }

// applyHints applies what the caller states about columns other than the day. Values that do not fit are
// left to be found row by row; a column with no fitting value at all is an error.
func applyHints(s *dataset.Schema, h ColumnHints, sample []Row, style NumberStyle) error {
	isNumber := func(v string) bool { _, ok := style.reads(v, true); return ok }
	set := func(names []string, role dataset.Role) error {
		for _, name := range names {
			c, err := s.Find(name)
			if err != nil {
				return err
			}
			if role == dataset.Amount {
				if c.Type != dataset.Number && len(sample) > 0 && !anyValue(sample, s.Index(name), isNumber) {
					written := ""
					if s := styleOf(sample, s.Index(name), "", style); s != nil {
						written = ", and its values are written like " + s.Value
					}
					return fmt.Errorf("column %s holds values of type %s; an amount needs numbers%s", name, c.Type, written)
				}
				c.Type = dataset.Number
			}
			if role == dataset.Category && !slices.Contains(h.Types, name+"="+string(dataset.Number)) {
				c.Type, c.Decimals = dataset.Text, 0
			}
			c.Role = role
		}
		return nil
	}
	for _, name := range h.MaybeCategories {
		if s.Index(name) >= 0 {
			h.Categories = append(slices.Clone(h.Categories), name)
		}
	}
	return errors.Join(set(h.Amounts, dataset.Amount), set(h.Categories, dataset.Category), set(h.Details, dataset.Detail))
}

// likelyCentury is an example of the first year that two digits mean.
const likelyCentury = 1970

// hasFraction reports whether a number has digits after the point that are not zeros.
func hasFraction(v string) bool {
	_, fraction, _ := strings.Cut(v, ".")
	return strings.Trim(fraction, "0") != ""
}

// chooseDay finds the column that holds the day: the stated one, or the only one of dates or times, or else the only one
// of numbers that may be dates, such as 20260305 and 2026.
func chooseDay(s *dataset.Schema, h ColumnHints, sample []Row) error {
	var candidates, numbers []int
	if h.Date != "" {
		if _, err := s.Find(h.Date); err != nil {
			return err
		}
		candidates = []int{s.Index(h.Date)}
	}
	for i, c := range s.Columns {
		if h.Date == "" && (c.Type == dataset.Date || c.Type == dataset.Timestamp) {
			candidates = append(candidates, i)
		}
	}
	for i, c := range s.Columns {
		if len(candidates) > 0 || h.Date != "" {
			break
		}
		if _, ok := datesOf(sample, i, h.Century); ok && c.Type == dataset.Number && !slices.Contains(h.Amounts, c.Name) {
			numbers = append(numbers, i)
		}
	}
	candidates = append(candidates, numbers...)
	switch {
	case len(candidates) == 0:
		for i := range s.Columns {
			if _, ok := datesOf(sample, i, likelyCentury); ok {
				return fmt.Errorf("the dates in column %s have years of two digits: set the century, such as %d",
					s.Columns[i].Name, likelyCentury)
			}
		}
		return fmt.Errorf("no column holds dates; choose the date column; the columns are %s", strings.Join(s.Names(), ", "))
	case len(candidates) > 1:
		var names []string
		for _, i := range candidates {
			names = append(names, s.Columns[i].Name)
		}
		return fmt.Errorf("%d columns hold dates: state which one is the day (date): %s", len(candidates), strings.Join(names, ", "))
	}
	c := &s.Columns[candidates[0]]
	c.Role, c.Decimals = dataset.DayRole, 0
	if s.Epoch == dataset.SpreadsheetDays {
		if c.Type = dataset.Date; anyValue(sample, candidates[0], hasFraction) {
			c.Type = dataset.Timestamp
		}
		return nil
	}
	if s.Epoch != "" || c.Type == dataset.Text && anyValue(sample, candidates[0], looksLikeTime) {
		c.Type = dataset.Timestamp
		return nil
	}
	if c.Type == dataset.Timestamp {
		return nil
	}
	c.Type = dataset.Date
	if dates, ok := datesOf(sample, candidates[0], h.Century); ok && h.Grain == "" && dates.grain() != "" {
		return s.SetGrain(dates.grain())
	}
	return nil
}

// HeaderError is the error of a file whose columns are not those of its dataset.
type HeaderError struct{ Reason string }

func (e *HeaderError) Error() string { return e.Reason }

// match finds where each column of the schema is in a header; both must have the same columns,
// in any order.
func match(s *dataset.Schema, header []string) ([]int, error) {
	if err := checkHeader(header); err != nil {
		return nil, &HeaderError{err.Error()}
	}
	at := make([]int, len(s.Columns))
	for i, c := range s.Columns {
		if at[i] = slices.Index(header, strings.TrimSpace(c.Name)); at[i] < 0 {
			return nil, &HeaderError{
				fmt.Sprintf(
					"the file has no column %q, which the dataset has; the file's columns are %s",
					c.Name,
					strings.Join(header, ", "),
				),
			}
		}
	}
	for _, name := range header {
		if !slices.ContainsFunc(s.Columns, func(c dataset.Column) bool { return strings.TrimSpace(c.Name) == name }) {
			return nil, &HeaderError{
				fmt.Sprintf(
					"the file has a column %q, which the dataset does not have: leave it out (omit); the dataset's columns are %s",
					name,
					strings.Join(s.Names(), ", "),
				),
			}
		}
	}
	return at, nil
}
