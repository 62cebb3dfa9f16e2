// Package floor divides whole numbers downwards, so that counting goes on across zero without a
// break: days before the first, years before the first.
package floor

// Div returns a / b rounded down; b is above 0.
func Div(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// Mod returns what Div leaves over, from 0 to b-1.
func Mod(a, b int) int {
	m := a % b
	if m < 0 {
		m += b
	}
	return m
}
