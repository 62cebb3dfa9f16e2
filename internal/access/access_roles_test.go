package access

import "testing"

// Roles are sets of permissions: an auditor reads the audit and nothing else, and an unknown role covers nothing.
func TestRolesAreSets(t *testing.T) {
	covers := map[Role]string{
		Nobody: "N", Reader: "N@R", Analyst: "N@RA", Auditor: "N@U", Administrator: "N@RAUD", "misspelt": "",
	}
	needs := []struct {
		role Role
		mark string
	}{{Nobody, "N"}, {Account, "@"}, {Reader, "R"}, {Analyst, "A"}, {Auditor, "U"}, {Administrator, "D"}, {"misspelt", "?"}}
	for role, want := range covers {
		got := ""
		for _, need := range needs {
			if role.Covers(need.role) {
				got += need.mark
			}
		}
		if got != want {
			t.Errorf("%q covers %s, want %s", role, got, want)
		}
	}
	for _, c := range [][3]Role{{Reader, Analyst, Reader}, {Administrator, Auditor, Auditor}, {Auditor, Analyst, Nobody}, {Reader, Reader, Reader}} {
		if got := Lesser(c[0], c[1]); got != c[2] || Lesser(c[1], c[0]) != c[2] {
			t.Errorf("of %s and %s the lesser is %q, want %q", c[0], c[1], got, c[2])
		}
	}
}
