package web

import (
	"strings"
	"testing"

	"vastspan/internal/postgres/pgtest"
)

// Spans and datasets are renamed and moved over HTTP, and what refers to them follows.
func TestNamesOverHTTP(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	brief := `{"name":"monday","title":"Monday","items":[
		{"kind":"figure","title":"one","dataset":"fares","over":["@closed"],"figures":["sum amount"],"against":["@closed, 1 year earlier"]}]}`
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/fares/loads?date=day&amount=amount&category=region", sales, 201, `"records":4`},
		{"POST", "/api/v1/spans", `{"name":"closed","is":"last full month"}`, 201, `"version":1`},
		{"POST", "/api/v1/spans", `{"name":"back","is":"@closed, 1 year earlier"}`, 201, ""},
		{"POST", "/api/v1/briefs", brief, 201, ""},
		{"GET", "/api/v1/datasets/fares/users", "", 200, `"items":["brief monday"]`},
		{"GET", "/api/v1/datasets/moon/users", "", 404, "no dataset is named moon"},
		{"POST", "/api/v1/spans/closed/rename", `{"name":"last-month"}`, 200, `"name":"last-month"|"carried":["span back","brief monday"]`},
		{"POST", "/api/v1/spans/closed/rename", `{"name":"other"}`, 404, "no span is named closed"},
		{"POST 1", "/api/v1/spans/last-month/rename", `{"name":"other"}`, 412, "has changed since"},
		{"POST", "/api/v1/spans/last-month/rename", `{"name":"back"}`, 409, "already exists"},
		{"POST", "/api/v1/spans/last-month/rename", `{"name":"No Name"}`, 422, "is not a name"},
		{"POST", "/api/v1/spans/last-month/rename", `{}`, 422, "name"},
		{"GET", "/api/v1/spans/back", "", 200, `"is":"@last-month, 1 year earlier"|"version":2`},
		{"POST", "/api/v1/spans/back/move", `{"before":"last-month"}`, 204, ""},
		{"POST", "/api/v1/spans/back/move", `{"before":"moon"}`, 404, "no span is named moon"},
		{"POST", "/api/v1/spans/moon/move", `{}`, 404, "no span is named moon"},
		{"POST", "/api/v1/datasets/fares/rename", `{"name":"takings"}`, 200, `"carried":["brief monday"]`},
		{"POST", "/api/v1/datasets/fares/rename", `{"name":"takings"}`, 404, "no dataset is named fares"},
		{"POST", "/api/v1/briefs/monday/view", `{"as_of":"2026-10-19"}`, 200, `"dataset":"takings"|"14.50"`},
		{"DELETE *", "/api/v1/datasets/takings", "", 409, `in use by brief monday|"names":["brief monday"]`},
		{"DELETE *", "/api/v1/datasets/takings?anyway=true", "", 204, ""},
		{"POST", "/api/v1/briefs/monday/view", `{"as_of":"2026-10-19"}`, 200, "no dataset is named takings"},
	})
	_, _, list := s.ask("GET", "/api/v1/spans", "")
	if strings.Index(list, `"name":"back"`) > strings.Index(list, `"name":"last-month"`) {
		t.Errorf("the spans are %s", list)
	}
}

