package export

import (
	"errors"
	"io"
	"math/big"
	"slices"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"

	"vastspan/core/table"
)

// errEnough ends a reading of rows of which no more are wanted.
var errEnough = errors.New("that is enough")

const (
	// smallDigits is how many digits a whole number of 64 bits always has room for, largeDigits one of 128 bits.
	smallDigits, largeDigits = 18, 38
	// groupRows is how many rows a group has.
	groupRows = 50_000
)

// ordered is a group whose columns stay in their order: one of the library sorts them by name.
type ordered struct {
	parquet.Group
	names []string
}

// Fields lists the columns.
func (o ordered) Fields() []parquet.Field {
	fields := o.Group.Fields()
	slices.SortFunc(fields, func(a, b parquet.Field) int {
		return slices.Index(o.names, a.Name()) - slices.Index(o.names, b.Name())
	})
	return fields
}

// A scale is how many digits the numbers of a column have before and after the point, and whether any cell of it is empty.
type scale struct {
	before, after int
	blank         bool
}

func (s *scale) see(number string) {
	before, after, _ := strings.Cut(strings.TrimPrefix(number, "-"), ".")
	s.before, s.after = max(s.before, len(before)), max(s.after, len(after))
}

func (s scale) digits() int { return s.before + s.after }

// writeParquet writes one table. Numbers are exact decimals as wide as the widest of their column, or whole numbers; those
// of more than 38 digits are texts.
func writeParquet(w io.Writer, sheets []Sheet, _ []table.Fact) error {
	s, err := onlySheet(sheets)
	if err != nil {
		return err
	}
	scales, err := s.scales()
	if err != nil {
		return err
	}
	group := parquet.Group{}
	makers := make([]func(string) (parquet.Value, error), len(s.Columns))
	names := s.names()
	for i := range names {
		names[i] = strings.TrimSpace(names[i])
		var node parquet.Node
		node, makers[i] = parquetColumn(s.Columns[i].Kind, scales[i])
		if scales[i].blank {
			node = parquet.Optional(node)
		}
		group[names[i]] = node
	}
	if len(group) < len(names) {
		return errors.New("two columns have the same name")
	}
	schema := parquet.NewSchema("rows", ordered{group, names})
	out := parquet.NewWriter(w, schema, parquet.Compression(&parquet.Snappy), parquet.MaxRowsPerRowGroup(groupRows))
	row := make(parquet.Row, len(names))
	err = s.Rows(func(cells []string) error {
		for i, cell := range cells {
			if cell == "" {
				row[i] = parquet.NullValue().Level(0, 0, i)
				continue
			}
			v, err := makers[i](cell)
			if err != nil {
				return err
			}
			level := 0
			if scales[i].blank {
				level = 1
			}
			row[i] = v.Level(0, level, i)
		}
		_, err := out.WriteRows([]parquet.Row{row})
		return err
	})
	if err != nil {
		return err
	}
	return out.Close()
}

// scales sees how wide the numbers of each column are, and which columns have empty cells.
func (s Sheet) scales() ([]scale, error) {
	list := make([]scale, len(s.Columns))
	err := s.Rows(func(row []string) error {
		for i, cell := range row {
			switch {
			case cell == "":
				list[i].blank = true
			case s.Columns[i].Kind == Number:
				list[i].see(cell)
			}
		}
		return nil
	})
	return list, err
}

// parquetColumn returns how a column is kept, and what makes values of its cells.
func parquetColumn(k Kind, s scale) (parquet.Node, func(string) (parquet.Value, error)) {
	switch {
	case k == Day:
		return parquet.Date(), func(cell string) (parquet.Value, error) {
			at, err := time.Parse(time.DateOnly, cell)
			return parquet.Int32Value(int32(at.Unix() / (24 * 60 * 60))), err
		}
	case k == Number && s.digits() <= smallDigits && s.after == 0:
		return parquet.Int(64), func(cell string) (parquet.Value, error) {
			n, err := unscaled(cell, 0)
			return parquet.Int64Value(n.Int64()), err
		}
	case k == Number && s.digits() <= smallDigits:
		return parquet.Decimal(s.after, smallDigits, parquet.Int64Type), func(cell string) (parquet.Value, error) {
			n, err := unscaled(cell, s.after)
			return parquet.Int64Value(n.Int64()), err
		}
	case k == Number && s.digits() <= largeDigits:
		const width = 16
		return parquet.Decimal(s.after, largeDigits, parquet.FixedLenByteArrayType(width)), func(cell string) (parquet.Value, error) {
			n, err := unscaled(cell, s.after)
			if n.Sign() < 0 { // two's complement
				n.Add(n, new(big.Int).Lsh(big.NewInt(1), 8*width))
			}
			return parquet.FixedLenByteArrayValue(n.FillBytes(make([]byte, width))), err
		}
	}
	return parquet.Encoded(parquet.String(), &parquet.RLEDictionary), func(cell string) (parquet.Value, error) {
		return parquet.ByteArrayValue([]byte(cell)), nil
	}
}

// unscaled returns a number as a whole one, with so many of its digits after the point.
func unscaled(number string, after int) (*big.Int, error) {
	before, fraction, _ := strings.Cut(number, ".")
	n, ok := new(big.Int).SetString(before+fraction+strings.Repeat("0", after-len(fraction)), 10)
	if !ok {
		return new(big.Int), errors.New(number + " is not a number in plain digits")
	}
	return n, nil
}
