package store

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"vastspan/internal/refused"
)

// A Definition is a named span, calendar, holiday list or brief as it is now. Its kind is one of those
// of core/book. Versions count up from 1
// for each name and go on where a name was removed and is used again.
type Definition struct {
	Kind      string          `gorm:"primaryKey"`
	Name      string          `gorm:"primaryKey"`
	Version   int64           `gorm:"not null"`
	Body      json.RawMessage `gorm:"type:jsonb"`
	Author    string
	Note      string
	ChangedAt time.Time
	Position  int64 `gorm:"->"` // the order in which names were first made
}

// A DefinitionVersion is a definition as it stood; one without a body marks its removal.
type DefinitionVersion struct {
	Kind      string          `gorm:"primaryKey"`
	Name      string          `gorm:"primaryKey"`
	Version   int64           `gorm:"primaryKey"`
	Body      json.RawMessage `gorm:"type:jsonb"`
	Author    string
	Note      string
	ChangedAt time.Time
}

// A Change adds or replaces a definition, or removes it where Body is nil. It
// is refused where the version that it was made from is no longer the one in place.
type Change struct {
	Kind   string
	Name   string
	Body   json.RawMessage
	From   int64 // the version in place, 0 where there is none; -1 takes any
	Author string
	Note   string
}

// Definitions lists all definitions in the order in which they were made, with a number that grows
// with every change of any of them.
func (s *Store) Definitions(ctx context.Context) (defs []Definition, revision int64, err error) {
	err = s.reading(ctx, func(tx *gorm.DB) error {
		var err error
		defs, revision, err = readDefinitions(tx)
		return err
	})
	return defs, revision, err
}

func readDefinitions(tx *gorm.DB) (defs []Definition, revision int64, err error) {
	if err := tx.Order("position").Find(&defs).Error; err != nil {
		return nil, 0, err
	}
	revision, err = readRevision(tx)
	return defs, revision, err
}

func readRevision(tx *gorm.DB) (revision int64, err error) {
	err = tx.Raw("SELECT value FROM revision").Scan(&revision).Error
	return revision, err
}

// Revision returns the number that grows with every change of a definition.
func (s *Store) Revision(ctx context.Context) (int64, error) {
	return readRevision(s.reader(ctx))
}

// Change makes changes, of a definition each, in one transaction, none or all, and returns what they made, in their order; a
// removal makes the zero Definition. check is given all definitions as they will stand, with the revision
// of them, and may refuse them.
func (s *Store) Change(ctx context.Context, changes []Change, check func([]Definition, int64) error) ([]Definition, error) {
	if len(changes) == 0 {
		return nil, nil
	}
	return s.change(ctx, check, func(tx *gorm.DB) ([]Definition, []Entry, error) { return applyAll(tx, changes) })
}

// change does work that changes definitions in one transaction, in which no other does; work returns what it made, and what the
// audit keeps of it.
func (s *Store) change(
	ctx context.Context,
	check func([]Definition, int64) error,
	work func(tx *gorm.DB) ([]Definition, []Entry, error),
) (made []Definition, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("LOCK TABLE definitions IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
			return err
		}
		var entries []Entry
		if made, entries, err = work(tx); err != nil {
			return err
		}
		if err := tx.Exec("UPDATE revision SET value = value + ?", max(1, len(made))).Error; err != nil {
			return err
		}
		defs, revision, err := readDefinitions(tx)
		if err != nil {
			return err
		}
		if err := check(defs, revision); err != nil {
			return err
		}
		return note(tx, entries...)
	})
	return made, err
}

// definitionsAtOnce is how many definitions one statement reads or writes.
const definitionsAtOnce = 1000

// A DefinitionName is what distinguishes definitions.
type DefinitionName struct{ Kind, Name string }

