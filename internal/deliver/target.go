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
	"strings"

	"vastspan/internal/export"
)

// Kind says how something is brought.
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

// ParseTarget reads the notation of a target.
func ParseTarget(text string) (Target, error) {
	words := strings.Fields(text)
	if len(words) < 2 || len(words) > 3 {
		return Target{}, fmt.Errorf("%q: expected folder, webhook or mail, where to, and formats: folder reports xlsx,pdf", text)
	}
	t := Target{To: Kind(words[0]), Address: words[1]}
	if len(words) == 3 {
		t.Formats = strings.Split(words[2], ",")
	}
	return t, t.Check()
}

// String writes the notation of a target.
func (t Target) String() string {
	return strings.TrimSpace(fmt.Sprintf("%s %s %s", t.To, t.Address, strings.Join(t.Formats, ",")))
}

// Check refuses a target to which nothing could ever be brought.
func (t Target) Check() error {
	for _, name := range t.Formats {
		if !slices.Contains(Formats(), name) {
			return fmt.Errorf("format %q: expected %s", name, strings.Join(Formats(), ", "))
		}
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
		if _, err := mail.ParseAddressList(t.Address); err != nil {
			return fmt.Errorf("mail %q: expected addresses, joined by commas: %w", t.Address, err)
		}
	default:
		return fmt.Errorf("%q: expected folder, webhook or mail", t.To)
	}
	return nil
}
