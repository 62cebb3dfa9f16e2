package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"vastspan/internal/access"
)

// SetRules replaces the rules about who sees what of a dataset; nil is for everybody. check may refuse it.
func (s *Store) SetRules(ctx context.Context, name string, rules *access.Rules, check func(*Dataset) error) (*Dataset, error) {
	var d *Dataset
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var err error
		if d, err = findDataset(tx.Clauses(forUpdate), name); err != nil {
			return err
		}
		if err := check(d); err != nil {
			return err
		}
		d.Rules = rules
		d.Described++
		if err := tx.Model(d).Select("rules", "described").Updates(d).Error; err != nil {
			return err
		}
		return note(tx, Entry{Action: Changed, Kind: "access", Name: name, Detail: map[string]any{"rules": rules}})
	})
	return d, err
}

// pastRules are those of a dataset that was removed.
type pastRules struct {
	Dataset string
	Rules   *access.Rules `gorm:"serializer:json;type:jsonb"`
	Through time.Time
}

// TableName names the table.
func (pastRules) TableName() string { return "past_rules" }

// keepRules keeps the rules of a dataset that is removed: receipts of it stay under them.
func (d *Dataset) keepRules(tx *gorm.DB) error {
	if d.Rules.Empty() {
		return nil
	}
	return tx.Create(&pastRules{d.Name, d.Rules, tx.NowFunc()}).Error
}

// PastRules are the rules that there are and were, so that what was reported of a dataset stays under them.
type PastRules struct {
	renames []Rename
	past    []pastRules
	now     map[string]*access.Rules
}

// PastRules reads the rules of all datasets.
func (s *Store) PastRules(ctx context.Context) (*PastRules, error) {
	p := &PastRules{now: map[string]*access.Rules{}}
	err := s.reading(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("kind = ?", DatasetKind).Order("id").Find(&p.renames).Error; err != nil {
			return err
		}
		if err := tx.Find(&p.past).Error; err != nil {
			return err
		}
		var sets []Dataset
		if err := tx.Select("name", "rules").Where("rules IS NOT NULL").Find(&sets).Error; err != nil {
			return err
		}
		for i := range sets {
			p.now[sets[i].Name] = sets[i].Rules
		}
		return nil
	})
	return p, err
}

// Then returns the name that a dataset has now which was named so at a time, and the rules under which what was reported of it
// is: those that it has now, and those of what was removed since.
func (p *PastRules) Then(name string, then time.Time) (now string, rules []*access.Rules) {
	for i := range p.renames {
		if r := &p.renames[i]; r.Was == name && r.RenamedAt.After(then) {
			name = r.Name
		}
	}
	for i := range p.past {
		if p.past[i].Dataset == name && p.past[i].Through.After(then) {
			rules = append(rules, p.past[i].Rules)
		}
	}
	if r := p.now[name]; r != nil {
		rules = append(rules, r)
	}
	return name, rules
}
