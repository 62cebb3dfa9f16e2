package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
)

// Unavailable says why the database cannot serve just now, where an error is of that; the same request
// may succeed later.
func Unavailable(err error) (reason string, ok bool) {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		reason, ok := states[pg.Code]
		if !ok {
			reason, ok = classes[pg.Code[:2]]
		}
		return reason, ok
	}
	var lost net.Error
	var failed *pgconn.ConnectError
	switch {
	case err == nil || errors.Is(err, context.Canceled):
		return "", false
	case errors.Is(err, context.DeadlineExceeded):
		return "the request took longer than is allowed", true
	case errors.As(err, &failed), errors.As(err, &lost), errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF),
		errors.Is(err, driver.ErrBadConn), errors.Is(err, sql.ErrConnDone), strings.Contains(err.Error(), "conn closed"):
		return "the database does not answer", true
	}
	return "", false
}

// Gone reports whether an error is that a dataset was removed after it was found.
func Gone(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "42P01"
}

// states are the codes of PostgreSQL's errors that pass, classes what they begin with
// (PostgreSQL, Appendix A: error codes).
var (
	states = map[string]string{
		"53100": "no space is left on the database's device",
		"53300": "the database takes no more connections",
		"55000": "a process of the database has ended",
		"55P03": "another change is being made, and took too long",
		"57014": "the database took longer than is allowed",
		"40001": "another change was made at the same time",
		"40P01": "another change was made at the same time",
	}
	classes = map[string]string{
		"08": "the database does not answer",
		"28": "the database does not take the service's name or password",
		"53": "the database has too little memory or space",
		"57": "the database is starting or ending",
		"58": "the database cannot read or write its files",
	}
)
