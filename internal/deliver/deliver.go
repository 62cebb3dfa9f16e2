package deliver

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptrace"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	gomail "github.com/wneessen/go-mail"

	"vastspan/core/table"
	"vastspan/internal/export"
)

// Means are what the service delivers by. What is not set cannot be delivered by.
type Means struct {
	// Into is the folder below which files are written.
	Into string
	// Secret is what messages to webhooks are signed with.
	Secret []byte
	// Hosts are those that webhooks may be at; none is any host that is on the public network.
	Hosts []string
	Mail  *MailServer
	// Chromium prints PDF; empty where it is not installed.
	Chromium string
}

// A MailServer is where mail is handed in (SMTP).
type MailServer struct {
	Host     string
	Port     int
	From     string
	User     string // empty for none
	Password string
	// Plain says that the connection need not be encrypted: to a server on this machine.
	Plain bool
}

// A Parcel is what is delivered.
type Parcel struct {
	// Key is the same whenever the parcel is sent again: who gets it twice knows by it.
	Key      string
	Title    string
	Document *table.Document
	Message  []byte // for a webhook, JSON
}

// Final is an error after which another try is of no use.
type Final struct{ Err error }

func (e *Final) Error() string { return e.Err.Error() }
func (e *Final) Unwrap() error { return e.Err }

// Uncertain is an error after which the parcel may have arrived: sending it again might bring it twice.
type Uncertain struct{ Err error }

func (e *Uncertain) Error() string { return e.Err.Error() }
func (e *Uncertain) Unwrap() error { return e.Err }

// Check says why nothing can be brought to a target here; nil where it can.
func (m *Means) Check(t Target) error {
	if err := errors.Join(t.Check(), m.Has(t.To)); err != nil {
		return err
	}
	if t.To == Webhook {
		if err := m.checkHost(t.Address); err != nil {
			return err
		}
	}
	for _, f := range t.Formats {
		if f == PDF && m.Chromium == "" {
			return errNoChromium
		}
	}
	return nil
}

// Has says why nothing can be delivered by a kind; nil where it can.
func (m *Means) Has(k Kind) error {
	switch {
	case k == Folder && m.Into == "":
		return errors.New("the service delivers into no folder: start it with --deliver-into FOLDER")
	case k == Webhook && len(m.Secret) == 0:
		return errors.New("the service has no secret to sign messages with: start it with --webhook-secret-file FILE")
	case k == Mail && m.Mail == nil:
		return errors.New("the service has no mail server: start it with --mail-server HOST:PORT and --mail-from ADDRESS")
	}
	return nil
}

// Formats lists the formats of files that can be made here.
func (m *Means) Formats() []string {
	list := Formats()
	if m.Chromium == "" {
		return list[1:]
	}
	return list
}

// Deliver brings a parcel to a target. An error is a *Final, an *Uncertain, or one after which it may be tried again.
func (m *Means) Deliver(ctx context.Context, t Target, p Parcel) error {
	if err := m.Check(t); err != nil {
		return err // what is missing may be there later
	}
	switch t.To {
	case Folder:
		return m.writeFiles(ctx, t, p)
	case Webhook:
		return m.post(ctx, t, p)
	}
	return m.mail(ctx, t, p)
}

// A file of a parcel.
type file struct {
	name, kind string
	data       []byte
}

// files makes the files of a parcel.
func (m *Means) files(ctx context.Context, t Target, p Parcel) ([]file, error) {
	var list []file
	for _, name := range t.Formats {
		if name == PDF {
			data, err := m.pdf(ctx, p)
			if err != nil {
				return nil, err
			}
			list = append(list, file{p.Document.Name + ".pdf", "application/pdf", data})
			continue
		}
		f, _ := export.Lookup(name) // the target was checked
		var b bytes.Buffer
		if err := f.Write(&b, p.Document, true); err != nil {
			return nil, &Final{err}
		}
		list = append(list, file{p.Document.Name + f.Ending(), f.Type, b.Bytes()})
	}
	return list, nil
}

// writeFiles writes files, each whole or not at all. Existing ones are replaced: they have the same content.
func (m *Means) writeFiles(ctx context.Context, t Target, p Parcel) error {
	files, err := m.files(ctx, t, p)
	if err != nil {
		return err
	}
	root, err := os.OpenRoot(m.Into) // links do not lead out of it
	if err != nil {
		return err
	}
	defer root.Close()
	if err := root.MkdirAll(filepath.Clean(t.Address), 0o755); err != nil {
		return err
	}
	for _, f := range files {
		if err := writeWhole(root, filepath.Join(t.Address, f.name), f.data); err != nil {
			return err
		}
	}
	return nil
}

