package decimal

import (
	"github.com/cockroachdb/apd/v3"
)

// A Fraction is an exact number, a decimal divided by another, or blank. The zero value is blank. Quotients are kept as
// fractions until they are written, so that what is computed from them is exact (semantics §7).
type Fraction struct {
	num, den apd.Decimal // den is positive
	set      bool
	scale    int32 // decimals of what the fraction was made of
}

var one = apd.New(1, 0)

// FractionOf returns a value as a fraction.
func FractionOf(v Value) Fraction {
	if !v.Set {
		return Fraction{}
	}
	f := Fraction{set: true, scale: scaleOf(&v.Decimal)}
	f.num.Set(&v.Decimal)
	f.den.Set(one)
	return f
}

// Quotient returns a number divided by another; blank where the other is zero.
func Quotient(a, b *apd.Decimal) (Fraction, error) {
	return FractionOf(Of(a)).Over(FractionOf(Of(b)))
}

func scaleOf(d *apd.Decimal) int32 { return max(-d.Exponent, 0) }

// Set reports whether the fraction is a number, and not blank.
func (f Fraction) Set() bool { return f.set }

// Sign returns -1, 0 or 1; 0 where the fraction is blank.
func (f Fraction) Sign() int {
	if !f.set {
		return 0
	}
	return f.num.Sign()
}

// Whole reports whether the fraction is a decimal, which is written with all of its digits.
func (f Fraction) Whole() bool { return f.den.Cmp(one) == 0 }

// Scale returns the decimals of what the fraction was made of.
func (f Fraction) Scale() int { return int(f.scale) }

// Bare returns the number without the decimals of what it was made of: they mean nothing in a change or a share.
func (f Fraction) Bare() Fraction {
	f.scale = 0
	return f
}

// Abs returns the size of a fraction.
func (f Fraction) Abs() Fraction {
	r := Fraction{set: f.set, scale: f.scale}
	r.num.Abs(&f.num)
	r.den.Set(&f.den)
	return r
}

// Plus returns the sum of two fractions; blank counts for nothing, two blanks are blank.
func (f Fraction) Plus(g Fraction) (Fraction, error) {
	switch {
	case !g.set:
		return f, nil
	case !f.set:
		return g, nil
	}
	return f.join(g, Exact.Add)
}

// Minus returns the difference of two fractions; blank where either is.
func (f Fraction) Minus(g Fraction) (Fraction, error) {
	if !f.set || !g.set {
		return Fraction{}, nil
	}
	return f.join(g, Exact.Sub)
}

// join adds or subtracts over a common denominator.
func (f Fraction) join(g Fraction, op func(d, x, y *apd.Decimal) (apd.Condition, error)) (Fraction, error) {
	r := Fraction{set: true, scale: max(f.scale, g.scale)}
	if f.den.Cmp(&g.den) == 0 {
		r.den.Set(&f.den)
		_, err := op(&r.num, &f.num, &g.num)
		return r, err
	}
	var a, b apd.Decimal
	if err := multiply(&a, &f.num, &g.den, &b, &g.num, &f.den, &r.den, &f.den, &g.den); err != nil {
		return r, err
	}
	_, err := op(&r.num, &a, &b)
	return r, err
}

// Times returns the product of two fractions; blank where either is.
func (f Fraction) Times(g Fraction) (Fraction, error) {
	if !f.set || !g.set {
		return Fraction{}, nil
	}
	r := Fraction{set: true, scale: max(f.scale, g.scale)}
	return r, multiply(&r.num, &f.num, &g.num, &r.den, &f.den, &g.den)
}

// Over returns a fraction divided by another; blank where either is, or the other is zero.
func (f Fraction) Over(g Fraction) (Fraction, error) {
	if !f.set || !g.set || g.num.IsZero() {
		return Fraction{}, nil
	}
	r := Fraction{set: true, scale: f.scale}
	if err := multiply(&r.num, &f.num, &g.den, &r.den, &f.den, &g.num); err != nil {
		return r, err
	}
	if r.den.Negative {
		r.den.Negative = false
		r.num.Negative = !r.num.Negative
	}
	return r, nil
}

// multiply sets each first of three to the product of the other two.
func multiply(list ...*apd.Decimal) error {
	for i := 0; i < len(list); i += 3 {
		if _, err := Exact.Mul(list[i], list[i+1], list[i+2]); err != nil {
			return err
		}
	}
	return nil
}

