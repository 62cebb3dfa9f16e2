package deliver

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"vastspan/internal/export"
)

var errNoChromium = errors.New("PDF is printed by Chromium, which is not installed here: apt-get install chromium-headless-shell")

// HeadlessShell is the path of the headless shell of Debian's Chromium. The script of that name in /usr/bin starts it as a
// child, which would outlive the script when that is killed.
const HeadlessShell = "/usr/lib/chromium/chromium-headless-shell"

// FindChromium returns the path of Debian's Chromium, of its headless shell if that is installed; it is
// empty if neither is.
func FindChromium() string {
	for _, program := range []string{HeadlessShell, "chromium"} {
		if path, err := exec.LookPath(program); err == nil {
			return path
		}
	}
	return ""
}

// printSeconds is how long printing may take.
const printSeconds = 60

// pdf prints the pages of a parcel.
func (m *Means) pdf(ctx context.Context, p Parcel) (data []byte, err error) {
	if m.Chromium == "" {
		return nil, errNoChromium
	}
	folder, err := os.MkdirTemp("", "vastspan-print-")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	var page bytes.Buffer
	if err := export.Page(&page, p.Document); err != nil {
		return nil, &Final{err}
	}
	in, out := filepath.Join(folder, "page.html"), filepath.Join(folder, "page.pdf")
	if err := os.WriteFile(in, page.Bytes(), 0o600); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, printSeconds*time.Second)
	defer cancel()
	args := []string{
		"--headless=new", "--disable-gpu", "--no-first-run", "--disable-extensions", "--user-data-dir=" + filepath.Join(folder, "profile"),
		"--no-pdf-header-footer", "--print-to-pdf=" + out,
	}
	if os.Geteuid() == 0 { // it does not start as root with it
		args = append(args, "--no-sandbox")
	}
	said, err := exec.CommandContext(ctx, m.Chromium, append(args, "file://"+in)...).CombinedOutput()
	if err != nil {
		lines := strings.Split(strings.TrimSpace(string(said)), "\n")
		return nil, fmt.Errorf("chromium could not print: %w: %s", err, lines[len(lines)-1])
	}
	return os.ReadFile(out)
}
