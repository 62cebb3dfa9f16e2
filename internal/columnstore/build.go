package columnstore

import (
	"bufio"
	"cmp"
	"encoding/binary"
	"encoding/json"
	"hash/crc32"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"

	"github.com/cockroachdb/apd/v3"
	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
)

// A builder makes chunks of blocks. Two chunks are in memory at most, one of them being written.
type builder struct {
	folder  string
	schema  *dataset.Schema
	pending *pending
	writing errgroup.Group
	chunks  []chunkRef
}

// A chunkRef names a chunk, and says how many rows it has.
type chunkRef struct {
	Name string
	Rows int
}

// chunkBytes is how much memory the records of one chunk take before it is written, about.
const chunkBytes = 64 << 20

// newBuilder begins chunks in a folder, which is made.
func newBuilder(folder string, s *dataset.Schema) (*builder, error) {
	b := &builder{folder: folder, schema: s}
	b.pending = newPending(s)
	b.writing.SetLimit(1)
	return b, os.MkdirAll(folder, 0o700)
}

// append adds a block.
func (b *builder) append(block *Block) error {
	b.pending.add(block)
	if b.pending.bytes < chunkBytes {
		return nil
	}
	return b.flush()
}

// flush begins to write the pending chunk, once the one before it is written.
func (b *builder) flush() error {
	full, name := b.pending, uuid.NewString()+chunkSuffix
	if len(full.records) == 0 {
		return nil
	}
	b.pending = newPending(b.schema)
	b.chunks = append(b.chunks, chunkRef{name, len(full.records)})
	b.writing.Go(func() error { return writeTo(filepath.Join(b.folder, name), full.write) })
	return nil
}

// finish writes what is left, and returns the chunks.
func (b *builder) finish() ([]chunkRef, error) {
	err := b.flush()
	return b.chunks, cmp.Or(b.writing.Wait(), err)
}

// abandon removes the chunks.
func (b *builder) abandon() {
	_ = b.writing.Wait() // whatever became of them
	for _, one := range b.chunks {
		_ = os.Remove(filepath.Join(b.folder, one.Name))
	}
}

// pending are the records of a chunk before it is written.
type pending struct {
	schema  *dataset.Schema
	bytes   int
	records []int64
	since   []int64
	days    []int32
	columns []gathered
}

// gathered is what is pending of one column.
type gathered struct {
	run
	codes []uint32 // of texts, instead of values
	index map[string]uint32
}

func newPending(s *dataset.Schema) *pending {
	p := &pending{schema: s, columns: make([]gathered, len(s.Columns))}
	for i := range p.columns {
		p.columns[i].index = map[string]uint32{}
	}
	return p
}

// textBytes is about what a text takes besides its own length.
const textBytes = 64

func (p *pending) add(b *Block) {
	before := len(p.records)
	p.records, p.since, p.days = append(p.records, b.records...), append(p.since, b.since...), append(p.days, b.days...)
	p.bytes += 20 * len(b.records)
	for i := range p.columns {
		mine, theirs := &p.columns[i], &b.columns[i]
		if p.schema.Columns[i].Type == dataset.Text {
			p.bytes += 4*len(theirs.values) + mine.addTexts(theirs)
			continue
		}
		mine.values, mine.decimals = append(mine.values, theirs.values...), append(mine.decimals, theirs.decimals...)
		p.bytes += 8*len(theirs.values) + len(theirs.decimals)
		for at, text := range theirs.wide {
			if mine.wide == nil {
				mine.wide = map[int]string{}
			}
			mine.wide[before+at] = text
			p.bytes += textBytes + len(text)
		}
	}
}

// addTexts takes a run of texts in, and returns how many bytes those take that are new.
func (g *gathered) addTexts(r *run) (bytes int) {
	codes := make([]uint32, 1+len(r.list))
	for i, text := range r.list {
		code, ok := g.index[text]
		if !ok {
			g.list = append(g.list, text)
			code = uint32(len(g.list))
			g.index[text] = code
			bytes += textBytes + len(text)
		}
		codes[i+1] = code
	}
	for _, code := range r.values {
		g.codes = append(g.codes, codes[code])
	}
	return bytes
}

// A fileWriter writes a file and notes where everything is in it.
type fileWriter struct {
	out *bufio.Writer
	at  int64
}

const alignment = 8

func (w *fileWriter) write(b []byte) (extent, error) {
	if len(b) == 0 {
		return extent{}, nil
	}
	e := extent{w.at, int64(len(b)), crc32.Checksum(b, castagnoli)}
	if _, err := w.out.Write(b); err != nil {
		return e, err
	}
	padding := (alignment - len(b)%alignment) % alignment
	w.at += int64(len(b) + padding)
	_, err := w.out.Write(make([]byte, padding))
	return e, err
}

