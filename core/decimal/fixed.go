// Package decimal holds exact numbers: small ones that fit into a machine word, and values of any
// size that may be blank. It rounds only where it is told to.
package decimal

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
	Decimals uint8 // at most MaxDecimals
}

// MaxDecimals is the most decimals of a Fixed.
const MaxDecimals = 18

var powers = func() (p [MaxDecimals + 1]int64) {
	p[0] = 1
	for i := 1; i <= MaxDecimals; i++ {
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
	if len(text) == i || len(text)-i > MaxDecimals+1 {
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
	if digits > MaxDecimals || point == digits {
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

// FixedOf returns a decimal as a fixed number; false where it does not fit.
func FixedOf(d *apd.Decimal) (Fixed, bool) {
	if d.Form != apd.Finite || d.Exponent > 0 || -d.Exponent > MaxDecimals || d.NumDigits() > MaxDecimals {
		return Fixed{}, false
	}
	n := d.Coeff.Int64()
	if d.Negative {
		n = -n
	}
	return Fixed{Digits: n, Decimals: uint8(-d.Exponent)}, true
}

// Decimal returns the number as an arbitrary decimal.
func (f Fixed) Decimal() *apd.Decimal { return apd.New(f.Digits, -int32(f.Decimals)) }

// Scaled returns the digits of the number at as many decimals or more; false where they do not fit.
func (f Fixed) Scaled(decimals uint8) (int64, bool) {
	switch {
	case decimals == f.Decimals:
		return f.Digits, true
	case decimals < f.Decimals || decimals > MaxDecimals:
		return 0, false
	}
	return times(f.Digits, powers[decimals-f.Decimals])
}

// Rescale multiplies digits so that they have more decimals; false where they do not fit.
func Rescale(digits int64, more uint8) (int64, bool) { return times(digits, powers[more]) }

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

// AppendText appends the number in plain digits.
func (f Fixed) AppendText(b []byte) []byte {
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
