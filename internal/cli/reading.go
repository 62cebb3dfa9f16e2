package cli

import (
	"fmt"
	"os"
	"time"

	"github.com/spf13/cobra"

	"vastspan/core/book"
	"vastspan/core/civil"
	"vastspan/internal/service"
)

// reading holds the flags that say against what expressions are read.
type reading struct {
	asOf     string
	atClose  bool
	calendar string
	book     string
}

func readingFlags(c *cobra.Command, asOf string) *reading {
	r := &reading{}
	c.Flags().StringVar(&r.asOf, "as-of", "today", "as-of day: "+asOf)
	c.Flags().BoolVar(&r.atClose, "at-close", false, "the as-of day itself is over")
	c.Flags().StringVar(&r.calendar, "calendar", "civil", "calendar in which expressions are read")
	return r
}

func (r *reading) bookFlag(c *cobra.Command) {
	c.Flags().StringVar(&r.book, "book", "", "span book (YAML) with the spans and calendars that expressions name")
	_ = c.MarkFlagFilename("book", "yaml", "yml")
}

// library gives the definitions of the book, or the civil calendar alone.
func (r *reading) library() (*book.Library, error) {
	if r.book == "" {
		return book.Compile(book.Book{})
	}
	data, err := os.ReadFile(r.book)
	if err != nil {
		return nil, err
	}
	l, err := book.Read(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.book, err)
	}
	return l, nil
}

func (r *reading) service() service.Reading {
	return service.Reading{AsOf: service.AsOf(r.asOf), AtClose: r.atClose, Calendar: r.calendar}
}

// localToday is the day it is on this machine.
func localToday() civil.Day { return civil.OfTime(time.Now(), time.Local) }

// day finds the as-of day on this machine.
func (r *reading) day(newest func() (civil.Day, bool, error)) (civil.Day, error) {
	return service.ReadAsOf(service.AsOf(r.asOf), localToday, newest)
}

// local gives what answers on this machine need: the definitions of the book and the as-of day.
func (r *reading) local() (*book.Library, civil.Day, error) {
	l, err := r.library()
	if err != nil {
		return nil, 0, err
	}
	asOf, err := r.day(nil)
	return l, asOf, err
}
