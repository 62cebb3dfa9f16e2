package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"time"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/naming"
	"vastspan/core/tally"
	"vastspan/internal/access"
	"vastspan/internal/ingest"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

func itoa(n int) string { return strconv.Itoa(n) }

// datasetStore is what datasets and their loads are kept in.
type datasetStore interface {
	attacher
	Datasets(ctx context.Context) ([]store.Dataset, error)
	Dataset(ctx context.Context, name string) (*store.Dataset, error)
	Source(d *store.Dataset) tally.WeighingSource
	Coverage(ctx context.Context, d *store.Dataset) (tally.Coverage, error)
	Newest(ctx context.Context, d *store.Dataset, date string) (civil.AsOf, bool, error)
	RemovedDatasets(ctx context.Context) ([]store.Dataset, error)
	RestoreDataset(ctx context.Context, name string, check func(*store.Dataset) error) (*store.Dataset, error)
	RedoLoad(ctx context.Context, name string, id int64) (*store.Load, error)
	RemoveDataset(ctx context.Context, name string, check func(*store.Dataset) error) error
	Describe(ctx context.Context, name string, change func(*store.Dataset) error) (*store.Dataset, error)
	SetRules(ctx context.Context, name string, rules *access.Rules, check func(*store.Dataset) error) (*store.Dataset, error)
	LoadFile(ctx context.Context, in store.LoadInput) (*store.Load, error)
	DaysOf(ctx context.Context, d *store.Dataset, date string) (civil.Set, error)
	DaysOfLoad(ctx context.Context, d *store.Dataset, load *store.Load) (civil.Set, error)
	RecordsByLoad(ctx context.Context, d *store.Dataset, date string, p tally.Period, after int64) (map[int64]int64, error)
	Loads(ctx context.Context, d *store.Dataset, before int64, limit int) ([]store.Load, error)
	Load(ctx context.Context, d *store.Dataset, id int64) (*store.Load, error)
	UndoLoad(ctx context.Context, name string, id int64) (*store.Load, error)
	Verify(ctx context.Context, d *store.Dataset) (*store.Verification, error)
	Values(ctx context.Context, d *store.Dataset, column string, limit int) ([]store.CategoryValue, error)
}

// Datasets are the datasets with their loads.
type Datasets struct {
	store       datasetStore
	schedules   scheduleLister
	definitions *Definitions
	clock       Clock
	turns       turns // by dataset
	room        *ingest.Room
}

// A Dataset is a dataset with what it holds now.
type Dataset struct {
	store.Dataset
	tally.Coverage
	// Engine is that of the database where its records are; empty where they are kept here. Trouble says why what it holds is
	// not known just now.
	Engine, Trouble string
	// MinRecords is of how many records totals are made that the caller sees, where he sees no records; else 0.
	MinRecords int
	// TotalsBy is the unit that the spans of those totals are made of; empty for any.
	TotalsBy string
}

// List lists the datasets by name.
func (s *Datasets) List(ctx context.Context, p Paging) (Page[Dataset], error) {
	sets, err := s.store.Datasets(ctx)
	if err != nil {
		return Page[Dataset]{}, err
	}
	sets = slices.DeleteFunc(sets, func(d store.Dataset) bool { return levelOf(ctx, &d) == access.Nothing })
	page, err := pageOf(sets, p, func(d store.Dataset) string { return d.Name })
	if err != nil {
		return Page[Dataset]{}, err
	}
	out := Page[Dataset]{Items: []Dataset{}, Next: page.Next}
	for _, d := range page.Items {
		one, err := s.holding(ctx, &d)
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, *one)
	}
	return out, nil
}

// Get finds a dataset.
func (s *Datasets) Get(ctx context.Context, name string) (*Dataset, error) {
	d, err := visible(ctx, s.store, name, access.Totals)
	if err != nil {
		return nil, err
	}
	return s.holding(ctx, d)
}

// ETag identifies the description of a dataset, which changes are made from.
func (d *Dataset) ETag() int64 { return d.Described }

