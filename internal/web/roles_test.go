package web

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"vastspan/internal/access"
	"vastspan/internal/postgres/pgtest"
	"vastspan/internal/service"
)

// by are the least roles that may do what an operation does. It is written apart from the table of the service, so that a
// change of one is seen in the other.
var by = map[access.Role]string{
	access.Nobody:  "getSession signIn openLink useLink signOn returnFromSignOn",
	access.Account: "changePassword createKey endSession getStatus listKeys listSessions revokeKey signOut",
	access.Auditor: "searchAudit",
	access.Reader: `findDrivers age check compareReceipt elapse getBook getBrief getCalendar getCalendarYear
		getDataset getDeliveryMeans getEventList getHolidayList getLoad getPublishedDays getReceipt getSchedule getSpan layOutCalendar
		lineUp listBoundaries listBriefVersions listBriefs listCalendarVersions listCalendars listChanges listDatasetUsers listDatasets listDays
		listEventListVersions listEventLists readEvents listHolidayListVersions listHolidayLists listLoads listReceipts listRecords listSchedules
		listSpanVersions listSpans listValues readLimits rehearse rehearseBrief resolve resolveTimeline total
		viewBrief`,
	access.Analyst: `addEventList putEventList removeEventList restoreEventList renameEventList acknowledgeFinding addBrief addCalendar addHolidayList addSpan createReceipt describeDataset listDatabases listDeliveries loadBook
		loadFile moveSpan previewLoad publishDays putBrief putCalendar putHolidayList putSpan removeBrief removeCalendar
		removeHolidayList removeSpan renameDataset renameSpan restoreBrief restoreCalendar restoreHolidayList restoreSpan
		totalStatements undoLoad redoLoad verifyDataset
		withdrawAcknowledgement`,
	access.Administrator: `addAccount addSchedule attachTable changeAccount describeService getAccess listAccounts listColumns listTables makeBackup putAccess
		removeDataset restoreDataset listRemovedDatasets removeSchedule resetAccount retryDelivery runSchedules testDatabase`,
}

// callers are those who try every operation.
type callers struct {
	name string
	role access.Role
	head http.Header
}

// Every operation of the interface is tried by every role, by key and by session, and by those who are nobody.
func TestEveryOperationByEveryRole(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	needs := map[string]access.Role{}
	for role, list := range by {
		for _, name := range strings.Fields(list) {
			needs[name] = role
		}
	}
	tried := []callers{{name: "nobody"}, {name: "a key that is none", head: http.Header{"Authorization": {"Bearer vskey_none"}}},
		{name: "a session that is none", head: http.Header{"Cookie": {sessionCookie + "=none"}}},
		{name: "another scheme", head: http.Header{"Authorization": {"Basic YWRhOmFkYQ=="}}},
		{name: "a bad key beside a good session", head: http.Header{
			"Authorization": {"Bearer vskey_none"}, "Cookie": {sessionCookie + "=" + m.tokens[access.Administrator]}}}}
	for _, role := range access.Roles() {
		tried = append(tried, callers{"a key of " + string(role), role, http.Header{"Authorization": {"Bearer " + m.keys[role]}}},
			callers{"a session of " + string(role), role, http.Header{"Cookie": {sessionCookie + "=" + m.tokens[role]}}})
	}
	// The sessions and passwords that are tried with stay.
	kept := []string{"signOut", "endSession", "changePassword", "createKey", "revokeKey"}
	doc := newSender(t, 0).doc
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			role, known := needs[o.OperationID]
			if !known {
				t.Errorf("operation %s is in no list of roles of this test", o.OperationID)
				continue
			}
			if inTable, ok := service.Roles()[o.OperationID]; !ok || inTable != role {
				t.Errorf("operation %s: the service lets %q do it, want %q", o.OperationID, inTable, role)
			}
			at := prefix + pathParameter.ReplaceAllString(
				strings.NewReplacer("{load}", "1", "{id}", "999999", "{year}", "2026").Replace(path), "nothing")
			for _, c := range tried {
				may := role == access.Nobody || c.role != access.Nobody && c.role.Covers(role)
				if may && slices.Contains(kept, o.OperationID) {
					continue
				}
				body := ""
				if method != http.MethodGet && method != http.MethodDelete {
					body = "{}"
				}
				r := m.browser(method, at, body, c.head)
				refusedFor := r.StatusCode == http.StatusUnauthorized || r.StatusCode == http.StatusForbidden
				switch {
				case may && refusedFor && o.OperationID != "signIn" && !strings.Contains(c.name, "key of"):
					t.Errorf("%s may not do %s: %d", c.name, o.OperationID, r.StatusCode)
				case !may && c.role == access.Nobody && r.StatusCode != http.StatusUnauthorized:
					t.Errorf("%s does %s: %d", c.name, o.OperationID, r.StatusCode)
				case !may && c.role != access.Nobody && r.StatusCode != http.StatusForbidden:
					t.Errorf("%s does %s: %d", c.name, o.OperationID, r.StatusCode)
				}
			}
		}
	}
	for name := range service.Roles() {
		if _, ok := needs[name]; !ok && name != "readMetrics" {
			t.Errorf("the service has a role for %s, which is no operation", name)
		}
	}
	for role, want := range map[access.Role]int{access.Nobody: 401, access.Reader: 200} {
		if status, _, _ := m.as(role).ask("GET", metricsPath, ""); status != want {
			t.Errorf("the metrics for %q: %d, want %d", role, status, want)
		}
	}
}