// Columns change type and role, and a refusal names the values that are in the way.
func TestColumnsOverHTTP(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/fares/loads?date=day&type=amount%3Dtext", sales, 201, `"records":4`},
		{"GET", "/api/v1/datasets/fares", "", 200, `"name":"amount","type":"text","role":"category"`},
		{"POST", "/api/v1/total", `{"dataset":"fares","over":["2026"],"figures":["sum amount"]}`, 422, "amount"},
		{"PATCH *", "/api/v1/datasets/fares", `{"columns":[{"name":"amount","type":"number","unit":"EUR"}]}`, 200, `"type":"number","role":"amount"|"unit":"EUR"`},
		{"POST", "/api/v1/total", `{"dataset":"fares","over":["2026-09"],"figures":["sum amount"]}`, 200, `"cells":["14.50"]`},
		{"PATCH *", "/api/v1/datasets/fares", `{"columns":[{"name":"region","type":"number"}]}`, 422, `\"North\" in 3`},
		{"PATCH *", "/api/v1/datasets/fares", `{"columns":[{"name":"day","role":"detail"}]}`, 422, "its type and role stay"},
		{"PATCH *", "/api/v1/datasets/fares", `{"columns":[{"name":"region","role":"amount"}]}`, 422, "an amount is a number"},
		{"PATCH 1", "/api/v1/datasets/fares", `{"columns":[{"name":"region","role":"detail"}]}`, 412, "has changed since"},
		{"PATCH *", "/api/v1/datasets/fares", `{"columns":[{"name":"region","role":"detail"}]}`, 200, `"name":"region","type":"text","role":"detail"`},
		{"POST", "/api/v1/total", `{"dataset":"fares","over":["2026-09"],"figures":["count"],"by":["region"]}`, 200, `"North"`},
		{"POST", "/api/v1/datasets/fares/verify", "", 200, `"wrong":0`},
		{"POST", "/api/v1/datasets/other/loads?date=day&type=amount", sales, 422, "expected COLUMN=TYPE"},
		{"POST", "/api/v1/datasets/fares/loads?date=day&type=region%3Dnumber", sales, 422, "is not a number"},
	})
}

// A calendar is laid out that is not kept, with a list of holidays that is not kept either.
func TestLayoutsOverHTTP(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	const weeks = `"kind":"weeks","pattern":"4-5-4","year_ends":{"rule":"last","day":"saturday","month":"january"},"year_label":"starting"`
	s.talk([]exchange{
		{"POST", "/api/v1/calendars/layout", `{"definition":{"name":"new",` + weeks + `},"year":2026}`, 200,
			`"layout":"years of whole weeks, 4-5-4, ending on the last Saturday of January|"first_day":"2026-02-01"|"last_day":"2027-01-30"`},
		{"POST", "/api/v1/calendars/layout", `{"definition":{"name":"new","kind":"months","holidays":"quay"},"year":2026}`, 422, "no list is named quay"},
		{"POST", "/api/v1/calendars/layout", `{"definition":{"name":"new","kind":"months","holidays":"quay"},"year":2026,
			"list":{"name":"quay","days":["2026-05-01"]}}`, 200, `"holidays":["2026-05-01"]|holidays quay`},
		{"POST", "/api/v1/calendars/layout", `{"definition":{"name":"new","kind":"months","holidays":"quay"},"year":2026,
			"list":{"name":"quay","days":["2026-02-30"]}}`, 422, "no day 30"},
		{"POST", "/api/v1/calendars/layout", `{"definition":{"name":"new","kind":"moons"},"year":2026}`, 422, "kind"},
		{"POST", "/api/v1/calendars/layout", `{"definition":{"name":"new","kind":"months","year_starts":"02-30"},"year":2026}`, 422, "year-starts"},
		{"GET", "/api/v1/calendars/new", "", 404, "no calendar is named new"}, // nothing was kept
		{"GET", "/api/v1/holidays/quay", "", 404, "named quay"},
	})
}

