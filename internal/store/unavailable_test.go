package store

import (
	"errors"
	"fmt"
	"io"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
)

// Temporary errors are recognised, however deeply they are wrapped, and permanent ones are not.
func TestWhatPasses(t *testing.T) {
	for _, c := range []struct {
		err    error
		passes bool
	}{
		{&pgconn.PgError{Code: "55000", Message: "lost connection to parallel worker"}, true},
		{&pgconn.PgError{Code: "58P01", Message: "could not open shared memory segment"}, true},
		{&pgconn.PgError{Code: "57P01"}, true},
		{&pgconn.PgError{Code: "08006"}, true},
		{&pgconn.PgError{Code: "42P01"}, false},
		{&pgconn.PgError{Code: "22003"}, false},
		{io.ErrUnexpectedEOF, true},
		{errors.New("something else"), false},
		{nil, false},
	} {
		if reason, passes := Unavailable(fmt.Errorf("wrapped: %w", c.err)); c.err != nil && passes != c.passes {
			t.Errorf("%v: %q, %v", c.err, reason, passes)
		}
	}
	if _, passes := Unavailable(nil); passes {
		t.Error("no error passes")
	}
}
