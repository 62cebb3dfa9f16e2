package web

import (
	"bytes"
	"context"
	"net"
	"net/http"
	"strings"
	"sync"
)

// A request that states its length twice, by Content-Length and by chunks, is read in one way here and perhaps in another by a proxy
// before the service: its end is not the same for both. The server of the standard library drops one of the two, so heads are looked
// at as they come.

// maxHeard is how much of what came last on a connection is kept: more than the longest head.
const maxHeard = 128 << 10

// headListener gives connections that keep the heads of requests.
type headListener struct{ net.Listener }

func (l headListener) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return &headConn{Conn: c}, nil
}

type headConn struct {
	net.Conn
	mu    sync.Mutex
	heard []byte
}

func (c *headConn) Read(p []byte) (int, error) {
	n, err := c.Conn.Read(p)
	c.mu.Lock()
	c.heard = append(c.heard, p[:n]...)
	if over := len(c.heard) - maxHeard; over > maxHeard/2 { // now and then
		c.heard = append(c.heard[:0], c.heard[over:]...)
	}
	c.mu.Unlock()
	return n, err
}

// statesLengthTwice reports whether a request that comes in chunks states its length as well. Where what came holds several heads like
// its own, one of them is enough.
func (c *headConn) statesLengthTwice(r *http.Request) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	begin := []byte(r.Method + " " + r.RequestURI + " HTTP/1.1\r\n")
	for rest := c.heard; ; {
		_, after, found := bytes.Cut(rest, begin)
		if !found {
			return false
		}
		rest = after
		head, _, _ := bytes.Cut(after, []byte("\r\n\r\n"))
		for line := range bytes.SplitSeq(head, []byte("\r\n")) {
			name, _, _ := bytes.Cut(line, []byte(":"))
			if strings.EqualFold(string(bytes.TrimSpace(name)), "Content-Length") {
				return true
			}
		}
	}
}

type headKey struct{}

// keepHeads lets requests find the connection that they came on.
func keepHeads(ctx context.Context, c net.Conn) context.Context {
	if head, ok := c.(*headConn); ok {
		return context.WithValue(ctx, headKey{}, head)
	}
	return ctx
}

// oneLength refuses requests that state their length twice.
func oneLength(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		c, ok := r.Context().Value(headKey{}).(*headConn)
		if ok && len(r.TransferEncoding) > 0 && c.statesLengthTwice(r) {
			w.Header().Set("Connection", "close")
			http.Error(w, "the request states its length twice, by Content-Length and by Transfer-Encoding", http.StatusBadRequest)
			return
		}
		h.ServeHTTP(w, r)
	})
}