// Schedules say where their receipts are brought to; what cannot be is refused when it is asked for.
func TestDeliveriesOverHTTP(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	schedule := func(deliver string) string {
		return `{"name":"daily","brief":"monday","days":"today","since":"2026-10-18","deliver":[` + deliver + `]}`
	}
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/fares/loads?date=day&amount=amount", sales, 201, ""},
		{"POST", "/api/v1/briefs", `{"name":"monday","title":"Monday","items":[
			{"kind":"figure","title":"one","dataset":"fares","over":["2026"],"figures":["sum amount"]}]}`, 201, ""},
		{"GET", "/api/v1/deliveries/means", "", 200, `{"to":"folder"}|"to":"webhook"|--webhook-secret-file|--mail-server|"formats":["csv"`},
		{"POST", "/api/v1/schedules", schedule(`{"to":"folder","address":"../x","formats":["csv"]}`), 422, `below the folder|"pointer":"/deliver/0"`},
		{"POST", "/api/v1/schedules", schedule(`{"to":"folder","address":"x","formats":["csv"]},{"to":"folder","address":"x","formats":["csv"]}`), 422, "twice"},
		{"POST", "/api/v1/schedules", schedule(`{"to":"folder","address":"x","formats":["doc"]}`), 422, "format"},
		{"POST", "/api/v1/schedules", schedule(`{"to":"folder","address":"x","formats":["pdf"]}`), 422, "apt-get install chromium-headless-shell"},
		{"POST", "/api/v1/schedules", schedule(`{"to":"webhook","address":"https://example.org/"}`), 422, `--webhook-secret-file`},
		{"POST", "/api/v1/schedules", schedule(`{"to":"mail","address":"a@example.org"}`), 422, `--mail-server`},
		{"POST", "/api/v1/schedules", schedule(`{"to":"pigeon","address":"loft"}`), 422, "folder"},
		{"POST", "/api/v1/schedules", schedule(`{"to":"folder","address":"x","formats":["csv","xlsx"]}`), 201, `"deliver":[{"address":"x","formats":["csv","xlsx"],"to":"folder"}]`},
		{"POST", "/api/v1/schedules/run", "", 200, `"created":2`},
		{"POST", "/api/v1/schedules/run", "", 200, `"created":0`},
		{"GET", "/api/v1/deliveries", "", 200, `"target":"folder x csv,xlsx"|"state":"waiting"|"receipt":2|"schedule":"daily"`},
		{"GET", "/api/v1/deliveries?limit=1", "", 200, `"next":"2"`},
		{"POST", "/api/v1/deliveries/1/retry", "", 200, `"state":"waiting"`},
		{"POST", "/api/v1/deliveries/9/retry", "", 404, "no delivery is named 9"},
		{"GET", "/api/v1/schedules/daily", "", 200, `"to":"folder"`},
	})
}

// A name that is not there is answered with the nearest one that the caller may see.
func TestNearestNames(t *testing.T) {
	s := openOn(t, pgtest.Database(t, database))
	s.talk([]exchange{
		{"POST", "/api/v1/datasets/crossings/loads?date=day&amount=amount&category=region", sales, 201, ""},
		{"POST", "/api/v1/spans", `{"name":"closed-month","is":"last full month"}`, 201, ""},
		{"POST", "/api/v1/briefs", `{"name":"monday-figures","title":"Monday","items":[{"kind":"figure","title":"one","dataset":"crossings","over":["closed-month"],"figures":["count"]}]}`, 201, `"over":["@closed-month"]`},
		{"POST", "/api/v1/calendars", `{"name":"fiscal-april","kind":"months","year_starts":"04-01","year_label":"ending"}`, 201, ""},
		{"POST", "/api/v1/holidays", `{"name":"harbour-days","days":["2026-12-25"]}`, 201, ""},
		{"POST", "/api/v1/total", `{"dataset":"crossing","over":["2026"],"figures":["count"]}`, 404, "did you mean crossings?"},
		{"GET", "/api/v1/datasets/crosings", "", 404, "did you mean crossings?"},
		{"GET", "/api/v1/briefs/monday-figure", "", 404, "did you mean monday-figures?"},
		{"GET", "/api/v1/calendars/fiscal-apri", "", 404, "did you mean fiscal-april?"},
		{"GET", "/api/v1/holidays/harbor-days", "", 404, "did you mean harbour-days?"},
		{"GET", "/api/v1/spans/closedmonth", "", 404, "did you mean closed-month?"},
		{"POST", "/api/v1/total", `{"dataset":"crossings","over":["2026"],"figures":["sum amuont"]}`, 422, "did you mean amount"},
		{"POST", "/api/v1/total", `{"dataset":"crossings","over":["closed-month"],"figures":["count"]}`, 200, `"expression":"@closed-month"`},
		{"POST", "/api/v1/total", `{"dataset":"crossings","over":["closed-mnth"],"figures":["count"]}`, 422, `"offers":["@closed-month"]`},
		{"POST", "/api/v1/resolve", `{"expressions":["closed-month excluding today","closed-mont"]}`, 200, `"expression":"@closed-month excluding today"|"offers":["@closed-month"]`},
		{"POST", "/api/v1/spans", `{"name":"quarter-open","is":"closed-month or today"}`, 201, `"is":"@closed-month or today"`},
	})
}
