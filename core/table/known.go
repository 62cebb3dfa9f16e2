package table

import (
	"fmt"
	"strings"
	"time"
)

// A Known says by which state of a dataset's records an answer was made, where that is not the newest one (semantics §13).
type Known struct {
	Dataset string `json:"dataset"`
	// After is the last change that the records are known by, Later the changes after it, the oldest first, at most MostLater of
	// LaterChanges.
	After        RecordChange   `json:"after"`
	Later        []RecordChange `json:"later"`
	LaterChanges int            `json:"later_changes"`
}

// MostLater is how many later changes are listed.
const MostLater = 20

// A RecordChange is one change of a dataset's records. At is in the zone of the service.
type RecordChange struct {
	Number int64     `json:"number"`
	What   string    `json:"what"` // such as load 12 (september.csv)
	Load   int64     `json:"load,omitempty"`
	Author string    `json:"author,omitempty"`
	At     time.Time `json:"at"`
}

// String says what the change was and when.
func (c *RecordChange) String() string { return c.What + " of " + c.At.Format("2006-01-02 15:04") }

// Short says by what a dataset is known.
func (k *Known) Short() string { return "as known after " + k.After.String() }

// Text says by what a dataset is known, and what is left out.
func (k *Known) Text() string {
	text := k.Dataset + " " + k.Short()
	switch k.LaterChanges {
	case 0:
		return text + "; nothing has changed since"
	case 1:
		text += "; 1 later change is left out: "
	default:
		text += fmt.Sprintf("; %d later changes are left out: ", k.LaterChanges)
	}
	list := make([]string, len(k.Later))
	for i := range k.Later {
		list[i] = k.Later[i].String()
	}
	text += strings.Join(list, ", ")
	if more := k.LaterChanges - len(k.Later); more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text
}

// Note says it as a note.
func (k *Known) Note() Note { return Note{Code: AsKnown, Level: Caution, Text: k.Text()} }
