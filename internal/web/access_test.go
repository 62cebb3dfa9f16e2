package web

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"vastspan/internal/access"
	"vastspan/internal/postgres/pgtest"
)

// staff is a file of people: one alone on Winter Isle, and few of a grade.
func staff() string {
	var b strings.Builder
	b.WriteString("day,isle,grade,pay\n")
	for i := range 40 {
		fmt.Fprintf(&b, "2026-09-%02d,%s,%s,%d\n", 1+i%28, []string{"Gull Rock", "Heron Key"}[i%2], []string{"mate", "deck", "deck"}[i%3], 1000+i)
	}
	b.WriteString("2026-09-30,Winter Isle,master,9999\n")
	return b.String()
}

// Who sees totals only is shown none of few records, whatever is asked; who sees nothing is told of nothing.
func TestWhoSeesWhatOfADataset(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	ada, ana, rea := m.as(access.Administrator), m.as(access.Analyst), m.as(access.Reader)
	load := "/api/v1/datasets/staff/loads?date=day&amount=pay&category=isle&category=grade"
	ana.talk([]exchange{{"POST", load, staff(), 201, `"records":41`}})
	rea.talk([]exchange{
		{"POST", "/api/v1/records", `{"dataset":"staff","over":"2026-09"}`, 200, "9999"},
		{"PUT", "/api/v1/datasets/staff/access", `{"records":["anas"],"totals":["reas"],"min_records":5}`, 403, "administrator"},
	})
	ada.talk([]exchange{
		{"GET", "/api/v1/datasets/staff/access", "", 200, "{}"},
		{"PUT", "/api/v1/datasets/staff/access", `{"totals":["reas"],"min_records":1}`, 422, "at least 2"},
		{"PUT", "/api/v1/datasets/staff/access", `{"records":["reas"],"totals":["reas"]}`, 422, "for records and for totals only"},
		{"PUT", "/api/v1/datasets/staff/access", `{"min_records":5}`, 422, "state which"},
		{"PUT", "/api/v1/datasets/staff/access", `{"totals":["Not A Group"]}`, 422, "Not A Group"},
		{"PUT 9", "/api/v1/datasets/staff/access", `{"totals":["reas"]}`, 412, "has changed"},
		{"PUT 1", "/api/v1/datasets/staff/access", `{"records":["anas"],"totals":["reas"]}`, 200, `"min_records":5`},
		{"POST", "/api/v1/briefs", `{"name":"pay","title":"Pay","items":[
			{"kind":"figure","title":"All","dataset":"staff","over":["2026-09"],"figures":["sum pay"]},
			{"kind":"table","title":"By isle","dataset":"staff","over":["2026-09"],"figures":["sum pay"],"by":["isle"]}]}`, 201, ""},
		{"POST", "/api/v1/receipts", `{"brief":"pay","view":{"as_of":"2026-10-19"}}`, 201, `"id":1`},
	})
	rea.talk([]exchange{
		{"GET", "/api/v1/datasets/staff", "", 200, `"min_records":5`},
		{"GET", "/api/v1/datasets", "", 200, `"name":"staff"`},
		{"POST", "/api/v1/records", `{"dataset":"staff","over":"2026-09"}`, 403, "you see the totals of dataset staff, of at least 5 records each"},
		{"POST", "/api/v1/records/boundaries", `{"dataset":"staff","over":"2026-09","records":2}`, 403, ""},
		{"POST", "/api/v1/ageing", `{"dataset":"staff","from":"day","to":"day"}`, 403, ""},
		{"GET", "/api/v1/datasets/staff/loads", "", 403, ""},
		{"GET", "/api/v1/datasets/staff/loads/1", "", 403, ""},
		{"GET", "/api/v1/datasets/staff/values?column=isle", "", 200, "Gull Rock|Heron Key"},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["max pay"]}`, 422, "value of a single record"},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["sum pay"],"by":["isle"]}`, 200, `"withheld"|2 groups left out`},
		{"GET", "/api/v1/receipts", "", 200, `{"items":[]}`},
		{"GET", "/api/v1/receipts/1", "", 404, "no receipt is named 1"},
		{"GET", "/api/v1/receipts/1/comparison", "", 404, ""},
		{"POST", "/api/v1/briefs/pay/view", `{"as_of":"2026-10-19"}`, 200, "withheld"},
	})
	// However it is asked, the pay of the one on Winter Isle and whoever it is are not told.
	for _, q := range []string{
		`"by":["isle"]`, `"by":["grade"]`, `"by":["isle","grade"]`, `"by":["isle"],"subtotals":true`, `"by":["isle","grade"],"across":"grade"`,
		`"where":["isle=Winter Isle"]`, `"where":["isle!=Winter Isle"]`, `"where":["pay>5000"]`, `"where":["pay<5000"]`, `"each":"day"`,
		`"each":"day","running":"month"`, `"each":"week","rolling":2`, `"by":["isle"],"share":"span"`, `"by":["isle"],"top":1`,
		`"where":["isle not in (Winter Isle, Heron Key)"]`, `"by":["day of month"]`, `"by":["isle"],"against":["1 month earlier"]`,
		`"by":["weekday"]`,
	} {
		for _, figure := range []string{"sum pay", "count", "mean pay", "median pay", "distinct pay"} {
			body := fmt.Sprintf(`{"dataset":"staff","as_of":"2026-10-19","over":["2026-09","2026-09-30","2026-09-01/2026-09-29"],"figures":[%q],%s}`, figure, q)
			if strings.Contains(q, "rolling") || strings.Contains(q, "running") || strings.Contains(q, "across") {
				body = strings.Replace(body, `"2026-09","2026-09-30","2026-09-01/2026-09-29"`, `"2026-09"`, 1)
			}
			status, _, text := rea.ask("POST", "/api/v1/total", body)
			if status == 422 && (strings.Contains(text, "adds up") || strings.Contains(text, "ranks by")) {
				continue
			}
			if status != 200 {
				t.Errorf("%s: %d %s", body, status, text)
				continue
			}
			checkQuiet(t, body, text)
		}
	}
	// Whether there is somebody of whom few are is not told: who is there and who is not are answered alike.
	answers := map[string]bool{}
	for _, isle := range []string{"Winter Isle", "Nobody Isle"} {
		_, _, text := rea.ask("POST", "/api/v1/total", `{"dataset":"staff","as_of":"2026-10-19","over":["2026-09","2026-09-30"],"figures":["count","sum pay"],
			"each":"week","by":["grade"],"where":["isle=`+isle+`"]}`)
		answers[strings.ReplaceAll(text, isle, "?")] = true
	}
	if len(answers) != 1 {
		t.Errorf("that somebody is there is told: %v", answers)
	}
	// Who is in no group sees nothing of it, and is told as much.
	ada.talk([]exchange{
		{"PUT", "/api/v1/datasets/staff/access", `{"records":["anas"]}`, 200, ""},
	})
	rea.talk([]exchange{
		{"GET", "/api/v1/datasets", "", 200, `{"items":[]}`},
		{"GET", "/api/v1/datasets/staff", "", 404, "no dataset is named staff"},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["count"]}`, 404, "no dataset is named staff"},
		{"POST", "/api/v1/briefs/pay/view", `{"as_of":"2026-10-19"}`, 200, "no dataset is named staff"},
	})
	ana.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 200, "9999|Winter Isle"}})
	// What was reported of it stays under its rules, whatever becomes of it.
	ada.talk([]exchange{
		{"POST", "/api/v1/datasets/staff/rename", `{"name":"crew"}`, 200, ""},
		{"DELETE", "/api/v1/datasets/crew?anyway=true", "", 204, ""},
	})
	rea.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 404, ""}})
	ada.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 200, "Winter Isle"}})
	ana.talk([]exchange{{"POST", load, staff(), 201, ""}})
	rea.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 404, ""}, {"GET", "/api/v1/datasets/staff", "", 200, ""}})
}

// checkQuiet fails where an answer tells of few records: by a count, by the pay of one, or by his isle.
func checkQuiet(t *testing.T, asked, text string) {
	t.Helper()
	var a struct {
		Records int64
		Tables  []struct {
			Columns []struct{ Role string }
			Rows    []struct {
				Kind  string
				Cells []*string
			}
		}
	}
	if err := json.Unmarshal([]byte(text), &a); err != nil {
		t.Fatal(err)
	}
	if a.Records > 0 && a.Records < 5 {
		t.Errorf("%s: %d records are told", asked, a.Records)
	}
	_, where, _ := strings.Cut(text, `"tables"`)
	where, _, _ = strings.Cut(where, `"notes"`)
	if strings.Contains(where, "Winter Isle") || strings.Contains(where, "master") || strings.Contains(where, "9999") {
		t.Errorf("%s tells of one record: %s", asked, where)
	}
	for _, table := range a.Tables {
		for _, r := range table.Rows {
			for i, c := range r.Cells {
				if c == nil || !strings.Contains(asked, `["count"]`) || table.Columns[i].Role != "figure" && table.Columns[i].Role != "counterpart" {
					continue
				}
				if *c == "1" || *c == "2" || *c == "3" || *c == "4" {
					t.Errorf("%s: a count of %s", asked, *c)
				}
			}
		}
	}
}

// A key sees what its account sees of its datasets, and nothing of others.
func TestKeysAreForTheirDatasets(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	ada := m.as(access.Administrator)
	ada.talk([]exchange{
		{"POST", "/api/v1/datasets/sales/loads?date=day&amount=amount&category=region", sales, 201, ""},
		{"POST", "/api/v1/datasets/plan/loads?date=day&amount=amount&category=region", sales, 201, ""},
		{"POST", "/api/v1/receipts", `{"title":"Both","total":{"dataset":"sales","over":["2026"],"figures":["sum amount"],"against_dataset":["plan"]}}`, 201, ""},
		{"POST", "/api/v1/receipts", `{"title":"One","total":{"dataset":"sales","over":["2026"],"figures":["sum amount"]}}`, 201, ""},
		{"POST", "/api/v1/keys", `{"name":"mine","role":"reader"}`, 403, "not by a key"},
	})
	session := map[string][]string{"Cookie": {sessionCookie + "=" + m.tokens[access.Administrator]}}
	for body, want := range map[string]int{
		`{"name":"nightly","role":"analyst","datasets":["sales"],"expires_on":"2099-12-31"}`: 201,
		`{"name":"nightly","role":"reader"}`:                                                 409,
		`{"name":"Nightly","role":"reader"}`:                                                 422,
		`{"name":"other","role":"reader","datasets":["nobody"]}`:                             404,
		`{"name":"other","role":"root"}`:                                                     422,
		`{"name":"late","role":"reader","expires_on":"2020-01-01"}`:                          422,
	} {
		if want == 409 {
			continue
		}
		r := m.browser("POST", prefix+"/keys", body, session)
		if r.StatusCode != want {
			t.Errorf("%s: %d, want %d", body, r.StatusCode, want)
		}
		if want != 201 {
			continue
		}
		var made struct {
			Key    struct{ ID int64 }
			Secret string
		}
		if err := json.NewDecoder(r.Body).Decode(&made); err != nil {
			t.Fatal(err)
		}
		if again := m.browser("POST", prefix+"/keys", body, session); again.StatusCode != 409 {
			t.Errorf("the same name again: %d", again.StatusCode)
		}
		key := &site{t: t, url: m.url, key: made.Secret}
		key.talk([]exchange{
			{"GET", "/api/v1/session", "", 200, `"name":"ada"|"role":"analyst"|"key":"nightly"`},
			{"GET", "/api/v1/datasets", "", 200, `"name":"sales"`},
			{"GET", "/api/v1/datasets/plan", "", 404, ""},
			{"POST", "/api/v1/total", `{"dataset":"plan","over":["2026"],"figures":["count"]}`, 404, ""},
			{"POST", "/api/v1/datasets/plan/loads?again=true", sales, 403, "may not load into a dataset named plan"},
			{"POST", "/api/v1/datasets/third/loads?date=day", sales, 403, ""},
			{"GET", "/api/v1/receipts/1", "", 404, ""},
			{"GET", "/api/v1/receipts/2", "", 200, `"title":"One"`},
			{"GET", "/api/v1/accounts", "", 403, "ada is analyst"},
			{"PUT", "/api/v1/password", `{"current":"x","password":"y"}`, 403, "not by a key"},
			{"DELETE", fmt.Sprintf("/api/v1/keys/%d", made.Key.ID), "", 204, ""},
			{"GET", "/api/v1/session", "", 200, `"signed_in":false`},
			{"GET", "/api/v1/datasets", "", 401, "sign in first"},
		})
	}
	ada.talk([]exchange{{"GET", "/api/v1/keys?all=true", "", 200, `"hint":"vskey_|"revoked_at"`}})
	_, _, text := ada.ask("GET", prefix+"/keys", "")
	var list struct{ Items []struct{ ID int64 } }
	if err := json.Unmarshal([]byte(text), &list); err != nil {
		t.Fatal(err)
	}
	adas := list.Items[len(list.Items)-1].ID // the first one
	m.as(access.Reader).talk([]exchange{
		{"GET", "/api/v1/keys?all=true", "", 403, ""},
		{"DELETE", fmt.Sprintf("/api/v1/keys/%d", adas), "", 404, "no key in use"},
	})
	ada.talk([]exchange{{"DELETE", fmt.Sprintf("/api/v1/keys/%d", adas), "", 204, ""}, {"GET", "/api/v1/keys", "", 401, ""}})
}
