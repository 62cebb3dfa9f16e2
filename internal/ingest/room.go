package ingest

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/semaphore"
)

// A Room is memory that the readers of files share: what a file needs at once beyond its current rows, such as the texts of
// a workbook or the pages of a Parquet file, is taken from it before it is read. A nil Room bounds each file by itself.
type Room struct {
	size int64
	free *semaphore.Weighted
	ctx  context.Context
	held *atomic.Int64 // by the readers of one request
}

// usualRoom is the memory that one file may need where no Room is given, in bytes.
const usualRoom = 1 << 30

// NewRoom returns a Room of so many bytes.
func NewRoom(size int64) *Room { return &Room{size: size, free: semaphore.NewWeighted(size)} }

// Within returns the Room for the files of one request, which wait for memory only as long as its context lasts.
func (r *Room) Within(ctx context.Context) *Room {
	if r == nil {
		return nil
	}
	return &Room{r.size, r.free, ctx, new(atomic.Int64)}
}

// ErrNoRoom is that a further file of a request finds no memory free.
var ErrNoRoom = errors.New("other files that are being read take the memory for files")

// A TooLargeError is the error of a file that needs more memory than there is for one.
type TooLargeError struct{ Need, Most int64 }

func (e *TooLargeError) Error() string {
	return fmt.Sprintf("the file needs more than %d MB of memory at once, the most that one file gets", e.Most>>20)
}

// take takes so many bytes of a Room for one file, and waits until they are free; release gives them back. A
// request that has some already does not wait, as others may wait for what it has. Errors: *TooLargeError, ErrNoRoom, and that
// of the context.
func (r *Room) take(n int64) (release func(), err error) {
	most := int64(usualRoom)
	if r != nil {
		most = r.size / 2
	}
	if n > most {
		return nil, &TooLargeError{n, most}
	}
	if r == nil {
		return func() {}, nil
	}
	switch {
	case r.ctx == nil || r.held.Load() > 0:
		if !r.free.TryAcquire(n) {
			return nil, ErrNoRoom
		}
	default:
		if err := r.free.Acquire(r.ctx, n); err != nil {
			return nil, err
		}
	}
	if r.held != nil {
		r.held.Add(n)
	}
	return sync.OnceFunc(func() {
		r.free.Release(n)
		if r.held != nil {
			r.held.Add(-n)
		}
	}), nil
}
