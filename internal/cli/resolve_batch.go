package cli

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/span"
)

// batchNames are the columns of a batch; all but the first may be left out.
var batchNames = []string{"expression", "calendar", "as_of", "at_close"}

// resolveBatch answers rows of a CSV file as they come, in constant memory. A row that is refused carries
// its error and does not stop the others.
func (a *app) resolveBatch(ctx context.Context, file string, f *contextFlags) error {
	d, err := a.definitions(ctx, f)
	if err != nil {
		return err
	}
	in, done, err := a.open(file)
	if err != nil {
		return err
	}
	defer done()
	reader := csv.NewReader(in)
	reader.ReuseRecord = true
	reader.FieldsPerRecord = -1
	header, err := reader.Read()
	if err != nil {
		return fmt.Errorf("%s: expected a header with the columns %s: %w", file, strings.Join(batchNames, ","), err)
	}
	columns, err := batchColumns(header)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	fmt.Fprintf(a.err, "vastspan: definitions: %s\n", d)
	w := csv.NewWriter(a.out)
	b := &batch{definitions: d, flags: f, columns: columns, parsed: map[string]parsed{}}
	if err := w.Write(append(slices.Clone(header), "intervals", "days", "error")); err != nil {
		return err
	}
	for {
		row, err := reader.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			w.Flush()
			return fmt.Errorf("%s: %w", file, err)
		}
		if err := w.Write(b.answer(row)); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// batchColumns finds the columns of a batch.
func batchColumns(header []string) (map[string]int, error) {
	columns := map[string]int{}
	for i, name := range header {
		name = strings.TrimPrefix(name, "\ufeff")
		if !slices.Contains(batchNames, name) {
			return nil, fmt.Errorf("the header has a column %q; expected %s", name, strings.Join(batchNames, ","))
		}
		columns[name] = i
	}
	if _, ok := columns[batchNames[0]]; !ok {
		return nil, errors.New("the header has no column expression")
	}
	return columns, nil
}

type parsed struct {
	node span.Node
	err  error
}

// maxParsed bounds how many different expressions a batch remembers.
const maxParsed = 10_000

type batch struct {
	definitions *definitions
	flags       *contextFlags
	columns     map[string]int
	parsed      map[string]parsed
	out         []string
}

func (b *batch) answer(row []string) []string {
	b.out = append(b.out[:0], row...)
	for len(b.out) < len(b.columns) {
		b.out = append(b.out, "")
	}
	set, err := b.resolve(row)
	if err != nil {
		return append(b.out, "", "", err.Error())
	}
	days := ""
	if !set.Open() {
		days = strconv.Itoa(set.Days())
	}
	return append(b.out, set.String(), days, "")
}

func (b *batch) field(row []string, name, otherwise string) string {
	if i, ok := b.columns[name]; ok && i < len(row) && row[i] != "" {
		return row[i]
	}
	return otherwise
}

func (b *batch) resolve(row []string) (civil.Set, error) {
	text := b.field(row, "expression", "")
	p, ok := b.parsed[text]
	if !ok {
		p.node, p.err = span.Parse(text)
		if len(b.parsed) < maxParsed {
			b.parsed[strings.Clone(text)] = p
		}
	}
	if p.err != nil {
		return civil.Set{}, p.err
	}
	f := *b.flags
	f.AsOf = b.field(row, "as_of", f.AsOf)
	f.Calendar = b.field(row, "calendar", f.Calendar)
	switch at := b.field(row, "at_close", yesNo(f.AtClose)); at {
	case "yes", "no":
		f.AtClose = at == "yes"
	default:
		return civil.Set{}, fmt.Errorf("at_close: %q: expected yes or no", at)
	}
	asOf, err := b.definitions.asOf(&f, nil)
	if err != nil {
		return civil.Set{}, err
	}
	scope, err := b.definitions.library.Scope(asOf, f.Context)
	if err != nil {
		return civil.Set{}, err
	}
	return span.Resolve(p.node, scope)
}
