package web

import (
	"errors"
	"io"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/gin-gonic/gin"
)

// An answer that fails when part of it has gone is cut off: what came is never taken for all there is,
// and no problem is written into it.
func TestAnAnswerThatFailsBreaksOff(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.GET("/half", func(c *gin.Context) {
		_, _ = io.WriteString(c.Writer, strings.Repeat("2026-09-01,4\n", 10_000))
		fail(c, errors.New("the database has gone"))
	})
	server := httptest.NewServer(engine)
	defer server.Close()
	r, err := server.Client().Get(server.URL + "/half")
	if err != nil {
		return // cut off before anything came
	}
	defer r.Body.Close()
	body, err := io.ReadAll(r.Body)
	if err == nil || strings.Contains(string(body), "Internal error") {
		t.Errorf("the answer ends well after %d bytes: …%s", len(body), body[max(0, len(body)-60):])
	}
}
