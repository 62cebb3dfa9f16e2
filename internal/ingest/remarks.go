package ingest

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"golang.org/x/text/unicode/norm"

	"vastspan/core/civil"
	"vastspan/core/dataset"
)

// A Remark is something about a file that is read as it is, and may have been meant otherwise.
type Remark struct {
	Code       string      `json:"code"`
	Column     string      `json:"column,omitempty"`
	Text       string      `json:"text"`
	Suggestion *Suggestion `json:"suggestion,omitempty"`
}

// The codes of remarks.
const (
	NearlyNumbers  = "nearly_numbers"  // most values of a column of texts are numbers
	SimilarValues  = "similar_values"  // values differ by case, blanks at their ends or the form of their characters alone
	LocalMidnights = "local_midnights" // nearly all times are midnights of another zone
	DaysLoaded     = "days_loaded"     // days of a load had records already
)

// Remarks looks at the sample of a file that is read by a schema for what may have been meant otherwise.
func Remarks(s *dataset.Schema, header []string, sample []Row) []Remark {
	sample = withoutBlankWords(sample, s.Blanks)
	style, err := ParseNumberStyle(s.Numbers)
	if err != nil {
		return nil
	}
	var list []Remark
	for i := range s.Columns {
		c := &s.Columns[i]
		at := slices.Index(header, strings.TrimSpace(c.Name))
		if at < 0 {
			continue
		}
		switch c.Type {
		case dataset.Text:
			list = append(list, nearlyNumbers(c, at, sample, style)...)
			list = append(list, similarValues(c, at, sample, s.Trim)...)
		case dataset.Timestamp:
			list = append(list, localMidnights(s, c, at, sample)...)
		}
	}
	return list
}

// nearlyNumbers finds columns of texts of which most values are numbers, however they are written.
func nearlyNumbers(c *dataset.Column, at int, sample []Row, style NumberStyle) []Remark {
	filled := 0
	coded := false
	counts := map[string]int{}
	for v := range valuesOf(sample, at) {
		filled++
		counts[v]++
		coded = coded || leadingZero(v)
	}
	if filled == 0 || coded {
		return nil
	}
	best, numbers, unclear := style, 0, false
	var read map[string]string
	for _, s := range append([]styleExample{{style.example(), style}}, stylesLike(sample, at)...) {
		n, as := 0, map[string]string{}
		for v, times := range counts {
			if plain, ok := s.style.reads(v, true); ok {
				n += times
				as[v] = plain
			}
		}
		switch {
		case n > numbers:
			best, numbers, read, unclear = s.style, n, as, false
		case n == numbers && n > 0 && !maps.Equal(as, read): // two ways of writing read them as different numbers
			unclear = true
		}
	}
	if numbers*5 < filled*4 { // most of them have to be
		return nil
	}
	r := Remark{Code: NearlyNumbers, Column: c.Name}
	if best != style && !unclear {
		r.Suggestion = &Suggestion{"numbers", best.example()}
	}
	others := map[string]int{}
	for v, times := range counts {
		if _, ok := best.reads(v, true); !ok {
			others[v] = times
		}
	}
	if len(others) == 0 {
		if best == style {
			return nil // they are read as texts on request
		}
		r.Text = fmt.Sprintf("all %d values are numbers written like %s; they are read as texts", filled, best.example())
		return []Remark{r}
	}
	names := slices.SortedFunc(maps.Keys(others), func(a, b string) int { return cmp.Or(others[b]-others[a], strings.Compare(a, b)) })
	r.Text = fmt.Sprintf("%d of %d values are numbers; these are not, so that all are read as texts: %s",
		numbers, filled, examples(names, others))
	if best == style {
		r.Suggestion = &Suggestion{"blank", strings.Join(names[:min(len(names), mostExamples)], ",")}
	}
	return []Remark{r}
}

// mostExamples is how many values are named.
const mostExamples = 5

func examples(names []string, counts map[string]int) string {
	var parts []string
	for _, name := range names[:min(len(names), mostExamples)] {
		text := fmt.Sprintf("%q", name)
		if n := counts[name]; n > 1 {
			text += fmt.Sprintf(" (%d)", n)
		}
		parts = append(parts, text)
	}
	if more := len(names) - mostExamples; more > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(parts, ", ")
}

