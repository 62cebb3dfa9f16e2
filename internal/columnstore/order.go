package columnstore

import (
	"container/heap"
	"context"
	"math"
	"slices"
	"sync"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A space puts the values of a column of all chunks into one order: places from 1 on, the same for equal values only.
type space struct {
	top      int64
	base     int64 // of whole numbers: what place 1 stands for
	step     int64
	decimals uint8
	of       []placed // by chunk
}

// placed is how the codes of a chunk become places: by a list, or as first + each × (code-1).
type placed struct {
	list        []uint32
	first, each int64
}

func (p *placed) place(code int64) int64 {
	if p.list != nil {
		return int64(p.list[code-1])
	}
	return p.first + p.each*(code-1)
}

// all makes codes into places.
func (p *placed) all(codes []int64) {
	if p.list != nil {
		for i, code := range codes {
			codes[i] = int64(p.list[code-1])
		}
		return
	}
	first, each := p.first, p.each
	for i, code := range codes {
		codes[i] = first + each*(code-1)
	}
}

// number is what a place stands for, of whole numbers.
func (s *space) number(place int64) *apd.Decimal {
	return decimal.Fixed{Digits: s.base + s.step*(place-1), Decimals: s.decimals}.Decimal()
}

// space finds the one of a value column; false where its values have no order in machine words.
func (q *question) space(ctx context.Context, column int) (*space, bool, error) {
	name := q.plan.ValueColumns[column]
	inputs := make([]*input, len(q.scans))
	for i, v := range q.scans {
		inputs[i] = &v.inputs[v.values[column]]
	}
	of, err := q.schema.Find(name)
	if err != nil {
		return nil, false, err
	}
	if of.Type == dataset.Text {
		lists, top, err := q.state.merged.of(ctx, q.state, name)
		if err != nil {
			return nil, false, err
		}
		s := &space{top: top}
		for i := range inputs {
			one := placed{first: 1, each: 1}
			if lists != nil {
				one.list = lists[i]
			}
			s.of = append(s.of, one)
		}
		return s, true, nil
	}
	s, ok := wholeSpace(inputs)
	return s, ok, nil
}

// wholeSpace puts whole numbers into one order: from the least of them on, by the greatest step that all of them share.
func wholeSpace(inputs []*input) (*space, bool) {
	s := &space{base: math.MaxInt64, of: make([]placed, len(inputs))}
	for _, in := range inputs {
		if in.length == nil && in.Kind != whole {
			return nil, false
		}
		s.decimals = max(s.decimals, in.decimals())
	}
	type scaled struct{ base, step, last int64 }
	list := make([]scaled, len(inputs))
	for i, in := range inputs {
		if in.top == 0 {
			continue
		}
		more := s.decimals - in.decimals()
		base, ok1 := decimal.Rescale(in.value(1), more)
		last, ok2 := decimal.Rescale(in.value(in.top), more)
		if !ok1 || !ok2 || magnitude(base) > 1<<61 || magnitude(last) > 1<<61 {
			return nil, false
		}
		list[i] = scaled{base, 0, last}
		if in.top > 1 {
			list[i].step = (last - base) / (in.top - 1)
		}
		s.base = min(s.base, base)
	}
	step, highest := uint64(0), s.base
	for i, in := range inputs {
		if in.top > 0 {
			step = divisor(divisor(uint64(list[i].base-s.base), uint64(list[i].step)), step)
			highest = max(highest, list[i].last)
		}
	}
	s.step = max(int64(step), 1)
	if highest >= s.base {
		s.top = (highest-s.base)/s.step + 1
	}
	for i, in := range inputs {
		if in.top > 0 {
			s.of[i] = placed{first: (list[i].base-s.base)/s.step + 1, each: list[i].step / s.step}
		}
	}
	return s, true
}

// merged are the lists of texts of a state's columns, merged when they are first needed; those used longest ago are dropped where
// they take too much.
type merged struct {
	once  sync.Once
	turn  chan struct{} // held by the one who merges
	mu    sync.Mutex
	lists []*mergedList // the one used last at the end
}

type mergedList struct {
	name   string
	places [][]uint32 // of each chunk, by code
	top    int64
	bytes  int64
}

// maxMerged is how many bytes the merged lists of a state take; one is always kept.
const maxMerged = 256 << 20

func (u *merged) have(name string) *mergedList {
	u.mu.Lock()
	defer u.mu.Unlock()
	at := slices.IndexFunc(u.lists, func(l *mergedList) bool { return l.name == name })
	if at < 0 {
		return nil
	}
	one := u.lists[at]
	u.lists = append(slices.Delete(u.lists, at, at+1), one)
	return one
}

func (u *merged) keep(l *mergedList) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.lists = append(u.lists, l)
	total := int64(0)
	for _, one := range u.lists {
		total += one.bytes
	}
	for len(u.lists) > 1 && total > maxMerged {
		total -= u.lists[0].bytes
		u.lists = u.lists[1:]
	}
}

// of returns the places of the texts of a column, which has been mapped in; nil where there is one chunk alone. Those who wait for
// the same list go on merging where the one before gave up.
func (u *merged) of(ctx context.Context, f *State, name string) ([][]uint32, int64, error) {
	at := f.schema.Index(name)
	if len(f.chunks) == 1 {
		return nil, f.chunks[0].of(at).Top, nil
	}
	u.once.Do(func() { u.turn = make(chan struct{}, 1) })
	if one := u.have(name); one != nil {
		return one.places, one.top, nil
	}
	select {
	case u.turn <- struct{}{}:
	case <-ctx.Done():
		return nil, 0, ctx.Err()
	}
	defer func() { <-u.turn }()
	if one := u.have(name); one != nil {
		return one.places, one.top, nil
	}
	made, err := f.mergeTexts(ctx, at)
	if err != nil {
		return nil, 0, err
	}
	made.name = name
	u.keep(made)
	return made.places, made.top, nil
}

// mergeTexts merges the texts of a column of all chunks.
func (f *State) mergeTexts(ctx context.Context, at int) (*mergedList, error) {
	made := &mergedList{}
	var next texted
	for i, p := range f.chunks {
		c := p.of(at)
		made.places = append(made.places, make([]uint32, c.Top))
		made.bytes += 4 * c.Top
		if c.Top > 0 {
			next = append(next, &reading{column: c, chunk: i, code: 1, text: c.text(1)})
		}
	}
	heap.Init(&next)
	steps := 0
	for before := ""; len(next) > 0; {
		if steps++; steps%(1<<16) == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		one := next[0]
		if made.top == 0 || one.text != before {
			made.top++
			before = one.text
		}
		made.places[one.chunk][one.code-1] = uint32(made.top)
		if one.code++; one.code > one.Top {
			heap.Pop(&next)
			continue
		}
		one.text = one.column.text(one.code)
		heap.Fix(&next, 0)
	}
	return made, nil
}

// A reading is how far the list of texts of a chunk has been put together with others.
type reading struct {
	*column
	chunk int
	code  int64
	text  string
}

// texted are readings, the one with the least text first.
type texted []*reading

func (t texted) Len() int           { return len(t) }
func (t texted) Less(i, j int) bool { return t[i].text < t[j].text }
func (t texted) Swap(i, j int)      { t[i], t[j] = t[j], t[i] }
func (t *texted) Push(one any)      { *t = append(*t, one.(*reading)) }
func (t *texted) Pop() any {
	last := (*t)[len(*t)-1]
	*t = (*t)[:len(*t)-1]
	return last
}
