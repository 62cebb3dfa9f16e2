package web

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"sync/atomic"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"
	"golang.org/x/time/rate"
)

// Every request is bounded: its body by size, its work by time, and how long either side may keep the
// other waiting. What an operation of api/openapi.yaml needs beyond the usual it says by x-max-body, in
// bytes, and x-max-seconds; 0 is no bound.
const (
	usualBody    = 4 << 20
	usualSeconds = 30
	// bodySeconds is how long a body may take that is read whole before anything is done.
	bodySeconds = 30
	// stallSeconds is how long a file may stop coming, or an answer may not be taken.
	stallSeconds = 60
	// leastBytes is how many bytes of a file have to come while it is waited for as long as that, all in all.
	leastBytes = 64 << 10
)

// stall is stallSeconds, or less in tests.
var stall = stallSeconds * time.Second

// limits are those of one operation.
type limits struct {
	body    int64         // in bytes, 0 for any number
	time    time.Duration // 0 for any
	streams bool          // what is taken away of it is handed on as it is taken: no bound of time holds for it
	// unbounded answers may be of any length.
	unbounded bool
	heavy     bool // so many are answered at a time
	uploads   bool // its body is a file of records: so many are read at a time
}

func limitsOf(o *openapi3.Operation) (limits, error) {
	l := limits{body: usualBody, time: usualSeconds * time.Second}
	for key, value := range o.Extensions {
		n, ok := value.(float64)
		switch key {
		case "x-max-body":
			l.body = int64(n)
		case "x-max-seconds":
			l.time = time.Duration(n) * time.Second
		case "x-streams":
			l.streams, ok = value.(bool)
		case "x-unbounded":
			l.unbounded, ok = value.(bool)
		case "x-heavy":
			l.heavy, ok = value.(bool)
		case "x-uploads":
			l.uploads, ok = value.(bool)
		default:
			return l, fmt.Errorf("operation %s: %s is not known", o.OperationID, key)
		}
		if !ok {
			return l, fmt.Errorf("operation %s: %s is %v", o.OperationID, key, value)
		}
	}
	return l, nil
}

// bound puts the limits of an operation on a request; end frees what they hold.
func (l limits) bound(c *gin.Context) (end func()) {
	end = func() {}
	body := &steady{ReadCloser: c.Request.Body, control: http.NewResponseController(c.Writer)}
	c.Request.Body = body
	c.Set(bodyKey, body)
	if l.body > 0 {
		body.until = time.Now().Add(min(bodySeconds*time.Second, stall))
		c.Request.Body = http.MaxBytesReader(c.Writer, body, l.body)
	}
	_, file := wanted(c)
	streams := l.streams && file
	if w, ok := c.Writer.(*taken); ok && streams {
		w.pace = rate.NewLimiter(pace, pace)
	}
	if w, ok := c.Writer.(*taken); ok && (streams || l.unbounded) {
		w.left = math.MaxInt64
	}
	if l.time > 0 && !streams {
		ctx, cancel := context.WithTimeout(c.Request.Context(), l.time)
		c.Request = c.Request.WithContext(ctx)
		end = cancel
	}
	return end
}

// errStalled is that a body has stopped coming, or comes too slowly.
var errStalled = errors.New("too little came for too long")

// steady is a body that must not stop coming, nor drip: of a file, leastBytes have to come in each while of waiting for it.
// The time in which the service itself is at work does not count.
type steady struct {
	io.ReadCloser
	control *http.ResponseController
	until   time.Time // when all of it has to be there; zero for a file of any length
	waited  time.Duration
	came    int // while it was waited
	stalled atomic.Bool
}

// bodyKey is where a request keeps its body.
const bodyKey = "body"

// stalled reports whether the body of a request has stopped coming, whatever error that has led to.
func stalled(c *gin.Context) bool {
	body, ok := c.Value(bodyKey).(*steady)
	return ok && body.stalled.Load()
}

func (s *steady) Read(p []byte) (int, error) {
	begun := time.Now()
	until := begun.Add(stall - s.waited)
	if !s.until.IsZero() && s.until.Before(until) {
		until = s.until
	}
	if err := supported(s.control.SetReadDeadline(until)); err != nil {
		return 0, err
	}
	n, err := s.ReadCloser.Read(p)
	s.came += n
	if s.waited += time.Since(begun); s.came >= leastBytes {
		s.waited, s.came = 0, 0
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		s.stalled.Store(true)
		err = errStalled
	}
	if errors.Is(err, io.EOF) { // all of it is there: the bound would end the request
		if off := supported(s.control.SetReadDeadline(time.Time{})); off != nil {
			return n, off
		}
	}
	return n, err
}

// supported drops the error of a connection that knows no bounds of time.
func supported(err error) error {
	if errors.Is(err, http.ErrNotSupported) {
		return nil
	}
	return err
}

// maxAnswer is how long an answer may be that is not handed on as it is taken, in bytes. What is asked is
// refused before it comes to that.
const maxAnswer = 128 << 20

// errTooLong is that an answer is longer.
var errTooLong = errors.New("the answer is too long")

// taken is a writer of answers that have to be taken: each part within a while.
type taken struct {
	gin.ResponseWriter
	control *http.ResponseController
	left    int64         // how much of the answer may follow, in bytes
	pace    *rate.Limiter // how fast it may follow; nil for any
	ctx     context.Context
}

// takeInTime bounds how long an answer may not be taken.
func takeInTime(c *gin.Context) {
	c.Writer = &taken{ResponseWriter: c.Writer, control: http.NewResponseController(c.Writer), left: maxAnswer, ctx: c.Request.Context()}
}

func (t *taken) Write(p []byte) (int, error) {
	if err := supported(t.control.SetWriteDeadline(time.Now().Add(stall))); err != nil {
		return 0, err
	}
	if t.left -= int64(len(p)); t.left < 0 {
		return 0, errTooLong
	}
	if t.pace != nil {
		if err := t.pace.WaitN(t.ctx, min(len(p), pace)); err != nil {
			return 0, err
		}
	}
	return t.ResponseWriter.Write(p)
}

// pace is how fast records that are taken away as a file go out, in bytes a second: one download leaves room for others.
const pace = 64 << 20

// WriteString implements io.StringWriter.
func (t *taken) WriteString(s string) (int, error) { return t.Write([]byte(s)) }

// Unwrap returns the writer of the connection.
func (t *taken) Unwrap() http.ResponseWriter {
	if under, ok := t.ResponseWriter.(interface{ Unwrap() http.ResponseWriter }); ok {
		return under.Unwrap()
	}
	return t.ResponseWriter
}
