// Package demo makes the records of Lantern Bay Ferries, a made-up small ferry company, from a fixed
// seed: the same bytes every time. It holds every trap that a report on dated records can fall into.
package demo

import (
	_ "embed"
	"encoding/csv"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strconv"
	"time"

	"vastspan/core/civil"
	"vastspan/core/dataset"
	"vastspan/internal/ingest"
)

// The demo's first and newest day of crossings.
var (
	FirstDay = civil.Of(2022, 1, 1)
	LastDay  = civil.Of(2026, 10, 19)
)

// Book is the demo's span book: spans, calendars and holidays.
//
//go:embed book.yaml
var Book []byte

// Zone is the time zone that the company's gates count in.
const Zone = "Europe/Lisbon"

// A Dataset is one of the demo's files and what is stated when it is loaded.
type Dataset struct {
	Name         string
	Hints        ingest.ColumnHints
	AllowUndated bool
	Write        func(w io.Writer) error
	// Amounts says what amounts are counted in and when they are good.
	Amounts []dataset.Column
	// Grain is the unit that a record stands for, "" for the day alone.
	Grain string
	// Attached says that the records are attached from a database of their own.
	Attached bool
	// NoRecords is what a sum without a record means, "" for blank.
	NoRecords string
}

// Datasets lists the demo's files in the order in which they are loaded.
func Datasets() []Dataset {
	return []Dataset{
		{
			Name: "crossings",
			Hints: ingest.ColumnHints{
				Date:       "sailed_on",
				Amounts:    []string{"passengers", "fare"},
				Categories: []string{"route", "fare_class", "channel"},
			},
			AllowUndated: true,
			Write:        crossings,
			Amounts: []dataset.Column{
				{Name: "fare", Unit: "EUR", Better: dataset.Higher},
				{Name: "passengers", Unit: "people", Better: dataset.Higher},
			},
			NoRecords: string(dataset.MeansZero),
		},
		{
			Name:    "plan",
			Hints:   ingest.ColumnHints{Date: "month", Amounts: []string{"planned_fare"}, Categories: []string{"route"}},
			Write:   plan,
			Amounts: []dataset.Column{{Name: "planned_fare", Unit: "EUR", Better: dataset.Higher}},
			Grain:   "month",
		},
		{
			Name: "gates", Attached: true,
			Hints:   ingest.ColumnHints{Date: "counted_at", Amounts: []string{"people"}, Categories: []string{"gate"}, Zone: Zone},
			Write:   gates,
			Amounts: []dataset.Column{{Name: "people", Unit: "people", Better: dataset.Higher}},
		},
		{
			Name: "kiosk",
			Hints: ingest.ColumnHints{
				Date: "sold_at", Amounts: []string{"amount"}, Categories: []string{"item"}, Zone: Zone, DayStarts: "04:00",
			},
			Write:     kiosk,
			Amounts:   []dataset.Column{{Name: "amount", Unit: "EUR", Better: dataset.Higher}},
			NoRecords: string(dataset.MeansZero),
		},
		{
			Name:      "jobs",
			Hints:     ingest.ColumnHints{Date: "opened_on", Amounts: []string{"cost"}, Categories: []string{"vessel", "kind"}},
			Write:     jobs,
			Amounts:   []dataset.Column{{Name: "cost", Unit: "EUR", Better: dataset.Lower}},
			NoRecords: string(dataset.MeansZero),
		},
	}
}

// A route sails from one day of the year through another; weight is how many bookings an ordinary
// day brings.
type route struct {
	name            string
	weight          float64
	price           int // of a foot passenger, in cents
	opens, closes   int // months
	firstYear       int
	quietOnWeekends bool
}

var routes = []route{
	{"Gull Rock", 9, 650, 1, 12, 2022, false},
	{"Saltmarsh", 8, 480, 1, 12, 2022, false},
	{"Heron Key", 5, 820, 1, 12, 2022, true},
	{"Lantern Head", 4, 1250, 3, 11, 2022, false},
	{"Winter Isle", 2, 1900, 5, 9, 2023, false}, // quiet for most of the year, and new in 2023
}

// season is how busy each month is, in hundredths of an ordinary one.
var season = [12]float64{55, 58, 78, 92, 108, 128, 150, 146, 112, 84, 62, 60}

