package service

import (
	"context"
	"slices"
	"strings"

	"vastspan/core/dataset"
	"vastspan/core/naming"
	"vastspan/core/query"
	"vastspan/internal/attached"
	"vastspan/internal/refused"
	"vastspan/internal/store"
)

type (
	// Database is one that tables may be attached in.
	Database = attached.Database
	// DatabaseDefinition says how a database is reached.
	DatabaseDefinition = attached.Definition
	// Statement is one that was sent to a database.
	Statement = attached.Statement
)

// An Attachment asks that a table of another database be a dataset.
type Attachment struct {
	Name     string
	Database string
	Table    string
	// Key is a column that distinguishes the records; empty for none.
	Key                          string
	Date                         string
	Amounts, Categories, Details []string // where none of them is stated, all columns are taken
	// Kept says of columns of whole numbers that they are times: COLUMN=seconds or COLUMN=milliseconds.
	Kept                              []string
	Zone, DayStarts, Grain, NoRecords string
}

// attacher keeps datasets whose records are elsewhere.
type attacher interface {
	Databases() *attached.Databases
	Attach(ctx context.Context, name string, t *attached.Table, schema *dataset.Schema) (*store.Dataset, error)
}

// Databases lists the databases that tables may be attached in.
func (s *Datasets) Databases() []*Database { return s.store.Databases().List() }

// TestDatabase says which engine answers. Errors: those of a database that does not.
func (s *Datasets) TestDatabase(ctx context.Context, name string) (version string, err error) {
	d, err := s.store.Databases().Find(name)
	if err != nil {
		return "", refused.Missing("database", name)
	}
	return d.Test(ctx)
}

// Tables lists the tables and views of a database that can be attached, and reports whether there are more than are listed.
func (s *Datasets) Tables(ctx context.Context, database string) (list []attached.TableName, more bool, err error) {
	d, err := s.store.Databases().Find(database)
	if err != nil {
		return nil, false, refused.Missing("database", database)
	}
	return d.Tables(ctx)
}

// A TableColumn is a column of a table that can be attached.
type TableColumn struct {
	attached.Column
	Role  dataset.Role // the one that it would have if nothing were stated; DayRole where it is the only one of dates
	First []string     // its values in the first records
}

// Columns describes the columns of a table that can be attached, in its order. Errors: those of a table that cannot be read.
func (s *Datasets) Columns(ctx context.Context, database, table string) ([]TableColumn, error) {
	d, err := s.store.Databases().Find(database)
	if err != nil {
		return nil, refused.Missing("database", database)
	}
	columns, err := d.Describe(ctx, table)
	if err != nil {
		return nil, err
	}
	first, err := d.First(ctx, table, columns)
	if err != nil {
		return nil, err
	}
	a := &Attachment{Table: table}
	date, err := a.date(columns)
	if err != nil {
		date = "" // has to be stated
	}
	list := make([]TableColumn, len(columns))
	for i, c := range columns {
		list[i] = TableColumn{Column: c, Role: a.role(&c, date), First: first[i]}
	}
	return list, nil
}

// Attach makes a dataset of a table or a view that is elsewhere. Nothing is brought in; its columns are looked at.
func (s *Datasets) Attach(ctx context.Context, a Attachment) (*Dataset, error) {
	if err := naming.Check(a.Name); err != nil {
		return nil, refused.Wrong(err)
	}
	db, err := s.store.Databases().Find(a.Database)
	if err != nil {
		return nil, err
	}
	columns, err := db.Describe(ctx, a.Table)
	if err != nil {
		return nil, err
	}
	if err := a.keep(columns); err != nil {
		return nil, refused.Wrong(err)
	}
	t := &attached.Table{Database: a.Database, Name: a.Table, Key: a.Key}
	schema, err := a.describe(t, columns)
	if err != nil {
		return nil, err
	}
	if err := shownDecimals(ctx, db, t, schema); err != nil {
		return nil, err
	}
	d, err := s.store.Attach(ctx, a.Name, t, schema)
	if err != nil {
		return nil, err
	}
	return s.holding(ctx, d)
}

// shownDecimals notes with how many decimals numbers are shown.
func shownDecimals(ctx context.Context, db *Database, t *attached.Table, schema *dataset.Schema) error {
	var numbers []attached.Column
	for _, c := range t.Columns {
		if c.Form.Type() == dataset.Number {
			numbers = append(numbers, c)
		}
	}
	decimals, err := db.Decimals(ctx, t.Name, numbers)
	for i, c := range numbers {
		schema.Columns[schema.Index(c.Name)].Decimals = decimals[i]
	}
	return err
}

// keep states how columns of numbers keep times.
func (a *Attachment) keep(columns []attached.Column) error {
	for _, text := range a.Kept {
		name, form, _ := strings.Cut(text, "=")
		at := slices.IndexFunc(columns, func(c attached.Column) bool { return c.Name == name })
		switch {
		case at < 0:
			return refused.Wrongf("kept %s: table %s has no column %s", text, a.Table, name)
		case form != string(attached.Seconds) && form != string(attached.Milliseconds):
			return refused.Wrongf("kept %q: expected COLUMN=seconds or COLUMN=milliseconds", text)
		case columns[at].Form != attached.Exact:
			return refused.Wrongf("kept %s: column %s holds %s and no whole numbers", text, name, columns[at].Declared)
		}
		columns[at].Form = attached.Form(form)
	}
	return nil
}

