package store

import (
	"fmt"
	"log/slog"
	"slices"

	"vastspan/core/dataset"
	"vastspan/internal/columns"
	"vastspan/internal/ingest"
)

// A loadForm makes the columnar form of a dataset while a file is loaded into it: of the records of the file, put to the form
// that was there. It is on the disk before the load is committed, under the name that the load gives to what the dataset then
// holds; where the load comes to nothing, nobody asks for that name.
type loadForm struct {
	forms    *formCache
	dataset  *Dataset
	before   *columns.Form // nil of a dataset that was empty
	builder  *columns.Builder
	encoders []*columns.Encoder
	content  string
	names    []string
}

// begin prepares for the records of a load; nothing is made where the form so far is missing.
func (f *loadForm) begin(d *Dataset) error {
	if f.forms.folder == "" {
		return nil
	}
	f.dataset = d
	if d.Version > 0 {
		if f.before = f.forms.have(d); f.before == nil {
			return nil
		}
	}
	b, err := columns.NewBuilder(f.forms.of(d.ID), &d.Schema)
	if err != nil {
		return fmt.Errorf("the folder of columns cannot be used: %w", err)
	}
	f.builder = b
	for range ingest.Workers() {
		f.encoders = append(f.encoders, columns.NewEncoder(&d.Schema))
	}
	return nil
}

func (f *loadForm) encode(worker int, record int64, cells []dataset.Cell) {
	if f.builder != nil {
		f.encoders[worker].Add(record, cells)
	}
}

func (f *loadForm) take(worker int) *columns.Block {
	if f.builder == nil {
		return nil
	}
	return f.encoders[worker].Take()
}

func (f *loadForm) add(b *columns.Block) error {
	if f.builder == nil {
		return nil
	}
	return f.builder.Append(b)
}

// publish writes the form, and names what the dataset holds from now on. Records that the load has replaced are still in the
// form so far: it is made anew from the database then.
func (f *loadForm) publish(load *Load) (content string, err error) {
	f.content = newContent()
	if f.builder == nil {
		return f.content, nil
	}
	if f.names, err = f.builder.Finish(); err != nil || load.Replaced > 0 {
		return f.content, err
	}
	names := f.names
	if f.before != nil {
		names = slices.Concat(f.before.Pieces(), names)
	}
	if err := columns.Publish(f.forms.of(f.dataset.ID), f.content, &f.dataset.Schema, names); err != nil {
		// The form so far may have been made again meanwhile, in other files.
		slog.Warn("the columnar form of a dataset is made again", "dataset", f.dataset.Name, "error", err)
	}
	return f.content, nil
}

// end opens the form of a load that has come to its end, or removes what was made of it.
func (f *loadForm) end(failed error) {
	if f.builder == nil {
		return
	}
	if failed == nil {
		form, err := columns.Open(f.forms.of(f.dataset.ID), f.content, &f.dataset.Schema)
		if err == nil {
			f.forms.adopt(f.dataset.ID, form)
			return
		}
	}
	f.builder.Abandon()
	if err := columns.Withdraw(f.forms.of(f.dataset.ID), f.content); err != nil {
		slog.Warn("files of columns are left", "error", err)
	}
}
