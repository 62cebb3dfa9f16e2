package cli

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"vastspan/core/query"
)

const overFileHelp = "a CSV file of spans to total over, one a row: a column expression, or the columns from and until; " +
	"other columns stand beside the figures (- is standard input)"

// limits reads a list of spans.
func (a *app) limits(file string) (*query.Limits, error) {
	in, done, err := a.open(file)
	if err != nil {
		return nil, err
	}
	defer done()
	reader := csv.NewReader(in)
	header, err := reader.Read()
	if err != nil {
		return nil, fmt.Errorf("%s: expected a header with a column expression, or the columns from and until: %w", file, err)
	}
	header[0] = strings.TrimPrefix(header[0], "\ufeff")
	l, err := query.NewLimits(header)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
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
		line, _ := reader.FieldPos(0)
		faults = append(faults, fmt.Errorf("line %d: %w", line, err))
		var broken *csv.ParseError
		if errors.As(err, &broken) || len(faults) == maxListFaults {
			break
		}
	}
	if len(faults) > 0 {
		return nil, fmt.Errorf("%s: %w", file, errors.Join(faults...))
	}
	if len(l.Over) == 0 {
		return nil, fmt.Errorf("%s: the list has no rows", file)
	}
	return l, nil
}

// maxListFaults is how many faults of a list are told.
const maxListFaults = 20
