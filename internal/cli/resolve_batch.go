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
	"vastspan/internal/cli/print"
	"vastspan/internal/service"
)

// batchNames are the columns of a batch; all but the first may be left out. One with a clock, zone or day_starts, is
// answered in moments.
var batchNames = []string{"expression", "calendar", "as_of", "at_close", "zone", "day_starts"}

// A rowAnswer returns what is added to a row of a batch; it may use the row until the next one.
type rowAnswer func(row []string) []string

// answerRows answers rows of a CSV file as they come, in constant memory. begin looks at the header, and returns the columns
// that are added, the error last, and what answers a row; a row that is refused carries its error and does not stop the others,
// but in the end it is an error that there are such.
func (a *app) answerRows(
	ctx context.Context,
	file, expected string,
	f *contextFlags,
	begin func(d *definitions, header []string) (added []string, answer rowAnswer, err error),
) error {
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
	reader.FieldsPerRecord = -1
	header, err := reader.Read()
	if err != nil {
		return fmt.Errorf("%s: expected a header with the columns %s: %w", file, expected, err)
	}
	header[0] = strings.TrimPrefix(header[0], "\ufeff")
	added, answer, err := begin(d, header)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	reader.ReuseRecord = true
	fmt.Fprintf(a.err, "vastspan: definitions: %s\n", d)
	w := csv.NewWriter(a.out)
	if err := w.Write(slices.Concat(header, added)); err != nil {
		return err
	}
	var out []string
	rows, refused := 0, 0
	for {
		row, err := reader.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			w.Flush()
			return fmt.Errorf("%s: %w", file, err)
		}
		out = append(out[:0], row...)
		for len(out) < len(header) {
			out = append(out, "")
		}
		cells := answer(out[:len(header):len(header)])
		if rows++; cells[len(cells)-1] != "" { // the last one is the error
			refused++
		}
		if err := w.Write(append(out, cells...)); err != nil {
			return err
		}
	}
	if w.Flush(); w.Error() == nil && refused > 0 {
		return fmt.Errorf("%s: %s of %s refused: the column error says why", file, print.Count(refused), print.Number(rows, "row"))
	}
	return w.Error()
}

// resolveBatch resolves the expression of each row.
func (a *app) resolveBatch(ctx context.Context, file string, f *contextFlags) error {
	return a.answerRows(ctx, file, strings.Join(batchNames, ","), f, func(d *definitions, header []string) ([]string, rowAnswer, error) {
		columns, err := batchColumns(header)
		b := &batch{definitions: d, flags: f, columns: columns, parsed: map[string]parsed{}, clocks: map[string]service.Clock{}}
		return []string{"intervals", "days", "seconds", "error"}, b.answer, err
	})
}

// batchColumns finds the columns of a batch.
func batchColumns(header []string) (map[string]int, error) {
	columns := map[string]int{}
	for i, name := range header {
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
	clocks      map[string]service.Clock
}

func (b *batch) answer(row []string) []string {
	n, scope, err := b.read(row)
	switch {
	case err == nil && !b.timed() && !span.IsTimed(n, scope.Names):
		return dayAnswer(n, scope)
	case err == nil:
		return momentAnswer(n, scope)
	case b.timed():
		return []string{"error", "", "", err.Error()}
	}
	return []string{"", "", "", err.Error()}
}

// dayAnswer resolves an expression to days: what they are, how many, and what is wrong.
func dayAnswer(n span.Node, scope span.Scope) []string {
	set, err := span.Resolve(n, scope)
	if err != nil {
		return []string{"", "", "", err.Error()}
	}
	days := ""
	if !set.Open() {
		days = strconv.Itoa(set.Days())
	}
	return []string{set.String(), days, "", ""}
}

// momentAnswer resolves an expression to moments: what they are, how many days a span of days has, how many seconds they
// last, and what is wrong.
func momentAnswer(n span.Node, scope span.Scope) []string {
	set, err := span.ResolveMoments(n, scope)
	if err != nil {
		return []string{"error", "", "", err.Error()}
	}
	days := ""
	if whole, err := span.Resolve(n, scope); err == nil && !whole.Open() {
		days = strconv.Itoa(whole.Days())
	}
	switch {
	case set.Empty():
		return []string{"none", days, "0", ""}
	case set.Open():
		return []string{civil.Zoned{Clock: scope.Clock, MomentSet: set}.Text(), days, "", ""}
	}
	seconds := strconv.FormatInt(int64(set.Length()/civil.Second), 10)
	return []string{civil.Zoned{Clock: scope.Clock, MomentSet: set}.Text(), days, seconds, ""}
}

func (b *batch) field(row []string, name, otherwise string) string {
	if i, ok := b.columns[name]; ok && i < len(row) && row[i] != "" {
		return row[i]
	}
	return otherwise
}

// timed reports whether the batch has a clock.
func (b *batch) timed() bool {
	_, zone := b.columns["zone"]
	_, starts := b.columns["day_starts"]
	return zone || starts
}

// read returns the expression of a row and what it is read against.
func (b *batch) read(row []string) (span.Node, span.Scope, error) {
	text := b.field(row, "expression", "")
	p, ok := b.parsed[text]
	if !ok {
		p.node, p.err = span.Parse(text)
		if len(b.parsed) < maxParsed {
			b.parsed[strings.Clone(text)] = p
		}
	}
	if p.err != nil {
		return nil, span.Scope{}, p.err
	}
	f := *b.flags
	f.AsOf = b.field(row, "as_of", f.AsOf)
	f.Calendar = b.field(row, "calendar", f.Calendar)
	switch at := b.field(row, "at_close", yesNo(f.AtClose)); at {
	case "yes", "no":
		f.AtClose = at == "yes"
	default:
		return nil, span.Scope{}, fmt.Errorf("at_close: %q: expected yes or no", at)
	}
	d := *b.definitions
	var err error
	if d.clock, err = b.clock(b.field(row, "zone", ""), b.field(row, "day_starts", "")); err != nil {
		return nil, span.Scope{}, err
	}
	asOf, err := d.asOf(&f, nil)
	if err != nil {
		return nil, span.Scope{}, err
	}
	scope, err := d.library.Scope(asOf, f.Context)
	return p.node, scope, err
}

// clock returns the clock of a row; those of the rows before are remembered.
func (b *batch) clock(zone, dayStarts string) (service.Clock, error) {
	key := zone + "/" + dayStarts
	c, ok := b.clocks[key]
	if !ok {
		var err error
		if c, err = b.definitions.clock.ReadClock(zone, dayStarts); err != nil {
			return c, err
		}
		if len(b.clocks) < maxParsed {
			b.clocks[strings.Clone(key)] = c
		}
	}
	return c, nil
}
