package web

import (
	"cmp"
	"crypto/rand"
	"log/slog"
	"regexp"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"vastspan/internal/access"
)

// requestHeader names a request, so that a problem can be found in the log.
const requestHeader = "X-Request-Id"

// requestKey is where a request keeps its name.
const requestKey = "request"

// requestName is what a caller may name a request.
var requestName = regexp.MustCompile(`^[A-Za-z0-9._-]{1,64}$`)

// nameLength is how long the names are that requests are given here.
const nameLength = 12

// named returns each request a name: the caller's, where there is a fit one.
func named(c *gin.Context) {
	name := c.GetHeader(requestHeader)
	if !requestName.MatchString(name) {
		name = strings.ToLower(rand.Text()[:nameLength])
	}
	c.Set(requestKey, name)
	c.Header(requestHeader, name)
}

// logged writes each request to the log when it has been answered.
func logged(c *gin.Context) {
	begun := time.Now()
	c.Next()
	if isQuiet(c.Request.URL.Path) {
		return
	}
	slog.Info("answered", "request", c.GetString(requestKey), "method", c.Request.Method, "path", c.Request.URL.Path,
		"status", c.Writer.Status(), "ms", float64(time.Since(begun).Microseconds())/1000, "bytes", max(c.Writer.Size(), 0),
		"from", callerAddress(c), "account", access.Author(c.Request.Context()))
}

// callerAddress is where a request comes from, without the port: behind a trusted proxy what that says.
func callerAddress(c *gin.Context) string { return cmp.Or(c.ClientIP(), c.Request.RemoteAddr) }
