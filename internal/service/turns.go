package service

import (
	"context"
	"sync"
)

// turns lets those who change the same thing go one after the other. Who waits holds no connection to the
// database meanwhile.
type turns struct {
	mu     sync.Mutex
	queues map[string]*queue
}

type queue struct {
	turn chan struct{} // of one
	many int           // at work or waiting
}

// take waits for the turn with a name; done gives it back.
func (t *turns) take(ctx context.Context, name string) (done func(), err error) {
	t.mu.Lock()
	if t.queues == nil {
		t.queues = map[string]*queue{}
	}
	q := t.queues[name]
	if q == nil {
		q = &queue{turn: make(chan struct{}, 1)}
		t.queues[name] = q
	}
	q.many++
	t.mu.Unlock()
	leave := func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		if q.many--; q.many == 0 {
			delete(t.queues, name)
		}
	}
	select {
	case q.turn <- struct{}{}:
		return func() { <-q.turn; leave() }, nil
	case <-ctx.Done():
		leave()
		return nil, ctx.Err()
	}
}