var classes = []struct {
	name   string
	share  float64
	factor int // times the foot passenger's price, in quarters
}{
	{"foot", 0.52, 4}, {"child", 0.16, 2}, {"bicycle", 0.12, 5}, {"car", 0.16, 14}, {"freight", 0.04, 30},
}

var channels = []struct {
	name  string
	share float64
}{{"quay", 0.38}, {"web", 0.41}, {"agent", 0.14}, {"phone", 0.07}}

// noService reports whether a day is one on which nothing sails: Christmas Day and the worst storms.
func noService(d civil.Day) bool {
	_, month, day := d.Date()
	return month == 12 && day == 25 || int(d)%311 == 17
}

// festivals are the Fridays on which the Harbour Festival begins.
var festivals = []civil.Day{
	civil.Of(2022, 7, 15), civil.Of(2023, 7, 14), civil.Of(2024, 7, 12), civil.Of(2025, 7, 18), civil.Of(2026, 7, 10),
}

// festival reports whether a day is one of the Harbour Festival, from Friday through Sunday: twice as many sail.
func festival(d civil.Day) bool {
	return slices.ContainsFunc(festivals, func(friday civil.Day) bool { return d >= friday && d < friday+3 })
}

func crossings(w io.Writer) error {
	out := csv.NewWriter(w)
	rng, crowd := rand.New(rand.NewPCG(2022, 74)), rand.New(rand.NewPCG(2022, 7))
	write := func(sailed string, booked civil.Day, rt *route, class, channel, passengers string, cents int) {
		_ = out.Write([]string{sailed, booked.String(), rt.name, class, channel, passengers, money(cents)}) // Flush and Error tell
	}
	book := func(rng *rand.Rand, d civil.Day, rt *route) {
		class, channel := pick(rng)
		passengers := 1 + rng.IntN(4)
		cents := rt.price * classes[class].factor / 4 * passengers
		people := strconv.Itoa(passengers)
		if classes[class].name == "freight" {
			people = "" // freight has no passengers: blank, not zero
			cents = rt.price * classes[class].factor / 4
		}
		booked := d - civil.Day(min(rng.ExpFloat64()*9, 90))
		write(d.String(), booked, rt, classes[class].name, channels[channel].name, people, cents)
		if rng.Float64() < 0.012 { // a refund, on the day of sailing or soon after
			write(
				min(LastDay, d+civil.Day(rng.IntN(5))).String(),
				booked,
				rt,
				classes[class].name,
				channels[channel].name,
				"",
				-cents,
			)
		}
	}
	_ = out.Write([]string{"sailed_on", "booked_on", "route", "fare_class", "channel", "passengers", "fare"})
	for d := FirstDay; d <= LastDay; d++ {
		if noService(d) {
			continue
		}
		for i := range routes {
			rt := &routes[i]
			for range bookings(rng, rt, d) {
				book(rng, d, rt)
			}
			if festival(d) {
				for range bookings(crowd, rt, d) {
					book(crowd, d, rt)
				}
			}
		}
	}
	for i := range 14 { // open tickets: paid for, and not yet bound to a day
		rt := &routes[i%4]
		write("", LastDay-civil.Day(3*i), rt, "foot", "web", "1", rt.price)
	}
	out.Flush()
	return out.Error()
}

// bookings returns how many bookings a route has on a day.
func bookings(rng *rand.Rand, rt *route, d civil.Day) int {
	year, month, _ := d.Date()
	if month < rt.opens || month > rt.closes || year < rt.firstYear {
		return 0
	}
	expected := rt.weight * season[month-1] / 100 * (1 + 0.06*float64(year-2022))
	if weekend := d.Weekday() >= civil.Saturday; weekend && rt.quietOnWeekends {
		expected *= 0.25
	} else if weekend {
		expected *= 1.35
	}
	return int(max(0, expected+rng.NormFloat64()*expected*0.3))
}

func pick(rng *rand.Rand) (class, channel int) {
	for p := rng.Float64(); class < len(classes)-1 && p >= classes[class].share; class++ {
		p -= classes[class].share
	}
	for p := rng.Float64(); channel < len(channels)-1 && p >= channels[channel].share; channel++ {
		p -= channels[channel].share
	}
	return class, channel
}

func money(cents int) string {
	sign := ""
	if cents < 0 {
		sign, cents = "-", -cents
	}
	return fmt.Sprintf("%s%d.%02d", sign, cents/100, cents%100)
}

