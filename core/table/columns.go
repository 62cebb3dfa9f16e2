package table

import (
	"fmt"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/measure"
)

// Columns describes the columns of figures one after the other, with an identity that no two share.
type Columns struct {
	List []Column
	ids  map[string]bool
	own  Column // the figure at hand
}

// Figure begins the columns of a figure. The schema says what its column is counted in and how it is
// shown.
func (c *Columns) Figure(at int, f measure.Figure, s *dataset.Schema) {
	c.own = Column{ID: f.Name(), Title: f.Words(), Role: Figure, Figure: at}
	e, _ := measure.Lookup(f.Kind)
	if column, err := s.Find(f.Column); err == nil && column.Type == dataset.Number && !e.Pure {
		decimals := column.Decimals
		c.own.Unit, c.own.Decimals, c.own.stated, c.own.Better = column.Unit, &decimals, column.DecimalsStated, column.Better
	}
	if over, err := s.Find(f.Over); err == nil && c.own.Unit != "" {
		unit := over.Unit
		if unit == "" {
			unit = strings.ReplaceAll(over.Name, "_", " ")
		}
		c.own.Unit += "/" + unit
	}
	if c.own.Rounded = e.Quotient || f.Derived != ""; c.own.Rounded && c.own.Decimals == nil {
		c.own.Decimals = new(int)
	}
	c.add(c.own)
}

// Compared adds the three columns that compare the figure: the counterpart, the difference and the
// change. suffix follows the figure's name.
func (c *Columns) Compared(name, suffix, title string) {
	c.with("_"+suffix, title, Counterpart, name)
	c.with("_"+suffix+"_difference", "difference", Difference, name)
	c.with("_"+suffix+"_change", "change", Change, name)
}

// Also adds a column of the figure in another role.
func (c *Columns) Also(role Role, title string) { c.with("_"+string(role), title, role, "") }

func (c *Columns) with(suffix, title string, role Role, comparison string) {
	one := c.own
	one.ID += suffix
	one.Title, one.Role, one.Comparison = title, role, comparison
	if role == Change || role == Share {
		decimals := percentDecimals
		one.Unit, one.Decimals, one.Rounded, one.stated = "", &decimals, true, false
	}
	c.add(one)
}

func (c *Columns) add(one Column) {
	if c.ids == nil {
		c.ids = map[string]bool{}
	}
	one.ID = unique(one.ID, c.ids)
	c.List = append(c.List, one)
}

// unique returns an identity that is not taken yet, and takes it.
func unique(id string, taken map[string]bool) string {
	free := id
	for n := 2; taken[free]; n++ {
		free = fmt.Sprintf("%s_%d", id, n)
	}
	taken[free] = true
	return free
}

const (
	// percentDecimals is how many decimals per cents have at least, mostPercentDecimals how many at most.
	percentDecimals, mostPercentDecimals = 1, 3
	// mostDecimals is how many decimals a quotient is shown with at most, leadingDigits how many significant digits its
	// smallest value in a column is shown with.
	mostDecimals, leadingDigits = 12, 3
)

// SetDecimals finds the decimals of the columns of quotients: the fewest, not fewer than the amount's own, that show three
// significant digits of the smallest value that is not zero (semantics §7). A column keeps the decimals that its dataset
// states. Of a per cent one significant digit is shown.
func (t *Table) SetDecimals() {
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.stated || c.Decimals == nil {
			continue
		}
		if !c.Rounded { // money has the same decimals in all cells
			decimals := *c.Decimals
			for j := range t.Rows {
				if v := t.Rows[j].Cells[i]; v.Set {
					var reduced apd.Decimal
					reduced.Reduce(&v.Decimal)
					decimals = max(decimals, int(-reduced.Exponent))
				}
			}
			c.Decimals = &decimals
			continue
		}
		digits, most, shift := leadingDigits, mostDecimals, 0
		if c.Role == Change || c.Role == Share {
			digits, most, shift = 1, mostPercentDecimals, 2
		}
		decimals := *c.Decimals
		for j := range t.Rows {
			decimals = max(decimals, decimal.FractionOf(t.Rows[j].Cells[i]).Leading(digits)-shift)
		}
		decimals = min(decimals, max(most, *c.Decimals))
		c.Decimals = &decimals
	}
}

// look says how a workbook shows a column: under what it is derived from, with its unit.
func (t *Table) look(c *Column) Look {
	title := c.Title
	if c.Role != Figure {
		for i := range t.Columns {
			if o := &t.Columns[i]; o.Role == Figure && o.Figure == c.Figure {
				title = o.Title
			}
		}
		if (c.Role == Difference || c.Role == Change) && c.Comparison != "" {
			title += ", " + c.Comparison
		}
		title += ", " + c.Title
	}
	if c.Unit != "" && !strings.HasSuffix(title, c.Unit) {
		title += " (" + c.Unit + ")"
	}
	return Look{title, c.Role == Change || c.Role == Share, c.Decimals}
}

// Suffix returns the words of a comparison as a part of a column's identity: 1 year earlier is
// 1_year_earlier.
func Suffix(name string) string {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < '0' || r > '9')
	})
	if len(words) == 0 {
		return "comparison"
	}
	return strings.Join(words, "_")
}
