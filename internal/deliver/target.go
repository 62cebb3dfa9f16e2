// Package deliver brings what a schedule makes to people: files into a folder, a message to a webhook, a mail. It knows
// nothing of schedules; what to bring, and whether to try again, is its caller's.
package deliver

import (
	"errors"
	"fmt"
	"net/mail"
	"net/url"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"vastspan/internal/export"
)

// Kind is a way of delivery.
type Kind string

// The kinds.
const (
	Folder  Kind = "folder"
	Webhook Kind = "webhook"
	Mail    Kind = "mail"
)

// A Target is where something is brought to. Its notation is its kind, its address, and its formats joined by commas:
// folder reports xlsx,pdf.
type Target struct {
	To Kind `json:"to"`
	// Address is a folder below the one that the service delivers into, a URL, or mail addresses joined by commas.
	Address string `json:"address"`
	// Formats are those of files: a format of package export, or PDF. A webhook takes none: it gets JSON.
	Formats []string `json:"formats,omitempty"`
}

// PDF is the format of pages that are printed.
const PDF = "pdf"

// Formats lists what files may be delivered as.
func Formats() []string {
	list := []string{PDF}
	for _, f := range export.Formats {
		list = append(list, f.Name)
	}
	return list
}

// ParseTarget reads the notation of a target. An address with blanks is in double quotes.
func ParseTarget(text string) (Target, error) {
	wrong := fmt.Errorf("%q: expected folder, webhook or mail, an address, and formats: folder reports xlsx,pdf", text)
	kind, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
	t := Target{To: Kind(kind)}
	if rest = strings.TrimSpace(rest); strings.HasPrefix(rest, `"`) {
		quoted, err := strconv.QuotedPrefix(rest)
		if err != nil {
			return t, wrong
		}
		if t.Address, err = strconv.Unquote(quoted); err != nil {
			return t, wrong
		}
		rest = rest[len(quoted):]
	} else {
		t.Address, rest, _ = strings.Cut(rest, " ")
	}
	switch words := strings.Fields(rest); {
	case t.Address == "" || len(words) > 1:
		return t, wrong
	case len(words) == 1:
		t.Formats = strings.Split(words[0], ",")
	}
	return t, t.Check()
}

// String writes the notation of a target.
func (t Target) String() string {
	address := t.Address
	if strings.ContainsAny(address, " \"\\") {
		address = strconv.Quote(address)
	}
	return strings.TrimSpace(fmt.Sprintf("%s %s %s", t.To, address, strings.Join(t.Formats, ",")))
}

// Check refuses a target to which nothing could ever be brought.
func (t Target) Check() error {
	for _, name := range t.Formats {
		if !slices.Contains(Formats(), name) {
			return fmt.Errorf("format %q: expected %s", name, strings.Join(Formats(), ", "))
		}
	}
	if strings.ContainsFunc(t.Address, func(r rune) bool { return unicode.IsControl(r) || unicode.IsSpace(r) && r != ' ' }) ||
		t.Address != strings.TrimSpace(t.Address) {
		return fmt.Errorf("%s %q: an address has no line breaks, and no blanks around it", t.To, t.Address)
	}
	switch t.To {
	case Folder:
		clean := filepath.Clean(t.Address)
		if t.Address == "" || !filepath.IsLocal(clean) {
			return fmt.Errorf("folder %q: expected one below the folder that the service delivers into, such as reports", t.Address)
		}
		if len(t.Formats) == 0 {
			return errors.New("folder: expected formats, such as xlsx,pdf")
		}
	case Webhook:
		u, err := url.Parse(t.Address)
		if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.User != nil {
			return fmt.Errorf("webhook %q: expected the address of one, such as https://example.org/vast-span, without a password", t.Address)
		}
		if len(t.Formats) > 0 {
			return errors.New("a webhook gets JSON: leave the formats out")
		}
	case Mail:
		for _, one := range strings.Split(t.Address, ",") {
			if a, err := mail.ParseAddress(one); err != nil || a.Address != one {
				return fmt.Errorf("mail %q: expected addresses without names, joined by commas, such as ines@bay.example,rui@bay.example", t.Address)
			}
		}
	default:
		return fmt.Errorf("%q: expected folder, webhook or mail", t.To)
	}
	return nil
}
