package holidays

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"vastspan/core/book"
	"vastspan/core/civil"
)

// A Request says how event lists are read from a file.
type Request struct {
	// Name is the list that is read; with BySummary and of CSV that names its lists it may be left out.
	Name string
	// FirstYear and LastYear are the years that the lists are complete for, both inside; 0 where a CSV file says nothing of them.
	FirstYear, LastYear int
	// BySummary makes one list of each summary of an iCalendar file.
	BySummary bool
}

// ReadEvents reads event lists from iCalendar, whose rules are followed through the years given, or from CSV with the columns
// name, first_day, last_day and label. Occurrences outside the years are left out, and the text says so. Errors: a file that is
// neither, rows that are wrong, with their line, and a file without any occurrence in those years.
func ReadEvents(r io.Reader, q Request) (lists []book.Events, left string, err error) {
	data, err := readAll(r)
	if err != nil {
		return nil, "", err
	}
	if q.FirstYear > q.LastYear {
		return nil, "", fmt.Errorf("years %d to %d: expected the first one first", q.FirstYear, q.LastYear)
	}
	c := collector{Request: q, lists: map[string]*book.Events{}}
	if isCalendar(data) {
		err = c.calendar(data)
	} else {
		err = c.csv(data)
	}
	if err != nil {
		return nil, "", err
	}
	left = c.left.Text(q.FirstYear, q.LastYear)
	if len(c.order) == 0 {
		if left != "" {
			left = "; left out: " + left
		}
		return nil, "", errors.New("no occurrence is in it: expected all-day events of iCalendar, or CSV with first_day and last_day" + left)
	}
	for _, name := range c.order {
		list := *c.lists[name]
		slices.Sort(list.Days)
		list.Days = slices.Compact(list.Days)
		if _, err := list.Compile(); err != nil {
			return nil, "", err
		}
		lists = append(lists, list)
	}
	return lists, left, nil
}

// maxLabel is how many characters the label of an occurrence may have.
const maxLabel = 200

// collector puts occurrences into lists.
type collector struct {
	Request
	lists map[string]*book.Events
	order []string
	left  LeftOut
}

// add adds an occurrence to a list, where it is in the years that are read.
func (c *collector) add(name string, days civil.Interval, label string) {
	if c.FirstYear > 0 && (days.First().Year() < c.FirstYear || days.First().Year() > c.LastYear) {
		c.left.Outside += days.Days()
		return
	}
	list := c.lists[name]
	if list == nil {
		list = &book.Events{Name: name}
		if c.FirstYear > 0 {
			list.Covers = []int{c.FirstYear, c.LastYear}
		}
		c.lists[name] = list
		c.order = append(c.order, name)
	}
	text := days.String()
	if days.Days() == 1 {
		text = days.First().String()
	}
	list.Days = append(list.Days, text)
	if label != "" {
		if list.Labels == nil {
			list.Labels = map[string]string{}
		}
		if r := []rune(label); len(r) > maxLabel {
			label = string(r[:maxLabel-1]) + "…"
		}
		list.Labels[days.First().String()] = label
	}
}

func (c *collector) calendar(data []byte) error {
	switch {
	case c.FirstYear == 0:
		return errors.New("an iCalendar file may repeat without end: state the first and the last year")
	case c.Name == "" && !c.BySummary:
		return errors.New("an iCalendar file names no list: state one, or take one list for each summary")
	}
	entries, left, err := readCalendar(data, c.LastYear)
	if err != nil {
		return err
	}
	c.left = left
	for _, e := range entries {
		if c.BySummary {
			name, err := nameOf(e.summary)
			if err != nil {
				return err
			}
			c.add(name, e.days, "")
			continue
		}
		c.add(c.Name, e.days, e.summary)
	}
	return nil
}

// nameOf makes the name of a list from a summary: Winter Break becomes winter-break.
func nameOf(summary string) (string, error) {
	parts := strings.FieldsFunc(strings.ToLower(summary), func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') })
	name := strings.Join(parts, "-")
	if name == "" || name[0] < 'a' {
		return "", fmt.Errorf("the summary %q makes no name: names are letters, digits and hyphens, beginning with a letter", summary)
	}
	return name[:min(len(name), 60)], nil
}

// csv reads name,first_day,last_day,label; only first_day is required.
func (c *collector) csv(data []byte) error {
	reader := csv.NewReader(bytes.NewReader(data))
	reader.FieldsPerRecord = -1
	header, err := reader.Read()
	if err != nil {
		return fmt.Errorf("it is neither iCalendar nor CSV: %w", err)
	}
	columns := map[string]int{}
	for i, name := range header {
		columns[strings.ToLower(strings.TrimSpace(name))] = i
	}
	if _, ok := columns["first_day"]; !ok {
		return fmt.Errorf("line 1: %s: expected the columns name, first_day, last_day and label", strings.Join(header, ","))
	}
	for {
		row, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := c.row(row, columns); err != nil {
			line, _ := reader.FieldPos(0)
			return fmt.Errorf("line %d: %w", line, err)
		}
	}
}

func (c *collector) row(row []string, columns map[string]int) error {
	field := func(name string) string {
		if i, ok := columns[name]; ok && i < len(row) {
			return strings.TrimSpace(row[i])
		}
		return ""
	}
	first, err := civil.ParseDay(field("first_day"))
	if err != nil {
		return fmt.Errorf("first_day: %w", err)
	}
	last := first
	if text := field("last_day"); text != "" {
		if last, err = civil.ParseDay(text); err != nil {
			return fmt.Errorf("last_day: %w", err)
		}
	}
	if last < first {
		return fmt.Errorf("the last day %s is before the first, %s", last, first)
	}
	name := cmp.Or(field("name"), c.Name)
	switch {
	case name == "":
		return errors.New("it names no list: state one, or give the file a column name")
	case c.Name != "" && name != c.Name:
		c.left.OtherLists++
		return nil
	}
	c.add(name, civil.Through(first, last), field("label"))
	return nil
}
