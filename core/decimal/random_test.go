package decimal

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
)

// plain makes a number in plain digits, of up to some digits on either side of the point.
func plain(rng *rand.Rand, whole, fraction int) string {
	digits := func(n int) string {
		b := make([]byte, n)
		for i := range b {
			b[i] = '0' + byte(rng.IntN(10))
		}
		if n > 0 && rng.IntN(4) == 0 {
			return strings.Repeat([]string{"0", "9", "5"}[rng.IntN(3)], n)
		}
		return string(b)
	}
	text := []string{"", "-", "+"}[rng.IntN(3)] + digits(1+rng.IntN(whole))
	if n := rng.IntN(fraction + 1); n > 0 {
		text += "." + digits(n)
	}
	return text
}

// exactly is the number that a text says.
func exactly(t *testing.T, text string) *big.Rat {
	t.Helper()
	r, ok := new(big.Rat).SetString(strings.TrimPrefix(text, "+"))
	if !ok {
		t.Fatalf("%q is no number", text)
	}
	return r
}

func parsed(t *testing.T, text string) Value {
	t.Helper()
	v, err := Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// Small numbers hold what their digits say, are written as they were read, and refuse what does not fit.
func TestFixedAgainstFractions(t *testing.T) {
	rng := rand.New(rand.NewPCG(15, 1))
	fit := 0
	for range 20_000 {
		text := plain(rng, 13, 10)
		if !IsPlain(text) {
			t.Fatalf("%s is not plain", text)
		}
		f, ok := ParseFixed(text)
		point := strings.IndexByte(text, '.')
		digits := len(strings.Trim(text, "+-"))
		if point >= 0 {
			digits--
		}
		if ok != (digits <= MaxDecimals) {
			t.Fatalf("%s fits: %v", text, ok)
		}
		if !ok {
			continue
		}
		fit++
		written := string(f.AppendText(nil))
		if got, want := exactly(t, written), exactly(t, text); got.Cmp(want) != 0 || strings.Contains(written, ".") != (point >= 0) {
			t.Fatalf("%s is written %s", text, written)
		}
		if again, same := FixedOf(f.Decimal()); !same || again != f {
			t.Fatalf("%s becomes %+v by way of a decimal", text, again)
		}
		decimals := uint8(rng.IntN(MaxDecimals + 3))
		scaled, ok := f.Scaled(decimals)
		want := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(decimals)-int64(f.Decimals)), nil)
		want.Mul(want, big.NewInt(f.Digits))
		if fits := decimals >= f.Decimals && decimals <= MaxDecimals && want.IsInt64(); ok != fits || ok && scaled != want.Int64() {
			t.Fatalf("%s at %d decimals is %d, %v; want %s", text, decimals, scaled, ok, want)
		}
	}
	if fit < 10_000 {
		t.Errorf("only %d of the numbers fit", fit)
	}
}

// Sums, differences, keys and the middle of two are those of fractions, whatever the digits.
func TestValuesAgainstFractions(t *testing.T) {
	rng := rand.New(rand.NewPCG(15, 2))
	two := big.NewRat(2, 1)
	for range 5_000 {
		a, b := plain(rng, 30, 25), plain(rng, 30, 25)
		x, y, v, w := exactly(t, a), exactly(t, b), parsed(t, a), parsed(t, b)
		plus, err1 := v.Plus(w)
		minus, err2 := v.Minus(w)
		middle, err3 := Midway(&v.Decimal, &w.Decimal)
		if err1 != nil || err2 != nil || err3 != nil {
			t.Fatalf("%s and %s: %v, %v, %v", a, b, err1, err2, err3)
		}
		for what, c := range map[string]struct {
			got  Value
			want *big.Rat
		}{
			"sum": {plus, new(big.Rat).Add(x, y)}, "difference": {minus, new(big.Rat).Sub(x, y)},
			"middle": {middle, new(big.Rat).Quo(new(big.Rat).Add(x, y), two)},
		} {
			if got := exactly(t, c.got.String()); got.Cmp(c.want) != 0 || c.got.Sign() != c.want.Sign() {
				t.Fatalf("the %s of %s and %s is %s", what, a, b, c.got)
			}
		}
		if same := Key(&v.Decimal) == Key(&w.Decimal); same != (x.Cmp(y) == 0) {
			t.Fatalf("%s and %s have one key: %v", a, b, same)
		}
		longer := parsed(t, a)
		if err := Widen(&longer.Decimal, int32(rng.IntN(40))); err != nil || exactly(t, longer.String()).Cmp(x) != 0 {
			t.Fatalf("%s is %s with more decimals, %v", a, longer, err)
		}
		if Key(&longer.Decimal) != Key(&v.Decimal) {
			t.Fatalf("%s has another key with more decimals", a)
		}
	}
}

