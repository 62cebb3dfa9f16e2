package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"vastspan/api/types"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/internal/cli/print"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// problemError is a refusal that came from the service.
type problemError struct {
	types.Problem
	request any // what was sent
}

func (e *problemError) Error() string { return e.Detail }

// expressionError is the error of an expression together with its text.
type expressionError struct {
	text string
	err  *span.Error
}

func (e *expressionError) Error() string { return e.err.Message }

// about attaches the request to a local refusal, so that its pointer can be followed.
func about(err error, request any) error {
	var wrong *query.Error
	var expression *span.Error
	if errors.As(err, &wrong) && errors.As(err, &expression) {
		if text, ok := pointed(request, wrong.Pointer); ok {
			return &expressionError{text, expression}
		}
	}
	return err
}

// pointed follows a JSON pointer to a text in a request.
func pointed(request any, pointer string) (string, bool) {
	data, err := json.Marshal(request)
	if err != nil {
		return "", false
	}
	var at any
	if json.Unmarshal(data, &at) != nil {
		return "", false
	}
	for key := range strings.SplitSeq(strings.TrimPrefix(pointer, "/"), "/") {
		switch v := at.(type) {
		case map[string]any:
			at = v[key]
		case []any:
			i, err := strconv.Atoi(key)
			if err != nil || i >= len(v) {
				return "", false
			}
			at = v[i]
		}
	}
	text, ok := at.(string)
	return text, ok
}

// errors returns the writer of errors, which may quote data.
func (a *app) errors() io.Writer { return print.VisibleWriter{Out: a.err} }

// printError words an error for people: a refused expression with a caret under the place, a rejected
// file with its rows.
func (a *app) printError(err error) {
	var expression *expressionError
	var problem *problemError
	var faults *service.Faults
	switch {
	case errors.As(err, &expression):
		a.printExpressionError(expression.text, expression.err)
	case errors.As(err, &problem):
		a.printProblem(problem)
	case errors.As(err, &faults):
		var list []types.Fault
		for _, f := range faults.Kinds {
			list = append(list, types.Fault{
				File: ptrOrNil(f.File), Line: f.Line, Column: ptrOrNil(f.Column), Value: ptrOrNil(f.Value), Expected: f.Expected,
				Count: f.Count, Lines: f.Lines, Suggestion: (*types.Suggestion)(f.Suggestion),
			})
		}
		a.printFaults(list)
	default:
		fmt.Fprintf(a.errors(), "vastspan: %v\n", err)
	}
}

func (a *app) printProblem(p *problemError) {
	switch {
	case p.Faults != nil:
		a.printFaults(*p.Faults)
	case p.Expression != nil:
		if text, ok := pointed(p.request, value(p.Pointer)); ok {
			a.printExpressionError(text, p.Expression)
			return
		}
		fallthrough
	default:
		fmt.Fprintf(a.errors(), "vastspan: %s\n", p.Detail)
	}
	if p.Code == refused.CodeAlreadyLoaded {
		fmt.Fprintln(a.errors(), "  try --again")
	}
	if p.Status >= http.StatusInternalServerError && p.Problem.Request != nil {
		fmt.Fprintf(a.errors(), "In the service's log it is request %s.\n", *p.Problem.Request)
	}
}

func (a *app) printExpressionError(text string, e *span.Error) {
	fmt.Fprintf(a.errors(), "vastspan: %s\n", e.Message)
	if e.Column > 0 && len(text) <= span.MaxLength {
		oneLine := strings.Map(func(r rune) rune {
			if r < ' ' {
				return ' '
			}
			return r
		}, text)
		fmt.Fprintf(a.errors(), "  %s\n  %s%s\n", oneLine, strings.Repeat(" ", e.Column-1), strings.Repeat("^", max(1, e.Width)))
	}
	for i, offer := range e.Offers {
		lead := "did you mean"
		if i > 0 {
			lead = "          or"
		}
		fmt.Fprintf(a.errors(), "  %s  %s\n", lead, offer)
	}
}

// printFaults prints each kind of fault with its count and, where the file shows it, what to state.
func (a *app) printFaults(faults []types.Fault) {
	fmt.Fprintln(a.errors(), "vastspan: the file is rejected; nothing was loaded")
	for _, f := range faults {
		place := fmt.Sprintf("line %d", f.Line)
		if f.File != nil {
			place = *f.File + ", " + place
		}
		switch {
		case f.Column == nil:
			fmt.Fprintf(a.errors(), "  %s: %s\n", place, f.Expected)
		case f.Value == nil:
			fmt.Fprintf(a.errors(), "  %s, column %s: blank: %s\n", place, *f.Column, f.Expected)
		default:
			fmt.Fprintf(a.errors(), "  %s, column %s: %q: %s\n", place, *f.Column, *f.Value, f.Expected)
		}
		if f.Count > 1 {
			kind := service.Fault{Count: f.Count, Lines: f.Lines}
			fmt.Fprintf(a.errors(), "    %s in all, on lines %s\n", print.Count(f.Count), kind.LinesText())
		}
		if f.Suggestion != nil {
			fmt.Fprintf(a.errors(), "    try %s\n", suggestedFlag(*f.Suggestion))
		}
	}
}

// suggestedFlag writes a suggestion as a flag.
func suggestedFlag(s types.Suggestion) string {
	flag := "--" + strings.ReplaceAll(s.Option, "_", "-")
	switch {
	case s.Value == "true":
		return flag
	case strings.ContainsAny(s.Value, " '"):
		return fmt.Sprintf("%s %q", flag, s.Value)
	}
	return flag + " " + s.Value
}
