package ageing

import (
	"vastspan/core/dataset"
	"vastspan/core/decimal"
	"vastspan/core/table"
)

// A Cell is one figure of an answer with what it belongs to.
type Cell struct {
	// Key is the same for the same figure only.
	Key string
	// Unit is the band, or the unit of the course; empty for lengths.
	Unit   string
	Group  dataset.Label // all where nothing is broken down
	Figure string
	Value  decimal.Value
}

// Cells yields every figure of an answer: the lengths of each group, its bands, then the course.
func (a *Answer) Cells(yield func(Cell)) {
	for i := range a.Groups {
		g := &a.Groups[i]
		key := dataset.GroupKey([]dataset.Label{g.Label})
		for _, f := range []struct {
			name  string
			value decimal.Value
		}{
			{"records", decimal.Int(g.Records)}, {"open", decimal.Int(g.Open)}, {"closed", decimal.Int(g.Closed)},
			{"closed_mean", g.ClosedLengths.Mean}, {"closed_median", g.ClosedLengths.Median},
			{"closed_percentile_90", g.ClosedLengths.Percentile90}, {"closed_longest", g.ClosedLengths.Longest},
			{"open_mean", g.OpenAges.Mean}, {"open_median", g.OpenAges.Median},
			{"open_percentile_90", g.OpenAges.Percentile90}, {"open_longest", g.OpenAges.Longest},
		} {
			yield(Cell{key + "/" + f.name, "", g.Label, f.name, f.value})
		}
		if g.Within != nil {
			yield(Cell{key + "/within", "", g.Label, "within", decimal.Int(*g.Within)})
			yield(Cell{key + "/due", "", g.Label, "due", decimal.Int(*g.Due)})
		}
		for _, b := range g.Bands {
			yield(Cell{key + "/" + b.Band + "/records", b.Band, g.Label, "records", decimal.Int(b.Records)})
			if a.Amount != "" {
				yield(Cell{key + "/" + b.Band + "/sum", b.Band, g.Label, "sum_" + a.Amount, b.Sum})
			}
		}
	}
	for _, t := range a.Course {
		for _, f := range []struct {
			name string
			n    int64
		}{{"opened", t.Opened}, {"closed", t.Closed}, {"open_at_end", t.OpenAtEnd}} {
			yield(Cell{"course/" + t.FirstDay.String() + "/" + f.name, t.Unit, dataset.All, f.name, decimal.Int(f.n)})
		}
	}
}

// Title says what the lengths are: days from opened_on to closed_on.
func (a *Answer) Title() string {
	return dataset.Length{Unit: a.Unit, From: a.From, To: a.To}.String()
}

// GroupText writes a group for people; nothing where there is one alone.
func (a *Answer) GroupText(l dataset.Label) string {
	if a.By == "" {
		return ""
	}
	return table.LabelText(l, 0)
}