func writeWhole(root *os.Root, name string, data []byte) error {
	temporary := filepath.Join(filepath.Dir(name), "."+filepath.Base(name)+"."+rand.Text())
	f, err := root.OpenFile(temporary, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	err = errors.Join(err, f.Chmod(0o644), f.Sync(), f.Close())
	if err == nil {
		err = root.Rename(temporary, name)
	}
	if err != nil {
		return errors.Join(err, root.Remove(temporary))
	}
	return nil
}

// The headers of a message to a webhook. The signature is the HMAC by SHA-256 of the time, a point and the body, in hex.
const (
	TimeHeader      = "Vast-Span-Time" // seconds since 1970
	SignatureHeader = "Vast-Span-Signature"
	keyHeader       = "Idempotency-Key"
)

// Sign returns the signature of a message.
func Sign(secret []byte, at string, body []byte) string {
	h := hmac.New(sha256.New, secret)
	h.Write([]byte(at + "."))
	h.Write(body)
	return hex.EncodeToString(h.Sum(nil))
}

// answerSeconds is how long a webhook or a mail server may take.
const answerSeconds = 30

// post sends a message to a webhook. Once all of it has gone out, only an answer reports whether it has arrived.
func (m *Means) post(ctx context.Context, t Target, p Parcel) error {
	var sent atomic.Bool
	ctx = httptrace.WithClientTrace(ctx, &httptrace.ClientTrace{WroteRequest: func(w httptrace.WroteRequestInfo) { sent.Store(w.Err == nil) }})
	q, err := http.NewRequestWithContext(ctx, http.MethodPost, t.Address, bytes.NewReader(p.Message))
	if err != nil {
		return &Final{err}
	}
	q.GetBody = nil // it is sent once, or the caller tries again
	at := strconv.FormatInt(time.Now().Unix(), 10)
	q.Header.Set("Content-Type", "application/json")
	q.Header.Set(keyHeader, p.Key)
	q.Header.Set(TimeHeader, at)
	q.Header.Set(SignatureHeader, Sign(m.Secret, at, p.Message))
	r, err := m.webhooks().Do(q)
	if err != nil {
		if sent.Load() {
			return &Uncertain{fmt.Errorf("the webhook was sent the message and has not answered: %w", err)}
		}
		return err
	}
	defer r.Body.Close()
	if text, _ := io.ReadAll(io.LimitReader(r.Body, 500)); r.StatusCode >= 300 { // for who runs the service, and nobody else
		slog.Warn("a webhook refused a message", "status", r.Status, "answer", strings.ToValidUTF8(string(text), ""))
	}
	err = fmt.Errorf("the webhook answered %s; the log of the service has its text", r.Status)
	switch {
	case r.StatusCode < 300:
		return nil
	case r.StatusCode >= 500 || r.StatusCode == http.StatusTooManyRequests || r.StatusCode == http.StatusRequestTimeout:
		return err
	}
	return &Final{err}
}

// mail sends a mail with the files.
func (m *Means) mail(ctx context.Context, t Target, p Parcel) error {
	files, err := m.files(ctx, t, p)
	if err != nil {
		return err
	}
	message := gomail.NewMsg()
	if err := errors.Join(message.From(m.Mail.From), message.To(strings.Split(t.Address, ",")...)); err != nil {
		return &Final{err}
	}
	message.Subject(p.Title)
	message.SetGenHeader("Vast-Span-Key", p.Key)
	message.SetMessageIDWithValue(p.Key + "@vast-span")
	var text, page bytes.Buffer
	if err := export.Markdown.Write(&text, p.Document, false); err != nil {
		return &Final{err}
	}
	if err := export.Page(&page, p.Document); err != nil {
		return &Final{err}
	}
	message.SetBodyString(gomail.TypeTextPlain, text.String())
	message.AddAlternativeString(gomail.TypeTextHTML, page.String())
	for _, f := range files {
		if err := message.AttachReader(f.name, bytes.NewReader(f.data), gomail.WithFileContentType(gomail.ContentType(f.kind))); err != nil {
			return &Final{err}
		}
	}
	options := []gomail.Option{gomail.WithPort(m.Mail.Port), gomail.WithTimeout(answerSeconds * time.Second)}
	if m.Mail.Plain {
		options = append(options, gomail.WithTLSPolicy(gomail.TLSOpportunistic))
	}
	if m.Mail.User != "" {
		options = append(options, gomail.WithSMTPAuth(gomail.SMTPAuthAutoDiscover), gomail.WithUsername(m.Mail.User),
			gomail.WithPassword(m.Mail.Password))
	}
	client, err := gomail.NewClient(m.Mail.Host, options...)
	if err != nil {
		return &Final{err}
	}
	return sendError(client.DialAndSendWithContext(ctx, message), message)
}

// sendError says what an error of sending mail means.
func sendError(err error, message *gomail.Msg) error {
	var failed *gomail.SendError
	switch {
	case err == nil:
		return nil
	case message.IsDelivered(): // the server has taken it, and only the end of the talk went wrong
		return nil
	case errors.As(err, &failed) && !failed.IsTemp() &&
		(failed.Reason == gomail.ErrSMTPMailFrom || failed.Reason == gomail.ErrSMTPRcptTo):
		return &Final{err}
	case errors.As(err, &failed) && failed.Reason == gomail.ErrSMTPDataClose && !failed.IsTemp():
		return &Uncertain{err}
	}
	return err
}
