package decimal

import (
	"encoding/json"
	"testing"
)

func TestParseFixed(t *testing.T) {
	for text, want := range map[string]string{
		"12.50": "12.50", "-0.05": "-0.05", "+7": "7", "007": "7", "999999999999999999": "999999999999999999", "0.000000000000000001": "",
		"": "", "-": "", ".5": "", "5.": "", "1e5": "", "1.2.3": "", "NaN": "", "1,5": "", "9999999999999999999": "",
	} {
		got := ""
		if f, ok := ParseFixed(text); ok {
			got = f.Decimal().Text('f')
		}
		if got != want {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
}

func TestValues(t *testing.T) {
	for text, want := range map[string]string{"": "null", "12345678901234567.123456": `"12345678901234567.123456"`, "-0.50": `"-0.50"`} {
		v, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		data, err := json.Marshal(v)
		if err != nil || string(data) != want {
			t.Errorf("%q is %s in JSON, want %s (%v)", text, data, want, err)
		}
		var back Value
		if err := json.Unmarshal(data, &back); err != nil || back.String() != v.String() || back.Set != v.Set {
			t.Errorf("%s is read back as %q, %v", data, back, err)
		}
	}
	blank, five := Value{}, Int(5)
	for _, c := range []struct{ a, b, plus, minus Value }{{five, five, Int(10), Int(0)}, {blank, five, five, blank}, {five, blank, five, blank}, {blank, blank, blank, blank}} {
		plus, _ := c.a.Plus(c.b)
		minus, _ := c.a.Minus(c.b)
		if plus.String() != c.plus.String() || minus.String() != c.minus.String() {
			t.Errorf("%q and %q: %q and %q", c.a, c.b, plus, minus)
		}
	}
}
