package table

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/decimal"
)

// None is shown for a blank.
const None = "–"

// Format writes a cell of a column for people: digits in threes, shares and changes as percentages
// with an arrow for the direction. Numbers keep their last digit unless the column is rounded.
func (c *Column) Format(v decimal.Value) string {
	switch {
	case c.Role == Change:
		return c.formatChange(v)
	case !v.Set:
		return None
	case c.Role == Share:
		return c.percent(v)
	case c.Decimals == nil:
		return Thousands(v.String())
	}
	if c.Rounded {
		return rounded(v, *c.Decimals)
	}
	whole, fraction, _ := strings.Cut(v.String(), ".")
	fraction = strings.TrimRight(fraction, "0")
	if n := *c.Decimals - len(fraction); n > 0 {
		fraction += strings.Repeat("0", n)
	}
	if fraction == "" {
		return Thousands(whole)
	}
	return Thousands(whole + "." + fraction)
}

// formatChange writes a change as a percentage with an arrow; n/a where it is undefined.
func (c *Column) formatChange(v decimal.Value) string {
	if !v.Set {
		return "n/a"
	}
	size := v
	size.Decimal.Negative = false
	switch v.Sign() {
	case 1:
		return "▲ " + c.percent(size)
	case -1:
		return "▼ " + c.percent(size)
	}
	return "unchanged"
}

// percent writes a fraction as a percentage.
func (c *Column) percent(v decimal.Value) string {
	decimals := percentDecimals
	if c.Decimals != nil {
		decimals = *c.Decimals
	}
	hundred := decimal.Value{Set: true}
	if _, err := decimal.Exact.Mul(&hundred.Decimal, &v.Decimal, apd.New(100, 0)); err != nil {
		return None
	}
	return rounded(hundred, decimals) + "%"
}

// rounded writes a number with a number of decimals. One that is too small for them is shown to be smaller, and not as zero.
func rounded(v decimal.Value, decimals int) string {
	text := Thousands(Round(v, decimals))
	if v.Sign() == 0 || strings.ContainsAny(text, "123456789") {
		return text
	}
	text = "<" + strings.TrimSuffix(text, "0") + "1"
	if v.Sign() < 0 {
		return "-" + text
	}
	return text
}

// Amount writes a number as the column does, with a sign.
func (c *Column) Amount(v decimal.Value) string {
	text := c.Format(v)
	if v.Sign() > 0 {
		text = "+" + text
	}
	return text
}

// Round writes a number with a number of decimals, rounded half to even; there is no zero below zero.
func Round(v decimal.Value, decimals int) string {
	var rounded apd.Decimal
	if err := decimal.Divide(&rounded, &v.Decimal, apd.New(1, 0), int32(decimals)); err != nil {
		return v.String()
	}
	if rounded.IsZero() {
		rounded.Negative = false
	}
	return rounded.Text('f')
}

// Thousands sets the digits of a number in threes.
func Thousands(s string) string {
	sign := ""
	if strings.HasPrefix(s, "-") {
		sign, s = "-", s[1:]
	}
	whole, fraction, point := strings.Cut(s, ".")
	var b strings.Builder
	for i, c := range whole {
		if i > 0 && (len(whole)-i)%3 == 0 {
			b.WriteByte(',')
		}
		b.WriteRune(c)
	}
	if point {
		b.WriteString("." + fraction)
	}
	return sign + b.String()
}

// CountedRecords writes a number of records.
func CountedRecords(n int64) string {
	if n == 1 {
		return "1 record"
	}
	return Thousands(strconv.FormatInt(n, 10)) + " records"
}

// Length writes a length in hours and minutes, and seconds where there are any: 24:00.
func Length(seconds int64) string {
	text := fmt.Sprintf("%s:%02d", Thousands(fmt.Sprint(seconds/3600)), seconds/60%60)
	if s := seconds % 60; s != 0 {
		text += fmt.Sprintf(":%02d", s)
	}
	return text
}
