package attached

import (
	"context"
	"database/sql"
	"strings"

	"vastspan/core/civil"
)

// A dialect is an engine: what little differs between them. Statements are written by this package.
type dialect interface {
	// columns describes the columns of a table or view, in their order. Errors: Changed where there is none.
	columns(ctx context.Context, table string) ([]Column, error)
	// tables is a statement that lists the names and kinds of the tables and views that may be read, at most so many.
	tables(most int) string
	// parts lists, as they are written in SQL, the tables that a table is put together of on other servers, each of which adds
	// up its own; none for a table that is added up as it is.
	parts(ctx context.Context, table string) ([]string, error)
	// rows runs a statement and gives its rows to take, every value as text. The row is valid until take returns.
	rows(ctx context.Context, statement string, take func([]sql.NullString) error) error
	// counts reports whether records are counted as easily as the first and the last of them are found.
	counts() bool
	// strays reports whether dates may fall outside the years 1 to 9999, such as infinity.
	strays() bool
	// version says which engine answers.
	version(ctx context.Context) (string, error)
	// failed says of which kind an error is.
	failed(err error) failure
	close() error

	// table and name write the name of a table, and of a column.
	table(name string) string
	name(column string) string
	// literal writes a text.
	literal(text string) string
	// number writes a number as it is compared with a column.
	number(text string, c *Column) string
	// text is what a statement selects to get a value that was selected before as text.
	text(expression string, c *Column) string
	// edge writes a day, or a moment, as it is compared with a column.
	edge(c *Column, at civil.Moment, clock civil.Clock) string
	// pieces is the SQL of the moments of a column in whole pieces of some seconds since 1970, as the microseconds at which a
	// piece begins; false where the engine cannot, and the moments themselves are taken.
	pieces(c *Column, seconds int) (string, bool)
	// contains is the SQL of a text in which another is found, to the letter.
	contains(expression, text string) string
	// sum is the SQL of an exact sum.
	sum(expression string, c *Column) string
	// page keeps so many rows after others, 0 for all.
	page(limit, offset int64) string
}

// A failure is a kind of error.
type failure int

const (
	otherFailure failure = iota
	unreachable
	timedOut
)

// quoted writes a name in quotes, in which a quote is written twice.
func quoted(name, quote string) string {
	return quote + strings.ReplaceAll(name, quote, quote+quote) + quote
}

// qualified writes a name of parts with points between.
func qualified(name string, quote func(string) string) string {
	parts := strings.Split(name, ".")
	for i, p := range parts {
		parts[i] = quote(p)
	}
	return strings.Join(parts, ".")
}
