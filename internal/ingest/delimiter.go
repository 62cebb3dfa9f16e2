package ingest

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
)

// delimiterNames names what may separate fields.
var delimiterNames = map[byte]string{',': "comma", ';': "semicolon", '\t': "tab", '|': "bar"}

// delimiters lists what may separate fields, the likeliest first.
const delimiters = ",;\t|"

// delimiterOf returns what separates the fields of a file: what is stated, as the sign or its name, or what takes most of
// its first lines apart into as many fields, more than one, as the header has.
func delimiterOf(stated, text string) (byte, error) {
	for sign, name := range delimiterNames {
		if stated == string(sign) || strings.EqualFold(stated, name) {
			return sign, nil
		}
	}
	if stated != "" {
		return 0, fmt.Errorf("delimiter %q: expected comma, semicolon, tab or bar", stated)
	}
	best, most := delimiters[0], 0
	for i := range len(delimiters) {
		if n := fitting(text, delimiters[i]); n > most {
			best, most = delimiters[i], n
		}
	}
	return best, nil
}

// triedRows is how many rows delimiters are tried on.
const triedRows = 50

// fitting counts the first rows that have as many fields as the header; 0 where the header has one alone.
func fitting(text string, comma byte) int {
	rows := csv.NewReader(strings.NewReader(text))
	rows.Comma, rows.FieldsPerRecord, rows.LazyQuotes = rune(comma), -1, true
	header, err := rows.Read()
	if err != nil || len(header) < 2 {
		return 0
	}
	fields, n := len(header), 1
	for range triedRows {
		row, err := rows.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err == nil && len(row) == fields {
			n++
		}
	}
	return n
}
