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
		{"GET", "/api/v1/datasets/staff/values?column=isle", "", 200, "Heron Key"},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["max pay"]}`, 422, "value of a single record"},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["sum pay"],"by":["isle"]}`, 200, `"withheld"`},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["sum pay"],"known":"load 1"}`, 403, "as they are known now"},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["sum pay"],"known":"1990-01-01T00:00"}`, 403, "known now"},
		{"POST", "/api/v1/drivers", `{"dataset":"staff","over":["2026-09"],"against":["prior"],"figures":["sum pay"],"known":"load 1"}`, 403, "known now"},
		{"POST", "/api/v1/records/changes", `{"dataset":"staff","since":"load 1"}`, 403, "you see the totals of dataset staff"},
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
			refused := strings.Contains(text, "you see only totals") && (strings.Contains(q, "pay") || strings.Contains(figure, "median") || strings.Contains(figure, "distinct"))
			if status == 422 && (refused || strings.Contains(text, "adds up") || strings.Contains(text, "ranks by")) {
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
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["count"],"known":"1990-01-01T00:00"}`, 404, "no dataset is named staff"},
		{"POST", "/api/v1/records/changes", `{"dataset":"staff","since":"1990-01-01T00:00"}`, 404, "no dataset is named staff"},
		{"POST", "/api/v1/total", `{"dataset":"staff","over":["2026-09"],"figures":["count"]}`, 404, "no dataset is named staff"},
		{"POST", "/api/v1/briefs/pay/view", `{"as_of":"2026-10-19"}`, 200, `"items":[]`},
		{"GET", "/api/v1/briefs", "", 200, `"name":"pay"`},
	})
	for _, path := range []string{"/briefs", "/briefs/pay", "/briefs/pay/versions", "/book", "/spans", "/datasets"} {
		if _, _, text := rea.ask("GET", prefix+path, ""); strings.Contains(text, "staff") || strings.Contains(text, "isle") {
			t.Errorf("%s tells of the dataset: %s", path, text)
		}
	}
	ada.talk([]exchange{{"PUT", "/api/v1/datasets/staff/access", `{"records":["nobody-there"]}`, 200, ""}})
	ana.talk([]exchange{
		{"PUT *", "/api/v1/briefs/pay", `{"name":"pay","title":"Mine","items":[]}`, 403, "items that you may not see"},
		{"POST", "/api/v1/briefs/pay/restore", `{"version":1}`, 403, "items that you may not see"},
	})
	ada.talk([]exchange{{"PUT", "/api/v1/datasets/staff/access", `{"records":["anas"]}`, 200, ""}})
	ana.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 200, "9999|Winter Isle"}})
	// What was reported of it stays under its rules, whatever becomes of it.
	ada.talk([]exchange{
		{"POST", "/api/v1/datasets/staff/rename", `{"name":"crew"}`, 200, ""},
		{"DELETE *", "/api/v1/datasets/crew?anyway=true", "", 204, ""},
	})
	rea.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 404, ""}})
	ada.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 200, "Winter Isle"}})
	ana.talk([]exchange{{"POST", load, staff(), 201, ""}})
	rea.talk([]exchange{{"GET", "/api/v1/receipts/1", "", 404, ""}, {"GET", "/api/v1/datasets/staff", "", 200, ""}})
}

// payroll is 60 records of as many people in four departments: the finding that one answer told the pay of one of them.
func payroll() string {
	var b strings.Builder
	b.WriteString("day,person,dept,salary\n")
	for i := range 60 {
		fmt.Fprintf(&b, "2026-%02d-%02d,p%02d,%s,%d\n", 1+i%9, 1+i%28, i, []string{"sales", "yard", "deck", "law"}[min(i%4, 3)], 3000+10*i)
	}
	b.WriteString("2026-09-30,p60,board,9990\n")
	return b.String()
}

// Of one answer, however it is put, nobody's own record comes out: not by conditions that say the same twice, nor next to the same
// dataset under other filters, nor by lines, record numbers, lists of values or spans that differ by a day.
func TestOneAnswerTellsOfNobody(t *testing.T) {
	m := openTeam(t, pgtest.Database(t, database), nil, Settings{})
	ada, rea := m.as(access.Administrator), m.as(access.Reader)
	ada.talk([]exchange{
		{"POST", "/api/v1/datasets/pay/loads?date=day&amount=salary&category=person&category=dept", payroll(), 201, `"records":61`},
		{"PUT", "/api/v1/datasets/pay/access", `{"totals":["reas"],"totals_by":"fortnight"}`, 422, "totals_by"},
		{"PUT", "/api/v1/datasets/pay/access", `{"records":["reas"],"totals_by":"month"}`, 422, "state which"},
		{"PUT", "/api/v1/datasets/pay/access", `{"totals":["reas"],"min_records":5}`, 200, ""},
	})
	values := func(path, body string) (numbers []string, text string) {
		t.Helper()
		status, _, text := rea.ask("POST", "/api/v1"+path, body)
		if status != 200 {
			t.Fatalf("%s: %d %s", body, status, text)
		}
		var a struct {
			Tables []struct{ Rows []struct{ Cells []*string } }
			Table  struct{ Rows []struct{ Cells []*string } }
		}
		if err := json.Unmarshal([]byte(text), &a); err != nil {
			t.Fatal(err)
		}
		rows := a.Table.Rows
		for _, one := range a.Tables {
			rows = append(rows, one.Rows...)
		}
		for _, r := range rows {
			for _, c := range r.Cells {
				if c != nil {
					numbers = append(numbers, *c)
				}
			}
		}
		return numbers, text
	}
	const all = `"as_of":"2026-11-30","over":["2026"],"figures":["count","sum salary"]`
	for _, c := range []struct{ what, path, body string }{
		{"a condition", "/total", `{"dataset":"pay",` + all + `,"where":["person!=p03"]}`},
		{"the same condition twice", "/total", `{"dataset":"pay",` + all + `,"where":["person!=p03","person not in (p03)"]}`},
		{"a condition that is within another", "/total", `{"dataset":"pay",` + all + `,"where":["dept=law","person!=p03"]}`},
	} {
		if numbers, text := values(c.path, c.body); len(numbers) > 0 {
			t.Errorf("%s: %v in %s", c.what, numbers, text)
		}
	}
	for _, c := range []struct{ what, path, body string }{
		{"beside itself", "/total", `{"dataset":"pay",` + all + `,"against_dataset":["pay where person!=p03"]}`},
		{"lines", "/lines", `{"as_of":"2026-11-30","each":"year","lines":[
			{"label":"a","dataset":"pay","over":["2026"],"figures":["sum salary"],"where":["person in (p01,p02,p03,p04,p05,p06)"]},
			{"label":"b","dataset":"pay","over":["2026"],"figures":["sum salary"],"where":["person in (p01,p02,p03,p04,p05,p06,p07)"]}]}`},
		{"all but a day", "/total", `{"dataset":"pay",` + strings.Replace(all, `"2026"`, `"2026","2026-01-01/2026-09-29"`, 1) + `}`},
	} {
		numbers, text := values(c.path, c.body)
		seen := map[string]bool{}
		for _, n := range numbers {
			seen[n] = true
		}
		if len(seen) > 2 { // the count and the sum of one of them
			t.Errorf("%s: %v in %s", c.what, numbers, text)
		}
		if strings.Contains(text, "61 records") || strings.Contains(text, `"records":61`) {
			t.Errorf("%s: how many records there are is told: %s", c.what, text)
		}
	}
	for _, where := range []string{"salary<3080", "salary!=3030", "person contains 03", "day in 2026-03"} {
		rea.talk([]exchange{{"POST", "/api/v1/total", `{"dataset":"pay",` + all + `,"where":["` + where + `"]}`, 422, "you see only totals of pay"}})
	}
	for _, figure := range []string{"median salary", "distinct salary", "max salary", "last salary", "sum length from day to day"} {
		rea.talk([]exchange{{"POST", "/api/v1/total", `{"dataset":"pay","over":["2026"],"figures":["` + figure + `"]}`, 422, ""}})
	}
	// The only one of the board: neither they nor another department can be worked out of the list of values.
	_, _, text := rea.ask("GET", "/api/v1/datasets/pay/values?column=dept", "")
	var list struct{ Items []struct{ Records int } }
	if err := json.Unmarshal([]byte(text), &list); err != nil {
		t.Fatal(err)
	}
	told := 0
	for _, one := range list.Items {
		told += one.Records
	}
	if rest := 61 - told; rest < 5 || strings.Contains(text, "board") {
		t.Errorf("%d are in no value that is listed: %s", rest, text)
	}
	ada.talk([]exchange{{"PUT", "/api/v1/datasets/pay/access", `{"totals":["reas"],"min_records":5,"totals_by":"quarter"}`, 200, `"totals_by":"quarter"`}})
	rea.talk([]exchange{
		{"GET", "/api/v1/datasets/pay", "", 200, `"totals_by":"quarter"`},
		{"POST", "/api/v1/total", `{"dataset":"pay","over":["2026-01-01/2026-03-31"],"figures":["count"]}`, 200, `"cells":["21"]`},
		{"POST", "/api/v1/total", `{"dataset":"pay","over":["2026-01-01/2026-03-30"],"figures":["count"]}`, 422, "over whole quarters"},
		{"POST", "/api/v1/total", `{"dataset":"pay","as_of":"2026-11-30","over":["2026"],"each":"month","figures":["count"]}`, 422, "over whole quarters"},
		{"POST", "/api/v1/total", `{"dataset":"pay","as_of":"2026-11-30","over":["2026"],"by":["weekday"],"figures":["count"]}`, 422, "you see only totals"},
	})
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
