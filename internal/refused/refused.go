// Package refused holds the errors that say what is wrong with a request, as against those of the
// machine. Each has a kind, from which its status follows, and a code that programs can rely on.
package refused

import (
	"errors"
	"fmt"
	"strings"
)

// Kind says what sort of refusal an error is.
type Kind int

// The kinds.
const (
	Invalid   Kind = iota // the request says something that cannot be carried out
	NotFound              // what it names does not exist
	Conflict              // what exists does not allow it
	Stale                 // what it changes has changed since
	Required              // a change does not say what it changes
	Passing               // it cannot be served just now, and may be later
	SignedOut             // nobody is signed in
	Forbidden             // who asks may not
	TooMany               // it was tried too often
)

// The codes.
const (
	CodeInvalid       = "invalid"
	CodeNotFound      = "not_found"
	CodeNoOperation   = "no_operation" // the interface has no such address
	CodeAlreadyExists = "already_exists"
	CodeHasChanged    = "has_changed"
	CodeInUse         = "in_use"
	CodeIsCurrent     = "is_current"
	CodeAlreadyLoaded = "already_loaded"
	CodeReplacedSince = "replaced_since"
	CodeAlreadyUndone = "already_undone"
	CodeIfMatch       = "if_match_required"
	CodeElsewhere     = "elsewhere"
	CodeBeforeHistory = "before_history"
	CodeUnavailable   = "unavailable"
	CodeKeyUsed       = "key_used"
	CodeSignIn        = "sign_in"
	CodeNotAllowed    = "not_allowed"
	CodeTooMany       = "too_many_tries"
)

// Error is a refusal.
type Error struct {
	Kind    Kind
	Code    string
	Pointer string   // which part of the request is meant, as a JSON pointer
	Names   []string // those that are in the way
	Err     error
	Cause   error // what the log adds; nil for nothing
}

func (e *Error) Error() string { return e.Err.Error() }

// Unwrap returns what is wrong.
func (e *Error) Unwrap() error { return e.Err }

// Missing is the error of something that does not exist.
func Missing(kind, name string) error {
	return &Error{Kind: NotFound, Code: CodeNotFound, Err: &Unknown{kind, name}}
}

// Unknown says which name is not there, and of what.
type Unknown struct{ Kind, Name string }

func (e *Unknown) Error() string { return fmt.Sprintf("no %s is named %s", e.Kind, e.Name) }

// Because is the error of a request that what exists does not allow.
func Because(code, format string, args ...any) error {
	return &Error{Kind: Conflict, Code: code, Err: fmt.Errorf(format, args...)}
}

// Changed is the error of changing something that has changed since.
func Changed(format string, args ...any) error {
	return &Error{Kind: Stale, Code: CodeHasChanged, Err: fmt.Errorf(format, args...)}
}

// InUse is the error of removing what others refer to.
func InUse(what string, users []string) error {
	return &Error{
		Kind:  Conflict,
		Code:  CodeInUse,
		Names: users,
		Err:   fmt.Errorf("%s is still in use by %s", what, strings.Join(users, ", ")),
	}
}

// Unavailable is the error of a request that cannot be served just now, and why.
func Unavailable(reason string, err error) error {
	return &Error{Kind: Passing, Code: CodeUnavailable, Err: fmt.Errorf("the request cannot be served just now: %s", reason), Cause: err}
}

// Wrong marks an error as one of the request; nil stays nil.
func Wrong(err error) error {
	if err == nil {
		return nil
	}
	return &Error{Kind: Invalid, Code: CodeInvalid, Err: err}
}

// Wrongf is Wrong with an error of its own.
func Wrongf(format string, args ...any) error { return Wrong(fmt.Errorf(format, args...)) }

// IsMissing reports whether an error is that something does not exist.
func IsMissing(err error) bool {
	var e *Error
	return errors.As(err, &e) && e.Kind == NotFound
}