// checkDescribed refuses a change that was made from another description.
func checkDescribed(d *store.Dataset, from int64) error {
	if from != AnyVersion && from != d.Described {
		return refused.Changed("dataset %s has changed since: its description is at version %d, not %d", d.Name, d.Described, from)
	}
	return nil
}

// Access returns the rules about who sees what of a dataset; empty ones where everybody does.
func (s *Datasets) Access(ctx context.Context, name string) (*Dataset, access.Rules, error) {
	d, err := s.Get(ctx, name)
	if err != nil || d.Rules == nil {
		return d, access.Rules{}, err
	}
	return d, *d.Rules, nil
}

// PutAccess puts rules about who sees what of a dataset in place, from the description that the change was made from; rules
// without groups let everybody see its records.
func (s *Datasets) PutAccess(ctx context.Context, name string, rules access.Rules, from int64) (*Dataset, error) {
	var err error
	if rules.Records, err = checkGroups(rules.Records); err != nil {
		return nil, err
	}
	if rules.Totals, err = checkGroups(rules.Totals); err != nil {
		return nil, err
	}
	if err := rules.Check(); err != nil {
		return nil, err
	}
	kept := &rules
	if rules.Empty() {
		kept = nil
	}
	d, err := s.store.SetRules(ctx, name, kept, func(d *store.Dataset) error { return checkDescribed(d, from) })
	if err != nil {
		return nil, err
	}
	return s.holding(ctx, d)
}

// Users lists what is about a dataset: briefs, and the schedules that make receipts of them.
func (s *Datasets) Users(ctx context.Context, name string) ([]string, error) {
	if _, err := visible(ctx, s.store, name, access.Totals); err != nil {
		return nil, err
	}
	l, err := s.definitions.Library(ctx)
	if err != nil {
		return nil, err
	}
	briefs := l.BriefsOn(name)
	schedules, err := schedulesWith(ctx, s.schedules, func(sc *store.Schedule) bool { return slices.Contains(briefs, sc.Brief) })
	return append(named("brief ", briefs), schedules...), err
}

// Remove removes a dataset with all its records and loads. While others are about it that is refused, unless it is meant
// anyway: they then say that it is not there.
func (s *Datasets) Remove(ctx context.Context, name string, from int64, anyway bool) error {
	users, err := s.Users(ctx, name)
	if err != nil {
		return err
	}
	if len(users) > 0 && !anyway {
		return refused.InUse("dataset "+name, users)
	}
	done, err := s.turns.take(ctx, name)
	if err != nil {
		return err
	}
	defer done()
	return s.store.RemoveDataset(ctx, name, func(d *store.Dataset) error { return checkDescribed(d, from) })
}

// A RemovedDataset is one that can be brought back, until a moment.
type RemovedDataset struct {
	Name      string
	RemovedAt time.Time
	RemovedBy string
	Until     time.Time
}

// Removed lists the datasets that were removed and can be brought back, the last one first.
func (s *Datasets) Removed(ctx context.Context) ([]RemovedDataset, error) {
	sets, err := s.store.RemovedDatasets(ctx)
	list := []RemovedDataset{}
	for i := range sets {
		if d := &sets[i]; store.Until(*d.RemovedAt).After(time.Now()) {
			list = append(list, RemovedDataset{d.RemovedName, *d.RemovedAt, d.RemovedBy, store.Until(*d.RemovedAt)})
		}
	}
	return list, err
}

// Restore brings back the dataset that was removed last under a name.
func (s *Datasets) Restore(ctx context.Context, name string) (*Dataset, error) {
	done, err := s.turns.take(ctx, name)
	if err != nil {
		return nil, err
	}
	defer done()
	d, err := s.store.RestoreDataset(ctx, name, func(*store.Dataset) error { return nil })
	if err != nil {
		return nil, err
	}
	return s.holding(ctx, d)
}

