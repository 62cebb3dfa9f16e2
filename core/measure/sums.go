package measure

import (
	"strconv"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/decimal"
)

// Sums adds numbers up: most of them fixed, at one number of decimals, and any others apart. The
// zero value is ready for use.
type Sums struct {
	count         int64
	decimals      uint8
	sum, min, max int64
	other         *Amount
}

// Count returns how many numbers were taken in.
func (s *Sums) Count() int64 {
	if s.other != nil {
		return s.count + s.other.Count
	}
	return s.count
}

// Add takes one more number in.
func (s *Sums) Add(f decimal.Fixed) error { return s.AddMany(1, f, f, f) }

// AddMany takes numbers in of which count, sum, minimum and maximum are known; all have the decimals
// of the sum.
func (s *Sums) AddMany(count int64, sum, minimum, maximum decimal.Fixed) error {
	if sum.Decimals > s.decimals {
		if !s.widen(sum.Decimals) {
			if err := s.spill(); err != nil {
				return err
			}
			s.decimals = sum.Decimals
		}
	}
	a, ok1 := sum.Scaled(s.decimals)
	b, ok2 := minimum.Scaled(s.decimals)
	c, ok3 := maximum.Scaled(s.decimals)
	if total := s.sum + a; ok1 && ok2 && ok3 && (total > s.sum) == (a > 0) {
		if s.count == 0 {
			s.min, s.max = b, c
		}
		s.count += count
		s.sum, s.min, s.max = total, min(s.min, b), max(s.max, c)
		return nil
	}
	if err := s.spill(); err != nil {
		return err
	}
	amount := FixedAmount(count, sum, minimum, maximum)
	return s.other.Merge(&amount)
}

// AddDecimal takes a number of any size in.
func (s *Sums) AddDecimal(d *apd.Decimal) error {
	if s.other == nil {
		s.other = &Amount{}
	}
	return s.other.Add(d)
}

// AddAmount takes numbers in of which count, sum, minimum and maximum are known.
func (s *Sums) AddAmount(a *Amount) error {
	sum, ok1 := decimal.FixedOf(&a.Sum)
	minimum, ok2 := decimal.FixedOf(&a.Min)
	maximum, ok3 := decimal.FixedOf(&a.Max)
	if ok1 && ok2 && ok3 && minimum.Decimals <= sum.Decimals && maximum.Decimals <= sum.Decimals {
		return s.AddMany(a.Count, sum, minimum, maximum)
	}
	if s.other == nil {
		s.other = &Amount{}
	}
	return s.other.Merge(a)
}

// widen sets more decimals and reports whether the sums still fit.
func (s *Sums) widen(decimals uint8) bool {
	more := decimals - s.decimals
	a, ok1 := decimal.Rescale(s.sum, more)
	b, ok2 := decimal.Rescale(s.min, more)
	c, ok3 := decimal.Rescale(s.max, more)
	if ok1 && ok2 && ok3 {
		s.sum, s.min, s.max, s.decimals = a, b, c, decimals
		return true
	}
	return false
}

// spill puts what was added up so far to the numbers that do not fit.
func (s *Sums) spill() error {
	if s.other == nil {
		s.other = &Amount{}
	}
	fixed := s.fixed()
	s.count, s.sum, s.min, s.max = 0, 0, 0, 0
	return s.other.Merge(&fixed)
}

func (s *Sums) fixed() Amount {
	return FixedAmount(
		s.count,
		decimal.Fixed{Digits: s.sum, Decimals: s.decimals},
		decimal.Fixed{Digits: s.min, Decimals: s.decimals},
		decimal.Fixed{Digits: s.max, Decimals: s.decimals},
	)
}

// Merge adds other sums.
func (s *Sums) Merge(t *Sums) error {
	if t.count > 0 {
		fixed := func(digits int64) decimal.Fixed { return decimal.Fixed{Digits: digits, Decimals: t.decimals} }
		if err := s.AddMany(t.count, fixed(t.sum), fixed(t.min), fixed(t.max)); err != nil {
			return err
		}
	}
	if t.other == nil {
		return nil
	}
	if s.other == nil {
		s.other = &Amount{}
	}
	return s.other.Merge(t.other)
}

// Empty reports whether nothing was added up.
func (s *Sums) Empty() bool { return s.count == 0 && s.other == nil }

// AppendText appends count, sum, minimum and maximum in plain digits with tabs between them; false
// where numbers were added up that are not fixed, and Amount has to be asked.
func (s *Sums) AppendText(b []byte) ([]byte, bool) {
	if s.other != nil {
		return b, false
	}
	b = strconv.AppendInt(b, s.count, 10)
	for _, digits := range []int64{s.sum, s.min, s.max} {
		b = decimal.Fixed{Digits: digits, Decimals: s.decimals}.AppendText(append(b, '\t'))
	}
	return b, true
}

// Fixed returns what was added up in machine words, all with the decimals of the sum; false where it does not fit.
func (s *Sums) Fixed() (count int64, sum, minimum, maximum decimal.Fixed, ok bool) {
	fixed := func(digits int64) decimal.Fixed { return decimal.Fixed{Digits: digits, Decimals: s.decimals} }
	return s.count, fixed(s.sum), fixed(s.min), fixed(s.max), s.other == nil
}

// Amount returns what was added up.
func (s *Sums) Amount() (Amount, error) {
	a := s.fixed()
	if s.other == nil {
		return a, nil
	}
	if a.Count == 0 {
		return *s.other, nil
	}
	return a, a.Merge(s.other)
}
