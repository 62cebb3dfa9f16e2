// Package password hashes passwords by Argon2id, and refuses those that are easily guessed: short ones, and those that many
// people have. There are no rules about which characters they are made of.
package password

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/ccojocar/zxcvbn-go/data"
	"golang.org/x/crypto/argon2"
	"golang.org/x/text/unicode/norm"
)

// The costs of a hash: memory in KiB, passes over it and threads, as OWASP recommends them for Argon2id.
const (
	memory  = 19 * 1024
	passes  = 2
	threads = 1
	length  = 32
	salted  = 16
)

// The lengths of a password, in characters.
const (
	Shortest = 12
	Longest  = 200
)

// hashing bounds how many hashes are made at a time, and with them their memory.
var hashing = make(chan struct{}, 2)

// Hash returns the hash of a password, with its salt and its costs. It waits for those that are being made, as long as the
// context lasts.
func Hash(ctx context.Context, password string) (string, error) {
	salt := make([]byte, salted)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	sum, err := sum(ctx, password, salt, memory, passes, threads)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, passes, threads,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(sum)), nil
}

func sum(ctx context.Context, password string, salt []byte, m, t uint32, p uint8) ([]byte, error) {
	select {
	case hashing <- struct{}{}:
		defer func() { <-hashing }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	return argon2.IDKey([]byte(norm.NFKC.String(password)), salt, t, m, p, length), nil
}

// nobody is a hash that no password has; it takes as long to compare as another.
var nobody = fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, passes, threads,
	base64.RawStdEncoding.EncodeToString(make([]byte, salted)), base64.RawStdEncoding.EncodeToString(make([]byte, length)))

// Matches reports whether a password has a hash. An empty hash matches none, and takes as long.
func Matches(ctx context.Context, password, hash string) (bool, error) {
	if hash == "" {
		hash = nobody
	}
	var version int
	var m, t uint32
	var p uint8
	var rest string
	if _, err := fmt.Sscanf(hash, "$argon2id$v=%d$m=%d,t=%d,p=%d$%s", &version, &m, &t, &p, &rest); err != nil {
		return false, fmt.Errorf("a hash of a password cannot be read: %w", err)
	}
	saltText, sumText, _ := strings.Cut(rest, "$")
	salt, err := base64.RawStdEncoding.DecodeString(saltText)
	if err != nil {
		return false, err
	}
	want, err := base64.RawStdEncoding.DecodeString(sumText)
	if err != nil {
		return false, err
	}
	if utf8.RuneCountInString(password) > Longest {
		password, want = "", make([]byte, length) // none has been set
	}
	got, err := sum(ctx, password, salt, m, t, p)
	return err == nil && subtle.ConstantTimeCompare(got, want) == 1, err
}

// Check refuses a password that is too short, or easily guessed. Known are words that others try first: the names of the
// account and of the service.
func Check(password string, known ...string) error {
	switch n := utf8.RuneCountInString(password); {
	case n < Shortest:
		return fmt.Errorf("a password has at least %d characters; this one has %d", Shortest, n)
	case n > Longest:
		return fmt.Errorf("a password has at most %d characters; this one has %d", Longest, n)
	case !utf8.ValidString(password) || strings.ContainsFunc(password, unicode.IsControl):
		return fmt.Errorf("a password has no control characters")
	}
	if easy(password, known) {
		return fmt.Errorf("this password is among those that are tried first: choose one that is not made of a common password, " +
			"a name or a row of characters; several words that do not belong together are good")
	}
	return nil
}

// fewParts is of how many common passwords and names a password may be made that is refused.
const fewParts = 2

// easy reports whether a password is one of the most common ones, or made of few such words, with digits and signs between them.
func easy(password string, known []string) bool {
	text := []rune(strings.ToLower(norm.NFKC.String(password)))
	if isRow(text) || isRepeated(text) {
		return true
	}
	words := common()
	// least[i] is of how few words the first i characters are made.
	least := make([]int, len(text)+1)
	for i := range text {
		least[i+1] = fewParts + 1
		if least[i] <= fewParts && !unicode.IsLetter(text[i]) {
			least[i+1] = least[i]
		}
		for from := max(0, i+1-longestWord); from <= i; from++ {
			if word := string(text[from : i+1]); words[word] || isKnown(word, known) {
				least[i+1] = min(least[i+1], least[from]+1)
			}
		}
	}
	return least[len(text)] <= fewParts
}

func isKnown(word string, known []string) bool {
	for _, k := range known {
		if len(k) > 2 && strings.EqualFold(k, word) {
			return true
		}
	}
	return false
}

// isRow reports whether characters follow one another as in a row of the alphabet, up or down, but for few.
func isRow(text []rune) bool {
	steps := 0
	for i := 1; i < len(text); i++ {
		if d := text[i] - text[i-1]; d >= -1 && d <= 1 {
			steps++
		}
	}
	return steps >= len(text)-fewParts-1
}

// isRepeated reports whether a text is a short one again and again.
func isRepeated(text []rune) bool {
	for size := 1; size < Shortest && size <= len(text)/2; size++ {
		same := true
		for i := size; i < len(text) && same; i++ {
			same = text[i] == text[i-size]
		}
		if same {
			return true
		}
	}
	return false
}

// longestWord is the longest of the common passwords, in characters.
const longestWord = 40

// common returns the most common passwords that have become known.
var common = sync.OnceValue(func() map[string]bool {
	var list struct{ List []string }
	text, err := data.Asset("data/Passwords.json")
	if err == nil {
		err = json.Unmarshal(text, &list)
	}
	if err != nil {
		panic(fmt.Sprintf("password: the list of common passwords: %v", err)) // it is part of the program
	}
	words := make(map[string]bool, len(list.List))
	for _, word := range list.List {
		words[strings.ToLower(word)] = true
	}
	return words
})