// changeLoad changes a load: one of the caller's own, or anybody's where the caller is an administrator.
func (s *Datasets) changeLoad(
	ctx context.Context, name string, id int64, change func(context.Context, string, int64) (*store.Load, error),
) (*store.Load, error) {
	load, err := s.GetLoad(ctx, name, id)
	if err != nil {
		return nil, err
	}
	if err := ownOrAdministrator(ctx, load.Author, "load "+itoa(int(id))); err != nil {
		return nil, err
	}
	done, err := s.turns.take(ctx, name)
	if err != nil {
		return nil, err
	}
	defer done()
	return change(ctx, name, id)
}

// RedoLoad brings the records of a load back that was undone.
func (s *Datasets) RedoLoad(ctx context.Context, name string, id int64) (*store.Load, error) {
	return s.changeLoad(ctx, name, id, s.store.RedoLoad)
}

// newestOf returns the newest day of a dataset by one of its dates, with the moment after its newest record where that
// holds times; false where it has none.
func newestOf(ctx context.Context, st recordSource, name, date string) (civil.AsOf, bool, error) {
	d, err := visible(ctx, st, name, access.Totals)
	if err != nil {
		return civil.AsOf{}, false, err
	}
	if _, err := d.Schema.DateColumn(date); err != nil {
		return civil.AsOf{}, false, refused.Wrong(err)
	}
	newest, ok, err := st.Newest(ctx, d, date)
	newest.Grain = grainOf(&d.Schema, date)
	return newest, ok, err
}

// grainOf returns the unit that a record stands for by one of its dates; empty for the day alone.
func grainOf(s *dataset.Schema, date string) string {
	if at, err := s.DateColumn(date); err != nil || s.Columns[at].Role != dataset.DayRole {
		return ""
	}
	return s.Grain
}

// A File is a file on its way into a dataset.
type File struct {
	Dataset      string
	Name         string
	Options      ingest.Options
	Author       string
	AllowUndated bool
	Once         string // a text under which it is loaded once; empty for none
	Hints        ingest.ColumnHints
	NoRecords    string   // of a file that is totalled: zero or blank; empty is blank
	Omit         []string // columns that are left out
	// Replace says which records are replaced: all, or those of the days of an expression; empty is none. It is read as of
	// AsOf, empty for today.
	Replace, AsOf string
	// Key are the columns of an upsert by which records are distinguished; nil is none.
	Key   []string
	Again bool // accept content that was loaded before
	Body  io.Reader
	More  func() (ingest.Named, error) // gives further files, io.EOF after the last; nil where there are none
}

// ReadWithin bounds the memory in which all files that are being read share what they need at once, in bytes. It is called
// before the first file.
func (s *Datasets) ReadWithin(size int64) { s.room = ingest.NewRoom(size) }

// open reads the header and the sample of a file.
func (f *File) open(ctx context.Context, room *ingest.Room) (ingest.Reader, error) {
	f.Options.Room = room.Within(ctx)
	more := f.More
	if more == nil {
		more = func() (ingest.Named, error) { return ingest.Named{}, io.EOF }
	}
	return ingest.OpenAll(f.Options, ingest.Named{Name: f.Name, Body: f.Body}, more, f.Omit)
}

// A Preview is what a file's columns would be taken for.
type Preview struct {
	Exists  bool
	Written ingest.Written // how the file is written
	Schema  dataset.Schema
	Samples [][]string
	Sampled int
	Faults  []ingest.Fault
	// Suggestions are what could be stated about columns, by their names.
	Suggestions map[string]ingest.Suggestion
	// Remarks are what may have been meant otherwise.
	Remarks []ingest.Remark
}

// previewRows is how many rows a preview shows.
const previewRows = 5

