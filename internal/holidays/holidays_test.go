package holidays

import (
	"strings"
	"testing"
)

const calendarFile = `BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Lantern Bay//EN
BEGIN:VEVENT
UID:1
SUMMARY:New Year
DTSTART;VALUE=DATE:20200101
RRULE:FREQ=YEARLY
EXDATE;VALUE=DATE:20250101
END:VEVENT
BEGIN:VEVENT
UID:2
SUMMARY:Christmas
DTSTART;VALUE=DATE:20241225
DTEND;VALUE=DATE:20241227
RRULE:FREQ=YEARLY;UNTIL=20251231
END:VEVENT
BEGIN:VEVENT
UID:3
SUMMARY:Last Monday in May
DTSTART;VALUE=DATE:20240527
RRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=-1MO
END:VEVENT
BEGIN:VEVENT
UID:4
SUMMARY:A meeting is no holiday
DTSTART:20240610T100000Z
DTEND:20240610T110000Z
END:VEVENT
BEGIN:VEVENT
UID:5
SUMMARY:Cancelled
STATUS:CANCELLED
DTSTART;VALUE=DATE:20240701
END:VEVENT
BEGIN:VEVENT
UID:6
SUMMARY:Three days
DTSTART;VALUE=DATE:20240801
DURATION:P3D
END:VEVENT
END:VCALENDAR
`

func read(t *testing.T, text string, first, last int) string {
	t.Helper()
	days, _, err := Read(strings.NewReader(text), first, last)
	if err != nil {
		t.Fatal(err)
	}
	var list []string
	for _, d := range days {
		list = append(list, d.String())
	}
	return strings.Join(list, " ")
}

func TestICalendar(t *testing.T) {
	want := "2024-01-01 2024-05-27 2024-08-01 2024-08-02 2024-08-03 2024-12-25 2024-12-26 2025-05-26 2025-12-25 2025-12-26 2026-01-01 2026-05-25"
	if got := read(t, strings.ReplaceAll(calendarFile, "\n", "\r\n"), 2024, 2026); got != want {
		t.Errorf("the days are\n%s, want\n%s", got, want)
	}
}

// event writes a file of events, each given by its lines.
func event(events ...string) string {
	return "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:x\nBEGIN:VEVENT\n" + strings.Join(events, "\nEND:VEVENT\nBEGIN:VEVENT\n") +
		"\nEND:VEVENT\nEND:VCALENDAR\n"
}

// Rules are followed however long ago they began, however many an event has, and whatever is in the place
// of single days.
func TestRules(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{event("UID:1\nDTSTART;VALUE=DATE:16011225\nRRULE:FREQ=YEARLY"), "2024-12-25 2025-12-25"},
		{event("UID:1\nDTSTART;VALUE=DATE:16011225\nRRULE:FREQ=YEARLY;COUNT=424"), "2024-12-25"},
		{event("UID:1\nDTSTART;VALUE=DATE:00050101\nRRULE:FREQ=YEARLY;INTERVAL=4;BYMONTH=5;BYMONTHDAY=1"), "2025-05-01"},
		{
			event("UID:1\nDTSTART;VALUE=DATE:20240101\nRRULE:FREQ=YEARLY;BYMONTH=1;BYMONTHDAY=1\nRRULE:FREQ=YEARLY;BYMONTH=7;BYMONTHDAY=4"),
			"2024-01-01 2024-07-04 2025-01-01 2025-07-04",
		},
		{
			event("UID:1\nDTSTART;VALUE=DATE:20240501\nRRULE:FREQ=YEARLY\nRDATE;VALUE=DATE:20240601,20250602\nEXDATE;VALUE=DATE:20250501",
				"UID:2\nDTSTART;VALUE=DATE:20240801\nRRULE:FREQ=YEARLY", "UID:2\nRECURRENCE-ID;VALUE=DATE:20250801\nDTSTART;VALUE=DATE:20250804",
				"UID:3\nDTSTART;VALUE=DATE:20240901\nRRULE:FREQ=YEARLY",
				"UID:3\nRECURRENCE-ID;VALUE=DATE:20250901\nDTSTART;VALUE=DATE:20250901\nSTATUS:CANCELLED"),
			"2024-05-01 2024-06-01 2024-08-01 2024-09-01 2025-06-02 2025-08-04",
		},
	} {
		if got := read(t, c.text, 2024, 2025); got != c.want {
			t.Errorf("the days are\n%s, want\n%s of\n%s", got, c.want, c.text)
		}
	}
}

