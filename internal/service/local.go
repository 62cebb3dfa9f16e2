package service

import (
	"context"
	"fmt"
	"io"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/query"
	"vastspan/internal/ingest"
)

// A Local is a file that is totalled where it is, without a service. It is read once for each answer, and
// once more for its newest day.
type Local struct {
	name         string
	mediaType    string
	body         io.Reader
	reader       ingest.Reader
	schema       *dataset.Schema
	allowUndated bool
}

// OpenLocal reads the header of a file and finds out what its columns hold.
func OpenLocal(f File) (*Local, error) {
	l := &Local{name: f.Name, mediaType: f.MediaType, body: f.Body, allowUndated: f.AllowUndated}
	var err error
	if l.reader, err = ingest.Open(f.MediaType, f.Body); err == nil {
		l.schema, err = ingest.Infer(l.reader.Header(), l.reader.Sample(), f.Hints)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Name, err)
	}
	return l, nil
}

// Newest returns the newest day of the file; false where no record has one. The file is set back to its
// start, so its body has to be an io.Seeker.
func (l *Local) Newest(ctx context.Context) (civil.Day, bool, error) {
	newest, ok, err := ingest.Newest(ctx, l.reader, l.schema, l.allowUndated)
	if err != nil {
		return 0, false, err
	}
	back, seeks := l.body.(io.Seeker)
	if !seeks {
		return 0, false, fmt.Errorf("%s cannot be read twice", l.name)
	}
	if _, err := back.Seek(0, io.SeekStart); err != nil {
		return 0, false, err
	}
	l.reader, err = ingest.Open(l.mediaType, l.body)
	return newest, ok, err
}

// Records returns the file's records as a query is answered from them.
func (l *Local) Records() query.Records {
	source := &ingest.Source{Reader: l.reader, Schema: l.schema, AllowUndated: l.allowUndated}
	return query.Records{Name: l.name, Schema: l.schema, Source: source}
}