// Preview describes a file from its beginning and tries the values there; nothing is kept.
func (s *Datasets) Preview(ctx context.Context, f File) (*Preview, error) {
	if err := naming.Check(f.Dataset); err != nil {
		return nil, refused.Wrong(err)
	}
	reader, err := f.open(ctx, s.room)
	if err != nil {
		return nil, fileError(err)
	}
	defer reader.Close()
	p := &Preview{Written: reader.Written(), Sampled: len(reader.Sample())}
	for _, row := range reader.Sample()[:min(previewRows, p.Sampled)] {
		p.Samples = append(p.Samples, row.Cells)
	}
	d, err := s.store.Dataset(ctx, f.Dataset)
	switch {
	case err == nil:
		p.Exists, p.Schema = true, d.Schema
		if err := mayLoad(ctx, f.Dataset, d); err != nil {
			return nil, err
		}
		if err := d.Here(notLoaded); err != nil {
			return nil, err
		}
		if err := checkHints(d, f.Hints); err != nil {
			return nil, err
		}
	case refused.IsMissing(err):
		if f.Hints.Zone == "" {
			f.Hints.Zone = s.clock.Zone().String()
		}
		schema, err := ingest.InferOf(reader, f.Hints)
		if err != nil {
			return nil, refused.Wrong(err)
		}
		p.Schema = *schema
		p.Suggestions = map[string]ingest.Suggestion{}
		for i := range schema.Columns {
			if s := ingest.SuggestNumbers(&schema.Columns[i], i, reader.Sample()); s != nil && f.Hints.Numbers == "" {
				p.Suggestions[schema.Columns[i].Name] = *s
			}
		}
	default:
		return nil, err
	}
	read, err := f.Hints.Reading(&p.Schema)
	if err != nil {
		return nil, refused.Wrong(err)
	}
	p.Remarks = ingest.Remarks(read, reader.Header(), reader.Sample())
	o := ingest.ScanOptions{Schema: read, AllowUndated: f.AllowUndated}
	err = ingest.Records(ingest.SampleOnly(reader), o, func([]dataset.Cell) error { return nil })
	var faults *ingest.Faults
	if errors.As(err, &faults) {
		p.Faults, err = faults.Kinds, nil
	}
	return p, fileError(err)
}

// fileError marks what is wrong with a file as the sender's.
func fileError(err error) error {
	var reading *ingest.ReadError
	switch {
	case err == nil || errors.Is(err, context.Canceled) || errors.As(err, &reading):
		return err
	case errors.Is(err, ingest.ErrNoRoom):
		return refused.Unavailable(err.Error(), err)
	}
	return refused.Wrong(err)
}

// dayStarts returns a time of day in its canonical form.
func dayStarts(stated string) string {
	if t, err := civil.ParseTimeOfDay(stated); err == nil {
		return t.String()
	}
	return stated
}

// checkHints refuses hints that an existing dataset does not share: its columns were fixed by its first
// load. How a file writes dates and numbers is its own matter.
func checkHints(d *store.Dataset, h ingest.ColumnHints) error {
	check := func(names []string, role dataset.Role) error {
		for _, name := range names {
			c, err := d.Schema.Find(name)
			if err != nil {
				return refused.Wrongf("dataset %s: %v", d.Name, err)
			}
			if c.Role != role {
				return refused.Wrongf("column %s of dataset %s is fixed as %s, not %s", name, d.Name, c.Role, role)
			}
		}
		return nil
	}
	for _, fixed := range []struct{ what, stated, is string }{
		{"the time zone", h.Zone, d.Schema.Zone},
		{"days that start at", dayStarts(h.DayStarts), cmp.Or(d.Schema.DayStarts, "00:00")},
		{"records that stand for a", h.Grain, cmp.Or(d.Schema.Grain, "day")},
	} {
		if fixed.stated != "" && fixed.stated != fixed.is {
			return refused.Wrongf("dataset %s is fixed on %s %s, not %s", d.Name, fixed.what, fixed.is, fixed.stated)
		}
	}
	types, err := ingest.ParseTypes(h.Types)
	if err != nil {
		return refused.Wrong(err)
	}
	for name, kind := range types {
		if c, err := d.Schema.Find(name); err != nil || c.Type != kind {
			return refused.Wrongf("column %s of dataset %s is not a %s; a type is changed with dataset change", name, d.Name, kind)
		}
	}
	var date []string
	if h.Date != "" {
		date = []string{h.Date}
	}
	return errors.Join(
		check(date, dataset.DayRole),
		check(h.Amounts, dataset.Amount),
		check(h.Categories, dataset.Category),
		check(h.Details, dataset.Detail),
	)
}

