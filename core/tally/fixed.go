package tally

import (
	"math"
	"math/bits"
	"slices"
	"strconv"

	"github.com/cockroachdb/apd/v3"
)

// A Fixed is an exact decimal number that fits into a machine word: Digits × 10^-Decimals. Sums over
// millions of records are made of these; what does not fit is added up as an arbitrary decimal.
type Fixed struct {
	Digits   int64
	Decimals uint8 // at most maxDecimals
}

// maxDecimals is the most decimals of a Fixed.
const maxDecimals = 18

var powers = func() (p [maxDecimals + 1]int64) {
	p[0] = 1
	for i := 1; i <= maxDecimals; i++ {
		p[i] = 10 * p[i-1]
	}
	return p
}()

// ParseFixed reads a number in plain digits, such as -12.50; false where it is none or does not fit.
func ParseFixed[T string | []byte](text T) (Fixed, bool) {
	i, negative := 0, false
	if len(text) > 0 && (text[0] == '-' || text[0] == '+') {
		i, negative = 1, text[0] == '-'
	}
	if len(text) == i || len(text)-i > maxDecimals+1 {
		return Fixed{}, false
	}
	var n int64
	point, digits := -1, 0
	for ; i < len(text); i++ {
		c := text[i]
		if c == '.' && point < 0 && digits > 0 {
			point = digits
			continue
		}
		if c -= '0'; c > 9 {
			return Fixed{}, false
		}
		n = 10*n + int64(c)
		digits++
	}
	if digits > maxDecimals || point == digits {
		return Fixed{}, false
	}
	if negative {
		n = -n
	}
	f := Fixed{Digits: n}
	if point >= 0 {
		f.Decimals = uint8(digits - point)
	}
	return f, true
}

// Decimal gives the number as an arbitrary decimal.
func (f Fixed) Decimal() *apd.Decimal { return apd.New(f.Digits, -int32(f.Decimals)) }

// Scaled gives the digits of the number at as many decimals or more; false where they do not fit.
func (f Fixed) Scaled(decimals uint8) (int64, bool) {
	switch {
	case decimals == f.Decimals:
		return f.Digits, true
	case decimals < f.Decimals || decimals > maxDecimals:
		return 0, false
	}
	return times(f.Digits, powers[decimals-f.Decimals])
}

// times multiplies; false where the product does not fit. b is positive.
func times(a, b int64) (int64, bool) {
	hi, lo := bits.Mul64(magnitude(a), uint64(b))
	if hi != 0 || lo > math.MaxInt64 {
		return 0, false
	}
	if a < 0 {
		return -int64(lo), true
	}
	return int64(lo), true
}

func magnitude(a int64) uint64 {
	if a < 0 {
		return -uint64(a)
	}
	return uint64(a)
}

// Sums adds numbers up: most of them fixed, at one number of decimals, and any others apart. The
// zero value is ready for use.
type Sums struct {
	count         int64
	decimals      uint8
	sum, min, max int64
	other         *Amount
}

// Add takes one more number in.
func (s *Sums) Add(f Fixed) error { return s.AddMany(1, f, f, f) }

// AddMany takes numbers in of which count, sum, least and greatest are known; all have the decimals
// of the sum.
func (s *Sums) AddMany(count int64, sum, least, greatest Fixed) error {
	if sum.Decimals > s.decimals {
		if !s.widen(sum.Decimals) {
			if err := s.spill(); err != nil {
				return err
			}
			s.decimals = sum.Decimals
		}
	}
	a, ok1 := sum.Scaled(s.decimals)
	b, ok2 := least.Scaled(s.decimals)
	c, ok3 := greatest.Scaled(s.decimals)
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
	amount := FixedAmount(count, sum, least, greatest)
	return s.other.merge(&amount)
}

// AddDecimal takes a number of any size in.
func (s *Sums) AddDecimal(d *apd.Decimal) error {
	if s.other == nil {
		s.other = &Amount{}
	}
	return s.other.Add(d)
}

// widen gives the sums more decimals; false where they do not fit.
func (s *Sums) widen(decimals uint8) bool {
	by := powers[decimals-s.decimals]
	a, ok1 := times(s.sum, by)
	b, ok2 := times(s.min, by)
	c, ok3 := times(s.max, by)
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
	return s.other.merge(&fixed)
}

func (s *Sums) fixed() Amount {
	return FixedAmount(s.count, Fixed{s.sum, s.decimals}, Fixed{s.min, s.decimals}, Fixed{s.max, s.decimals})
}

// Merge adds other sums.
func (s *Sums) Merge(t *Sums) error {
	if t.count > 0 {
		if err := s.AddMany(t.count, Fixed{t.sum, t.decimals}, Fixed{t.min, t.decimals}, Fixed{t.max, t.decimals}); err != nil {
			return err
		}
	}
	if t.other == nil {
		return nil
	}
	if s.other == nil {
		s.other = &Amount{}
	}
	return s.other.merge(t.other)
}

// Empty tells whether nothing was added up.
func (s *Sums) Empty() bool { return s.count == 0 && s.other == nil }

// AppendText appends count, sum, least and greatest in plain digits with tabs between them; false
// where numbers were added up that are not fixed, and Amount has to be asked.
func (s *Sums) AppendText(b []byte) ([]byte, bool) {
	if s.other != nil {
		return b, false
	}
	b = strconv.AppendInt(b, s.count, 10)
	for _, digits := range []int64{s.sum, s.min, s.max} {
		b = Fixed{digits, s.decimals}.append(append(b, '\t'))
	}
	return b, true
}

// append appends the number in plain digits.
func (f Fixed) append(b []byte) []byte {
	if f.Digits < 0 {
		b = append(b, '-')
	}
	if f.Decimals == 0 {
		return strconv.AppendUint(b, magnitude(f.Digits), 10)
	}
	whole, fraction := magnitude(f.Digits)/uint64(powers[f.Decimals]), magnitude(f.Digits)%uint64(powers[f.Decimals])
	b = append(strconv.AppendUint(b, whole, 10), '.')
	at := len(b)
	b = strconv.AppendUint(b, fraction, 10)
	for len(b)-at < int(f.Decimals) {
		b = slices.Insert(b, at, '0')
	}
	return b
}

// Amount gives what was added up.
func (s *Sums) Amount() (Amount, error) {
	a := s.fixed()
	if s.other == nil {
		return a, nil
	}
	if a.Count == 0 {
		return *s.other, nil
	}
	return a, a.merge(s.other)
}

// FixedAmount gives an amount of fixed numbers, all with the decimals of the sum.
func FixedAmount(count int64, sum, least, greatest Fixed) Amount {
	a := Amount{Count: count}
	a.Sum.Set(sum.Decimal())
	a.Min.Set(least.Decimal())
	a.Max.Set(greatest.Decimal())
	return a
}
