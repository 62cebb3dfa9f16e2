package columnstore

import (
	"context"
	"errors"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"
)

// damageInPlace changes a file that may be mapped, and returns how to put it right.
func damageInPlace(t *testing.T, rng *rand.Rand, path string) (back func()) {
	t.Helper()
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		t.Fatal(err)
	}
	at := int64(rng.IntN(len(whole)))
	switch rng.IntN(5) {
	case 0:
		err = f.Truncate(at)
	case 1:
		err = f.Truncate(int64(len(whole) + 1 + rng.IntN(5000)))
	case 2:
		_, err = f.WriteAt(make([]byte, min(len(whole)-int(at), 1+rng.IntN(300))), at)
	default:
		_, err = f.WriteAt([]byte{whole[at] ^ 1<<rng.IntN(8)}, at)
	}
	if err = errors.Join(err, f.Close()); err != nil {
		t.Fatal(err)
	}
	return func() {
		if err := errors.Join(os.Remove(path), os.WriteFile(path, whole, 0o600)); err != nil {
			t.Fatal(err)
		}
	}
}

// read asks a state everything.
func (f *State) read() (text string, err error) {
	err = f.Read(func() (err error) {
		text, err = answers(f)
		return err
	})
	return text, err
}

// Files that are damaged while they are open, whatever is done to them, are found out before an answer is given.
func TestFilesThatAreDamagedWhileOpen(t *testing.T) {
	rounds := 5000
	if testing.Short() {
		rounds = 120
	}
	folder := t.TempDir()
	written(t, folder, "open", random(24, 120, 40)...)
	want := mustAnswer(t, opened(t, folder, "open"))
	chunks, err := filepath.Glob(filepath.Join(folder, "*"+chunkSuffix))
	if err != nil || len(chunks) < 2 {
		t.Fatal(chunks, err)
	}
	rng := rand.New(rand.NewPCG(24, 5))
	found := 0
	for round := range rounds {
		f := opened(t, folder, "open")
		if rng.IntN(2) == 0 { // all of it was read before
			if text, err := f.read(); err != nil || text != want {
				t.Fatalf("round %d: %s %v", round, text, err)
			}
		}
		back := damageInPlace(t, rng, chunks[rng.IntN(len(chunks))])
		text, err := f.read()
		switch {
		case err != nil && !Broken(err) && !Faulted(err):
			t.Fatalf("round %d: %v", round, err)
		case err == nil && text != want:
			t.Fatalf("round %d: it answers\n%s\ninstead of\n%s", round, text, want)
		case err != nil:
			found++
			if _, err := f.Verify(context.Background()); !Broken(err) && err != nil {
				t.Errorf("round %d: %v", round, err)
			}
		}
		back()
	}
	if found < rounds*8/10 { // zeros may be put where zeros are
		t.Errorf("%d of %d were found", found, rounds)
	}
}

// A file that is damaged while a question runs fails that question, or changes nothing.
func TestFilesThatAreDamagedInTheMiddle(t *testing.T) {
	folder := t.TempDir()
	written(t, folder, "busy", slices.Concat(random(25, 4000)...))
	want := mustAnswer(t, opened(t, folder, "busy"))
	chunks, err := filepath.Glob(filepath.Join(folder, "*"+chunkSuffix))
	if err != nil {
		t.Fatal(err)
	}
	rng := rand.New(rand.NewPCG(24, 6))
	for range 15 {
		f := opened(t, folder, "busy")
		var asked sync.WaitGroup
		for range 3 {
			asked.Go(func() {
				for range 4 {
					text, err := f.read()
					if err == nil && text != want || err != nil && !Broken(err) && !Faulted(err) {
						t.Errorf("%s %v", text, err)
					}
				}
			})
		}
		time.Sleep(time.Duration(rng.IntN(30)) * time.Millisecond)
		back := damageInPlace(t, rng, chunks[0])
		asked.Wait()
		back()
	}
}

// What is out of bounds in a worker is the error of its question.
func TestWorkersThatFail(t *testing.T) {
	err := inTurns(context.Background(), 4, 2, func(_ context.Context, _, at int) error {
		_ = []int{}[at]
		return nil
	})
	if !Faulted(err) {
		t.Error(err)
	}
}