// writeTo writes a new file, which is on the disk when it returns.
func writeTo(path string, write func(w *fileWriter) error) (err error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer func() { err = cmp.Or(err, f.Close()) }()
	w := &fileWriter{out: bufio.NewWriterSize(f, 1<<20)}
	if err := write(w); err != nil {
		return err
	}
	if err := w.out.Flush(); err != nil {
		return err
	}
	return f.Sync()
}

// write writes the records.
func (p *pending) write(w *fileWriter) error {
	meta := chunkMeta{Rows: len(p.records), Ordered: true}
	by := p.order(&meta)
	days, starts := p.runs(by, &meta)
	var err error
	if meta.Days, err = w.write(bytesOf(days)); err != nil {
		return err
	}
	if meta.Starts, err = w.write(bytesOf(starts)); err != nil {
		return err
	}
	for _, own := range [][]int64{p.records, p.since} {
		one, err := writeWhole(w, ordered(own, by), nil)
		if err != nil {
			return err
		}
		meta.Columns = append(meta.Columns, one)
	}
	for i := range p.columns {
		one, err := p.columns[i].write(w, by, p.schema.Columns[i].Type)
		if err != nil {
			return err
		}
		meta.Columns = append(meta.Columns, one)
		p.columns[i] = gathered{}
	}
	return w.finish(meta)
}

// finish ends a file with what says where everything is.
func (w *fileWriter) finish(meta any) error {
	footer, err := json.Marshal(meta)
	if err != nil {
		return err
	}
	tail := binary.NativeEndian.AppendUint32(nil, uint32(len(footer)))
	tail = binary.NativeEndian.AppendUint32(tail, crc32.Checksum(footer, castagnoli))
	tail = binary.NativeEndian.AppendUint32(tail, mark)
	_, err = w.out.Write(append(footer, tail...))
	return err
}

// order is the order of the records in the file; nil where it is that in which they came.
func (p *pending) order(meta *chunkMeta) []uint32 {
	times := make([]int64, len(p.days))
	for i, day := range p.days {
		if times[i] = int64(day); day == undated {
			times[i] = none
			meta.Undated++
		}
	}
	own := p.schema.Day()
	if p.schema.Columns[own].Type != dataset.Timestamp {
		return order(keys(times))
	}
	by := order(keys(p.columns[own].values))
	sorted := ordered(times, by)
	dated := sorted[:len(sorted)-meta.Undated]
	if slices.IsSorted(dated) {
		return by
	}
	meta.Ordered = false
	return ordered(by, order(keys(sorted)))
}

// keys makes times into keys that sort as they do, none after all others.
func keys(times []int64) []uint64 {
	least := int64(math.MaxInt64)
	for _, at := range times {
		if at != none {
			least = min(least, at)
		}
	}
	list := make([]uint64, len(times))
	most := uint64(0)
	for i, at := range times {
		if at != none {
			list[i] = uint64(at - least)
			most = max(most, list[i])
		}
	}
	for i, at := range times {
		if at == none {
			list[i] = most + 1
		}
	}
	return list
}

// runs lists the days and where the records of each begin.
func (p *pending) runs(by []uint32, meta *chunkMeta) (days []int32, starts []uint32) {
	sorted := ordered(p.days, by)
	for i, day := range sorted[:len(sorted)-meta.Undated] {
		if n := len(days); n == 0 || days[n-1] != day {
			days, starts = append(days, day), append(starts, uint32(i))
		}
	}
	return days, starts
}

func (g *gathered) write(w *fileWriter, by []uint32, t dataset.Type) (columnMeta, error) {
	switch {
	case t == dataset.Text:
		return g.writeTexts(w, by)
	case t == dataset.Number:
		return g.writeNumbers(w, by)
	}
	return writeWhole(w, ordered(g.values, by), nil)
}

// writeNumbers writes numbers at the most decimals that any of them has, or as texts where they do not fit so.
func (g *gathered) writeNumbers(w *fileWriter, by []uint32) (columnMeta, error) {
	most, same := uint8(0), true
	first := -1
	for i, v := range g.values {
		if v == none {
			continue
		}
		if first < 0 {
			first = i
		}
		same = same && g.decimals[i] == g.decimals[first]
		most = max(most, g.decimals[i])
	}
	scaled := make([]int64, len(g.values))
	fits := len(g.wide) == 0
	for i, v := range g.values {
		if scaled[i] = v; v == none || !fits {
			continue
		}
		scaled[i], fits = decimal.Fixed{Digits: v, Decimals: g.decimals[i]}.Scaled(most)
	}
	var each []uint8
	if !same {
		each = ordered(g.decimals, by)
	}
	if fits {
		meta, err := writeWhole(w, ordered(scaled, by), each)
		if meta.Decimals = most; err != errSpread {
			return meta, err
		}
	}
	return g.writeWide(w, by)
}

