package ageing

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// A Band holds the lengths from one through another; Open has no end.
type Band struct {
	From, Through int
	Open          bool
}

// String writes a band as it is read: 0-7, 91+.
func (b Band) String() string {
	switch {
	case b.Open:
		return fmt.Sprintf("%d+", b.From)
	case b.From == b.Through:
		return strconv.Itoa(b.From)
	}
	return fmt.Sprintf("%d-%d", b.From, b.Through)
}

// maxBands bounds a list of bands.
const maxBands = 100

// ParseBands reads bands such as 0-7, 8-30, 31-90, 91+: from 0 on, each one after the other, the last without an end, so
// that every length is in one and no more. Empty is none.
func ParseBands(text string) ([]Band, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	var bands []Band
	next := 0
	for part := range strings.SplitSeq(text, ",") {
		b, err := parseBand(strings.TrimSpace(part))
		if err != nil {
			return nil, fmt.Errorf("bands %q: %w", text, err)
		}
		switch {
		case len(bands) == maxBands:
			return nil, fmt.Errorf("bands: more than %d", maxBands)
		case len(bands) > 0 && bands[len(bands)-1].Open:
			return nil, fmt.Errorf("bands %q: %s has no end and comes last", text, bands[len(bands)-1])
		case b.From < next:
			return nil, fmt.Errorf("bands %q: %s overlaps what comes before: it begins at %d or later", text, b, next)
		case b.From > next:
			return nil, fmt.Errorf("bands %q: a gap before %s: expected it to begin at %d", text, b, next)
		}
		bands, next = append(bands, b), b.Through+1
	}
	if last := bands[len(bands)-1]; !last.Open {
		return nil, fmt.Errorf("bands %q: what is longer is in none: end with %d+", text, last.Through+1)
	}
	return bands, nil
}

func parseBand(text string) (Band, error) {
	wrong := fmt.Errorf("%q is not a band: expected 0-7, 8 or 91+", text)
	number := func(s string) (int, error) {
		n, err := strconv.ParseUint(strings.TrimSpace(s), 10, 31)
		if err != nil {
			return 0, wrong
		}
		return int(n), nil
	}
	if from, ok := strings.CutSuffix(text, "+"); ok {
		n, err := number(from)
		return Band{From: n, Open: true}, err
	}
	from, through, ok := strings.Cut(text, "-")
	if !ok {
		through = from
	}
	a, err := number(from)
	b, err2 := number(through)
	if err == nil && err2 == nil && b < a {
		return Band{}, fmt.Errorf("%q ends before it begins", text)
	}
	return Band{From: a, Through: b}, errors.Join(err, err2)
}

// find returns the position of the band that holds a length.
func find(bands []Band, n int) int {
	for i, b := range bands {
		if b.Open || n <= b.Through {
			return i
		}
	}
	return -1
}
