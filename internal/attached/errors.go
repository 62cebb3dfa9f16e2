package attached

import (
	"errors"
	"fmt"
	"net"

	"github.com/jackc/pgx/v5/pgconn"

	"vastspan/internal/refused"
)

// The codes of what goes wrong with a source that is elsewhere, each its own.
const (
	CodeUnreachable = "database_unreachable"
	CodeTimedOut    = "database_timed_out"
	CodeChanged     = "table_changed"
	CodeRefused     = "database_refused"
	CodeUnknown     = "unknown_database"
	CodeTooMuch     = "answer_too_large"
)

// notReached is the error of a database, or of a server behind it, that does not answer. Of one that cannot be connected to, it is
// told why, not how often it was tried.
func notReached(database string, err error) error {
	var said *pgconn.PgError
	var network *net.OpError
	switch {
	case errors.As(err, &said):
		err = said
	case errors.As(err, &network):
		err = network
	}
	return &refused.Error{Kind: refused.Passing, Code: CodeUnreachable, Err: fmt.Errorf("database %s does not answer: %w", database, err)}
}

// tookTooLong is the error of a statement that took longer than the timeout of its database.
func (d *Database) tookTooLong() error {
	return &refused.Error{Kind: refused.Passing, Code: CodeTimedOut,
		Err: fmt.Errorf("database %s took longer than %s, which its timeout allows: take a shorter span, or let it have more time",
			d.Name, d.definition.Timeout)}
}

// answeredTooMuch is the error of an answer that is longer than is held in memory.
func (d *Database) answeredTooMuch(most int64) error {
	return refused.Because(CodeTooMuch, "database %s answers with more than %d MB, the most that is read at once", d.Name, most>>20)
}

// changed is the error of a table that is not what it was when it was attached.
func changed(format string, args ...any) error {
	return refused.Because(CodeChanged, format+": attach it again, or put it back", args...)
}

// notThere is the error of a table that is not there, or that may not be seen.
func notThere(table string) error {
	return refused.Because(CodeChanged, "there is no table or view %s that can be read", table)
}

// notRun is the error of a statement that the database does not run: a missing right among them.
func notRun(database string, err error) error {
	return &refused.Error{Kind: refused.Conflict, Code: CodeRefused, Err: fmt.Errorf("database %s: %w", database, err)}
}

// unknown is the error of a database that the service does not know.
func unknown(database string) error {
	return refused.Because(CodeUnknown, "the service knows no database %s (vastspan database list)", database)
}

// isTold reports whether an error is one to be told as it is.
func isTold(err error) bool {
	var r *refused.Error
	return errors.As(err, &r)
}