// errSpread is the error of values that are too far apart.
var errSpread = io.ErrShortBuffer

// writeWide writes numbers as a sorted list of texts.
func (g *gathered) writeWide(w *fileWriter, by []uint32) (columnMeta, error) {
	index := map[string]uint32{}
	var list []string
	codes := make([]uint32, len(g.values))
	for i, v := range g.values {
		text, ok := g.wide[i]
		switch {
		case ok:
		case v == none:
			continue
		default:
			text = string(decimal.Fixed{Digits: v, Decimals: g.decimals[i]}.AppendText(nil))
		}
		code, ok := index[text]
		if !ok {
			list = append(list, text)
			code = uint32(len(list))
			index[text] = code
		}
		codes[i] = code
	}
	numbers := make(map[string]*apd.Decimal, len(list))
	for _, text := range list {
		d, _, err := apd.NewFromString(text)
		if err != nil {
			return columnMeta{}, err
		}
		numbers[text] = d
	}
	return writeList(w, list, ordered(codes, by), wide, func(a, b string) int {
		return cmp.Or(numbers[a].Cmp(numbers[b]), cmp.Compare(a, b))
	})
}

func (g *gathered) writeTexts(w *fileWriter, by []uint32) (columnMeta, error) {
	return writeList(w, g.list, ordered(g.codes, by), texts, cmp.Compare[string])
}

// writeList writes codes of a list of texts, which is sorted.
func writeList(w *fileWriter, list []string, codes []uint32, k kind, compare func(a, b string) int) (columnMeta, error) {
	places := make([]uint32, len(list))
	for i := range places {
		places[i] = uint32(i)
	}
	slices.SortFunc(places, func(a, b uint32) int { return compare(list[a], list[b]) })
	ranks := make([]uint32, 1+len(list))
	ends := make([]uint32, len(list))
	var text []byte
	for rank, at := range places {
		ranks[1+at] = uint32(rank + 1)
		text = append(text, list[at]...)
		ends[rank] = uint32(len(text))
	}
	values := make([]uint64, len(codes))
	for i, code := range codes {
		values[i] = uint64(ranks[code])
	}
	meta := columnMeta{Kind: k, Step: 1, Top: int64(len(list))}
	err := writeCodes(w, values, &meta)
	if err == nil {
		meta.Ends, err = w.write(bytesOf(ends))
	}
	if err == nil {
		meta.Bytes, err = w.write(text)
	}
	return meta, err
}

// writeWhole writes whole numbers as multiples of the greatest step that all of them share; each are decimals of theirs.
// Errors: errSpread, and those of writing.
func writeWhole(w *fileWriter, values []int64, each []uint8) (columnMeta, error) {
	meta := columnMeta{Kind: whole, Step: 1}
	least, most, set := int64(math.MaxInt64), int64(math.MinInt64), false
	for _, v := range values {
		if v == none {
			continue
		}
		least, most, set = min(least, v), max(most, v), true
	}
	codes := make([]uint64, len(values))
	if set {
		step := uint64(0)
		for _, v := range values {
			if d := uint64(v - least); v != none && step != 1 && (step == 0 && d > 0 || step > 0 && d%step != 0) {
				step = divisor(d, step)
			}
		}
		step = max(step, 1)
		top := uint64(most-least) / step
		if top >= math.MaxInt64-1 || step > math.MaxInt64 {
			return meta, errSpread
		}
		meta.Base, meta.Step, meta.Top = least, int64(step), int64(top)+1
		for i, v := range values {
			if v != none {
				codes[i] = uint64(v-least)/step + 1
			}
		}
	}
	err := writeCodes(w, codes, &meta)
	if err == nil {
		meta.Each, err = w.write(each)
	}
	return meta, err
}

func divisor(a, b uint64) uint64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// writeCodes writes codes in as few bytes each as the highest of them takes.
func writeCodes(w *fileWriter, codes []uint64, meta *columnMeta) (err error) {
	for _, code := range codes {
		if code == 0 {
			meta.Blanks++
		}
	}
	switch {
	case meta.Top == 0 || meta.Top == 1 && meta.Blanks == 0:
	case meta.Top < 1<<8:
		meta.Width = 1
		meta.Codes, err = w.write(narrow[uint8](codes))
	case meta.Top < 1<<16:
		meta.Width = 2
		meta.Codes, err = w.write(narrow[uint16](codes))
	case meta.Top < 1<<32:
		meta.Width = 4
		meta.Codes, err = w.write(narrow[uint32](codes))
	default:
		meta.Width = 8
		meta.Codes, err = w.write(bytesOf(codes))
	}
	return err
}

func narrow[T uint8 | uint16 | uint32](codes []uint64) []byte {
	list := make([]T, len(codes))
	for i, code := range codes {
		list[i] = T(code)
	}
	return bytesOf(list)
}
