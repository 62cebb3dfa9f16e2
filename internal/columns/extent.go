package columns

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/tally"
)

// CoverageBy returns how many records have a date and how many have none, and which days they span, by one of the dates.
func (f *Form) CoverageBy(ctx context.Context, date string) (tally.Coverage, error) {
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
	dated := make([]int64, 0, len(f.pieces))
	err = f.eachCode(ctx, at, func(*column) func([]int64) {
		dated = append(dated, 0)
		mine := &dated[len(dated)-1]
		return func(codes []int64) {
			for _, code := range codes {
				if code > 0 {
					*mine++
				}
			}
		}
	})
	for i, n := range dated {
		p := f.pieces[i]
		coverage.Undated += int64(p.Rows) - n
		if c := &p.columns[1+at]; n > 0 {
			oldest, newest := c.cell(1, of.Type, reader), c.cell(c.Top, of.Type, reader)
			coverage.AddMany(n, oldest.Day, newest.Day)
		}
	}
	return coverage, err
}

// eachCode passes the codes of a column on, piece by piece, to what take returns for it.
func (f *Form) eachCode(ctx context.Context, at int, take func(c *column) func(codes []int64)) error {
	for _, p := range f.pieces {
		if err := p.columns[1+at].use(); err != nil {
			return err
		}
	}
	codes := make([]int64, blockRows)
	for _, p := range f.pieces {
		c := &p.columns[1+at]
		of := take(c)
		for row := 0; row < p.Rows; row += blockRows {
			if err := ctx.Err(); err != nil {
				return err
			}
			block := codes[:min(blockRows, p.Rows-row)]
			c.read(row, block)
			of(block)
		}
	}
	return nil
}

// Newest returns the newest of one of the dates; a blank where no record has any.
func (f *Form) Newest(date string) (dataset.Cell, error) {
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
	for _, p := range f.pieces {
		c := &p.columns[1+at]
		if err := c.use(); err != nil {
			return newest, err
		}
		cell := c.cell(c.Top, f.schema.Columns[at].Type, reader)
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
func (f *Form) Values(ctx context.Context, name string, limit int) (list []Value, ok bool, err error) {
	defer runtime.KeepAlive(f)
	at := f.schema.Index(name)
	of := &f.schema.Columns[at]
	if of.Type.IsTime() || slices.ContainsFunc(f.pieces, func(p *piece) bool { return p.columns[1+at].Top > maxValues }) {
		return nil, false, nil
	}
	counts := make([][]int64, 0, len(f.pieces))
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
		return f.mostFrequent(at, counts, limit), true, nil
	}
	found := map[dataset.Label]int64{}
	for i, mine := range counts {
		for code, n := range mine {
			if n == 0 {
				continue
			}
			label, err := f.pieces[i].columns[1+at].label(int64(code), of)
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

// mostFrequent adds the counts of the texts of a column up, by their places among the texts of all pieces, and gives those with
// the most records. Places go as the texts do.
func (f *Form) mostFrequent(at int, counts [][]int64, limit int) []Value {
	if len(f.pieces) == 0 {
		return nil
	}
	places, top := f.unified.of(f, f.schema.Columns[at].Name)
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
	after := func(place int) int { // blank comes behind all others
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
	return list
}

// textAt is the text of a place.
func (f *Form) textAt(at int, places [][]uint32, place int) dataset.Label {
	if places == nil {
		return dataset.LabelOf(strings.Clone(f.pieces[0].columns[1+at].text(int64(place))))
	}
	for i, of := range places {
		if code, ok := slices.BinarySearch(of, uint32(place)); ok {
			return dataset.LabelOf(strings.Clone(f.pieces[i].columns[1+at].text(int64(code + 1))))
		}
	}
	return dataset.Label{}
}
