package refused

import (
	"bytes"
	"encoding/json"
	"strings"
	"unicode/utf8"
)

// IsText reports whether a text can be kept: it is UTF-8 and holds no NUL, which no database takes.
func IsText(s string) bool { return utf8.ValidString(s) && strings.IndexByte(s, 0) < 0 }

// IsTextJSON reports whether all texts of a JSON document can be kept. What is not JSON passes if it is
// UTF-8: others refuse it.
func IsTextJSON(data []byte) bool {
	if !utf8.Valid(data) {
		return false
	}
	if !bytes.Contains(data, []byte(`\u0000`)) {
		return true
	}
	for d := json.NewDecoder(bytes.NewReader(data)); ; {
		token, err := d.Token()
		if err != nil {
			return true
		}
		if s, ok := token.(string); ok && !IsText(s) {
			return false
		}
	}
}
