package password

import (
	"strings"
	"testing"
)

func TestCheck(t *testing.T) {
	for _, c := range []struct {
		password string
		wrong    string // part of what is said; empty where it is fit
	}{
		{"", "at least 12"},
		{"elevenchars", "this one has 11"},
		{"passwordpassword", "tried first"},
		{"Password123456!", "tried first"},
		{"monkeydragon12", "tried first"},
		{"qwertyuiop123", "tried first"},
		{"aaaaaaaaaaaaaaaa", "tried first"},
		{"abcdefghijklmnop", "tried first"},
		{"9876543210987", "tried first"},
		{"abcabcabcabcabc", "tried first"},
		{"ines.marrow2026", "tried first"},
		{"vastspan-2026!", "tried first"},
		{"line\nbreak in it", "control"},
		{strings.Repeat("ab4", 67), "at most 200"},
		{"tide under the old pier", ""},
		{"correct horse battery staple", ""},
		{"zwölf Möwen am Kai", ""},
		{"x7!kQ0-_plR2", ""},
	} {
		err := Check(c.password, "ines.marrow", "vastspan")
		if got := err == nil; got != (c.wrong == "") || err != nil && !strings.Contains(err.Error(), c.wrong) {
			t.Errorf("Check(%q) = %v, want %q", c.password, err, c.wrong)
		}
	}
}

func TestHash(t *testing.T) {
	ctx := t.Context()
	a, err := Hash(ctx, "tide under the old pier")
	if err != nil {
		t.Fatal(err)
	}
	b, err := Hash(ctx, "tide under the old pier")
	if err != nil {
		t.Fatal(err)
	}
	if a == b || !strings.HasPrefix(a, "$argon2id$v=19$m=19456,t=2,p=1$") {
		t.Errorf("hashes %s and %s: want two with their own salts", a, b)
	}
	for _, c := range []struct {
		password, hash string
		want           bool
	}{
		{"tide under the old pier", a, true},
		{"tide under the old pier", b, true},
		{"tide under the old pieR", a, false},
		{"", a, false},
		{"", "", false},
		{strings.Repeat("long ", 1000), a, false},
		{"Å ring that is composed", "", false},
	} {
		got, err := Matches(ctx, c.password, c.hash)
		if err != nil || got != c.want {
			t.Errorf("Matches(%.30q, %q) = %v, %v", c.password, c.hash, got, err)
		}
	}
	composed, err := Hash(ctx, "caf\u00e9 by the harbour")
	if err != nil {
		t.Fatal(err)
	}
	if ok, err := Matches(ctx, "cafe\u0301 by the harbour", composed); !ok || err != nil {
		t.Errorf("a password in decomposed characters = %v, %v; want it to match", ok, err)
	}
	if _, err := Matches(ctx, "x", "$2a$10$nothing"); err == nil {
		t.Error("a hash of another kind was read")
	}
}
