package naming

import (
	"slices"
	"strings"
)

// Nearest returns the known name that is most like a misspelt one: the same but for case and blanks, or off by a letter or two. It
// is "" where all are far.
func Nearest(name string, known []string) string {
	if len(name) < 3 { // every other of that length is near
		return ""
	}
	words := make([]string, len(known))
	for i, k := range known {
		words[i] = folded(k)
	}
	if found := Near(folded(name), words); len(found) > 0 {
		return known[slices.Index(words, found[0])]
	}
	return ""
}

func folded(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), " ")) }

// Near returns the known words closest to a misspelt one, closest first; none when all are far.
func Near(word string, known []string) []string {
	limit := 2
	if len(word) <= 4 {
		limit = 1
	}
	best := limit + 1
	var found []string
	for _, k := range known {
		switch d := distance(word, k, best); {
		case d < best:
			best, found = d, []string{k}
		case d == best && d <= limit:
			found = append(found, k)
		}
	}
	return found
}

// distance counts the letters to add, drop, change or swap with a neighbour to turn a into b;
// anything above limit may be reported as limit+1.
func distance(a, b string, limit int) int {
	if len(a)-len(b) > limit || len(b)-len(a) > limit {
		return limit + 1
	}
	before, row, next := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		next[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			next[j] = min(row[j]+1, next[j-1]+1, row[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				next[j] = min(next[j], before[j-2]+1)
			}
		}
		before, row, next = row, next, before
	}
	return row[len(b)]
}
