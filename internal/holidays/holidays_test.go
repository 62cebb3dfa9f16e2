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
	days, err := Read(strings.NewReader(text), first, last)
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

func TestPlainList(t *testing.T) {
	if got := read(t, "\ufeff# harbour days\n2026-01-01 New Year\n\n2025-12-25,Christmas\n2026-01-01\n2030-01-01\n", 2025, 2026); got != "2025-12-25 2026-01-01" {
		t.Errorf("the days are %s", got)
	}
	if _, err := Read(strings.NewReader("2026-01-01\n01/05/2026\n"), 2026, 2026); err == nil || !strings.Contains(err.Error(), "line 2") {
		t.Errorf("a date of another form gives %v", err)
	}
}

func TestBadRules(t *testing.T) {
	for _, bad := range []string{"RRULE:FREQ=SOMETIMES", "DURATION:PT3H", "EXDATE:soon"} {
		text := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY:Odd\nDTSTART;VALUE=DATE:20260101\n" + bad + "\nEND:VEVENT\nEND:VCALENDAR\n"
		if _, err := Read(strings.NewReader(text), 2026, 2027); err == nil || !strings.Contains(err.Error(), `event "Odd"`) {
			t.Errorf("%s gives %v", bad, err)
		}
	}
}

// A file without a day is refused: it must not take the place of a list that has some.
func TestAFileWithoutHolidays(t *testing.T) {
	event := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART;TZID=Europe/Lisbon:20260101T000000\nEND:VEVENT\nEND:VCALENDAR\n"
	for _, text := range []string{"", "# nothing yet\n", "2020-01-01\n", event} {
		if days, err := Read(strings.NewReader(text), 2024, 2028); err == nil || !strings.Contains(err.Error(), "no holiday from 2024 to 2028") {
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
		if days, err := Read(strings.NewReader(text), 2024, 2028); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s gives %d days, %v", extra, len(days), err)
		}
	}
}
