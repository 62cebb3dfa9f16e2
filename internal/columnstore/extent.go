package columnstore

import (
	"cmp"
	"context"
	"math"
	"runtime"
	"slices"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// CoverageBy returns how many records have a date and how many have none, and which days they span, by one of the dates.
func (f *State) CoverageBy(ctx context.Context, date string) (tally.Coverage, error) {
	defer runtime.KeepAlive(f)
	var coverage tally.Coverage
	clock, err := f.schema.Clock()
	if err != nil {
		return coverage, err
	}
	reader := clock.Reader()
	at, err := f.schema.DateColumn(date)
	if err != nil {
		return coverage, err
	}
	of := &f.schema.Columns[at]
	if of.Role == dataset.DayRole {
		return f.Coverage(), nil
	}
	for _, p := range f.chunks {
		dated, err := p.datedBy(ctx, p.of(at))
		if err != nil {
			return coverage, err
		}
		coverage.Undated += int64(p.count()) - dated.n
		if c := p.of(at); dated.n > 0 {
			oldest, newest := c.cell(dated.low, of.Type, reader), c.cell(dated.high, of.Type, reader)
			coverage.AddMany(dated.n, oldest.Day, newest.Day)
		}
	}
	return coverage, nil
}

// dated is how many rows have a date, with their lowest and highest code.
type dated struct{ n, low, high int64 }

// datedBy returns how many rows that count have a date: where all do, that is known without reading them.
func (h *held) datedBy(ctx context.Context, c *column) (d dated, err error) {
	if err := c.use(); err != nil {
		return d, err
	}
	if h.live == nil {
		return dated{int64(h.Rows) - c.Blanks, 1, c.Top}, nil
	}
	d.low = math.MaxInt64
	err = h.eachBlock(ctx, c, func(codes []int64) {
		for _, code := range codes {
			if code > 0 {
				d.n++
				d.low, d.high = min(d.low, code), max(d.high, code)
			}
		}
	})
	return d, err
}

// eachCode passes the codes of a column on, chunk by chunk, of the rows that count, to what take returns for it.
func (f *State) eachCode(ctx context.Context, at int, take func(c *column) func(codes []int64)) error {
	for _, p := range f.chunks {
		if err := p.of(at).use(); err != nil {
			return err
		}
	}
	for _, p := range f.chunks {
		c := p.of(at)
		if err := p.eachBlock(ctx, c, take(c)); err != nil {
			return err
		}
	}
	return nil
}

// eachBlock passes the codes of a column on, of the rows that count, some at a time.
func (h *held) eachBlock(ctx context.Context, c *column, take func(codes []int64)) error {
	codes, selected := make([]int64, blockRows), make([]int32, 0, blockRows)
	for row := 0; row < h.Rows; row += blockRows {
		if err := ctx.Err(); err != nil {
			return err
		}
		block := codes[:min(blockRows, h.Rows-row)]
		c.read(row, block)
		if h.live != nil {
			selected = h.selected(row, len(block), selected)
			for i, at := range selected {
				block[i] = block[at]
			}
			block = block[:len(selected)]
		}
		take(block)
	}
	return nil
}

// Newest returns the newest of one of the dates; a blank where no record has any.
func (f *State) Newest(ctx context.Context, date string) (dataset.Cell, error) {
	defer runtime.KeepAlive(f)
	var newest dataset.Cell
	clock, err := f.schema.Clock()
	if err != nil {
		return newest, err
	}
	at, err := f.schema.DateColumn(date)
	if err != nil {
		return newest, err
	}
	reader := clock.Reader()
	for _, p := range f.chunks {
		c := p.of(at)
		dated, err := p.datedBy(ctx, c)
		if err != nil {
			return newest, err
		}
		cell := c.cell(dated.high, f.schema.Columns[at].Type, reader)
		if cell.Set && (!newest.Set || cell.Day > newest.Day || cell.Day == newest.Day && cell.Moment.After(newest.Moment)) {
			newest = cell
		}
	}
	return newest, nil
}

// A Value is one of a column, with how many records have it.
type Value struct {
	dataset.Label
	Records int64
}

// maxValues is how many different values of a column are counted.
const maxValues = 4 << 20

// Values counts the different values of a column, the most frequent first, at most limit of them; false where there are too many
// to be counted here, and of dates.
func (f *State) Values(ctx context.Context, name string, limit int) (list []Value, ok bool, err error) {
	defer runtime.KeepAlive(f)
	at := f.schema.Index(name)
	of := &f.schema.Columns[at]
	if of.Type.IsTime() || slices.ContainsFunc(f.chunks, func(p *held) bool { return p.of(at).Top > maxValues }) {
		return nil, false, nil
	}
	counts := make([][]int64, 0, len(f.chunks))
	err = f.eachCode(ctx, at, func(c *column) func([]int64) {
		mine := make([]int64, c.Top+1)
		counts = append(counts, mine)
		return func(codes []int64) {
			for _, code := range codes {
				mine[code]++
			}
		}
	})
	if err != nil {
		return nil, false, err
	}
	if of.Type == dataset.Text {
		list, err = f.mostFrequent(ctx, at, counts, limit)
		return list, true, err
	}
	found := map[dataset.Label]int64{}
	for i, mine := range counts {
		for code, n := range mine {
			if n == 0 {
				continue
			}
			label, err := f.chunks[i].of(at).label(int64(code), of)
			if err != nil {
				return nil, false, err
			}
			found[label] += n
		}
	}
	for label, n := range found {
		list = append(list, Value{label, n})
	}
	slices.SortFunc(list, func(a, b Value) int {
		if a.Set != b.Set && a.Records == b.Records { // blank comes last
			return map[bool]int{true: -1, false: 1}[a.Set]
		}
		return cmp.Or(cmp.Compare(b.Records, a.Records), strings.Compare(a.Text, b.Text))
	})
	return list[:min(limit, len(list))], true, nil
}

// mostFrequent adds the counts of the texts of a column up, by their places among the texts of all chunks, and gives those with
// the most records. Places go as the texts do.
func (f *State) mostFrequent(ctx context.Context, at int, counts [][]int64, limit int) ([]Value, error) {
	if len(f.chunks) == 0 {
		return nil, nil
	}
	places, top, err := f.merged.of(ctx, f, f.schema.Columns[at].Name)
	if err != nil {
		return nil, err
	}
	sums := make([]int64, top+1) // 0 is blank
	for i, mine := range counts {
		sums[0] += mine[0]
		for code, n := range mine[1:] {
			if places != nil {
				sums[places[i][code]] += n
			} else {
				sums[code+1] += n
			}
		}
	}
	var order []int
	for place, n := range sums {
		if n > 0 {
			order = append(order, place)
		}
	}
	after := func(place int) int { // blank comes after all others
		if place == 0 {
			return len(sums)
		}
		return place
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Or(cmp.Compare(sums[b], sums[a]), cmp.Compare(after(a), after(b))) })
	list := make([]Value, min(limit, len(order)))
	for i := range list {
		list[i].Records = sums[order[i]]
		if order[i] > 0 {
			list[i].Label = f.textAt(at, places, order[i])
		}
	}
	return list, nil
}

// textAt is the text of a place.
func (f *State) textAt(at int, places [][]uint32, place int) dataset.Label {
	if places == nil {
		return dataset.LabelOf(strings.Clone(f.chunks[0].of(at).text(int64(place))))
	}
	for i, of := range places {
		if code, ok := slices.BinarySearch(of, uint32(place)); ok {
			return dataset.LabelOf(strings.Clone(f.chunks[i].of(at).text(int64(code + 1))))
		}
	}
	return dataset.Label{}
}