// Loads lists a dataset's loads, newest first.
func (s *Datasets) Loads(ctx context.Context, name string, p Paging) (Page[store.Load], error) {
	var page Page[store.Load]
	d, err := visible(ctx, s.store, name, access.Records)
	if err != nil {
		return page, err
	}
	before, err := numberAfter(p.After)
	if err != nil {
		return page, err
	}
	page.Items, err = s.store.Loads(ctx, d, before, p.Limit+1)
	if len(page.Items) > p.Limit {
		page.Items = page.Items[:p.Limit]
		page.Next = fmt.Sprint(page.Items[p.Limit-1].ID)
	}
	return page, err
}

// numberAfter reads the number that a page goes on after; 0 where it is the first page.
func numberAfter(text string) (int64, error) {
	if text == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 1 {
		return 0, refused.Wrongf("after: %q is not the next of another page", text)
	}
	return n, nil
}

// GetLoad finds a load.
func (s *Datasets) GetLoad(ctx context.Context, name string, id int64) (*store.Load, error) {
	d, err := visible(ctx, s.store, name, access.Records)
	if err != nil {
		return nil, err
	}
	return s.store.Load(ctx, d, id)
}

// UndoLoad takes a load's records out of its dataset: one of the caller's own, or of anybody where the caller is administrator.
func (s *Datasets) UndoLoad(ctx context.Context, name string, id int64) (*store.Load, error) {
	return s.changeLoad(ctx, name, id, s.store.UndoLoad)
}

// Verify compares a dataset's columns and sums with its records.
func (s *Datasets) Verify(ctx context.Context, name string) (*store.Verification, error) {
	d, err := visible(ctx, s.store, name, access.Records)
	if err != nil {
		return nil, err
	}
	return s.store.Verify(ctx, d)
}

// A Description says what amounts are counted in, how they are shown, which values are better, what a record
// stands for and what no record means. What is nil stays as it is.
type Description struct {
	Grain     *string
	NoRecords *string // zero or blank
	Expected  *string // as dataset.ParseExpected reads it; automatic leaves it to the records
	NewestDay *string // complete or partial
	Columns   []ColumnDescription
}

// A ColumnDescription is a Description of one column. A type is changed where every value allows it.
type ColumnDescription struct {
	Name     string
	Type     *dataset.Type
	Role     *dataset.Role
	Unit     *string
	Decimals *int
	Better   *dataset.Better
}

// Describe changes what is said about a dataset, from the description that the change was made from.
func (s *Datasets) Describe(ctx context.Context, name string, d Description, from int64) (*Dataset, error) {
	if _, err := visible(ctx, s.store, name, access.Records); err != nil {
		return nil, err
	}
	done, err := s.turns.take(ctx, name)
	if err != nil {
		return nil, err
	}
	defer done()
	changed, err := s.store.Describe(ctx, name, func(stored *store.Dataset) error {
		return errors.Join(checkDescribed(stored, from), refused.Wrong(d.apply(&stored.Schema)))
	})
	if err != nil {
		return nil, err
	}
	return s.holding(ctx, changed)
}

func (d *Description) apply(s *dataset.Schema) error {
	for _, stated := range []struct {
		text *string
		set  func(string) error
	}{{d.Grain, s.SetGrain}, {d.NoRecords, s.SetNoRecords}, {d.Expected, s.SetExpected}, {d.NewestDay, s.SetNewestDay}} {
		if stated.text == nil {
			continue
		}
		if err := stated.set(*stated.text); err != nil {
			return err
		}
	}
	for _, c := range d.Columns {
		column, err := s.Find(c.Name)
		if err == nil {
			err = c.use(column)
		}
		if err == nil && (c.Unit != nil || c.Better != nil || c.Decimals != nil) {
			_, err = s.Number(c.Name, "an amount")
		}
		if err != nil {
			return err
		}
		if c.Unit != nil {
			column.Unit = *c.Unit
		}
		if c.Better != nil {
			column.Better = *c.Better
		}
		if c.Decimals != nil {
			if *c.Decimals < 0 || *c.Decimals > dataset.MaxDecimals {
				return fmt.Errorf("decimals of %s: %d: expected 0 to %d", c.Name, *c.Decimals, dataset.MaxDecimals)
			}
			column.Decimals, column.DecimalsStated = *c.Decimals, true
		}
	}
	return nil
}

