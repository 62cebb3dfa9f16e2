package cli

import (
	"fmt"
	"io"
	"strings"

	"vastspan/core/civil"
	"vastspan/core/span"
	"vastspan/internal/cli/print"
)

// Forms of output for scripts, which resolve has next to the others.
const (
	asSQL   print.Output = "sql"
	asEnv   print.Output = "env"
	asDates print.Output = "dates"
)

var scriptOutputs = []print.Output{asSQL, asEnv, asDates}

// writeScript writes resolutions in a form for scripts. Those with an error have been refused before.
func writeScript(out io.Writer, form print.Output, column string, list []span.Result) error {
	if form != asSQL && len(list) > 1 {
		return usagef("--output %s takes one expression, not %d", form, len(list))
	}
	for i := range list {
		one := &list[i]
		var text string
		var err error
		switch form {
		case asSQL:
			text = predicate(one, column) + "\n"
		case asEnv:
			text, err = environment(one)
		case asDates:
			text, err = dates(one)
		}
		if err != nil {
			return err
		}
		if _, err := io.WriteString(out, text); err != nil {
			return err
		}
	}
	return nil
}

// predicate is the condition in standard SQL that a column is in a span: each run from its start, until what follows it.
func predicate(r *span.Result, column string) string {
	var runs []string
	add := func(from, until string) {
		var parts []string
		if from != "" {
			parts = append(parts, column+" >= "+from)
		}
		if until != "" {
			parts = append(parts, column+" < "+until)
		}
		if len(parts) == 0 {
			parts = []string{column + " IS NOT NULL"}
		}
		runs = append(runs, strings.Join(parts, " AND "))
	}
	if r.Moments != nil {
		for v := range r.Moments.Runs() {
			add(momentLiteral(v.Start, civil.BeginningOfTime), momentLiteral(v.End, civil.EndOfTime))
		}
	}
	for v := range r.Intervals.Intervals() {
		add(dayLiteral(v.Start), dayLiteral(v.End))
	}
	switch len(runs) {
	case 0:
		return "1 = 0"
	case 1:
		return runs[0]
	}
	return "((" + strings.Join(runs, ") OR (") + "))"
}

// dayLiteral is a day in SQL; empty for an open side.
func dayLiteral(d civil.Day) string {
	if d == civil.OpenStart || d == civil.OpenEnd {
		return ""
	}
	return "DATE '" + d.String() + "'"
}

// momentLiteral is a moment in SQL, in Universal Time; empty where a side is open.
func momentLiteral(m, edge civil.Moment) string {
	if m == edge {
		return ""
	}
	return "TIMESTAMP WITH TIME ZONE '" + strings.Replace(civil.UTC.Format(m), "T", " ", 1) + "'"
}

// environment is one run of days, or of moments, as variables of a shell.
func environment(r *span.Result) (string, error) {
	runs := r.Intervals.Len()
	if r.Moments != nil {
		runs = r.Moments.Len()
	}
	if runs != 1 {
		return "", fmt.Errorf("%s has %d runs of days, and variables tell one: take --output dates or sql", r.Expression, runs)
	}
	if r.Moments != nil {
		v := r.Moments.At(0)
		shown := func(m, edge civil.Moment) string {
			if m == edge {
				return ""
			}
			return r.Moments.Clock.Format(m)
		}
		seconds := ""
		if r.Seconds != nil {
			seconds = fmt.Sprint(*r.Seconds)
		}
		from, until := shown(v.Start, civil.BeginningOfTime), shown(v.End, civil.EndOfTime)
		return fmt.Sprintf("FROM=%s\nUNTIL=%s\nLENGTH_SECONDS=%s\n", from, until, seconds), nil
	}
	v := r.Intervals.At(0)
	from, through, until := "", "", ""
	if v.Start != civil.OpenStart {
		from = v.Start.String()
	}
	if v.End != civil.OpenEnd {
		through, until = v.Last().String(), v.End.String()
	}
	return fmt.Sprintf("FROM=%s\nTHROUGH=%s\nUNTIL=%s\nDAYS=%s\n", from, through, until, print.DayCount(r.Days)), nil
}

// dates lists the days of a span, one a line.
func dates(r *span.Result) (string, error) {
	switch {
	case r.Moments != nil:
		return "", fmt.Errorf("%s is of hours: it has no dates of its own", r.Expression)
	case r.Days == nil:
		return "", fmt.Errorf("%s has an open side: its dates cannot be listed", r.Expression)
	}
	var b strings.Builder
	for v := range r.Intervals.Intervals() {
		for d := v.Start; d < v.End; d++ {
			b.WriteString(d.String())
			b.WriteByte('\n')
		}
	}
	return b.String(), nil
}
