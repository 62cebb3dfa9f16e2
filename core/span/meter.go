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
type Meter struct {
	spent, limit int    // 0 is the usual limit
	whole        *Meter // that this one is a part of
}

// part returns a meter of a share of what is left to spend, which is spent from the whole, too.
func (m *Meter) part(of int) *Meter { return &Meter{limit: max(maxMetered/of, 1), whole: m} }

// over reports whether too much is spent.
func (m *Meter) over() bool {
	limit := maxMetered
	if m != nil && m.limit > 0 {
		limit = m.limit
	}
	return m != nil && (m.spent > limit || m.whole.over())
}

// ErrTooMuch is the error of resolutions that together go through more days and periods than is allowed.
var ErrTooMuch = fmt.Errorf("more than %d days and periods are gone through to find this out: ask for less at once", maxMetered)

// Spend counts days and periods that are gone through.
func (m *Meter) Spend(n int) {
	if m != nil {
		m.spent += n
		m.whole.Spend(n)
	}
}

// GoOn refuses to go on once too much is spent, or the context has ended.
func (s *Scope) GoOn(ctx context.Context) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	if s.Meter.over() {
		return ErrTooMuch
	}
	return nil
}
