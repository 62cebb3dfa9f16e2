package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"hash"
	"io"
	"slices"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/core/span"
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
	in.Contents = f.hashed()
	reader, err := f.open()
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
		schema, err := ingest.Infer(reader.Header(), reader.Sample(), f.Hints)
		return schema, refused.Wrong(err)
	}
	load, err := s.store.LoadFile(ctx, in)
	return load, Refused(err)
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
		return refused.Wrongf("records without a date lie in no span: replace all, or leave allow undated out")
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
	node, err := span.Parse(f.Replace)
	if err != nil {
		return civil.Set{}, Refused(err)
	}
	days, err := span.Resolve(node, scope)
	if err == nil && days.Empty() {
		return days, refused.Wrongf("%s has no days as of %s: there is nothing to replace", f.Replace, asOf)
	}
	return days, Refused(err)
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
