package dataset

import (
	"strconv"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/civil"
	"vastspan/core/decimal"
)

// A Cell is one typed value of a record; the zero value is blank. What a cell that is not Set holds
// means nothing, and so do fields that its column's type does not use.
type Cell struct {
	Set    bool
	Text   string        // text, and numbers in plain digits
	Fixed  bool          // the number fits into Number
	Number decimal.Fixed // instead of Text where Fixed
	Day    civil.Day     // dates, and the day of a timestamp in the schema's zone
	Moment time.Time     // timestamps
}

// Decimal returns the number of a cell.
func (c *Cell) Decimal() (*apd.Decimal, error) {
	if c.Fixed {
		return c.Number.Decimal(), nil
	}
	d, _, err := apd.NewFromString(c.Text)
	return d, err
}

// AppendKey makes the texts of cells into a key that is the same for the same values only.
func (c *Cell) AppendKey(key []byte) []byte {
	if !c.Set {
		return append(key, 0)
	}
	key = append(key, 1)
	key = append(key, c.Text...)
	return append(key, 0)
}

// Label returns the label of a cell of a column of text or numbers.
func (c *Column) Label(cell *Cell) (Label, error) {
	if c.Type != Number || !cell.Set {
		return cell.Label(), nil
	}
	key, err := c.Key(cell)
	return NumberLabel(key), err
}

// AppendGroupKey makes a cell of a column of text or numbers into a key that is the same for the same labels only.
func (c *Column) AppendGroupKey(cell *Cell, key []byte) ([]byte, error) {
	if c.Type != Number || !cell.Set {
		return cell.AppendKey(key), nil
	}
	text, err := c.Key(cell)
	return append(append(append(key, 1), text...), 0), err
}

// Label returns the text of a cell as a label, to be kept.
func (c *Cell) Label() Label {
	if !c.Set {
		return Label{}
	}
	return LabelOf(strings.Clone(c.Text))
}

// Micros returns the moment of a timestamp in microseconds since 1970, as databases keep it.
func (c *Cell) Micros() int64 { return c.Moment.UnixMicro() }

// Key returns a value of a column as a text that is the same for equal values only. The cell is set.
func (c *Column) Key(cell *Cell) (string, error) {
	switch c.Type {
	case Timestamp:
		return strconv.FormatInt(cell.Micros(), 10), nil
	case Date:
		return cell.Day.String(), nil
	case Number:
		d, err := cell.Decimal()
		if err != nil {
			return "", err
		}
		return decimal.Key(d), nil
	}
	return cell.Text, nil
}
