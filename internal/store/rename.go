package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/refused"
)

// A Rename is that a span or a dataset was given another name. What was kept under its old one before, such as a receipt,
// is understood by it.
type Rename struct {
	ID        int64
	Kind      string // that of a definition, or DatasetKind
	Was, Name string
	RenamedAt time.Time
}

// DatasetKind is the kind of a rename of a dataset.
const DatasetKind = "dataset"

// Renames lists what was renamed after a time, in that order.
func (s *Store) Renames(ctx context.Context, after time.Time) ([]Rename, error) {
	var list []Rename
	err := s.reader(ctx).Where("renamed_at > ?", after).Order("id").Find(&list).Error
	return list, err
}

// A Renaming gives a definition another name.
type Renaming struct {
	Kind, Was string
	// Change is the definition under its new name, made from the version that it has.
	Change Change
	// Others are the definitions that refer to it, and Schedules the expressions of schedules that do, by their names.
	Others    []Change
	Schedules map[string]string
}

// RenameDefinition renames a definition, with its versions, and puts in place what refers to it, in one
// transaction. check is as in Change.
func (s *Store) RenameDefinition(ctx context.Context, r Renaming, check func([]Definition, int64) error) (*Definition, error) {
	made, err := s.change(ctx, check, func(tx *gorm.DB) ([]Definition, []Entry, error) {
		to := r.Change.Name
		for _, table := range []string{"definitions", "definition_versions"} {
			var taken int64
			if err := tx.Table(table).Where("kind = ? AND name = ?", r.Kind, to).Count(&taken).Error; err != nil {
				return nil, nil, err
			}
			switch {
			case taken > 0 && table == "definitions":
				return nil, nil, refused.Because(refused.CodeAlreadyExists, "%s %s already exists", r.Kind, to)
			case taken > 0:
				return nil, nil, refused.Because(refused.CodeAlreadyExists,
					"a %s was named %s before, and its versions are kept: choose another name", r.Kind, to)
			}
		}
		was := r.Change
		was.Name = r.Was
		have, _, err := standing(tx, []Change{was})
		if err == nil {
			err = was.checkVersion(have[DefinitionName{was.Kind, was.Name}])
		}
		if err != nil {
			return nil, nil, err
		}
		for _, table := range []string{"definitions", "definition_versions"} {
			err := tx.Table(table).Where("kind = ? AND name = ?", r.Kind, r.Was).Update("name", to).Error
			if err != nil {
				return nil, nil, err
			}
		}
		made, entries, err := applyAll(tx, append([]Change{r.Change}, r.Others...))
		if err != nil {
			return nil, nil, err
		}
		for name, expression := range r.Schedules {
			if err := tx.Model(&Schedule{Name: name}).Update("days", expression).Error; err != nil {
				return nil, nil, err
			}
		}
		entries[0].Action, entries[0].Detail["was"] = Renamed, r.Was
		return made, entries, tx.Create(&Rename{Kind: r.Kind, Was: r.Was, Name: to, RenamedAt: tx.NowFunc()}).Error
	})
	if err != nil {
		return nil, err
	}
	return &made[0], nil
}

// Order puts the definitions of a kind in an order; all of them have to be named.
func (s *Store) Order(ctx context.Context, kind string, names []string) error {
	_, err := s.change(ctx, func([]Definition, int64) error { return nil }, func(tx *gorm.DB) ([]Definition, []Entry, error) {
		done := tx.Exec(`
			WITH place AS (SELECT position, row_number() OVER (ORDER BY position) AS n FROM definitions WHERE kind = ?),
			wanted AS (SELECT name, n FROM unnest(?::text[]) WITH ORDINALITY AS w (name, n))
			UPDATE definitions SET position = place.position FROM place JOIN wanted USING (n)
			WHERE definitions.kind = ? AND definitions.name = wanted.name`, kind, textArray(names), kind)
		if done.Error == nil && done.RowsAffected != int64(len(names)) {
			return nil, nil, refused.Changed("the %ss have changed since", kind)
		}
		return nil, []Entry{{Action: Ordered, Kind: kind, Detail: map[string]any{"names": names}}}, done.Error
	})
	return err
}

// RenameDataset renames a dataset, and puts in place the definitions that are about it. checkSet may refuse it,
// check is as in Change.
func (s *Store) RenameDataset(
	ctx context.Context,
	was, to string,
	checkSet func(*Dataset) error,
	others []Change,
	check func([]Definition, int64) error,
) (*Dataset, error) {
	var d *Dataset
	_, err := s.change(ctx, check, func(tx *gorm.DB) (made []Definition, entries []Entry, err error) {
		if d, err = findDataset(tx.Clauses(forUpdate), was); err != nil {
			return nil, nil, err
		}
		if err := checkSet(d); err != nil {
			return nil, nil, err
		}
		if _, err := findDataset(tx, to); !refused.IsMissing(err) {
			if err == nil {
				err = refused.Because(refused.CodeAlreadyExists, "dataset %s already exists", to)
			}
			return nil, nil, err
		}
		view := d.view()
		d.Name, d.Described = to, d.Described+1
		// The dataset's row goes first, as in a load that makes a dataset: neither then waits for the other.
		if err := tx.Model(d).Select("name", "described").Updates(d).Error; err != nil {
			return nil, nil, err
		}
		if d.Attached == nil {
			if err := tx.Exec("ALTER VIEW " + view + " RENAME TO " + quote(to)).Error; err != nil {
				return nil, nil, err
			}
		}
		if made, entries, err = applyAll(tx, others); err != nil {
			return nil, nil, err
		}
		entries = append(entries, Entry{Action: Renamed, Kind: DatasetKind, Name: to, Detail: map[string]any{"was": was}})
		return made, entries, tx.Create(&Rename{Kind: DatasetKind, Was: was, Name: to, RenamedAt: tx.NowFunc()}).Error
	})
	if isUnique(err) { // another has taken the name meanwhile
		err = refused.Because(refused.CodeAlreadyExists, "dataset %s already exists", to)
	}
	return d, err
}
