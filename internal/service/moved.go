package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/tally"
	"vastspan/internal/store"
)

// A Moved figure is one that is not what it was.
type Moved struct {
	ReceiptCell          // as it was
	Now         *string  // nil where blank, or no longer there
	DaysNow     string   // where the days differ
	Difference  *string  // now less then; nil where either is blank
	Gone, New   bool     // the figure is no longer there, or was not there
	Because     []string // what moved it
}

// A ReceiptComparison sets a receipt beside what its question gives now.
type ReceiptComparison struct {
	Receipt  *Receipt
	Compared int // figures
	Moved    []Moved
	// Changes are what has happened to definitions and records since, whether it moved a figure or
	// not.
	Changes []string
	Missing []string // items that cannot be answered any more
}

// CompareReceipt asks a receipt's question again, as of the same day, and lists what moved and why.
func (s *Service) CompareReceipt(ctx context.Context, id int64) (*ReceiptComparison, error) {
	r, err := s.Receipt(ctx, id)
	if err != nil {
		return nil, err
	}
	reading := Reading{AsOf: AsOf(r.Body.AsOf), AtClose: r.Body.AtClose, Calendar: r.Body.Calendar}
	var now *ReceiptBody
	if r.Body.Subject == "brief" {
		now, err = s.briefBody(ctx, r.Body.Brief, reading, r.Body.Asks)
	} else {
		now, err = s.totalBody(ctx, r.Body.Dataset, *r.Body.Question)
	}
	if err != nil {
		return nil, err
	}
	c := &ReceiptComparison{Receipt: r, Compared: len(r.Body.Cells), Moved: []Moved{}, Changes: []string{}, Missing: now.Missing}
	definitions := changedDefinitions(r.Body.Definitions, now.Definitions)
	c.Changes = append(c.Changes, definitions...)
	current := map[string]*ReceiptCell{}
	for i := range now.Cells {
		current[now.Cells[i].key()] = &now.Cells[i]
	}
	then := map[string]bool{}
	for _, cell := range r.Body.Cells {
		then[cell.key()] = true
		m := Moved{ReceiptCell: cell}
		if n := current[cell.key()]; n == nil {
			m.Gone = true
		} else if m.Now = n.Value; n.Days != cell.Days {
			m.DaysNow = n.Days
		} else if same(cell.Value, n.Value) {
			continue
		}
		c.Moved = append(c.Moved, m)
	}
	for _, cell := range now.Cells {
		if !then[cell.key()] {
			value := cell.Value
			cell.Value = nil
			c.Moved = append(c.Moved, Moved{ReceiptCell: cell, Now: value, New: true})
		}
	}
	loads, err := s.changedLoads(ctx, r)
	if err != nil {
		return nil, err
	}
	for _, l := range loads {
		c.Changes = append(c.Changes, l.text)
	}
	for i := range c.Moved {
		if err := s.because(ctx, r, &c.Moved[i], definitions, loads); err != nil {
			return nil, err
		}
	}
	return c, nil
}

func same(a, b *string) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

// changedDefinitions says which definitions are not at the version that they were at.
func changedDefinitions(then, now []UsedVersion) []string {
	var told []string
	for _, v := range then {
		i := slices.IndexFunc(now, func(w UsedVersion) bool { return w.Kind == v.Kind && w.Name == v.Name })
		switch {
		case i < 0:
			told = append(told, fmt.Sprintf("%s %s is not there or not used any more", v.Kind, v.Name))
		case now[i].Version != v.Version:
			told = append(told, fmt.Sprintf("%s %s was changed: version %d then, %d now", v.Kind, v.Name, v.Version, now[i].Version))
		}
	}
	for _, v := range now {
		if !slices.ContainsFunc(then, func(w UsedVersion) bool { return w.Kind == v.Kind && w.Name == v.Name }) {
			told = append(told, fmt.Sprintf("%s %s is used now and was not", v.Kind, v.Name))
		}
	}
	return told
}

// A changedLoad is a load that has come or gone since a receipt was made.
type changedLoad struct {
	dataset     *store.Dataset
	load        store.Load
	gone        bool
	text        string
	first, last civil.Day
}

func (s *Service) changedLoads(ctx context.Context, r *Receipt) ([]changedLoad, error) {
	var list []changedLoad
	for _, then := range r.Body.Loads {
		d, err := s.store.Dataset(ctx, then.Dataset)
		if err != nil {
			if Refusal(err) {
				continue // the dataset was removed: the items say so
			}
			return nil, err
		}
		loads, err := s.store.Loads(ctx, d)
		if err != nil {
			return nil, err
		}
		for _, l := range loads {
			c := changedLoad{dataset: d, load: l}
			days := ""
			if l.FirstDay != nil && l.LastDay != nil {
				c.first, c.last = store.DayOf(*l.FirstDay), store.DayOf(*l.LastDay)
				days = fmt.Sprintf(", %s to %s", c.first, c.last)
			}
			switch {
			case l.ID > then.Newest && l.TakenBackAt == nil:
				c.text = fmt.Sprintf("load %d of %s landed since: %s, %d records%s", l.ID, d.Name, l.File, l.Records, days)
			case l.ID <= then.Newest && l.TakenBackAt != nil && l.TakenBackAt.After(r.MadeAt):
				c.gone = true
				c.text = fmt.Sprintf("load %d of %s was taken back since: %s, %d records%s", l.ID, d.Name, l.File, l.Records, days)
			default:
				continue
			}
			list = append(list, c)
		}
	}
	return list, nil
}

// because finds what moved a figure.
func (s *Service) because(ctx context.Context, r *Receipt, m *Moved, definitions []string, loads []changedLoad) error {
	if m.Value != nil && m.Now != nil {
		then, err := tally.Value{}.Plus(*m.Value)
		if err != nil {
			return err
		}
		now, err := tally.Value{}.Plus(*m.Now)
		if err != nil {
			return err
		}
		c, err := tally.Compare(now, then)
		if err != nil {
			return err
		}
		text := c.Difference.String()
		m.Difference = &text
	}
	if m.DaysNow != "" || m.Gone || m.New {
		m.Because = append(m.Because, definitions...)
	}
	days, err := civil.ParseSet(m.Days)
	if err != nil {
		return err
	}
	// What a figure is compared with lies on other days: any load of its dataset may have moved it.
	compared := strings.Contains(m.Figure, " against ") || strings.HasSuffix(m.Figure, " running") || strings.HasSuffix(m.Figure, " rolling")
	for _, l := range loads {
		if l.dataset.Name != m.Dataset && !compared {
			continue
		}
		touched := civil.SetOf(civil.Through(l.first, l.last))
		if l.load.FirstDay == nil || !compared && days.Intersect(touched).Empty() {
			continue
		}
		if l.gone || compared {
			m.Because = append(m.Because, l.text)
			continue
		}
		counts, err := s.store.RecordsByLoad(ctx, l.dataset, m.Date, days, l.load.ID-1)
		if err != nil {
			return err
		}
		if n := counts[l.load.ID]; n > 0 {
			m.Because = append(m.Because, fmt.Sprintf("%s of these days in load %d of %s, %s", lateRecords(n), l.load.ID, l.dataset.Name, l.load.File))
		}
	}
	if len(m.Because) == 0 {
		m.Because = append(m.Because, "what stands beside it or is ranked with it has changed")
	}
	return nil
}

func lateRecords(n int64) string {
	if n == 1 {
		return "1 late record"
	}
	return fmt.Sprintf("%d late records", n)
}