// similarValues finds values of a category that differ by case or by blanks at their ends alone.
func similarValues(c *dataset.Column, at int, sample []Row, trims bool) []Remark {
	if c.Role != dataset.Category {
		return nil
	}
	forms := map[string]map[string]int{}
	for _, row := range sample {
		if at >= len(row.Cells) || strings.TrimSpace(row.Cells[at]) == "" {
			continue
		}
		v := norm.NFC.String(row.Cells[at])
		if trims {
			v = strings.TrimSpace(v)
		}
		key := strings.ToLower(strings.TrimSpace(v))
		if forms[key] == nil {
			forms[key] = map[string]int{}
		}
		forms[key][v]++
	}
	r := Remark{Code: SimilarValues, Column: c.Name}
	var texts []string
	trimmed := true
	for _, key := range slices.Sorted(maps.Keys(forms)) {
		if len(forms[key]) < 2 {
			continue
		}
		names := slices.Sorted(maps.Keys(forms[key]))
		texts = append(texts, strings.ReplaceAll(examples(names, forms[key]), ",", " and"))
		alike := map[string]bool{}
		for _, name := range names {
			alike[strings.TrimSpace(name)] = true
		}
		trimmed = trimmed && len(alike) == 1
	}
	if len(texts) == 0 {
		return nil
	}
	more := ""
	if n := len(texts) - mostExamples; n > 0 {
		texts, more = texts[:mostExamples], fmt.Sprintf("; and %d more", n)
	}
	r.Text = "values that differ by case or by blanks at their ends alone are different values: " + strings.Join(texts, "; ") + more
	if trimmed {
		r.Suggestion = &Suggestion{"trim", "true"}
	}
	return []Remark{r}
}

// localMidnights finds times that are nearly all at the same hour, as midnights of another zone are.
func localMidnights(s *dataset.Schema, c *dataset.Column, at int, sample []Row) []Remark {
	reader, err := newTimeReader(s)
	if err != nil {
		return nil
	}
	clock, err := s.Clock()
	if err != nil {
		return nil
	}
	hours := map[civil.Moment]int{}
	filled := 0
	for v := range valuesOf(sample, at) {
		_, text, ok := splitTime(v)
		if t, isTime := readTime(text); !ok || !isTime || !t.zoned {
			return nil
		}
		m, err := reader.read(v)
		if err != nil {
			return nil
		}
		_, within := clock.DateAndTime(m)
		hours[within]++
		filled++
	}
	const leastTimes = 10
	if filled < leastTimes {
		return nil
	}
	common := slices.SortedFunc(maps.Keys(hours), func(a, b civil.Moment) int { return hours[b] - hours[a] })
	top, n := common[:min(2, len(common))], 0
	for _, within := range top {
		n += hours[within]
		if within == 0 || within%(30*60*civil.Second) != 0 {
			return nil
		}
	}
	if len(top) == 2 && max(top[0]-top[1], top[1]-top[0]) != 3600*civil.Second || n*100 < filled*95 {
		return nil
	}
	slices.Sort(top)
	var shown []string
	for _, within := range top {
		shown = append(shown, civil.TimeOfDay(within/civil.Second).String())
	}
	return []Remark{{Code: LocalMidnights, Column: c.Name, Text: fmt.Sprintf(
		"%d of %d times are at %s in %s, as midnights of another zone are: state that zone if they are meant as days there",
		n, filled, strings.Join(shown, " or "), s.Zone)}}
}

// Decimals returns the most decimals of the numbers of each column in the sample of a file.
func Decimals(s *dataset.Schema, header []string, sample []Row) map[string]int {
	most := map[string]int{}
	style, err := ParseNumberStyle(s.Numbers)
	if err != nil {
		return most
	}
	for _, c := range s.Columns {
		at := slices.Index(header, strings.TrimSpace(c.Name))
		if at < 0 || c.Type != dataset.Number {
			continue
		}
		for v := range valuesOf(sample, at) {
			if plain, ok := style.reads(v, true); ok {
				_, fraction, _ := strings.Cut(plain, ".")
				most[c.Name] = max(most[c.Name], len(strings.TrimRight(fraction, "0")))
			}
		}
	}
	return most
}