// What is whose own is only its author's and the administrators'.
func TestWhatIsWhoseOwn(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	ana, ada := m.as(access.Analyst), m.as(access.Administrator)
	ada.talk([]exchange{
		{"POST", "/api/v1/datasets/sales/loads?date=day&amount=amount&category=region", sales, 201, `"author":"ada"`},
		{"POST", "/api/v1/spans", `{"name":"closed","is":"last full month"}`, 201, `"author":"ada"`},
	})
	ana.talk([]exchange{
		{"POST", "/api/v1/datasets/sales/loads/1/undo", "", 403, `load 1 is ada's: only they and administrators may do this`},
		{"POST", "/api/v1/datasets/sales/loads?again=true", sales, 201, `"author":"ana"|"id":2`},
		{"POST", "/api/v1/datasets/sales/loads/2/undo", "", 200, `"undone_at"`},
		{"PUT 1", "/api/v1/spans/closed", `{"name":"closed","is":"last 2 full months"}`, 200, `"author":"ana"`},
		{"DELETE 2", "/api/v1/spans/closed", "", 403, "span @closed is ada's"},
		{"POST", "/api/v1/spans", `{"name":"mine","is":"this month"}`, 201, ""},
		{"DELETE 1", "/api/v1/spans/mine", "", 204, ""},
	})
	ada.talk([]exchange{
		{"POST", "/api/v1/datasets/sales/loads?again=true", sales, 201, `"id":3`},
		{"DELETE 2", "/api/v1/spans/closed", "", 204, ""},
		{"GET", "/api/v1/audit?kind=span&name=closed", "", 200, `"action":"removed"|"account":"ana"|"account":"ada"`},
		{"GET", "/api/v1/audit?kind=load", "", 200, `"action":"loaded"|"action":"undone"|"dataset":"sales"`},
		{"GET", "/api/v1/audit?action=refused", "", 200, fmt.Sprintf(`"account":"ana"|"name":"%s/datasets/:name/loads/:load/undo"`, prefix)},
		{"GET", "/api/v1/audit?from=2026-10-20&through=2026-10-19", "", 422, "is not before"},
		{"GET", "/api/v1/audit?limit=1", "", 200, `"next"`},
	})
	m.as(access.Reader).talk([]exchange{{"GET", "/api/v1/audit", "", 403, "this needs the role of auditor; rea is reader"}})
}
