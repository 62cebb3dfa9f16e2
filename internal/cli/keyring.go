package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"

	"github.com/goccy/go-yaml"

	"vastspan/api/client"
)

// A keyring is the file of the keys that this person signs in with, one for each address of a service.
type keyring struct {
	path string
	Keys map[string]keptKey `yaml:"keys"`
}

// A keptKey is a key, with its number by which it is revoked.
type keptKey struct {
	ID     int64  `yaml:"id"`
	Name   string `yaml:"name"`
	Secret string `yaml:"secret"`
}

// openKeyring reads the keys that are kept; none where there is no file. One that others may read is refused.
func openKeyring() (*keyring, error) {
	folder, err := os.UserConfigDir()
	if err != nil {
		return &keyring{Keys: map[string]keptKey{}}, nil // without a home there is no place for keys
	}
	k := &keyring{path: filepath.Join(folder, "vastspan", "keys.yaml"), Keys: map[string]keptKey{}}
	info, err := os.Stat(k.path)
	if errors.Is(err, fs.ErrNotExist) {
		return k, nil
	}
	if err != nil {
		return nil, err
	}
	if info.Mode().Perm()&0o077 != 0 {
		return nil, fmt.Errorf("others can read %s, which holds keys: chmod 600 it, or sign in again", k.path)
	}
	text, err := os.ReadFile(k.path)
	if err != nil {
		return nil, err
	}
	if err := yaml.UnmarshalWithOptions(text, k, yaml.Strict()); err != nil {
		return nil, fmt.Errorf("%s: %s", k.path, yaml.FormatError(err, false, false))
	}
	if k.Keys == nil {
		k.Keys = map[string]keptKey{}
	}
	return k, nil
}

// save writes the keys, for their owner alone.
func (k *keyring) save() error {
	if k.path == "" {
		return errors.New("there is no folder for settings in which a key could be kept: set HOME, or VASTSPAN_KEY")
	}
	text, err := yaml.Marshal(k)
	if err == nil {
		err = os.MkdirAll(filepath.Dir(k.path), 0o700)
	}
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(k.path), "keys-*") // for its owner alone
	if err != nil {
		return err
	}
	defer func() { _ = os.Remove(f.Name()) }() // it is gone where it was given its name
	_, err = f.Write(text)
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	return os.Rename(f.Name(), k.path)
}

// keyFor returns the key to call a service with: $VASTSPAN_KEY, else the one that is kept for its address; empty for none.
func keyFor(server string) (string, error) {
	if key := os.Getenv("VASTSPAN_KEY"); key != "" {
		return key, nil
	}
	kept, err := openKeyring()
	if err != nil {
		return "", err
	}
	return kept.Keys[server].Secret, nil
}

// shownKey has requests send the key of a service, which is not sent where others could read it on the way.
func shownKey(server string) (client.RequestEditor, error) {
	key, err := keyFor(server)
	if err != nil || key == "" {
		return nil, err
	}
	if err := checkSecret(server); err != nil {
		return nil, err
	}
	return sendKey(key), nil
}

// sendKey has requests send a key.
func sendKey(key string) client.RequestEditor {
	return func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+key)
		return nil
	}
}

// checkSecret refuses to send a secret over a connection that others can read.
func checkSecret(server string) error {
	u, err := url.Parse(server)
	if err != nil || u.Scheme == "https" {
		return err
	}
	if ip := net.ParseIP(u.Hostname()); u.Hostname() == "localhost" || ip != nil && ip.IsLoopback() {
		return nil
	}
	return fmt.Errorf("no key or password is sent to %s, where others can read it on the way: expected https", server)
}
