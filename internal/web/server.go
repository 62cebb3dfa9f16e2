// Package web serves the HTTP interface of api/openapi.yaml, the console and the metrics with Gin. It
// turns requests into calls of the service and errors into problem details, nothing more.
package web

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"runtime/debug"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"vastspan/api/server"
	"vastspan/internal/refused"
	"vastspan/internal/service"
	"vastspan/internal/signon"
	"vastspan/internal/web/console"
)

// Settings say how the service is served.
type Settings struct {
	Version string
	// LogRequests has each request written to the log.
	LogRequests bool
	// PublicURL is where browsers reach the service; nil for loopback addresses alone.
	PublicURL *url.URL
	// TrustedProxies are addresses, or ranges of them, whose word is taken for where a request comes from.
	TrustedProxies []string
	// SignOn is the provider of single sign-on; nil for none.
	SignOn *signon.Provider
}

// Handler returns the service's routes.
func Handler(s *service.Service, o Settings) (http.Handler, error) {
	requests, err := newValidator()
	if err != nil {
		return nil, err
	}
	return handler(s, o, requests)
}

func handler(s *service.Service, o Settings, requests *validator) (http.Handler, error) {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.ContextWithFallback = true // so that use cases end when the caller goes
	engine.RemoteIPHeaders = []string{"X-Forwarded-For"}
	if err := engine.SetTrustedProxies(o.TrustedProxies); err != nil {
		return nil, fmt.Errorf("trusted proxies: %w", err)
	}
	engine.Use(named)
	if o.LogRequests {
		engine.Use(logged)
	}
	engine.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, cause any) {
		fail(c, fmt.Errorf("panic: %v\n%s", cause, debug.Stack()))
	}))
	engine.Use(func(c *gin.Context) { c.Set(serviceKey, s) })
	registry := prometheus.NewRegistry()
	engine.Use(timings(registry), takeInTime, plainAnswers, pageHeaders, hosts(&o), identified(s, &o), requests.check(s))
	measures := gin.WrapH(promhttp.HandlerFor(registry, promhttp.HandlerOpts{EnableOpenMetrics: true}))
	engine.GET(metricsPath, func(c *gin.Context) {
		if permit(c, s, "readMetrics") {
			measures(c)
		}
	})
	engine.GET("/livez", alive)
	engine.GET("/readyz", ready(s))
	registry.MustRegister(newGauged(s, map[string]*gate{
		"questions": requests.questions, "downloads": requests.downloads, "uploads": requests.uploads,
	}))
	if err := describe(engine, o.Version); err != nil {
		return nil, err
	}
	engine.HandleMethodNotAllowed = true
	engine.NoMethod(notAllowed)
	h := &handlers{service: s, settings: &o, slow: &requests.slow, since: time.Now().UTC()}
	server.Register(engine, prefix, h, server.Errors{Unfit: unfit, Failed: fail})
	engine.NoRoute(func(c *gin.Context) {
		if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead || isAPI(c.Request.URL.Path) {
			text := "There is no " + c.Request.Method + " " + c.Request.URL.Path
			writeProblem(c, problem(http.StatusNotFound, refused.CodeNoOperation, "Not found", text))
			return
		}
		console.Serve(c.Writer, c.Request)
	})
	// Pages elsewhere change nothing here, whatever cookies their browsers have.
	return compressing(heads(conditional(http.NewCrossOriginProtection().Handler(engine))))
}

// metricsPath is where the measures are.
const metricsPath = "/metrics"

func isAPI(path string) bool { return len(path) >= 4 && path[:4] == "/api" }

// methods are those that are counted by name.
var methods = []string{
	http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions,
}

// timings counts requests and how long they take.
func timings(registry *prometheus.Registry) gin.HandlerFunc {
	seconds := prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "vastspan_request_seconds", Help: "How long requests take.", Buckets: prometheus.ExponentialBuckets(0.001, 4, 8),
	}, []string{"method", "route", "status"})
	registry.MustRegister(seconds, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return func(c *gin.Context) {
		start := time.Now()
		c.Next()
		route := c.FullPath()
		if route == "" {
			route = "console"
		}
		method := c.Request.Method
		if !slices.Contains(methods, method) {
			method = "other"
		}
		seconds.WithLabelValues(method, route, strconv.Itoa(c.Writer.Status())).Observe(time.Since(start).Seconds())
	}
}

// plainAnswers keeps browsers from guessing types and from keeping answers of the interface.
func plainAnswers(c *gin.Context) {
	c.Header("X-Content-Type-Options", "nosniff")
	if isAPI(c.Request.URL.Path) {
		c.Header("Cache-Control", "no-store")
		c.Header("Cross-Origin-Resource-Policy", "same-origin")
	}
}

// hostOf returns a host without its port.
func hostOf(address string) string {
	if h, _, err := net.SplitHostPort(address); err == nil {
		return h
	}
	return address
}

func isLoopback(host string) bool {
	ip := net.ParseIP(trimBrackets(host))
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

func trimBrackets(host string) string {
	if len(host) > 1 && host[0] == '[' {
		return host[1 : len(host)-1]
	}
	return host
}

// Listen opens the address to serve on; beyond says that others than loopback addresses are taken. Port 0 takes any that is free.
func Listen(address string, beyond bool) (net.Listener, error) {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return nil, fmt.Errorf("%q is no address: expected host:port, such as 127.0.0.1:7420", address)
	}
	if !beyond && !isLoopback(host) {
		return nil, fmt.Errorf("%s is refused: beyond loopback (127.0.0.1, ::1 or localhost) the service listens only with --accounts, "+
			"with --public-url, and with --tls-certificate or --trusted-proxy", address)
	}
	return net.Listen("tcp", address)
}

// idleSeconds is how long a connection is kept on which nothing is asked.
const idleSeconds = 120

// Serving says how connections are served.
type Serving struct {
	TLS *tls.Config // nil for none
	// StopWithin is how long requests that are under way may take when the service stops.
	StopWithin time.Duration
}

// Serve answers until the context ends, then lets requests that are under way finish; those that take
// longer are ended.
func Serve(ctx context.Context, l net.Listener, h http.Handler, o Serving) error {
	if o.TLS != nil {
		o.TLS.NextProtos = []string{"h2", "http/1.1"}
		l = tls.NewListener(l, o.TLS)
	} else {
		l = headListener{l}
	}
	base, end := context.WithCancel(context.WithoutCancel(ctx))
	defer end()
	server := &http.Server{
		Handler:           oneLength(h),
		ConnContext:       keepHeads,
		BaseContext:       func(net.Listener) context.Context { return base },
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       idleSeconds * time.Second,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          slog.NewLogLogger(slog.Default().Handler(), slog.LevelWarn),
	}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.Background(), o.StopWithin)
	defer cancel()
	err := server.Shutdown(grace)
	if errors.Is(err, context.DeadlineExceeded) {
		end()
		err = server.Close()
	}
	return err
}
