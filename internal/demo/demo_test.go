package demo

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"testing"

	"vastspan/core/book"
	"vastspan/core/dataset"
	"vastspan/internal/ingest"
)

func TestDemoIsTheSameEveryTime(t *testing.T) {
	for _, d := range Datasets() {
		var first, second bytes.Buffer
		if err := d.Write(&first); err != nil {
			t.Fatal(err)
		}
		if err := d.Write(&second); err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(first.Bytes(), second.Bytes()) {
			t.Errorf("%s differs from one time to the next", d.Name)
		}
		sum := sha256.Sum256(first.Bytes())
		t.Logf("%s: %d lines, %s", d.Name, bytes.Count(first.Bytes(), []byte("\n")), hex.EncodeToString(sum[:6]))
		r, err := ingest.Open(ingest.Options{}, &first)
		if err != nil {
			t.Fatal(err)
		}
		schema, err := ingest.Infer(r.Header(), r.Sample(), d.Hints)
		if err != nil {
			t.Fatal(err)
		}
		if err := ingest.Records(r, ingest.ScanOptions{Schema: schema, AllowUndated: d.AllowUndated}, func([]dataset.Cell) error { return nil }); err != nil {
			t.Errorf("%s: %v", d.Name, err)
		}
	}
}

func TestDemoBookCompiles(t *testing.T) {
	l, err := book.Read(Book)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(l.SpanNames()); n != 16 {
		t.Errorf("the demo names %d spans, want 16", n)
	}
}
