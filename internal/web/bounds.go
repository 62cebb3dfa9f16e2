package web

import (
	"fmt"
	"runtime"
	"strings"
	"time"

	"vastspan/internal/service"
)

// How much is answered at a time; the rest waits in its turn.
var (
	// questionSlots are how many heavy questions are answered at a time, questionsEach how many of one caller.
	questionSlots = max(8, 4*runtime.GOMAXPROCS(0))
	questionsEach = questionSlots * 3 / 4
)

const (
	// downloadSlots are how many files of records are taken away at a time, downloadsEach how many by one caller.
	downloadSlots = 8
	downloadsEach = 4
	// uploadSlots are how many files of records are read at a time, uploadsEach how many of one caller: fewer than there are
	// connections to the database for files.
	uploadSlots = 9
	uploadsEach = 5
	// maxLine is how many questions of one caller may wait.
	maxLine = 200
	// patience is how long one waits at most.
	patience = 30 * time.Second
)

// A Bound is one of the limits of the service.
type Bound struct{ What, Bound string }

// Bounds are the limits of what is asked over HTTP, as serve --help prints them. What an operation of api/openapi.yaml needs
// beyond the usual it says itself.
func Bounds() []Bound {
	megabytes := func(n int) string { return fmt.Sprintf("%d MB", n>>20) }
	return []Bound{
		{"a body", fmt.Sprintf("%s and %d s; a file of records any length, if %d kB of it come within %d s",
			megabytes(usualBody), bodySeconds, leastBytes>>10, stallSeconds)},
		{"an answer", fmt.Sprintf("%s, %d s to make (totals, records, briefs: 300 s), %d s without being taken",
			megabytes(maxAnswer), usualSeconds, stallSeconds)},
		{"tries to sign in", service.TriesText()},
		{"a session", fmt.Sprintf("%d days, %d without use; a one-time link %d days, the first %d hours", int(service.SessionLasts.Hours()/24),
			int(service.SessionIdle.Hours()/24), int(service.LinkLasts.Hours()/24), int(service.FirstLasts.Hours()))},
		{"questions at a time", fmt.Sprintf("%d heavy ones, %d of one caller; %d of one wait, %d s at most, then 429",
			questionSlots, questionsEach, maxLine, int(patience.Seconds()))},
		{"files of records at a time", fmt.Sprintf("%d, %d of one caller, each at %s a second", downloadSlots, downloadsEach, megabytes(pace))},
		{"files of records read at a time", fmt.Sprintf("%d, %d of one caller; others wait %d s at most, then 429", uploadSlots, uploadsEach,
			int(patience.Seconds()))},
		{"a connection", fmt.Sprintf("%d s without a question", idleSeconds)},
	}
}

// BoundsText is Bounds as lines.
func BoundsText() string {
	var b strings.Builder
	for _, one := range Bounds() {
		fmt.Fprintf(&b, "  %-32s%s\n", one.What, one.Bound)
	}
	return b.String()
}
