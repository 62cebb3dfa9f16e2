package span

import (
	"context"
	"fmt"
)

const (
	// maxWork bounds how many days and periods one resolution goes through: it takes a fraction of a second.
	maxWork = 20_000_000
	// maxMetered bounds those of all resolutions that share a meter: it takes a few seconds.
	maxMetered = 100_000_000
)

// A Meter counts the days and periods that several resolutions go through, so that together they are
// bounded, too. It is not safe for use at once by many.
type Meter struct{ spent int }

// ErrTooMuch is the error of resolutions that together go through more days and periods than is allowed.
var ErrTooMuch = fmt.Errorf("more than %d days and periods are gone through to find this out: ask for less at once", maxMetered)

// Spend counts days and periods that are gone through.
func (m *Meter) Spend(n int) {
	if m != nil {
		m.spent += n
	}
}

// GoOn refuses to go on once too much is spent, or the context has ended.
func (s *Scope) GoOn(ctx context.Context) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	if s.Meter != nil && s.Meter.spent > maxMetered {
		return ErrTooMuch
	}
	return nil
}
