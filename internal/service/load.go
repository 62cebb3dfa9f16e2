package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/core/table"
	"vastspan/core/tally"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

// notLoaded is what is said of loading into a table of another database.
const notLoaded = "nothing is loaded into it"

// ReplaceAll says that all records of a dataset are replaced.
const ReplaceAll = "all"

// Load loads a file into a dataset, whole or not at all.
func (s *Datasets) Load(ctx context.Context, f File) (*store.Load, error) {
	if err := naming.Check(f.Dataset); err != nil {
		return nil, refused.Wrong(err)
	}
	d, err := s.store.Dataset(ctx, f.Dataset)
	if err := mayLoad(ctx, f.Dataset, d); err != nil {
		return nil, err
	}
	switch {
	case err == nil:
		if err := d.Here(notLoaded); err != nil {
			return nil, err
		}
		if err := checkHints(d, f.Hints); err != nil {
			return nil, err
		}
		if _, err := f.Hints.Reading(&d.Schema); err != nil {
			return nil, refused.Wrong(err)
		}
	case !refused.IsMissing(err):
		return nil, err
	}
	in := store.LoadInput{
		Dataset: f.Dataset, File: f.Name, Author: f.Author, AllowUndated: f.AllowUndated, Key: f.Once, Again: f.Again,
	}
	in.Reading = func(s *dataset.Schema) (*dataset.Schema, error) {
		read, err := f.Hints.Reading(s)
		return read, refused.Wrong(err)
	}
	if err := s.mode(ctx, &f, d, &in); err != nil {
		return nil, err
	}
	if d == nil && f.Hints.Zone == "" {
		f.Hints.Zone = s.clock.Zone().String()
	}
	had := civil.Set{}
	if d != nil && in.Mode == "" { // records are added to those that are there
		if had, err = s.store.DaysOf(ctx, d, ""); err != nil {
			return nil, err
		}
	}
	in.Contents = f.hashed()
	reader, err := f.open(ctx, s.room)
	if err != nil {
		return nil, fileError(err)
	}
	defer reader.Close()
	done, err := s.turns.take(ctx, f.Dataset)
	if err != nil {
		return nil, err
	}
	defer done()
	in.Reader = reader
	in.Describe = func() (*dataset.Schema, error) {
		schema, err := ingest.InferOf(reader, f.Hints)
		return schema, refused.Wrong(err)
	}
	load, err := s.store.LoadFile(ctx, in)
	if err != nil || load.Repeated {
		return load, Refused(err)
	}
	return load, s.remark(ctx, &f, load, reader, had)
}

// remark notes what may have been meant otherwise about a load; had are the days that had records before it. Amounts are
// shown with the decimals that the load has, where those are more.
func (s *Datasets) remark(ctx context.Context, f *File, load *store.Load, reader ingest.Reader, had civil.Set) error {
	d, err := s.store.Dataset(ctx, f.Dataset)
	if err != nil {
		return err
	}
	schema, err := f.Hints.Reading(&d.Schema)
	if err != nil {
		return err
	}
	load.Remarks = ingest.Remarks(schema, reader.Header(), reader.Sample())
	if !had.Empty() {
		if err := s.remarkDays(ctx, d, load, had); err != nil {
			return err
		}
	}
	most := ingest.Decimals(schema, reader.Header(), reader.Sample())
	more := func(s *dataset.Schema) bool {
		return slices.ContainsFunc(s.Columns, func(c dataset.Column) bool { return !c.DecimalsStated && most[c.Name] > c.Decimals })
	}
	if !more(&d.Schema) {
		return nil
	}
	_, err = s.store.Describe(ctx, f.Dataset, func(stored *store.Dataset) error {
		for i := range stored.Schema.Columns {
			if c := &stored.Schema.Columns[i]; !c.DecimalsStated {
				c.Decimals = max(c.Decimals, min(most[c.Name], dataset.MaxDecimals))
			}
		}
		return nil
	})
	return err
}

