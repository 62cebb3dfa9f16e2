package cli

import (
	"bytes"
	"errors"
	"fmt"
	"net"
	"net/mail"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/internal/deliver"
)

// delivering holds the flags of serve that say what receipts of schedules are delivered by. Secrets are in files, never on
// the command line, where others can read them.
type delivering struct {
	into, secretFile                     string
	mailServer, mailFrom, user, password string
	hosts                                []string
}

func (f *delivering) add(c *cobra.Command) {
	flags := c.Flags()
	flags.StringVar(&f.into, "deliver-into", "", "folder below which schedules may write the files of their receipts")
	flags.StringVar(&f.secretFile, "webhook-secret-file", "",
		"file with the secret that messages to webhooks are signed with (HMAC by SHA-256)")
	flags.StringSliceVar(&f.hosts, "webhook-hosts", nil,
		"hosts that webhooks may be at; without, any on the public network. Hosts of this machine and of private networks have to be named")
	flags.StringVar(&f.mailServer, "mail-server", "", "mail server (SMTP) that receipts are mailed by, such as mail.example:587")
	flags.StringVar(&f.mailFrom, "mail-from", "", "address that receipts are mailed from")
	flags.StringVar(&f.user, "mail-user", "", "account at the mail server, where it asks for one")
	flags.StringVar(&f.password, "mail-password-file", "", "file with the password of that account")
	_ = c.MarkFlagDirname("deliver-into")
}

// minSecret is how short a secret may be, in bytes.
const minSecret = 16

// means puts the flags together.
func (f *delivering) means() (deliver.Means, error) {
	m := deliver.Means{Chromium: deliver.FindChromium()}
	for _, host := range f.hosts {
		m.Hosts = append(m.Hosts, strings.ToLower(strings.TrimSpace(host)))
	}
	var err error
	if f.into != "" {
		if m.Into, err = filepath.Abs(f.into); err != nil {
			return m, err
		}
		if err := os.MkdirAll(m.Into, 0o755); err != nil {
			return m, fmt.Errorf("--deliver-into: %w", err)
		}
	}
	if f.secretFile != "" {
		if m.Secret, err = readSecret(f.secretFile); err != nil {
			return m, fmt.Errorf("--webhook-secret-file: %w", err)
		}
		if len(m.Secret) < minSecret {
			return m, usagef("--webhook-secret-file: the secret has %d bytes; at least %d", len(m.Secret), minSecret)
		}
	}
	if f.mailServer == "" {
		return m, nil
	}
	host, portText, err := net.SplitHostPort(f.mailServer)
	if err != nil {
		return m, usagef("--mail-server %s: expected HOST:PORT, such as mail.example:587", f.mailServer)
	}
	port, err := strconv.Atoi(portText)
	if err != nil {
		return m, usagef("--mail-server %s: expected HOST:PORT, such as mail.example:587", f.mailServer)
	}
	if _, err := mail.ParseAddress(f.mailFrom); err != nil {
		return m, usagef("--mail-from %q: expected the address that receipts are mailed from", f.mailFrom)
	}
	ip := net.ParseIP(host)
	m.Mail = &deliver.MailServer{
		Host: host, Port: port, From: f.mailFrom, User: f.user, Plain: host == "localhost" || ip != nil && ip.IsLoopback(),
	}
	if f.user != "" {
		if f.password == "" {
			return m, usagef("--mail-user: expected --mail-password-file, too")
		}
		secret, err := readSecret(f.password)
		if err != nil {
			return m, fmt.Errorf("--mail-password-file: %w", err)
		}
		m.Mail.Password = string(secret)
	}
	return m, nil
}

// readSecret reads a secret from a file; the line's end is none of it.
func readSecret(file string) ([]byte, error) {
	data, err := os.ReadFile(file)
	if err == nil && len(bytes.TrimSpace(data)) == 0 {
		err = errors.New(file + " is empty")
	}
	return bytes.TrimRight(data, "\r\n"), err
}
