package civil

import (
	"fmt"
	"strconv"
	"strings"
)

// A TimeOfDay is what a clock shows, in seconds from midnight: 0 to 24:00, which ends a day.
type TimeOfDay int32

// EndOfDay is 24:00.
const EndOfDay TimeOfDay = 24 * 60 * 60

// String writes hours and minutes, and seconds where there are any.
func (t TimeOfDay) String() string {
	text := fmt.Sprintf("%02d:%02d", t/3600, t/60%60)
	if s := t % 60; s != 0 {
		text += fmt.Sprintf(":%02d", s)
	}
	return text
}

// ParseTimeOfDay reads hours and minutes, and seconds where there are any: 00:00 to 24:00.
func ParseTimeOfDay(text string) (TimeOfDay, error) {
	parts := strings.Split(text, ":")
	refused := fmt.Errorf("%q is not a time of day: expected 00:00 to 24:00, such as 09:30", text)
	if len(parts) < 2 || len(parts) > 3 {
		return 0, refused
	}
	var n [3]int
	for i, part := range parts {
		v, err := strconv.ParseUint(part, 10, 8)
		if err != nil || len(part) > 2 || len(part) < 2 && i > 0 || i > 0 && v > 59 {
			return 0, refused
		}
		n[i] = int(v)
	}
	t := TimeOfDay(n[0]*3600 + n[1]*60 + n[2])
	if t > EndOfDay {
		return 0, refused
	}
	return t, nil
}
