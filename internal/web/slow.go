package web

import (
	"encoding/json"
	"slices"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"vastspan/api/types"
	"vastspan/internal/access"
)

// maxSlow is how many of the slowest questions are kept, and slowAfter how long one takes at least to be among them.
const (
	maxSlow   = 20
	slowAfter = 50 * time.Millisecond
)

// slowest keeps the slowest questions since the service was started, the slowest first.
type slowest struct {
	mu   sync.Mutex
	list []types.SlowQuestion
}

// contentKey is where a request keeps its body while it is answered.
const contentKey = "body"

// note keeps a question where it is among the slowest.
func (s *slowest) note(c *gin.Context, operation string, took time.Duration) {
	if took < slowAfter {
		return
	}
	q := types.SlowQuestion{Operation: operation, At: time.Now().UTC(), Seconds: float32(took.Seconds()), Request: c.GetString(requestKey),
		Account: access.Author(c.Request.Context()), Dataset: optional(datasetOf(c))}
	s.mu.Lock()
	defer s.mu.Unlock()
	at, _ := slices.BinarySearchFunc(s.list, q, func(a, b types.SlowQuestion) int {
		if a.Seconds >= b.Seconds {
			return -1
		}
		return 1
	})
	if at == maxSlow {
		return
	}
	s.list = slices.Insert(s.list, at, q)
	s.list = s.list[:min(len(s.list), maxSlow)]
}

// all lists them.
func (s *slowest) all() []types.SlowQuestion {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]types.SlowQuestion{}, s.list...)
}

// datasetOf returns the dataset that a request is about, as far as that is easily told: a name in its path or its body.
func datasetOf(c *gin.Context) string {
	if name := c.Param("name"); name != "" {
		return name
	}
	data, _ := c.Value(contentKey).([]byte)
	var about struct{ Dataset string }
	if json.Unmarshal(data, &about) != nil {
		return ""
	}
	return about.Dataset
}