// Cmp compares two numbers exactly; blank comes before every number.
func (f Fraction) Cmp(g Fraction) int {
	switch {
	case !f.set && !g.set:
		return 0
	case !f.set:
		return -1
	case !g.set:
		return 1
	case f.den.Cmp(&g.den) == 0:
		return f.num.Cmp(&g.num)
	}
	var a, b apd.Decimal
	if err := multiply(&a, &f.num, &g.den, &b, &g.num, &f.den); err != nil {
		return f.num.Cmp(&g.num) // exact products do not fail
	}
	return a.Cmp(&b)
}

// Decimals returns the number rounded half to even to some decimals.
func (f Fraction) Decimals(decimals int) (Value, error) {
	if !f.set {
		return Value{}, nil
	}
	v := Value{Set: true}
	err := Divide(&v.Decimal, &f.num, &f.den, int32(decimals))
	if v.Decimal.IsZero() {
		v.Decimal.Negative = false
	}
	return v, err
}

// Digits is how many significant digits a quotient is written with.
const Digits = 12

// Value returns the number as it is written for programs: a decimal with all of its digits, a quotient rounded half to
// even to 12 significant digits, and never to fewer decimals than what it was made of. Trailing zeros beyond those are
// left out. A quotient close to 0.5 is not written as 0.5, which would be rounded the wrong way when it is shown with
// fewer decimals: where the last of the 12 digits is such a 5, more digits follow, until one of them is not zero.
func (f Fraction) Value() (Value, error) {
	if !f.set {
		return Value{}, nil
	}
	if f.Whole() {
		return Of(&f.num), nil
	}
	v, err := f.Decimals(max(int(f.scale), Digits-f.magnitude()))
	if err != nil {
		return v, err
	}
	if f.magnitude() < Digits && v.Decimal.NumDigits() > Digits && -v.Decimal.Exponent > f.scale { // 9.99… was rounded up to 10
		if v, err = f.Decimals(max(int(f.scale), int(-v.Decimal.Exponent)-1)); err != nil {
			return v, err
		}
	}
	exponent := v.Decimal.Exponent
	if v, err = f.pastTie(v); err != nil {
		return v, err
	}
	v.Decimal.Reduce(&v.Decimal)
	return v, Widen(&v.Decimal, min(f.scale, -exponent))
}

// mostTieDigits is how many digits are looked at, after the 12, for one that is not zero.
const mostTieDigits = 60

// pastTie returns a rounded value of the fraction with more digits where it ends in a 5 only because it was rounded.
func (f Fraction) pastTie(v Value) (Value, error) {
	var short apd.Decimal
	short.Reduce(&v.Decimal)
	var last apd.BigInt
	if last.Rem(&short.Coeff, apd.NewBigInt(10)); last.Int64() != 5 || f.Cmp(FractionOf(v)) == 0 {
		return v, nil
	}
	for more := 3; more <= mostTieDigits; more += 3 {
		longer, err := f.Decimals(int(-v.Decimal.Exponent) + more)
		if err != nil || longer.Decimal.Cmp(&v.Decimal) != 0 {
			return longer, err
		}
	}
	return v, nil
}

// magnitude returns how many digits are before the point: 3 of 123.4, 0 of 0.12, -2 of 0.0012.
func (f Fraction) magnitude() int {
	if f.num.IsZero() {
		return 0
	}
	n := int(f.num.NumDigits()) + int(f.num.Exponent) - int(f.den.NumDigits()) - int(f.den.Exponent)
	// The quotient of the leading parts is between 10^(n-1) and 10^(n+1).
	var scaled apd.Decimal
	scaled.Abs(&f.num)
	scaled.Exponent -= int32(n)
	if scaled.Cmp(&f.den) >= 0 {
		return n + 1
	}
	return n
}

// Leading returns how many decimals show some significant digits of the number; 0 where it is blank or zero.
func (f Fraction) Leading(digits int) int {
	if f.Sign() == 0 {
		return 0
	}
	return max(0, digits-f.magnitude())
}

// String writes the number as Value has it, "" where it is blank.
func (f Fraction) String() string {
	v, err := f.Value()
	if err != nil {
		return f.num.String() + "/" + f.den.String()
	}
	return v.String()
}