// describe chooses the columns and their roles, and notes how they are kept.
func (a *Attachment) describe(t *attached.Table, columns []attached.Column) (*dataset.Schema, error) {
	stated := slices.Concat([]string{a.Date, a.Key}, a.Amounts, a.Categories, a.Details)
	for _, name := range stated {
		if name != "" && !slices.ContainsFunc(columns, func(c attached.Column) bool { return c.Name == name }) {
			return nil, refused.Wrongf("table %s has no column %s; it has %s", a.Table, name, namesOf(columns))
		}
	}
	date, err := a.date(columns)
	if err != nil {
		return nil, err
	}
	all := len(a.Amounts)+len(a.Categories)+len(a.Details) == 0
	schema := &dataset.Schema{Zone: a.Zone}
	if schema.Zone == "" {
		schema.Zone = "UTC"
	}
	for _, c := range columns {
		if c.Name != date && !all && !slices.Contains(stated, c.Name) {
			continue
		}
		role := a.role(&c, date)
		if role == dataset.Amount && c.Form.Type() != dataset.Number {
			return nil, refused.Wrongf("amount %s: column %s holds %s and no numbers", c.Name, c.Name, c.Declared)
		}
		schema.Columns = append(schema.Columns, dataset.Column{Name: c.Name, Type: c.Form.Type(), Role: role})
		t.Columns = append(t.Columns, c)
	}
	if err := schema.SetDayStarts(a.DayStarts); err != nil {
		return nil, refused.Wrong(err)
	}
	if _, err := schema.Clock(); err != nil {
		return nil, refused.Wrong(err)
	}
	if a.Grain != "" {
		if err := schema.SetGrain(a.Grain); err != nil {
			return nil, refused.Wrong(err)
		}
	}
	if a.NoRecords != "" {
		if err := schema.SetNoRecords(a.NoRecords); err != nil {
			return nil, refused.Wrong(err)
		}
	}
	return schema, nil
}

// date is the column that the records are kept by: the one that is stated, or the only one there is.
func (a *Attachment) date(columns []attached.Column) (string, error) {
	var dates []attached.Column
	for _, c := range columns {
		if c.Form.Type().IsTime() {
			dates = append(dates, c)
		}
	}
	switch {
	case a.Date == "" && len(dates) == 1:
		return dates[0].Name, nil
	case a.Date == "" && len(dates) == 0:
		return "", refused.Wrongf("table %s has no column of dates or times (--date, and --kept for times that are numbers): it has %s",
			a.Table, namesOf(columns))
	case a.Date == "":
		return "", refused.Wrongf("table %s has several columns of dates: state which one the records are kept by (--date): %s",
			a.Table, namesOf(dates))
	case !slices.ContainsFunc(dates, func(c attached.Column) bool { return c.Name == a.Date }):
		return "", refused.Wrongf("date %s: the column holds no dates; the columns of dates are %s", a.Date, namesOf(dates))
	}
	return a.Date, nil
}

func (a *Attachment) role(c *attached.Column, date string) dataset.Role {
	switch {
	case c.Name == date:
		return dataset.DayRole
	case slices.Contains(a.Amounts, c.Name):
		return dataset.Amount
	case slices.Contains(a.Categories, c.Name):
		return dataset.Category
	case slices.Contains(a.Details, c.Name), c.Name == a.Key, c.Form.Type().IsTime():
		return dataset.Detail
	case c.Form.Type() == dataset.Number:
		return dataset.Amount
	}
	return dataset.Category
}

func namesOf(columns []attached.Column) string {
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = c.Name + " (" + c.Declared + ")"
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// holding is a dataset with what it holds. Of one that is elsewhere it may not be known just now: what is in the way is said.
func (s *Datasets) holding(ctx context.Context, d *store.Dataset) (*Dataset, error) {
	out := &Dataset{Dataset: *d}
	out.MinRecords, out.TotalsBy = totalsOnly(ctx, d)
	if d.Attached != nil {
		if db, err := s.store.Databases().Find(d.Attached.Database); err == nil {
			out.Engine = db.Engine
		}
	}
	var err error
	if out.Coverage, err = s.store.Coverage(ctx, d); err != nil && d.Attached != nil && IsRefusal(err) {
		out.Trouble, err = err.Error(), nil
	}
	return out, err
}

// Statements answers a query and gives the statements that were sent for it to other databases, in their order; none where
// the records are kept here.
func (s *Totals) Statements(ctx context.Context, q query.Query) ([]Statement, error) {
	ctx, sent := attached.Noting(ctx)
	_, err := s.Total(ctx, q)
	if list := sent.List(); len(list) > 0 && IsRefusal(err) { // what was sent is told even where it did not come back
		return list, nil
	}
	return sent.List(), err
}
