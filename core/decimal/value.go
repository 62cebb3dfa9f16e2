package decimal

import (
	"encoding/json"
	"strings"

	"github.com/cockroachdb/apd/v3"
)

// A Value is an exact decimal number, or blank. The zero value is blank, which is not zero
// (semantics §7).
type Value struct {
	Decimal apd.Decimal
	Set     bool
}

// Int returns the value of a whole number.
func Int(n int64) Value {
	v := Value{Set: true}
	v.Decimal.SetInt64(n)
	return v
}

// Of returns the value of a decimal.
func Of(d *apd.Decimal) Value {
	v := Value{Set: true}
	v.Decimal.Set(d)
	return v
}

// Parse reads a number in plain digits; empty text is blank.
func Parse(text string) (Value, error) {
	if text == "" {
		return Value{}, nil
	}
	d, _, err := apd.NewFromString(text)
	if err != nil {
		return Value{}, err
	}
	return Value{Decimal: *d, Set: true}, nil
}

// String returns the number in plain digits, "" where it is blank.
func (v Value) String() string {
	if !v.Set {
		return ""
	}
	return v.Decimal.Text('f')
}

// MarshalJSON writes the number as a string of plain digits, blank as null.
func (v Value) MarshalJSON() ([]byte, error) {
	if !v.Set {
		return []byte("null"), nil
	}
	return append(v.Decimal.Append([]byte{'"'}, 'f'), '"'), nil
}

// UnmarshalJSON reads what MarshalJSON writes.
func (v *Value) UnmarshalJSON(data []byte) error {
	var text *string
	if err := json.Unmarshal(data, &text); err != nil || text == nil {
		*v = Value{}
		return err
	}
	parsed, err := Parse(*text)
	*v = parsed
	return err
}

// Plus returns the sum of two values; blank counts for nothing, two blanks are blank.
func (v Value) Plus(w Value) (Value, error) {
	switch {
	case !w.Set:
		return v, nil
	case !v.Set:
		return w, nil
	}
	sum := Value{Set: true}
	_, err := Exact.Add(&sum.Decimal, &v.Decimal, &w.Decimal)
	return sum, err
}

// Minus returns the difference of two values; blank where either is.
func (v Value) Minus(w Value) (Value, error) {
	if !v.Set || !w.Set {
		return Value{}, nil
	}
	difference := Value{Set: true}
	_, err := Exact.Sub(&difference.Decimal, &v.Decimal, &w.Decimal)
	return difference, err
}

// Sign returns -1, 0 or 1; 0 where the value is blank.
func (v Value) Sign() int {
	if !v.Set {
		return 0
	}
	return v.Decimal.Sign()
}

// Exact adds, multiplies and compares without rounding: numbers of any size keep their last digit.
var Exact = apd.BaseContext

// Widen sets at least some number of decimals.
func Widen(d *apd.Decimal, decimals int32) error {
	if -d.Exponent >= decimals {
		return nil
	}
	ctx := apd.BaseContext.WithPrecision(uint32(d.NumDigits() + int64(d.Exponent) + int64(decimals) + 1))
	_, err := ctx.Quantize(d, d, -decimals)
	return err
}

// Divide divides and rounds half to even to a number of decimals. b is not zero.
func Divide(into, a, b *apd.Decimal, decimals int32) error {
	digits := a.NumDigits() + b.NumDigits() + int64(max(a.Exponent, 0)) + int64(max(-b.Exponent, 0)) + int64(decimals) + 10
	ctx := apd.BaseContext.WithPrecision(uint32(digits))
	ctx.Rounding = apd.RoundHalfEven
	if _, err := ctx.Quo(into, a, b); err != nil {
		return err
	}
	_, err := ctx.Quantize(into, into, -decimals)
	return err
}

// Midway returns the number halfway between two, exactly and without trailing zeros.
func Midway(a, b *apd.Decimal) (Value, error) {
	v := Value{Set: true}
	if _, err := Exact.Add(&v.Decimal, a, b); err != nil {
		return v, err
	}
	if _, err := Exact.Mul(&v.Decimal, &v.Decimal, apd.New(5, -1)); err != nil {
		return v, err
	}
	v.Decimal.Reduce(&v.Decimal)
	if v.Decimal.Exponent > 0 { // plain digits, not 1E+2
		return v, Widen(&v.Decimal, 0)
	}
	return v, nil
}

// Key returns a number's plain digits such that equal numbers have the same text.
func Key(d *apd.Decimal) string {
	if d.IsZero() { // whatever its sign
		return "0"
	}
	var reduced apd.Decimal
	reduced.Reduce(d)
	return reduced.Text('f')
}

// MaxDigits is how many digits a number in plain digits may have.
const MaxDigits = 60

// IsPlain reports whether a text is a number in plain digits: 12, -3.50.
func IsPlain(s string) bool {
	digits := strings.TrimPrefix(strings.TrimPrefix(s, "-"), "+")
	if len(s)-len(digits) > 1 || len(digits) > MaxDigits {
		return false
	}
	whole, fraction, point := strings.Cut(digits, ".")
	return AllDigits(whole) && (!point || AllDigits(fraction))
}

// AllDigits reports whether a text is digits and nothing else.
func AllDigits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}
