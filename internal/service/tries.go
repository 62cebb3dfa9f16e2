package service

import (
	"fmt"
	"math"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"

	"vastspan/internal/refused"
)

// How many tries to sign in there may be at once, and how far apart they are from then on: of one address at one account, at
// one account wherever they come from, and of one address whatever the account.
const (
	triesBoth, eachBoth       = 6, 30 * time.Second
	triesAccount, eachAccount = 50, 10 * time.Second
	triesAddress, eachAddress = 40, 10 * time.Second
)

// TriesText says how often somebody may try to sign in.
func TriesText() string {
	return fmt.Sprintf("%d of one address at one account, then one in %s; %d at one account and %d of one address, then one in %s",
		triesBoth, seconds(eachBoth), triesAccount, triesAddress, seconds(eachAccount))
}

// keptTries is of how many addresses and accounts tries are counted: those that were seen last.
const keptTries = 20_000

// tries bounds how often somebody may try to sign in. What is counted does not depend on whether there is such an account.
type tries struct {
	mu      sync.Mutex
	seen    *lru.Cache[string, *rate.Limiter]
	current func() time.Time
}

func newTries() *tries {
	seen, err := lru.New[string, *rate.Limiter](keptTries)
	if err != nil {
		panic(err) // its size is positive
	}
	return &tries{seen: seen, current: time.Now}
}

// take counts a try, and refuses one too many. Where the account has signed in from the address before, only the tries of the
// address at the account count: strangers do not lock anybody out.
func (t *tries) take(address, account string, before bool) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	now := t.current()
	var wait time.Duration
	var taken []*rate.Reservation
	type share struct {
		key  string
		many int
		each time.Duration
	}
	shares := []share{
		{both(address, account), triesBoth, eachBoth}, {"account " + account, triesAccount, eachAccount},
		{"address " + address, triesAddress, eachAddress},
	}
	if before {
		shares = shares[:1]
	}
	for _, c := range shares {
		r := t.limiter(c.key, c.many, c.each).ReserveN(now, 1)
		taken = append(taken, r)
		wait = max(wait, r.DelayFrom(now))
	}
	if wait == 0 {
		return nil
	}
	for _, r := range taken {
		r.CancelAt(now)
	}
	return &TriedTooOften{Wait: wait}
}

// forget takes back what was counted of an address at an account: the right password was given.
func (t *tries) forget(address, account string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.seen.Remove(both(address, account))
}

// How many refusals of one caller are kept in the audit at once, and how far apart they are from then on.
const (
	manyNotes, eachNote = 60, 10 * time.Second
)

// notes reports whether another refusal of a caller is kept.
func (t *tries) notes(caller string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.limiter("notes of "+caller, manyNotes, eachNote).AllowN(t.current(), 1)
}

// limiter returns that of a key, which is made where there is none. t.mu is held.
func (t *tries) limiter(key string, many int, each time.Duration) *rate.Limiter {
	l, ok := t.seen.Get(key)
	if !ok {
		l = rate.NewLimiter(rate.Every(each), many)
		t.seen.Add(key, l)
	}
	return l
}

func both(address, account string) string { return address + " at " + account }

// TriedTooOften is the refusal of a try to sign in that comes too soon.
type TriedTooOften struct{ Wait time.Duration }

func (e *TriedTooOften) Error() string {
	return "too many tries to sign in: wait " + seconds(e.Wait) + ", then try again"
}

// Unwrap returns it as a refusal.
func (e *TriedTooOften) Unwrap() error {
	return &refused.Error{Kind: refused.TooMany, Code: refused.CodeTooMany, Err: errTooOften(e.Error())}
}

type errTooOften string

func (e errTooOften) Error() string { return string(e) }

func seconds(d time.Duration) string { return itoa(int(math.Ceil(d.Seconds()))) + " s" }