// applyAll makes changes, of a definition each.
func applyAll(tx *gorm.DB, changes []Change) (made []Definition, entries []Entry, err error) {
	now, past := tx.NowFunc(), make([]DefinitionVersion, 0, len(changes))
	made, entries = make([]Definition, 0, len(changes)), make([]Entry, 0, len(changes))
	var stay []Definition
	for few := range slices.Chunk(changes, definitionsAtOnce) {
		have, versions, err := standing(tx, few)
		if err != nil {
			return nil, nil, err
		}
		for _, c := range few {
			key := DefinitionName{c.Kind, c.Name}
			if err := c.checkVersion(have[key]); err != nil {
				return nil, nil, err
			}
			version := versions[key] + 1
			past = append(past, DefinitionVersion{c.Kind, c.Name, version, c.Body, c.Author, c.Note, now})
			entries = append(entries, c.entry(have[key] != nil, version))
			var def Definition
			if c.Body != nil {
				def = Definition{Kind: c.Kind, Name: c.Name, Version: version, Body: c.Body, Author: c.Author, Note: c.Note, ChangedAt: now}
				stay = append(stay, def)
			} else if err := tx.Where("kind = ? AND name = ?", c.Kind, c.Name).Delete(&Definition{}).Error; err != nil {
				return nil, nil, err
			}
			made = append(made, def)
		}
	}
	if err := tx.CreateInBatches(past, definitionsAtOnce).Error; err != nil || len(stay) == 0 {
		return made, entries, err
	}
	return made, entries, tx.Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(stay, definitionsAtOnce).Error
}

// standing reads the definitions that changes are of, as they are, and the last versions that their names had.
func standing(tx *gorm.DB, changes []Change) (have map[DefinitionName]*Definition, versions map[DefinitionName]int64, err error) {
	names := make([][]any, len(changes))
	for i, c := range changes {
		names[i] = []any{c.Kind, c.Name}
	}
	var defs []Definition
	if err := tx.Where("(kind, name) IN ?", names).Find(&defs).Error; err != nil {
		return nil, nil, err
	}
	have, versions = map[DefinitionName]*Definition{}, map[DefinitionName]int64{}
	for i, d := range defs {
		have[DefinitionName{d.Kind, d.Name}] = &defs[i]
	}
	var last []DefinitionVersion
	err = tx.Where("(kind, name) IN ?", names).Group("kind, name").Select("kind, name, max(version) AS version").Find(&last).Error
	for _, v := range last {
		versions[DefinitionName{v.Kind, v.Name}] = v.Version
	}
	return have, versions, err
}

// entry is what the audit keeps of a change.
func (c Change) entry(there bool, version int64) Entry {
	e := Entry{Action: Changed, Kind: c.Kind, Name: c.Name, Detail: map[string]any{"version": version}}
	switch {
	case c.Body == nil:
		e.Action = Removed
	case !there:
		e.Action = Created
	}
	if c.Note != "" {
		e.Detail["note"] = c.Note
	}
	return e
}

func (c Change) checkVersion(have *Definition) error {
	switch {
	case c.Body == nil && have == nil:
		return refused.Missing(c.Kind, c.Name)
	case c.From == 0 && have != nil:
		return refused.Because(refused.CodeAlreadyExists, "%s %s already exists", c.Kind, c.Name)
	case c.From > 0 && have == nil:
		return refused.Missing(c.Kind, c.Name)
	case c.From > 0 && have.Version != c.From:
		return refused.Changed(
			"%s %s has changed since: %s made version %d, and the change was made from version %d",
			c.Kind,
			c.Name,
			have.Author,
			have.Version,
			c.From,
		)
	}
	return nil
}

// Versions lists how a definition stood, newest first.
func (s *Store) Versions(ctx context.Context, kind string, name string) ([]DefinitionVersion, error) {
	var versions []DefinitionVersion
	err := s.reader(ctx).Where("kind = ? AND name = ?", kind, name).Order("version DESC").Find(&versions).Error
	if err == nil && len(versions) == 0 {
		err = refused.Missing(kind, name)
	}
	return versions, err
}
