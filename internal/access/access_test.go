package access

import (
	"context"
	"errors"
	"strings"
	"testing"

	"vastspan/internal/refused"
)

func TestRolesCoverOneAnother(t *testing.T) {
	order := []Role{Nobody, Reader, Analyst, Administrator}
	for i, a := range order {
		for j, b := range order {
			if got := a.Covers(b); got != (i >= j) {
				t.Errorf("%q covers %q: %v", a, b, got)
			}
			if got := Lesser(a, b); got != order[min(i, j)] {
				t.Errorf("the lesser of %q and %q is %q", a, b, got)
			}
		}
	}
	for _, text := range []string{"", "Reader", "root", "administrators"} {
		if role, err := ParseRole(text); err == nil {
			t.Errorf("%q is read as %q", text, role)
		}
	}
	for _, role := range Roles() {
		if got, err := ParseRole(string(role)); got != role || err != nil {
			t.Errorf("%q is read as %q, %v", role, got, err)
		}
	}
}

func TestNeed(t *testing.T) {
	for _, c := range []struct {
		who  *Caller
		need Role
		code string
	}{
		{nil, Administrator, ""}, // the service itself
		{&Local, Administrator, ""},
		{&Caller{}, Reader, refused.CodeSignIn},
		{&Caller{Name: "rea", Role: Reader}, Reader, ""},
		{&Caller{Name: "rea", Role: Reader}, Analyst, refused.CodeNotAllowed},
		{&Caller{Name: "ada", Role: Administrator}, Analyst, ""},
	} {
		ctx := context.Background()
		if c.who != nil {
			ctx = With(ctx, *c.who)
		}
		err := Need(ctx, c.need)
		var refusal *refused.Error
		code := ""
		if errors.As(err, &refusal) {
			code = refusal.Code
		}
		if code != c.code {
			t.Errorf("%+v needs %s: %v", c.who, c.need, err)
		}
	}
	if got := Author(context.Background()); got != "local" {
		t.Errorf("the author of what the service does is %q", got)
	}
	if got := Author(With(context.Background(), Caller{Name: "ana"})); got != "ana" {
		t.Errorf("the author is %q", got)
	}
}

func TestWhatIsSeen(t *testing.T) {
	rules := &Rules{Records: []string{"finance"}, Totals: []string{"harbour", "board"}, MinRecords: 5}
	in := func(role Role, groups ...string) Caller { return Caller{Name: "x", Role: role, Groups: groups} }
	key := func(c Caller, datasets ...string) Caller {
		c.Datasets = datasets
		return c
	}
	for what, c := range map[string]struct {
		who   Caller
		rules *Rules
		want  Level
	}{
		"nobody without rules":             {Caller{}, nil, Nothing},
		"anybody without rules":            {in(Reader), nil, Records},
		"anybody with empty rules":         {in(Reader), &Rules{}, Records},
		"no group":                         {in(Analyst), rules, Nothing},
		"another group":                    {in(Reader, "quay"), rules, Nothing},
		"a group of records":               {in(Reader, "quay", "finance"), rules, Records},
		"a group of totals":                {in(Reader, "board"), rules, Totals},
		"groups of both":                   {in(Reader, "board", "finance"), rules, Records},
		"an administrator":                 {in(Administrator), rules, Records},
		"a key for it":                     {key(in(Administrator), "sales", "tickets"), rules, Records},
		"a key for others":                 {key(in(Administrator), "sales"), rules, Nothing},
		"a key for others, without rules":  {key(in(Reader), "sales"), nil, Nothing},
		"a key for it, of a group":         {key(in(Reader, "board"), "tickets"), rules, Totals},
		"a key for it, of no group":        {key(in(Reader), "tickets"), rules, Nothing},
		"rules of totals alone, no group":  {in(Reader), &Rules{Totals: []string{"board"}, MinRecords: 2}, Nothing},
		"rules of records alone, a group":  {in(Reader, "finance"), &Rules{Records: []string{"finance"}}, Records},
		"rules of records alone, no group": {in(Reader, "board"), &Rules{Records: []string{"finance"}}, Nothing},
	} {
		if got := LevelOf(With(context.Background(), c.who), "tickets", c.rules); got != c.want {
			t.Errorf("%s: %d, want %d", what, got, c.want)
		}
	}
	if got := LevelOf(context.Background(), "tickets", rules); got != Records {
		t.Errorf("the service itself sees %d", got)
	}
}

func TestRulesAreChecked(t *testing.T) {
	for want, r := range map[string]*Rules{
		"":                           {Records: []string{"a"}},
		"state which":                {Records: []string{"a"}, MinRecords: 5},
		"at least 2":                 {Totals: []string{"a"}, MinRecords: 1},
		"for records and for totals": {Records: []string{"a", "b"}, Totals: []string{"b"}},
	} {
		err := r.Check()
		if (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v, want %q", r, err, want)
		}
	}
	r := &Rules{Totals: []string{"a"}}
	if err := r.Check(); err != nil || r.MinRecords != 5 {
		t.Errorf("the usual smallest total: %+v, %v", r, err)
	}
	var none *Rules
	if !none.Empty() || (&Rules{Totals: []string{"a"}}).Empty() {
		t.Error("which rules are none is wrong")
	}
}
