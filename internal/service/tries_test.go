package service

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"vastspan/internal/refused"
)

// Tries run out by address and account, come back with time, and one address does not use up another's.
func TestTriesRunOut(t *testing.T) {
	now := time.Date(2026, 10, 19, 8, 0, 0, 0, time.UTC)
	tr := newTries()
	tr.current = func() time.Time { return now }
	take := func(address, account string) int {
		n := 0
		for ; n < 1000 && tr.take(address, account, false) == nil; n++ {
			continue
		}
		return n
	}
	if n := take("a", "ines"); n != triesBoth {
		t.Errorf("%d tries of one address at one account, want %d", n, triesBoth)
	}
	err := tr.take("a", "ines", false)
	var often *TriedTooOften
	var refusal *refused.Error
	if !errors.As(err, &often) || !errors.As(err, &refusal) || refusal.Kind != refused.TooMany || !strings.Contains(err.Error(), "wait 30 s") {
		t.Errorf("one too many: %v", err)
	}
	if n := take("b", "ines"); n != triesBoth {
		t.Errorf("from elsewhere there are %d tries", n)
	}
	now = now.Add(eachBoth - time.Second)
	if err := tr.take("a", "ines", false); err == nil {
		t.Error("a try comes back too soon")
	}
	now = now.Add(time.Second)
	if n := take("a", "ines"); n != 1 {
		t.Errorf("after %v there are %d tries", eachBoth, n)
	}
	tr.forget("a", "ines")
	if n := take("a", "ines"); n != triesBoth {
		t.Errorf("after the right password there are %d tries", n)
	}
	// One address at many accounts, and many addresses at one account.
	now = now.Add(time.Hour)
	n := 0
	for ; n < 1000 && tr.take("c", fmt.Sprintf("account-%d", n), false) == nil; n++ {
		continue
	}
	if n != triesAddress {
		t.Errorf("%d tries of one address, want %d", n, triesAddress)
	}
	for n = 0; n < 1000 && tr.take(fmt.Sprintf("address-%d", n), "rosa", false) == nil; n++ {
		continue
	}
	if n != triesAccount {
		t.Errorf("%d tries at one account, want %d", n, triesAccount)
	}
	// Strangers who use up the tries at an account, or of an address, keep nobody out who has signed in from there before.
	if tr.take("home", "rosa", false) == nil || tr.take("home", "rosa", true) != nil || tr.take("c", "rosa", true) != nil {
		t.Error("who has signed in from an address before is kept out by strangers")
	}
	// What is refused takes nothing: waiting as long as is said is enough.
	for range 100 {
		if tr.take("c", "tomas", false) == nil {
			t.Fatal("a try of an address that has none left was taken")
		}
	}
	now = now.Add(eachAddress)
	if err := tr.take("c", "tomas", false); err != nil {
		t.Errorf("after %v: %v", eachAddress, err)
	}
}

// Refusals are kept in the audit up to a number; the disk is not filled by them.
func TestRefusalsAreKeptUpToANumber(t *testing.T) {
	now := time.Date(2026, 10, 19, 8, 0, 0, 0, time.UTC)
	tr := newTries()
	tr.current = func() time.Time { return now }
	kept := 0
	for range 1000 {
		if tr.notes("eve") {
			kept++
		}
	}
	if kept != manyNotes || !tr.notes("rosa") {
		t.Errorf("%d refusals of one are kept, want %d", kept, manyNotes)
	}
	now = now.Add(eachNote)
	if !tr.notes("eve") || tr.notes("eve") {
		t.Errorf("after %v there is not one more", eachNote)
	}
}

func TestTextsForTheAudit(t *testing.T) {
	for given, want := range map[string]string{
		"ines": "ines", "": "", "a\x00b\nc": "a b c", strings.Repeat("é", 40): strings.Repeat("é", 30), "\xff\xfe": "",
		strings.Repeat("x", 59) + "é": strings.Repeat("x", 59),
	} {
		if got := shortened(given); got != want {
			t.Errorf("%q is kept as %q, want %q", given, got, want)
		}
	}
	for given, want := range map[string]string{
		" Ines ": "ines", "maren@bay.example": "maren@bay.example", "o-2_3.x": "o-2_3.x",
	} {
		if got, err := checkAccount(given); got != want || err != nil {
			t.Errorf("%q is the account %q, %v", given, got, err)
		}
	}
	for _, given := range []string{"", "9", "-a", "a b", "ä", "local", "LOCAL", strings.Repeat("a", 61), "a/b", "a'--"} {
		if got, err := checkAccount(given); err == nil {
			t.Errorf("%q is the account %q", given, got)
		}
	}
	if got, err := checkGroups([]string{"quay", "board", "quay"}); fmt.Sprint(got) != "[board quay]" || err != nil {
		t.Errorf("groups %v, %v", got, err)
	}
	if _, err := checkGroups([]string{"Quay"}); err == nil {
		t.Error("a group in capitals is taken")
	}
	many := make([]string, maxGroups+1)
	for i := range many {
		many[i] = fmt.Sprintf("g%d", i)
	}
	if _, err := checkGroups(many); err == nil {
		t.Error("too many groups are taken")
	}
}
