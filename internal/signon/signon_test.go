package signon

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"vastspan/internal/access"
)

func TestDefinitionsAreChecked(t *testing.T) {
	good := func(change func(*Definition)) Definition {
		d := Definition{Issuer: "https://identity.bay.example", ClientID: "vastspan", Roles: map[string]access.Role{"bi": access.Analyst}}
		change(&d)
		return d
	}
	for want, d := range map[string]Definition{
		"":                         good(func(*Definition) {}),
		"issuer":                   good(func(d *Definition) { d.Issuer = "" }),
		"address with https":       good(func(d *Definition) { d.Issuer = "http://identity.bay.example" }),
		"client_id":                good(func(d *Definition) { d.ClientID = "" }),
		"which groups have which":  good(func(d *Definition) { d.Roles = nil }),
		`"root" is not a role`:     good(func(d *Definition) { d.Roles = map[string]access.Role{"bi": "root"} }),
		"group Harbour":            good(func(d *Definition) { d.Groups = map[string]string{"Harbour": "Not A Name"} }),
		"not both":                 good(func(d *Definition) { d.SecretFile, d.SecretVariable = "a", "b" }),
		"cannot be read":           good(func(d *Definition) { d.SecretFile = filepath.Join(t.TempDir(), "nothing") }),
		"NO_SUCH_SECRET is not se": good(func(d *Definition) { d.SecretVariable = "NO_SUCH_SECRET" }),
	} {
		_, err := Configure(d, "https://reports.bay.example/back")
		if (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v, want %q", d, err, want)
		}
	}
	file := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(file, []byte("  kept \n"), 0o600); err != nil {
		t.Fatal(err)
	}
	p, err := Configure(good(func(d *Definition) { d.SecretFile = file }), "x")
	if err != nil || p.secret != "kept" || p.Name() != "identity.bay.example" {
		t.Errorf("secret %q of %q, %v", p.secret, p.Name(), err)
	}
}

func TestIdentitiesAreRead(t *testing.T) {
	p, err := Configure(Definition{
		Issuer: "http://127.0.0.1:1", ClientID: "x", NameClaim: "email", GroupsClaim: "realm",
		Roles:  map[string]access.Role{"Readers": access.Reader, "BI": access.Analyst, "Ops": access.Administrator},
		Groups: map[string]string{"BI": "reporting"},
	}, "x")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		claims map[string]any
		want   string
	}{
		{map[string]any{"email": "a@b.example", "realm": []any{"Readers", "BI"}}, "a@b.example analyst [reporting]"},
		{map[string]any{"email": "a", "realm": []any{"BI", "Readers", "quay", 7, "No Name"}}, "a analyst [reporting quay]"},
		{map[string]any{"email": "a", "realm": "Ops"}, "a administrator []"},
		{map[string]any{"email": "a", "realm": []any{"others"}}, "a  [others]"},
		{map[string]any{"email": "a"}, "a  []"},
		{map[string]any{"email": "a", "realm": map[string]any{"BI": true}}, "a  []"},
		{map[string]any{"realm": "BI"}, "error"},
		{map[string]any{"email": 7, "realm": "BI"}, "error"},
		{map[string]any{"email": "", "realm": "BI"}, "error"},
	} {
		got := "error"
		if who, err := p.identity("iss", "sub", c.claims); err == nil {
			got = fmt.Sprintf("%s %s %v", who.Name, who.Role, who.Groups)
			if who.Subject != "iss sub" {
				t.Errorf("the subject is %q", who.Subject)
			}
		}
		if got != c.want {
			t.Errorf("%v: %s, want %s", c.claims, got, c.want)
		}
	}
}
