package service

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"vastspan/core/book"
	"vastspan/internal/access"
)

// linesOf returns the entries of a file, which have to be whole lines of JSON.
func linesOf(t *testing.T, text string) []auditLine {
	t.Helper()
	var list []auditLine
	for line := range strings.Lines(text) {
		var l auditLine
		if err := json.Unmarshal([]byte(line), &l); err != nil {
			t.Fatalf("%v: %s", err, line)
		}
		list = append(list, l)
	}
	return list
}

// The audit is written away in its order and each entry once, whoever writes at the same time and whatever breaks in between.
func TestTheAuditIsWrittenAway(t *testing.T) {
	s := openAlone(t)
	path := filepath.Join(t.TempDir(), "audit.jsonl")
	change := func(from, through int) {
		t.Helper()
		var many sync.WaitGroup
		for worker := range 4 {
			many.Go(func() {
				ctx := access.With(context.Background(), access.Caller{Name: fmt.Sprintf("w%d", worker), Role: access.Analyst, Account: 9, Session: 7, Address: "a"})
				for i := from; i < through; i++ {
					if _, err := s.Spans.Put(ctx, book.Span{Name: fmt.Sprintf("s%d-%d", worker, i), Is: "today"}, 0, access.Author(ctx), ""); err != nil {
						t.Error(err)
					}
				}
			})
		}
		many.Wait()
	}
	write := func() *AuditFile {
		t.Helper()
		f, err := OpenAuditFile(path)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	f := write()
	ctx, stop := context.WithCancel(t.Context())
	var keeping sync.WaitGroup
	keeping.Go(func() { s.Audit.Keep(ctx, f) })
	change(0, 20)
	stop() // what is there by then is written before it ends
	keeping.Wait()
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	change(20, 25) // while nothing writes it away
	text, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(linesOf(t, string(text))); n != 80 {
		t.Errorf("%d entries of 80 are written", n)
	}
	if err := os.WriteFile(path, text[:len(text)-20], 0o600); err != nil { // the last line was cut off
		t.Fatal(err)
	}
	f = write()
	if err := s.Audit.write(t.Context(), f); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	if text, err = os.ReadFile(path); err != nil {
		t.Fatal(err)
	}
	list := linesOf(t, string(text))
	seen := map[string]bool{}
	for i, l := range list {
		if i > 0 && l.ID != list[i-1].ID+1 {
			t.Errorf("after entry %d comes %d", list[i-1].ID, l.ID)
		}
		if seen[l.Name] || l.Action != "created" || l.Kind != "span" || l.Account != "w"+l.Name[1:2] || l.Means != "session" || l.Address != "a" {
			t.Errorf("entry %+v", l)
		}
		seen[l.Name] = true
	}
	if len(list) != 100 {
		t.Errorf("%d entries of 100 are written", len(list))
	}
	// A file of something else is left alone, and standard error has what is new.
	for _, other := range []string{"day,amount\n2026-01-01,1\n", "{}\n", "no line at all"} {
		wrong := filepath.Join(t.TempDir(), "other")
		if err := os.WriteFile(wrong, []byte(other), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := OpenAuditFile(wrong); err == nil || !strings.Contains(err.Error(), "is not an audit") {
			t.Errorf("%q: %v", other, err)
		}
	}
	var out bytes.Buffer
	to, err := s.Audit.AuditTo(t.Context(), &out)
	if err != nil {
		t.Fatal(err)
	}
	change(25, 26)
	if err := s.Audit.write(t.Context(), to); err != nil || len(linesOf(t, out.String())) != 4 {
		t.Errorf("%v: %s", err, out.String())
	}
	if _, err := OpenAuditFile(filepath.Join(t.TempDir(), "no", "folder")); err == nil {
		t.Error("a file in no folder was opened")
	}
}

// A definition of which nobody may remove what another made, and work of the service itself needs no caller.
func TestWhoMayRemove(t *testing.T) {
	s := openAlone(t)
	as := func(name string, role access.Role) context.Context {
		return access.With(context.Background(), access.Caller{Name: name, Role: role, Account: 1})
	}
	for _, c := range []struct {
		by   context.Context
		want string
	}{
		{as("tomas", access.Analyst), ""}, {as("rosa", access.Analyst), "is tomas's"}, {as("ines", access.Administrator), ""},
		{context.Background(), ""},
	} {
		if _, err := s.Spans.Put(as("tomas", access.Analyst), book.Span{Name: "his", Is: "today"}, 0, "tomas", ""); err != nil {
			t.Fatal(err)
		}
		err := s.Spans.Remove(c.by, "his", AnyVersion, "x")
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s removes it: %v, want %q", access.Author(c.by), err, c.want)
		}
		if err != nil {
			if err := s.Spans.Remove(context.Background(), "his", AnyVersion, "x"); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := s.Permit(as("ines", access.Administrator), "no such operation"); err == nil {
		t.Error("what is in no list of roles is permitted")
	}
}
