package naming

import "testing"

func TestTheNearestName(t *testing.T) {
	columns := []string{"Cost Total $", "Speed", "route", "routes"}
	for name, want := range map[string]string{
		"cost total $": "Cost Total $", "COST  TOTAL $": "Cost Total $", "rotue": "route", "route": "route", "sped": "Speed", "fare": "", "": "", "rt": "",
	} {
		if got := Nearest(name, columns); got != want {
			t.Errorf("the nearest to %q is %q, want %q", name, got, want)
		}
	}
}
