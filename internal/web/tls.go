package web

import (
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"
)

// A certificate is read from two files, and read again when they have changed.
type certificate struct {
	file, key string

	mu      sync.Mutex
	have    *tls.Certificate
	changed [2]time.Time // when the files were, that it is from
}

// Certificate returns what is needed to answer over TLS by the certificate in a file and its key in another. Where they change, the new
// ones are taken; those that cannot be read are told in the log, and the ones before are kept.
func Certificate(file, key string) (*tls.Config, error) {
	c := &certificate{file: file, key: key}
	if _, err := c.current(); err != nil {
		return nil, fmt.Errorf("the certificate cannot be read: %w", err)
	}
	return &tls.Config{
		MinVersion:     tls.VersionTLS12,
		GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return c.current() },
	}, nil
}

func (c *certificate) current() (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	changed, err := c.when()
	if err == nil && (c.have == nil || changed != c.changed) {
		var read tls.Certificate
		if read, err = tls.LoadX509KeyPair(c.file, c.key); err == nil {
			if c.have != nil {
				slog.Info("the certificate was read again", "file", c.file)
			}
			c.have, c.changed = &read, changed
		}
	}
	if err != nil && c.have != nil {
		if changed != c.changed {
			slog.Error("the certificate cannot be read again: the one before is kept", "error", err)
			c.changed = changed // it is told once
		}
		return c.have, nil
	}
	return c.have, err
}

func (c *certificate) when() (changed [2]time.Time, err error) {
	for i, path := range []string{c.file, c.key} {
		info, wrong := os.Stat(path)
		if err = errors.Join(err, wrong); wrong == nil {
			changed[i] = info.ModTime()
		}
	}
	return changed, err
}
