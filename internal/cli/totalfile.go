package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"vastspan/api"
	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/core/tally"
	"vastspan/internal/service"
	"vastspan/internal/tabular"
	"vastspan/internal/wire"
)

// isFile tells a file from the name of a dataset: names of datasets have neither dots nor slashes.
func isFile(source string) bool {
	if source == "-" || strings.ContainsAny(source, "./\\") {
		return true
	}
	info, err := os.Stat(source)
	return err == nil && info.Mode().IsRegular()
}

func (a *app) totalFile(ctx context.Context, file string, q *api.TotalRequest, f *totalFlags) (*api.Total, error) {
	in, done, err := a.open(file)
	if err != nil {
		return nil, err
	}
	defer done()
	if f.asOf == string(service.Latest) {
		var clean func()
		if in, clean, err = rereadable(in); err != nil {
			return nil, err
		}
		defer clean()
	}
	reader, err := tabular.NewReader(in)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	question := wire.Question(q)
	schema, err := tabular.Infer(reader.Header, reader.Sample, f.wishes(question))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	asOf, err := f.day(func() (civil.Day, bool, error) {
		newest, ok, err := tabular.Newest(ctx, reader, schema, f.allowUndated)
		if err != nil {
			return 0, false, err
		}
		if _, err := in.(io.Seeker).Seek(0, io.SeekStart); err != nil {
			return 0, false, err
		}
		reader, err = tabular.NewReader(in)
		return newest, ok, err
	})
	if err != nil {
		return nil, err
	}
	l, err := f.library()
	if err != nil {
		return nil, err
	}
	records := service.Records{Name: file, Schema: schema, Source: &tabular.Source{Reader: reader, Schema: schema, AllowUndated: f.allowUndated}}
	t, err := service.Answer(ctx, records, l, asOf, question, func(name string) (service.Records, error) {
		return service.Records{}, usagef("--beside %s: a file is totalled on the spot; load it as a dataset to set it beside another", name)
	})
	if err != nil {
		return nil, fileProblem(err, q.Over)
	}
	w := wire.Total(t)
	return &w, nil
}

// fileProblem gives an error of a total on the spot the same form as one from the service.
func fileProblem(err error, texts []string) error {
	var refused *span.Error
	if errors.As(err, &refused) {
		for _, text := range texts {
			if strings.HasPrefix(err.Error(), fmt.Sprintf("%q", text)) {
				return &refusedExpression{text, wire.ExpressionError(refused)}
			}
		}
	}
	var faults *tabular.Faults
	if errors.As(err, &faults) {
		list := wire.Faults(faults.Rows)
		return &problemError{api.Problem{Detail: err.Error(), Faults: &list}}
	}
	return err
}

// wishes are what a total says about a file's columns: its figures need amounts, its categories
// text.
func (f *totalFlags) wishes(q service.Question) tabular.Wishes {
	w := tabular.Wishes{Date: f.date, Zone: f.zone, DateOrder: tabular.DateOrder(f.dateOrder), Numbers: f.numbers, Categories: slices.Clone(q.By)}
	for _, fig := range q.Figures {
		if fig.Kind != tally.Count && fig.Kind != tally.Distinct {
			w.Amounts = append(w.Amounts, fig.Column)
		}
	}
	for _, filter := range q.Where { // a column of few values may look like numbers and still be names
		if filter.Test == tally.Contains {
			w.Categories = append(w.Categories, filter.Column)
		}
	}
	return w
}

// rereadable gives a reader that can be set back to its start: the file itself, or a copy of a pipe.
func rereadable(in io.Reader) (io.Reader, func(), error) {
	if f, ok := in.(*os.File); ok {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			return f, func() {}, nil
		}
	}
	f, err := os.CreateTemp("", "vastspan-")
	if err != nil {
		return nil, nil, err
	}
	clean := func() { _ = errors.Join(f.Close(), os.Remove(f.Name())) }
	_, err = io.Copy(f, in)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		clean()
		return nil, nil, err
	}
	return f, clean, nil
}
