package ingest

import (
	"slices"
	"strconv"
	"strings"
	"unicode"

	"vastspan/core/dataset"
)

// leastRunning is how many numbers, each one more than the one before, are taken for running numbers and not for amounts.
const leastRunning = 20

// A runningNumber finds out whether each number of a column is one more than the one before.
type runningNumber struct {
	last   int64
	n      int
	broken bool
}

func (r *runningNumber) add(v string) {
	n, err := strconv.ParseInt(v, 10, 64)
	if err != nil || r.n > 0 && n != r.last+1 {
		r.broken = true
	}
	r.last, r.n = n, r.n+1
}

func (r *runningNumber) proven() bool { return !r.broken && r.n > leastRunning }

// maxCategories is how many different values a text column of the sample may have and still be
// taken for a category.
const maxCategories = 200

// roleOfTexts proposes the role of a column of text by how many of its values differ: a category where they recur.
func roleOfTexts(filled, distinct int) dataset.Role {
	if distinct <= maxCategories && (filled < 20 || distinct <= filled/2) {
		return dataset.Category
	}
	return dataset.Detail
}

// roleOfNumbers proposes the role of a column of numbers: an amount, unless its name or its values say that adding them up
// means nothing.
func roleOfNumbers(name string, whole, running bool) dataset.Role {
	words := wordsOf(name)
	has := func(list []string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return slices.Contains(list, w) })
	}
	switch {
	case has(placeWords), whole && has(identifierWords), running && !has(amountWords):
		return dataset.Detail
	}
	return dataset.Amount
}

var (
	// identifierWords are words in the names of columns whose whole numbers name something.
	identifierWords = []string{"id", "ids", "key", "code", "no", "nr", "ref", "index", "zip", "postcode", "postal", "phone", "year", "rownum"}
	// placeWords are those of columns of coordinates.
	placeWords = []string{"lat", "latitude", "lon", "lng", "long", "longitude"}
	// amountWords are those of columns whose numbers add up even where each is one more than the one before.
	amountWords = []string{
		"amount", "total", "sum", "value", "price", "cost", "fare", "revenue", "sales", "qty", "quantity", "count", "net", "gross",
	}
)

// wordsOf returns the words of a column's name in lower case: order and id of order_id, Order ID and orderId.
func wordsOf(name string) []string {
	var b strings.Builder
	lower := false
	for _, r := range name {
		if unicode.IsUpper(r) && lower {
			b.WriteByte(' ')
		}
		lower = unicode.IsLower(r)
		b.WriteRune(unicode.ToLower(r))
	}
	return strings.FieldsFunc(b.String(), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}
