// Package access says who calls the service and what they may do: roles, and what a caller may see of a dataset. A caller
// travels in the context of a request; work without one is the service's own, such as that of schedules.
package access

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"vastspan/internal/refused"
)

// A Role is a set of permissions. An operation needs one role, and is permitted to each that covers it.
type Role string

// The roles. Nobody and Account are no roles of accounts: operations need them.
const (
	Nobody        Role = ""              // not signed in
	Account       Role = "account"       // signed in, whatever the role
	Reader        Role = "reader"        // sees briefs, totals and records
	Analyst       Role = "analyst"       // defines, loads, creates receipts
	Auditor       Role = "auditor"       // reads the audit, and nothing else
	Administrator Role = "administrator" // manages accounts, databases and schedules, and removes
)

// covered lists the roles whose permissions a role has.
var covered = map[Role][]Role{
	Nobody:        {Nobody},
	Reader:        {Nobody, Account, Reader},
	Analyst:       {Nobody, Account, Reader, Analyst},
	Auditor:       {Nobody, Account, Auditor},
	Administrator: {Nobody, Account, Reader, Analyst, Auditor, Administrator},
}

// Roles lists the roles that accounts have.
func Roles() []Role { return []Role{Reader, Analyst, Auditor, Administrator} }

// ParseRole reads a role.
func ParseRole(text string) (Role, error) {
	if role := Role(text); slices.Contains(Roles(), role) {
		return role, nil
	}
	return Nobody, refused.Wrongf("%q is not a role: expected reader, analyst, auditor or administrator", text)
}

// Covers reports whether a role has all permissions of another. An unknown role covers none.
func (r Role) Covers(other Role) bool { return slices.Contains(covered[r], other) }

// Lesser returns the one of two roles that the other covers; Nobody where neither does.
func Lesser(a, b Role) Role {
	switch {
	case a.Covers(b):
		return b
	case b.Covers(a):
		return a
	}
	return Nobody
}

// A Caller is who asks.
type Caller struct {
	Account int64  // 0 where there are no accounts, or nobody is signed in
	Name    string // of the account; empty where nobody is signed in
	Role    Role
	Groups  []string
	Session int64 // that they are signed in by; 0 for none
	Key     int64 // that they call by; 0 for none
	KeyName string
	// Datasets are those that a key is for; none is all of them.
	Datasets []string
	Server   bool // it is a command on the server itself
	// Address is where they call from, and Request the name of what they ask.
	Address, Request string
}

// Local is who calls a service that has no accounts.
var Local = Caller{Name: "local", Role: Administrator}

type callerKey struct{}

// With returns a context in which a caller asks.
func With(ctx context.Context, c Caller) context.Context {
	return context.WithValue(ctx, callerKey{}, &c)
}

// From returns who asks; nil where it is the service itself.
func From(ctx context.Context) *Caller {
	c, _ := ctx.Value(callerKey{}).(*Caller)
	return c
}

// Author returns the name under which a change is kept.
func Author(ctx context.Context) string {
	if c := From(ctx); c != nil {
		return c.Name
	}
	return Local.Name
}

// ErrSignIn is the refusal of a caller who is not signed in.
var ErrSignIn error = &refused.Error{
	Kind: refused.SignedOut, Code: refused.CodeSignIn, Err: errors.New("sign in first, or call with a key"),
}

// Need refuses a caller whose role does not cover one.
func Need(ctx context.Context, role Role) error {
	c := From(ctx)
	switch {
	case c == nil || c.Role.Covers(role) && c.Role != Nobody:
		return nil
	case c.Role == Nobody:
		return ErrSignIn
	}
	return Refusedf("this needs the role of %s; %s is %s", role, c.Name, c.Role)
}

// Refusedf is the refusal of what a caller may not do.
func Refusedf(format string, args ...any) error {
	return &refused.Error{Kind: refused.Forbidden, Code: refused.CodeNotAllowed, Err: fmt.Errorf(format, args...)}
}

// A Level is what a caller may see of a dataset.
type Level int

// The levels; each holds what is before it.
const (
	Nothing Level = iota
	Totals        // with the smallest group size of the rules
	Records
)

// Rules say who sees what of a dataset. Without any, everybody who is signed in sees its records. Administrators always do.
type Rules struct {
	Records []string `json:"records,omitempty"` // groups that see its records
	Totals  []string `json:"totals,omitempty"`  // groups that see its totals only
	// MinRecords is how many records a total has to be made of for those who see totals only; at least 2 where there are such groups.
	MinRecords int `json:"min_records,omitempty"`
	// TotalsBy is the unit that the spans of those are made of, such as month; empty for any span.
	TotalsBy string `json:"totals_by,omitempty"`
}

// UnitsOfTotals are the units that TotalsBy may be.
var UnitsOfTotals = []string{"week", "month", "quarter", "half", "year"}

// defaultMinRecords is the smallest group size where none is stated.
const defaultMinRecords = 5

// Check refuses rules that say too little, and completes them.
func (r *Rules) Check() error {
	if len(r.Totals) > 0 && r.MinRecords == 0 {
		r.MinRecords = defaultMinRecords
	}
	switch {
	case len(r.Totals) == 0 && r.MinRecords > 0:
		return refused.Wrongf("min records is for groups that see totals only: state which")
	case len(r.Totals) == 0 && r.TotalsBy != "":
		return refused.Wrongf("a unit of totals is for groups that see totals only: state which")
	case r.TotalsBy != "" && !slices.Contains(UnitsOfTotals, r.TotalsBy):
		return refused.Wrongf("%q is not a unit of totals: expected %s", r.TotalsBy, strings.Join(UnitsOfTotals, ", "))
	case len(r.Totals) > 0 && r.MinRecords < 2:
		return refused.Wrongf("min records %d would show single records: expected at least 2", r.MinRecords)
	}
	for _, g := range r.Records {
		if slices.Contains(r.Totals, g) {
			return refused.Wrongf("group %s is stated for records and for totals only", g)
		}
	}
	return nil
}

// Empty reports whether there are no rules.
func (r *Rules) Empty() bool { return r == nil || len(r.Records) == 0 && len(r.Totals) == 0 }

// LevelOf returns what a caller may see of a dataset with rules.
func LevelOf(ctx context.Context, name string, r *Rules) Level {
	c := From(ctx)
	switch {
	case c == nil:
		return Records
	case c.Role == Nobody || len(c.Datasets) > 0 && !slices.Contains(c.Datasets, name):
		return Nothing
	case c.Role == Administrator || r.Empty() || shared(c.Groups, r.Records):
		return Records
	case shared(c.Groups, r.Totals):
		return Totals
	}
	return Nothing
}

func shared(a, b []string) bool {
	return slices.ContainsFunc(a, func(one string) bool { return slices.Contains(b, one) })
}