// use sets the type and the role of a column. One of another type has the role that goes with it, unless one is stated.
func (c *ColumnDescription) use(column *dataset.Column) error {
	if c.Type == nil && c.Role == nil {
		return nil
	}
	if column.Role == dataset.DayRole {
		return fmt.Errorf("column %s is the day by which records are kept: its type and role stay; load the file again for another day", c.Name)
	}
	if c.Type != nil && *c.Type != column.Type {
		if column.Type = *c.Type; column.Type != dataset.Number {
			column.Decimals, column.DecimalsStated, column.Unit, column.Better = 0, false, "", dataset.Neither
		}
		switch {
		case column.Type.IsTime():
			column.Role = dataset.Detail
		case column.Type == dataset.Number:
			column.Role = dataset.Amount
		case column.Type == dataset.Text && column.Role == dataset.Amount:
			column.Role = dataset.Category
		}
	}
	if c.Role == nil {
		return nil
	}
	switch {
	case *c.Role == dataset.DayRole:
		return fmt.Errorf("column %s: the day by which records are kept stays as it is; any date can be asked for with by", c.Name)
	case *c.Role == dataset.Amount && column.Type != dataset.Number:
		return fmt.Errorf("column %s holds %s: an amount is a number", c.Name, column.Type)
	case *c.Role == dataset.Category && column.Type.IsTime():
		return fmt.Errorf("column %s holds %s: a category is a text or a number; parts of time break down by dates", c.Name, column.Type)
	}
	column.Role = *c.Role
	return nil
}

// maxValues is how many values of a category are listed.
const maxValues = 500

// Values lists the values of a category, the most frequent first.
func (s *Datasets) Values(ctx context.Context, name, column string) ([]store.CategoryValue, error) {
	d, err := visible(ctx, s.store, name, access.Totals)
	if err != nil {
		return nil, err
	}
	if err := d.Schema.CheckCategory(column); err != nil {
		return nil, refused.Wrong(err)
	}
	if least, _ := totalsOnly(ctx, d); least > 0 {
		return s.valuesOfTotals(ctx, d, column, least)
	}
	return s.store.Values(ctx, d, column, maxValues)
}

// valuesOfTotals lists the values of a category for callers who see totals only: those whose count they may see in a total by it.
func (s *Datasets) valuesOfTotals(ctx context.Context, d *store.Dataset, column string, least int) ([]store.CategoryValue, error) {
	if c, err := d.Schema.Find(column); err != nil || c.Role != dataset.Category {
		return nil, refused.Wrongf("%s is not a category of %s, whose totals you see only", column, d.Name)
	}
	p, err := tally.NewPlan(tally.Request{
		Periods: []tally.Period{tally.OfDays(civil.SetOf(civil.AllDays))}, Figures: []measure.Figure{{Kind: measure.Count}},
		By: []string{column}, MinRecords: int64(least),
	})
	if err != nil {
		return nil, err
	}
	r, err := tally.Run(ctx, p, s.store.Source(d))
	if err != nil {
		return nil, Refused(err)
	}
	var list []store.CategoryValue
	for _, group := range r.Groups {
		if r.Hidden(0, group) || len(list) == maxValues {
			continue
		}
		v, err := r.At(0, group)[0].Value()
		if err != nil {
			return nil, err
		}
		n, err := v.Decimal.Int64()
		if err != nil {
			return nil, err
		}
		one := store.CategoryValue{Records: n}
		if group[0].Set {
			text := group[0].Text
			one.Value = &text
		}
		list = append(list, one)
	}
	slices.SortStableFunc(list, func(a, b store.CategoryValue) int { return cmp.Compare(b.Records, a.Records) })
	return list, nil
}

// All lists all datasets.
func (s *Datasets) All(ctx context.Context) ([]store.Dataset, error) {
	list, err := s.store.Datasets(ctx)
	return slices.Clip(list), err
}
