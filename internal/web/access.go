package web

import (
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"vastspan/internal/access"
	"vastspan/internal/refused"
	"vastspan/internal/service"
)

// sessionCookie is the cookie of a session; over TLS its name has a prefix, by which browsers take it from this host alone.
const (
	sessionCookie = "vastspan"
	securePrefix  = "__Host-"
)

// isSecure reports whether browsers reach the service over TLS.
func (o *Settings) isSecure(c *gin.Context) bool {
	return c.Request.TLS != nil || o.PublicURL != nil && o.PublicURL.Scheme == "https"
}

// cookie returns a cookie of this host that no script reads. One without a value takes it away.
func (o *Settings) cookie(c *gin.Context, name, value string, seconds int, same http.SameSite) string {
	cookie := http.Cookie{Name: name, Value: value, Path: "/", MaxAge: seconds, HttpOnly: true, SameSite: same}
	if o.isSecure(c) {
		cookie.Name, cookie.Secure = securePrefix+name, true
	}
	if value == "" {
		cookie.MaxAge = -1
	}
	return cookie.String()
}

// cookieOf returns the value of a cookie; empty where there is none.
func (o *Settings) cookieOf(c *gin.Context, name string) string {
	if o.isSecure(c) {
		name = securePrefix + name
	}
	cookie, err := c.Request.Cookie(name)
	if err != nil {
		return ""
	}
	return cookie.Value
}

// bearer returns the key that a request is made with; empty where there is none.
func bearer(c *gin.Context) (key string, shown bool) {
	header := c.GetHeader("Authorization")
	scheme, key, _ := strings.Cut(header, " ")
	if header == "" {
		return "", false
	}
	if !strings.EqualFold(scheme, "Bearer") {
		return "", true
	}
	return strings.TrimSpace(key), true
}

// identified finds out who makes a request, which travels in its context from then on. Who shows a key that is not good is
// nobody, whatever his cookies.
func identified(s *service.Service, o *Settings) gin.HandlerFunc {
	return func(c *gin.Context) {
		if path := c.Request.URL.Path; !isAPI(path) && path != metricsPath {
			return
		}
		key, shown := bearer(c)
		session := ""
		if !shown {
			session = o.cookieOf(c, sessionCookie)
		}
		caller, err := s.Accounts.Caller(c.Request.Context(), session, key)
		if err != nil {
			fail(c, err)
			return
		}
		caller.Address, caller.Request = callerAddress(c), c.GetString(requestKey)
		c.Request = c.Request.WithContext(access.With(c.Request.Context(), caller))
		if shown && caller.Account == 0 && s.Accounts.Needed() {
			noted(c, "key")
		}
	}
}

// permit refuses an operation that the caller may not do; false where it is answered.
func permit(c *gin.Context, s *service.Service, operation string) bool {
	err := s.Permit(c.Request.Context(), operation)
	if err != nil {
		c.Set(operationKey, operation)
		fail(c, err)
	}
	return err == nil
}

// Where a request keeps the service and the operation that it asks for.
const (
	serviceKey   = "service"
	operationKey = "operation"
)

// noted keeps in the audit that a caller was refused something, unless he was so too often lately.
func noted(c *gin.Context, what string) {
	s, ok := c.Value(serviceKey).(*service.Service)
	if !ok {
		return
	}
	if err := s.Accounts.NoteRefused(c.Request.Context(), what); err != nil {
		slog.Error("a refusal cannot be kept in the audit", "request", c.GetString(requestKey), "error", err)
	}
}

// isKind reports whether an error is a refusal of a kind.
func isKind(err error, kind refused.Kind) bool {
	var refusal *refused.Error
	return errors.As(err, &refusal) && refusal.Kind == kind
}

// hosts refuses requests that were addressed to another name than those of the service: a page elsewhere must not reach it by
// pointing its own name here. Whether it lives may be asked by any name.
func hosts(o *Settings) gin.HandlerFunc {
	return func(c *gin.Context) {
		host := hostOf(c.Request.Host)
		if isLoopback(host) || isQuiet(c.Request.URL.Path) && c.Request.URL.Path != metricsPath ||
			o.PublicURL != nil && strings.EqualFold(host, o.PublicURL.Hostname()) {
			return
		}
		detail := "The service answers to localhost and loopback addresses only"
		if o.PublicURL != nil {
			detail = "The service answers to " + o.PublicURL.Hostname() + " and loopback addresses only"
		}
		writeProblem(c, problem(http.StatusForbidden, "host_not_allowed", "Host not allowed", detail+", not to \""+host+"\"."))
	}
}

// base is the address under which browsers reach the service, as a request or the configuration says.
func (o *Settings) base(c *gin.Context) string {
	if o.PublicURL != nil {
		return strings.TrimSuffix(o.PublicURL.String(), "/")
	}
	u := url.URL{Scheme: "http", Host: c.Request.Host}
	if c.Request.TLS != nil {
		u.Scheme = "https"
	}
	return u.String()
}