// remarkDays notes days of a load that had records of other loads already.
func (s *Datasets) remarkDays(ctx context.Context, d *store.Dataset, load *store.Load, had civil.Set) error {
	if load.Oldest == nil || had.Within(civil.Through(store.DayOf(*load.Oldest), store.DayOf(*load.Newest))).Empty() {
		return nil
	}
	own, err := s.store.DaysOfLoad(ctx, d, load)
	if err != nil {
		return err
	}
	both := own.Intersect(had)
	if both.Empty() {
		return nil
	}
	counts, err := s.store.RecordsByLoad(ctx, d, "", tally.OfDays(both), 0)
	if err != nil {
		return err
	}
	delete(counts, load.ID)
	records, loads := int64(0), slices.Sorted(maps.Keys(counts))
	for _, n := range counts {
		records += n
	}
	if records == 0 {
		return nil
	}
	names := make([]string, len(loads))
	for i, id := range loads {
		names[i] = strconv.FormatInt(id, 10)
	}
	const mostLoads = 5
	if len(names) > mostLoads {
		names = append(names[:mostLoads], "…")
	}
	load.Remarks = append(load.Remarks, ingest.Remark{Code: ingest.DaysLoaded, Text: fmt.Sprintf(
		"%s of the load had %s already (load %s): undo it and load it with replace or key, unless it adds to them",
		table.DayCount(both.Days()), counted(records, "record"), strings.Join(names, ", "))})
	return nil
}

// mode reads what a load does to the records that are there; d is nil where the dataset is not there yet.
func (s *Datasets) mode(ctx context.Context, f *File, d *store.Dataset, in *store.LoadInput) error {
	switch {
	case f.Replace != "" && f.Key != nil:
		return refused.Wrongf("replace and key are two ways to load: expected one")
	case f.Replace != "":
		in.Mode = store.Replace
	case f.Key != nil:
		in.Mode, in.Columns = store.Upsert, f.Key
	}
	if dup := slices.Compact(slices.Sorted(slices.Values(f.Key))); len(dup) < len(f.Key) {
		return refused.Wrongf("the key names a column twice")
	}
	if d == nil {
		if f.Replace != "" && f.Replace != ReplaceAll {
			return refused.Missing("dataset", f.Dataset)
		}
		return nil
	}
	if f.Replace == "" || f.Replace == ReplaceAll {
		return nil
	}
	if f.AllowUndated {
		return refused.Wrongf("records without a date are in no span: replace all, or leave allow undated out")
	}
	days, err := s.replacedDays(ctx, f, d)
	in.Days = &days
	return err
}

// replacedDays resolves the span whose records are replaced.
func (s *Datasets) replacedDays(ctx context.Context, f *File, d *store.Dataset) (civil.Set, error) {
	clock, err := s.clock.clockOf(&d.Schema, "")
	if err != nil {
		return civil.Set{}, err
	}
	asOf, err := clock.AsOf(f.AsOf, func() (civil.AsOf, bool, error) { return newestOf(ctx, s.store, f.Dataset, "") })
	if err != nil {
		return civil.Set{}, err
	}
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return civil.Set{}, err
	}
	scope, err := l.Scope(asOf, query.Context{})
	if err != nil {
		return civil.Set{}, Refused(err)
	}
	node, err := scope.Parse(f.Replace)
	if err != nil {
		return civil.Set{}, Refused(err)
	}
	days, err := span.Resolve(node, scope)
	if err == nil && days.Empty() {
		return days, refused.Wrongf("%s has no days as of %s: there is nothing to replace", f.Replace, asOf)
	}
	return days, Refused(span.Located(err, f.Replace, node))
}

// hashed makes the checksums of the files while they are read; they are known once all has been read.
func (f *File) hashed() func() []string {
	var sums []hash.Hash
	through := func(r io.Reader) io.Reader {
		sum := sha256.New()
		sums = append(sums, sum)
		return io.TeeReader(r, sum)
	}
	f.Body = through(f.Body)
	if more := f.More; more != nil {
		f.More = func() (ingest.Named, error) {
			next, err := more()
			if err == nil {
				next.Body = through(next.Body)
			}
			return next, err
		}
	}
	return func() []string {
		var list []string
		for _, sum := range sums {
			list = append(list, hex.EncodeToString(sum.Sum(nil)))
		}
		return list
	}
}
