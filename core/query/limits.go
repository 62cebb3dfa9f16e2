package query

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/table"
)

// Limits are a list of spans, such as shifts, campaigns or tides, with what is next to each.
type Limits struct {
	Over   []string
	Beside table.Beside

	expression, from, until int // columns; -1 where there is none
}

// MaxLimits is how many rows a list of limits may have.
const MaxLimits = 10_000

// The columns of a list of limits: an expression, or from and until.
const (
	limitExpression = "expression"
	limitFrom       = "from"
	limitUntil      = "until"
)

// maxListFaults is how many faults of a list are reported.
const maxListFaults = 20

// ReadLimits reads a list of limits as CSV. Errors list up to 20 faults, each with its line.
func ReadLimits(in io.Reader) (*Limits, error) {
	reader := csv.NewReader(in)
	header, err := reader.Read()
	if err != nil {
		return nil, fmt.Errorf("expected a header with a column expression, or the columns from and until: %w", err)
	}
	header[0] = strings.TrimPrefix(header[0], "\ufeff")
	l, err := NewLimits(header)
	if err != nil {
		return nil, err
	}
	var faults []error
	for {
		row, err := reader.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err == nil {
			err = l.Add(row)
		}
		if err == nil {
			continue
		}
		var broken *csv.ParseError
		if errors.As(err, &broken) {
			faults = append(faults, fmt.Errorf("line %d: %w", broken.Line, broken.Err))
			break
		}
		line, _ := reader.FieldPos(0)
		if faults = append(faults, fmt.Errorf("line %d: %w", line, err)); len(faults) == maxListFaults {
			break
		}
	}
	if len(faults) == 0 && len(l.Over) == 0 {
		return nil, errors.New("the list has no rows")
	}
	return l, errors.Join(faults...)
}

// NewLimits reads the header of a list: either a column expression, or the columns from and until. The other columns are kept next to them.
func NewLimits(header []string) (*Limits, error) {
	l := &Limits{
		expression: slices.Index(header, limitExpression), from: slices.Index(header, limitFrom), until: slices.Index(header, limitUntil),
	}
	switch pair := l.from >= 0 && l.until >= 0; {
	case l.expression >= 0 && (l.from >= 0 || l.until >= 0):
		return nil, errors.New("expected a column expression, or the columns from and until, not both")
	case l.expression < 0 && !pair:
		return nil, fmt.Errorf("expected a column expression, or the columns from and until; the columns are %s", strings.Join(header, ", "))
	}
	for i, name := range header {
		if !l.limits(i) {
			l.Beside.Header = append(l.Beside.Header, name)
		}
	}
	return l, nil
}

// limits reports whether a column says from when to when.
func (l *Limits) limits(column int) bool {
	return column == l.expression || l.expression < 0 && (column == l.from || column == l.until)
}

// Add takes one more row in, of as many cells as the header has: [from, until), each a date or a date with a time, blank for
// an open side; or an expression.
func (l *Limits) Add(row []string) error {
	if len(l.Over) == MaxLimits {
		return fmt.Errorf("the list has more than %d rows", MaxLimits)
	}
	text, err := l.text(row)
	if err != nil {
		return err
	}
	if _, err := span.Parse(text); err != nil {
		return err
	}
	l.Over = append(l.Over, text)
	var beside []string
	for i, cell := range row {
		if !l.limits(i) {
			beside = append(beside, cell)
		}
	}
	l.Beside.Rows = append(l.Beside.Rows, beside)
	return nil
}

func (l *Limits) text(row []string) (string, error) {
	if l.expression >= 0 {
		return row[l.expression], nil
	}
	from, err := limit(row[l.from])
	if err != nil {
		return "", fmt.Errorf("from: %w", err)
	}
	until, err := limit(row[l.until])
	if err != nil {
		return "", fmt.Errorf("until: %w", err)
	}
	switch {
	case from == "" && until == "":
		return "", errors.New("from and until are both blank")
	case from == "":
		return "until " + until, nil
	case until == "":
		return "from " + from + " onward", nil
	}
	return "from " + from + " until " + until, nil
}

// limit reads a date, or a date with a time, in the form that expressions take.
func limit(text string) (string, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return "", nil
	}
	if _, err := civil.ParseDay(text); err == nil {
		return text, nil
	}
	date, time, _ := strings.Cut(text, " ")
	if time = strings.TrimSpace(time); time != "" {
		text = date + "T" + time
	}
	if _, err := civil.UTC.Parse(text); err != nil {
		return "", fmt.Errorf("%q: expected a date, or a date with a time, such as 2026-10-19T14:30", text)
	}
	if _, within, _ := strings.Cut(strings.ToUpper(text), "T"); strings.ContainsAny(within, "Z+-.") {
		return "", fmt.Errorf("%q: expected a time to the second, as the clock of the records shows it, without an offset", text)
	}
	return strings.ToUpper(text), nil
}

// Put copies the list's other columns to the rows of an answer; a nil list changes nothing.
func (l *Limits) Put(a *Answer) *Answer {
	if l != nil {
		a.Beside = &l.Beside
	}
	return a
}
