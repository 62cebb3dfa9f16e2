package refused

import "testing"

func TestTexts(t *testing.T) {
	for s, want := range map[string]bool{"": true, "Größe": true, "a\x00b": false, "\xff": false} {
		if IsText(s) != want {
			t.Errorf("%q is a text: %v", s, !want)
		}
	}
	for s, want := range map[string]bool{
		`{"a":"b"}`: true, `{"a":"\u0000"}`: false, `{"\u0000":1}`: false, `{"a":"\\u0000"}`: true, "{\"a\":\"\xff\"}": false, `{"a":`: true,
		`["\u0001",{"b":["x\u0000"]}]`: false,
	} {
		if IsTextJSON([]byte(s)) != want {
			t.Errorf("%s holds texts alone: %v", s, !want)
		}
	}
}