// plan has a row for each route and month, past the newest record, through March 2027.
func plan(w io.Writer) error {
	out := csv.NewWriter(w)
	_ = out.Write([]string{"month", "route", "planned_fare"})
	for m := FirstDay; m < civil.Of(2027, 4, 1); m, _ = m.AddMonths(1) {
		year, month, _ := m.Date()
		for i := range routes {
			rt := &routes[i]
			if month < rt.opens || month > rt.closes || year < rt.firstYear {
				continue
			}
			fares := rt.weight * season[month-1] / 100 * (1 + 0.065*float64(year-2022)) * 30 * float64(rt.price) * 3.45
			_ = out.Write([]string{m.String(), rt.name, money(int(fares/10000) * 10000)})
		}
	}
	out.Flush()
	return out.Error()
}

// WriteGates writes the records of the gates.
func WriteGates(w io.Writer) error { return gates(w) }

// gates counts people by the hour. The instants are written in UTC: which day an hour before
// midnight belongs to depends on the zone.
func gates(w io.Writer) error {
	out := csv.NewWriter(w)
	rng := rand.New(rand.NewPCG(2025, 12))
	zone, err := time.LoadLocation(Zone)
	if err != nil {
		return err
	}
	_ = out.Write([]string{"counted_at", "gate", "people"})
	for d := civil.Of(2025, 1, 1); d <= LastDay; d++ {
		year, month, day := d.Date()
		for hour := 6; hour < 24; hour++ {
			at := time.Date(year, time.Month(month), day, hour, 0, 0, 0, zone).UTC()
			for _, gate := range []string{"North Pier", "Old Quay"} {
				people := int(season[month-1] / 100 * float64(8+rng.IntN(30)))
				if noService(d) || hour > 21 && rng.Float64() < 0.5 {
					people = 0
				}
				_ = out.Write([]string{at.Format(time.RFC3339), gate, strconv.Itoa(people)})
			}
		}
	}
	out.Flush()
	return out.Error()
}

// kiosk has what the kiosk on the quay sells, from the afternoon until two at night: its nights belong to the day on which
// they begin, so its days start at 04:00.
func kiosk(w io.Writer) error {
	out := csv.NewWriter(w)
	rng := rand.New(rand.NewPCG(2025, 4))
	zone, err := time.LoadLocation(Zone)
	if err != nil {
		return err
	}
	items := []struct {
		name  string
		price int
	}{{"coffee", 180}, {"chowder", 640}, {"toast", 320}, {"lemonade", 240}}
	_ = out.Write([]string{"sold_at", "item", "amount"})
	for d := civil.Of(2025, 4, 1); d <= LastDay; d++ {
		if noService(d) {
			continue
		}
		year, month, day := d.Date()
		sales := int(season[month-1] / 100 * float64(14+rng.IntN(12)))
		if d.Weekday() == civil.Friday || d.Weekday() == civil.Saturday {
			sales = sales * 3 / 2 // the late ferries
		}
		minutes := make([]int, sales)
		for i := range minutes {
			minutes[i] = int(min(max(0, 270+rng.NormFloat64()*140), 599)) // after 16:00
		}
		slices.Sort(minutes)
		for _, minute := range minutes {
			at := time.Date(year, time.Month(month), day, 16, minute, rng.IntN(60), 0, zone)
			item := items[rng.IntN(len(items))]
			_ = out.Write([]string{at.Format(time.RFC3339), item.name, money(item.price * (1 + rng.IntN(3)))})
		}
	}
	out.Flush()
	return out.Error()
}

// jobs has the workshop's jobs, some of them still open.
func jobs(w io.Writer) error {
	out := csv.NewWriter(w)
	rng := rand.New(rand.NewPCG(2024, 9))
	vessels := []string{"Kittiwake", "Sandpiper", "Old Lantern", "Tern"}
	kinds := []string{"engine", "hull", "electrics", "deck", "safety"}
	_ = out.Write([]string{"opened_on", "closed_on", "vessel", "kind", "cost"})
	for opened := FirstDay + 3; opened <= LastDay; opened += civil.Day(1 + rng.IntN(5)) {
		closed := opened + civil.Day(rng.ExpFloat64()*16)
		closedText, cost := "", ""
		if closed <= LastDay {
			closedText, cost = closed.String(), money(4000+rng.IntN(180000))
		}
		_ = out.Write([]string{opened.String(), closedText, vessels[rng.IntN(len(vessels))], kinds[rng.IntN(len(kinds))], cost})
	}
	out.Flush()
	return out.Error()
}
