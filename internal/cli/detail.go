package cli

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// detailText writes the details of an entry of the audit in one line.
func detailText(detail map[string]any) string {
	var parts []string
	for _, name := range slices.Sorted(maps.Keys(detail)) {
		text, plain := detail[name].(string)
		if !plain {
			data, err := json.Marshal(detail[name])
			if err != nil || string(data) == "null" || string(data) == "[]" || string(data) == "{}" {
				continue
			}
			text = string(data)
		}
		parts = append(parts, fmt.Sprintf("%s %s", strings.ReplaceAll(name, "_", " "), text))
	}
	return strings.Join(parts, ", ")
}
