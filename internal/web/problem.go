package web

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"

	"github.com/gin-gonic/gin"

	"vastspan/api"
	"vastspan/core/span"
	"vastspan/internal/service"
	"vastspan/internal/store"
	"vastspan/internal/tabular"
	"vastspan/internal/wire"
)

// problemOf words an error as problem details (RFC 9457).
func problemOf(err error) api.Problem {
	p := api.Problem{Status: http.StatusInternalServerError, Title: "The service failed", Detail: "An error inside the service; its log says more."}
	var missing *store.NotFound
	var conflict *store.Conflict
	var inUse *service.InUse
	var invalid *service.Invalid
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &missing):
		p = api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: err.Error()}
	case errors.As(err, &conflict):
		p = api.Problem{Status: http.StatusConflict, Title: "In conflict with what is there", Detail: err.Error()}
	case errors.As(err, &inUse):
		p = api.Problem{Status: http.StatusConflict, Title: "Still in use", Detail: err.Error(), Names: &inUse.Users}
	case errors.As(err, &tooLarge):
		p = api.Problem{Status: http.StatusRequestEntityTooLarge, Title: "Too large", Detail: err.Error()}
	case errors.As(err, &invalid):
		p = api.Problem{Status: http.StatusUnprocessableEntity, Title: "Refused", Detail: err.Error()}
	}
	var expression *span.Error
	if errors.As(err, &expression) {
		e := wire.ExpressionError(expression)
		p.Expression = &e
	}
	var faults *tabular.Faults
	if errors.As(err, &faults) {
		list := wire.Faults(faults.Rows)
		p.Faults = &list
	}
	return p
}

func writeProblem(c *gin.Context, p api.Problem) {
	body, err := json.Marshal(p)
	if err != nil {
		slog.Error("a problem cannot be written", "error", err)
	}
	c.Data(p.Status, "application/problem+json", body)
	c.Abort()
}

// fail answers a use case's error.
func fail(c *gin.Context, err error) {
	if errors.Is(err, context.Canceled) && c.Request.Context().Err() != nil {
		c.Abort() // nobody is listening any more
		return
	}
	p := problemOf(err)
	if p.Status == http.StatusInternalServerError {
		slog.Error("a request failed", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
	}
	if c.Writer.Written() {
		breakOff(c)
		return
	}
	writeProblem(c, p)
}

// breakOff ends an answer of which part has gone already, so that the caller takes it for what it is.
func breakOff(c *gin.Context) {
	c.Abort()
	under, ok := c.Writer.(interface{ Unwrap() http.ResponseWriter })
	if !ok {
		return
	}
	conn, _, err := http.NewResponseController(under.Unwrap()).Hijack()
	if err != nil {
		slog.Error("an answer cannot be broken off", "error", err)
		return
	}
	_ = conn.Close() // it is ended either way
}

// badRequest answers a request that cannot be read.
func badRequest(c *gin.Context, err error) {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		fail(c, err)
		return
	}
	writeProblem(c, api.Problem{Status: http.StatusBadRequest, Title: "The request cannot be read", Detail: err.Error()})
}