// Division rounds once, half to even, where it is told to.
func TestDivideAgainstFractions(t *testing.T) {
	rng := rand.New(rand.NewPCG(15, 3))
	check := func(a, b string, decimals int32) {
		t.Helper()
		v, w := parsed(t, a), parsed(t, b)
		var got apd.Decimal
		if err := Divide(&got, &v.Decimal, &w.Decimal, decimals); err != nil {
			t.Fatalf("%s by %s: %v", a, b, err)
		}
		if want := halfEven(new(big.Rat).Quo(exactly(t, a), exactly(t, b)), int(decimals)); exactly(t, got.Text('f')).Cmp(want) != 0 {
			t.Fatalf("%s by %s is %s, want %s", a, b, got.Text('f'), want.FloatString(int(decimals)))
		}
		if -got.Exponent != decimals {
			t.Fatalf("%s by %s has %d decimals, want %d", a, b, -got.Exponent, decimals)
		}
	}
	for range 5_000 {
		if b := plain(rng, 20, 10); exactly(t, b).Sign() != 0 {
			check(plain(rng, 20, 10), b, int32(rng.IntN(12)))
		}
	}
	// Ties, and what is all but one.
	for n := range 2_000 {
		check(fmt.Sprintf("%d.5", n), "1", 0)
		check(fmt.Sprint(2*n+1), "200", 2)
		check(fmt.Sprintf("%d.4%s", n, strings.Repeat("9", 20)), "1", 0)
		check(fmt.Sprintf("-%d.5%s1", n, strings.Repeat("0", 20)), "1", 0)
	}
}

// halfEven rounds a fraction to a number of decimals by whole numbers.
func halfEven(r *big.Rat, decimals int) *big.Rat {
	scale := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(decimals)), nil)
	over := new(big.Int).Mul(r.Num(), scale)
	quotient, rest := new(big.Int).QuoRem(over, r.Denom(), new(big.Int))
	rest.Abs(rest).Lsh(rest, 1)
	if c := rest.Cmp(r.Denom()); c > 0 || c == 0 && quotient.Bit(0) == 1 {
		quotient.Add(quotient, big.NewInt(int64(r.Sign())))
	}
	return new(big.Rat).SetFrac(quotient, scale)
}

func TestWhatIsNotPlain(t *testing.T) {
	long := strings.Repeat("1", MaxDigits)
	for text, want := range map[string]bool{
		long: true, "-" + long: true, long + "1": false, "0": true, "+0.0": true, "00": true,
		"": false, "-": false, "+-1": false, "-+1": false, "--1": false, ".5": false, "5.": false, "1.2.3": false, "1e3": false,
		" 1": false, "1 ": false, "1,000": false, "٣": false, "NaN": false, "Infinity": false, "0x1F": false, "1_000": false,
	} {
		if got := IsPlain(text); got != want {
			t.Errorf("%q is plain: %v", text, got)
		}
		if _, fits := ParseFixed(text); fits && !want {
			t.Errorf("%q is read as a number", text)
		}
	}
}

// What a quotient is written as, shortened further, is the quotient shortened: rounding twice is rounding once.
func TestRoundedTwice(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 4))
	for i := range 5_000 {
		b := 1 + rng.Int64N(1_000_000)
		a := rng.Int64N(1_000_000_000)
		if i%2 == 0 { // next to a tie
			b = 2_000_003 + rng.Int64N(1000)*2
			a = b*rng.Int64N(1000) + b/2 + 1
		}
		numerator, denominator := parsed(t, fmt.Sprint(a)), parsed(t, fmt.Sprint(b))
		f, err := Quotient(&numerator.Decimal, &denominator.Decimal)
		if err != nil {
			t.Fatal(err)
		}
		written, err := f.Value()
		if err != nil {
			t.Fatal(err)
		}
		for decimals := range int32(min(8, Digits-f.magnitude())) {
			var twice apd.Decimal
			if err := Divide(&twice, &written.Decimal, one, decimals); err != nil {
				t.Fatal(err)
			}
			if want := halfEven(big.NewRat(a, b), int(decimals)); exactly(t, twice.Text('f')).Cmp(want) != 0 {
				t.Fatalf("%d/%d is written %s and shown %s, want %s", a, b, written, twice.Text('f'), want.FloatString(int(decimals)))
			}
		}
	}
}