// What is not read as a holiday is counted, and a file that gives none is refused.
func TestWhatIsLeftOut(t *testing.T) {
	_, left, err := Read(strings.NewReader(calendarFile), 2024, 2026)
	if got := left.Text(2024, 2026); err != nil || got != "1 event at a time of day, 1 cancelled event, 4 days outside 2024 to 2026" {
		t.Errorf("left out: %s, %v", got, err)
	}
	for text, want := range map[string]string{
		"": "no holiday from 2024 to 2026 is in it",
		event("UID:1\nDTSTART;TZID=Europe/Berlin:20240101T000000\nDTEND;TZID=Europe/Berlin:20240102T000000"): "left out: 1 event at a time of day",
		event("UID:1\nDTSTART;VALUE=DATE:20260230"):                                                          "2026-02 has no day 30",
		event("UID:1\nRECURRENCE-ID;RANGE=THISANDFUTURE;VALUE=DATE:20250801\nDTSTART;VALUE=DATE:20250804"):   "all days after it",
		event("UID:1\nDTSTART;VALUE=DATE:20240101\nRRULE:FREQ=SECONDLY"):                                     "repeats within a day",
		event("UID:1\nDTSTART;VALUE=DATE:20240101\nDURATION:P999999999D"):                                    "999999999 days long",
		event("UID:1\nDTSTART;VALUE=DATE:00010101\nRRULE:FREQ=YEARLY"):                                       "begins on 0001-01-01",
		strings.Repeat("# ", 9<<20): "more than 16777216 bytes",
	} {
		if days, _, err := Read(strings.NewReader(text), 2024, 2026); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.200s gives %d days, %v", text, len(days), err)
		}
	}
	if _, _, err := Read(strings.NewReader(event("UID:1\nDTSTART;VALUE=DATE:20240101\nRRULE:FREQ=DAILY")), 2024, 9999); err == nil ||
		!strings.Contains(err.Error(), "at most 200000") {
		t.Errorf("a rule for thousands of years: %v", err)
	}
}

func TestPlainList(t *testing.T) {
	if got := read(t, "\ufeff# harbour days\n2026-01-01 New Year\n\n2025-12-25,Christmas\n2026-01-01\n2030-01-01\n", 2025, 2026); got != "2025-12-25 2026-01-01" {
		t.Errorf("the days are %s", got)
	}
	if _, _, err := Read(strings.NewReader("2026-01-01\n01/05/2026\n"), 2026, 2026); err == nil || !strings.Contains(err.Error(), "line 2") {
		t.Errorf("a date of another form gives %v", err)
	}
}

func TestBadRules(t *testing.T) {
	for _, bad := range []string{"RRULE:FREQ=SOMETIMES", "RRULE:FREQ=YEARLY;INTERVAL=0", "DURATION:PT3H", "EXDATE:soon"} {
		text := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY:Odd\nDTSTART;VALUE=DATE:20260101\n" + bad + "\nEND:VEVENT\nEND:VCALENDAR\n"
		if _, _, err := Read(strings.NewReader(text), 2026, 2027); err == nil || !strings.Contains(err.Error(), `event "Odd"`) {
			t.Errorf("%s gives %v", bad, err)
		}
	}
}

// A file without a day is refused: it must not take the place of a list that has some.
func TestAFileWithoutHolidays(t *testing.T) {
	event := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART;TZID=Europe/Lisbon:20260101T000000\nEND:VEVENT\nEND:VCALENDAR\n"
	for _, text := range []string{"", "# nothing yet\n", "2020-01-01\n", event} {
		if days, _, err := Read(strings.NewReader(text), 2024, 2028); err == nil || !strings.Contains(err.Error(), "no holiday from 2024 to 2028") {
			t.Errorf("%q gives %v, %v", text, days, err)
		}
	}
}

// What would never end is refused at once.
func TestEventsAreBounded(t *testing.T) {
	for extra, want := range map[string]string{
		"RRULE:FREQ=SECONDLY": "repeats within a day", "RRULE:FREQ=HOURLY": "repeats within a day",
		"DURATION:P999999999D": "expected at most 366", "DTEND;VALUE=DATE:99991231": "expected at most 366",
	} {
		text := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART;VALUE=DATE:20260101\n" + extra + "\nEND:VEVENT\nEND:VCALENDAR\n"
		if days, _, err := Read(strings.NewReader(text), 2024, 2028); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s gives %d days, %v", extra, len(days), err)
		}
	}
}
