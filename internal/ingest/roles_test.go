package ingest

import (
	"fmt"
	"strings"
	"testing"

	"vastspan/core/dataset"
)

// Roles of numbers go by the name of the column and by running numbers, and not by how many values differ.
func TestRolesOfNumbers(t *testing.T) {
	distinct := func(i int) string { return fmt.Sprint((i*7919 + 13) % 100_003) }
	running := func(i int) string { return fmt.Sprint(i + 500) }
	few := func(i int) string { return fmt.Sprint(i % 3) }
	decimals := func(i int) string { return fmt.Sprintf("%d.%02d", i*31%90, i%100) }
	for _, c := range []struct {
		name  string
		value func(int) string
		want  dataset.Role
	}{
		{"net_generation", distinct, dataset.Amount},
		{"disease", distinct, dataset.Amount},
		{"pop", distinct, dataset.Amount},
		{"amount", running, dataset.Amount},
		{"n", running, dataset.Detail},
		{"order_id", distinct, dataset.Detail},
		{"Order ID", distinct, dataset.Detail},
		{"orderId", few, dataset.Detail},
		{"Invoice no", distinct, dataset.Detail},
		{"paid", distinct, dataset.Amount}, // ends in id
		{"year", few, dataset.Detail},
		{"Longitude", decimals, dataset.Detail},
		{"price per key", decimals, dataset.Amount},
	} {
		var b strings.Builder
		fmt.Fprintf(&b, "day,%s\n", c.name)
		for i := range 60 {
			fmt.Fprintf(&b, "2026-03-%02d,%s\n", i%28+1, c.value(i))
		}
		_, s, err := infer(t, b.String(), ColumnHints{})
		if err != nil {
			t.Fatal(err)
		}
		if got := s.Columns[1].Role; got != c.want {
			t.Errorf("%s, %s, %s, …: %s, want %s", c.name, c.value(0), c.value(1), got, c.want)
		}
	}
}
