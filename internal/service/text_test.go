package service

import (
	"fmt"
	"testing"
)

func TestReadTexts(t *testing.T) {
	for text, want := range map[string]string{
		"count": "{count }", "sum fare": "{sum fare}", "  median  base fare ": "{median base fare}",
		"sum": "error", "count fare": "error", "total fare": "error", "": "error",
	} {
		f, err := ReadFigure(text)
		got := fmt.Sprint(f)
		if err != nil {
			got = "error"
		}
		if got != want {
			t.Errorf("%q is read as %s, want %s", text, got, want)
		}
	}
	for text, want := range map[string]string{
		"plan": "plan map[]", "plan fare=planned a=b": "plan map[a:b fare:planned]", "": "error", "plan fare": "error", "plan =x": "error", "plan x=": "error",
	} {
		b, err := ReadBeside(text)
		got := fmt.Sprint(b.Dataset, " ", b.Columns)
		if err != nil {
			got = "error"
		}
		if got != want {
			t.Errorf("%q is read as %s, want %s", text, got, want)
		}
	}
}

// A refused brief tells what is wrong; what is the machine's fault is not taken for that.
func TestRefusal(t *testing.T) {
	if !Refusal(lineError("a", Invalidf("no"))) || Refusal(fmt.Errorf("disk full")) {
		t.Error("refusals and faults are not told apart")
	}
}
