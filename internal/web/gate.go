package web

import (
	"context"
	"errors"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// A gate lets so many questions in at a time, and so many of one caller; others wait in their turn. Callers who wait take turns,
// so that one who asks a great deal keeps nobody else waiting.
type gate struct {
	slots, each, queue int
	patience           time.Duration

	mu      sync.Mutex
	inside  int
	running map[string]int
	waiting map[string][]chan struct{} // closed when it is a question's turn
	turns   []string                   // the callers who wait, the next one first
	refused atomic.Int64
}

func newGate(slots, each, queue int, patience time.Duration) *gate {
	return &gate{slots: slots, each: each, queue: queue, patience: patience, running: map[string]int{}, waiting: map[string][]chan struct{}{}}
}

// errBusy is that too much is asked at a time.
var errBusy = errors.New("too much is asked at a time")

// enter waits until a question of a caller may be answered; leave has to be called when it is. Errors: errBusy where it would have to
// wait too long, and the context's.
func (g *gate) enter(ctx context.Context, caller string) (leave func(), err error) {
	g.mu.Lock()
	leave = sync.OnceFunc(func() { g.leave(caller) })
	if len(g.waiting[caller]) == 0 && g.fits(caller) {
		g.take(caller)
		g.mu.Unlock()
		return leave, nil
	}
	if len(g.waiting[caller]) >= g.queue {
		g.mu.Unlock()
		g.refused.Add(1)
		return nil, errBusy
	}
	turn := make(chan struct{})
	if len(g.waiting[caller]) == 0 {
		g.turns = append(g.turns, caller)
	}
	g.waiting[caller] = append(g.waiting[caller], turn)
	g.mu.Unlock()

	timer := time.NewTimer(g.patience)
	defer timer.Stop()
	select {
	case <-turn:
		return leave, nil
	case <-ctx.Done():
		err = ctx.Err()
	case <-timer.C:
		err = errBusy
	}
	if !g.forget(caller, turn) { // it was its turn just now
		leave()
	}
	if errors.Is(err, errBusy) {
		g.refused.Add(1)
	}
	return nil, err
}

// fits reports whether one more question of a caller may be answered. g.mu is held, as in all that follows.
func (g *gate) fits(caller string) bool { return g.inside < g.slots && g.running[caller] < g.each }

func (g *gate) take(caller string) {
	g.inside++
	g.running[caller]++
}

func (g *gate) leave(caller string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.inside--
	if g.running[caller]--; g.running[caller] == 0 {
		delete(g.running, caller)
	}
	g.admit()
}

// admit lets in who waits, caller by caller.
func (g *gate) admit() {
	for {
		at := slices.IndexFunc(g.turns, g.fits)
		if at < 0 {
			return
		}
		caller := g.turns[at]
		g.turns = slices.Delete(g.turns, at, at+1)
		turn := g.waiting[caller][0]
		g.take(caller)
		if g.waiting[caller] = g.waiting[caller][1:]; len(g.waiting[caller]) > 0 {
			g.turns = append(g.turns, caller)
		} else {
			delete(g.waiting, caller)
		}
		close(turn)
	}
}

// forget takes a question out of those that wait; false where it waits no more.
func (g *gate) forget(caller string, turn chan struct{}) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	at := slices.Index(g.waiting[caller], turn)
	if at < 0 {
		return false
	}
	g.waiting[caller] = slices.Delete(g.waiting[caller], at, at+1)
	if len(g.waiting[caller]) == 0 {
		delete(g.waiting, caller)
		g.turns = slices.DeleteFunc(g.turns, func(c string) bool { return c == caller })
	}
	return true
}

// state is how many questions are being answered, and how many wait.
func (g *gate) state() (running, waiting int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, list := range g.waiting {
		waiting += len(list)
	}
	return g.inside, waiting
}
