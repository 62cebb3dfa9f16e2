package web

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"vastspan/api/types"
	"vastspan/core/span"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// problem returns problem details (RFC 9457) of a kind, which its code names.
func problem(status int, code, title, detail string) types.Problem {
	return types.Problem{Type: "/problems/" + strings.ReplaceAll(code, "_", "-"), Title: title, Status: status, Code: code, Detail: detail}
}

// kinds are the status and the title of each kind of refusal.
var kinds = map[refused.Kind]struct {
	status int
	title  string
}{
	refused.Invalid:  {http.StatusUnprocessableEntity, "Invalid request"},
	refused.NotFound: {http.StatusNotFound, "Not found"},
	refused.Conflict: {http.StatusConflict, "Conflict"},
	refused.Stale:    {http.StatusPreconditionFailed, "Changed since"},
	refused.Required: {http.StatusPreconditionRequired, "Version required"},
	refused.Passing:  {http.StatusServiceUnavailable, "Unavailable"},

	refused.SignedOut: {http.StatusUnauthorized, "Not signed in"},
	refused.Forbidden: {http.StatusForbidden, "Not allowed"},
	refused.TooMany:   {http.StatusTooManyRequests, "Too many tries"},
}

// retrySeconds is after how long a request may be tried again that could not be served just now.
const retrySeconds = "2"

// problemOf words an error as problem details.
func problemOf(err error) types.Problem {
	var refusal *refused.Error
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return problem(http.StatusRequestEntityTooLarge, "too_large", "Too large",
			fmt.Sprintf("The body is longer than %d bytes, the most that is taken here.", tooLarge.Limit))
	case errors.Is(err, errBusy):
		return problem(http.StatusTooManyRequests, "busy", "Too many requests at a time",
			"The service is busy with as many requests as it takes at a time. Try again in a while, or send fewer at once.")
	case errors.Is(err, errStalled):
		return problem(http.StatusRequestTimeout, "stalled", "Stalled", "The body has stopped coming, or comes too slowly.")
	case isReading(err):
		return problem(http.StatusBadRequest, "unreadable", "Unreadable request", err.Error())
	case !errors.As(err, &refusal):
		return problem(http.StatusInternalServerError, "internal", "Internal error", "An error inside the service; its log says more.")
	}
	k := kinds[refusal.Kind]
	p := problem(k.status, refusal.Code, k.title, err.Error())
	p.Pointer = optional(refusal.Pointer)
	if refusal.Names != nil {
		p.Names = &refusal.Names
	}
	var expression *span.Error
	if errors.As(err, &expression) {
		p.Expression = expression
	}
	var faults *service.Faults
	if errors.As(err, &faults) {
		list := each(faults.Kinds, toFault)
		p.Faults = &list
	}
	return p
}

func writeProblem(c *gin.Context, p types.Problem) {
	p.Request = optional(c.GetString(requestKey))
	body, err := json.Marshal(p)
	if err != nil {
		slog.Error("a problem cannot be written", "error", err)
	}
	c.Header("Content-Type", "application/problem+json") // instead of that of an answer that has failed
	c.Data(p.Status, "application/problem+json", body)
	c.Abort()
}

// fail answers a use case's error.
func fail(c *gin.Context, err error) {
	if stalled(c) { // the connection is broken for reading, and with it the request's context
		err = errStalled
		c.Header("Connection", "close")
	} else if errors.Is(c.Request.Context().Err(), context.Canceled) {
		c.Abort() // nobody is listening any more
		if c.Writer.Written() {
			cutOff(c)
		}
		return
	}
	if s, ok := c.Value(serviceKey).(*service.Service); ok && !isReading(err) {
		err = s.Offering(c.Request.Context(), s.Understood(err))
	}
	p := problemOf(err)
	var often *service.TriedTooOften
	switch p.Status {
	case http.StatusTooManyRequests:
		after := retrySeconds
		if errors.As(err, &often) {
			after = strconv.Itoa(int(math.Ceil(often.Wait.Seconds())))
		}
		c.Header("Retry-After", after)
	case http.StatusUnauthorized:
		c.Header("WWW-Authenticate", `Bearer realm="Vast Span"`)
	case http.StatusForbidden:
		noted(c, cmp.Or(c.GetString(operationKey), c.FullPath()))
	case http.StatusInternalServerError:
		slog.Error("a request failed", "request", c.GetString(requestKey), "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
	case http.StatusServiceUnavailable:
		slog.Warn("a request could not be served", "request", c.GetString(requestKey), "method", c.Request.Method, "path", c.Request.URL.Path,
			"error", err, "cause", causeOf(err))
		c.Header("Retry-After", retrySeconds)
	}
	if c.Writer.Written() {
		cutOff(c)
		return
	}
	writeProblem(c, p)
}

// causeOf returns the cause of a refusal.
func causeOf(err error) error {
	var refusal *refused.Error
	if errors.As(err, &refusal) {
		return refusal.Cause
	}
	return nil
}

// cutOff ends an answer of which part has gone already, so that the caller takes it for what it is.
func cutOff(c *gin.Context) {
	c.Abort()
	under, ok := c.Writer.(interface{ Unwrap() http.ResponseWriter })
	if !ok {
		return
	}
	conn, _, err := http.NewResponseController(under.Unwrap()).Hijack()
	if err != nil {
		slog.Error("an answer cannot be cut off", "error", err)
		return
	}
	_ = conn.Close() // it is ended either way
}

// isReading reports whether an error is that a file could not be read on.
func isReading(err error) bool {
	var reading *service.ReadError
	return errors.As(err, &reading)
}

// badRequest answers a request that cannot be read.
func badRequest(c *gin.Context, err error) {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) || errors.Is(err, errStalled) {
		fail(c, err)
		return
	}
	writeProblem(c, problem(http.StatusBadRequest, "unreadable", "Unreadable request", err.Error()))
}

// unfit answers a request that can be read but says what is not known, such as a figure.
func unfit(c *gin.Context, err error) { fail(c, refused.Wrong(err)) }
