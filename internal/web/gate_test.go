package web

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// enters has a question of a caller wait until it is let in, and tells its name.
func enters(t *testing.T, g *gate, caller, name string, in chan<- string) (leave chan<- struct{}) {
	t.Helper()
	out := make(chan struct{})
	_, before := g.state()
	running, _ := g.state()
	go func() {
		done, err := g.enter(context.Background(), caller)
		if err != nil {
			in <- name + ": " + err.Error()
			return
		}
		in <- name
		<-out
		done()
	}()
	for until := time.Now().Add(10 * time.Second); ; time.Sleep(time.Millisecond) { // it is in, or it waits
		if now, waiting := g.state(); now > running || waiting > before {
			return out
		}
		if time.Now().After(until) {
			t.Fatalf("%s neither waits nor is in", name)
		}
	}
}

// One who asks a great deal waits in a line of his own: a question of another is next, however many wait before it.
func TestCallersTakeTurns(t *testing.T) {
	g := newGate(2, 2, 100, time.Minute)
	in := make(chan string, 20)
	var busy []chan<- struct{}
	for i := range 8 {
		busy = append(busy, enters(t, g, "busy", fmt.Sprintf("busy %d", i), in))
	}
	quick := enters(t, g, "quick", "quick", in)
	if a, b := <-in, <-in; a != "busy 0" || b != "busy 1" {
		t.Fatalf("first %s, %s", a, b)
	}
	close(busy[0])
	if next := <-in; next != "busy 2" { // who waited first
		t.Fatalf("then %s", next)
	}
	close(busy[1])
	if next := <-in; next != "quick" {
		t.Fatalf("then %s", next)
	}
	close(quick)
	for i := 3; i < 8; i++ {
		if next := <-in; next != fmt.Sprintf("busy %d", i) {
			t.Fatalf("then %s", next)
		}
		close(busy[i-1])
	}
	close(busy[7])
	for until := time.Now().Add(10 * time.Second); ; time.Sleep(time.Millisecond) {
		if running, waiting := g.state(); running == 0 && waiting == 0 {
			break
		}
		if time.Now().After(until) {
			t.Fatal("the gate does not empty")
		}
	}
}

// Not all places are one caller's; who would wait too long, or in too long a line, is refused; who goes away is forgotten.
func TestTheGateIsBounded(t *testing.T) {
	g := newGate(3, 2, 1, 20*time.Millisecond)
	ctx, away := context.WithCancel(context.Background())
	var leaves []func()
	for range 2 {
		leave, err := g.enter(ctx, "busy")
		if err != nil {
			t.Fatal(err)
		}
		leaves = append(leaves, leave)
	}
	if _, err := g.enter(ctx, "busy"); !errors.Is(err, errBusy) { // after its patience
		t.Errorf("%v", err)
	}
	leave, err := g.enter(ctx, "quick")
	if err != nil {
		t.Fatalf("the place of another is taken: %v", err)
	}
	leaves = append(leaves, leave)
	g.patience = time.Minute
	waits := make(chan error)
	go func() {
		_, err := g.enter(ctx, "late")
		waits <- err
	}()
	for {
		if _, waiting := g.state(); waiting == 1 {
			break
		}
		time.Sleep(time.Millisecond)
	}
	if _, err := g.enter(ctx, "late"); !errors.Is(err, errBusy) { // the line is too long
		t.Errorf("%v", err)
	}
	away()
	if err := <-waits; !errors.Is(err, context.Canceled) {
		t.Errorf("%v", err)
	}
	for _, leave := range leaves {
		leave()
		leave() // once is enough, and more does no harm
	}
	if running, waiting := g.state(); running != 0 || waiting != 0 || len(g.turns) != 0 || len(g.running) != 0 || len(g.waiting) != 0 {
		t.Errorf("%d, %d, %+v", running, waiting, g)
	}
}

// Whatever comes and goes, never more are in than may be, and all places are free at the end.
func TestTheGateHolds(t *testing.T) {
	g := newGate(4, 2, 1000, time.Minute)
	var inside, most atomic.Int64
	each := [5]atomic.Int64{}
	var all sync.WaitGroup
	for i := range 400 {
		all.Go(func() {
			rng := rand.New(rand.NewPCG(15, uint64(i)))
			caller := rng.IntN(len(each))
			ctx, stop := context.WithTimeout(context.Background(), time.Duration(rng.IntN(20))*time.Millisecond)
			defer stop()
			leave, err := g.enter(ctx, fmt.Sprint(caller))
			if err != nil {
				return
			}
			defer leave()
			if n := inside.Add(1); n > most.Load() {
				most.Store(n)
			}
			if n := each[caller].Add(1); n > 2 {
				t.Errorf("%d of one caller", n)
			}
			time.Sleep(time.Duration(rng.IntN(1000)) * time.Microsecond)
			each[caller].Add(-1)
			inside.Add(-1)
		})
	}
	all.Wait()
	if running, waiting := g.state(); running != 0 || waiting != 0 || most.Load() > 4 || len(g.turns) != 0 {
		t.Errorf("%d running, %d waiting, %d at most, %v", running, waiting, most.Load(), g.turns)
	}
}
