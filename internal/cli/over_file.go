package cli

import (
	"fmt"

	"vastspan/core/query"
)

const overFileHelp = "a CSV file of spans to total over, one a row: a column expression, or the columns from and until; " +
	"other columns are shown next to the figures (- is standard input)"

// limits reads a list of spans.
func (a *app) limits(file string) (*query.Limits, error) {
	in, done, err := a.open(file)
	if err != nil {
		return nil, err
	}
	defer done()
	l, err := query.ReadLimits(in)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return l, nil
}
