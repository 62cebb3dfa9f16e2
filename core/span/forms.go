package span

import "vastspan/core/calendar"

// What each form answers about itself. A new form has to answer as well: without these methods it is not a Node.

func (*Relative) unit() calendar.Unit         { return calendar.Day }
func (n *This) unit() calendar.Unit           { return n.Unit }
func (n *ToDate) unit() calendar.Unit         { return n.Unit }
func (n *LastFull) unit() calendar.Unit       { return n.Unit }
func (n *NextFull) unit() calendar.Unit       { return n.Unit }
func (n *RestOf) unit() calendar.Unit         { return n.Unit }
func (n *Trailing) unit() calendar.Unit       { return n.Unit }
func (n *Coming) unit() calendar.Unit         { return n.Unit }
func (n *Nth) unit() calendar.Unit            { return n.Unit }
func (n *FirstLast) unit() calendar.Unit      { return n.Unit }
func (*NthWeekday) unit() calendar.Unit       { return calendar.Week }
func (*FirstLastWeekday) unit() calendar.Unit { return calendar.Week }
func (*Event) unit() calendar.Unit            { return calendar.Day }
func (*EventOf) unit() calendar.Unit          { return calendar.Day }
func (*NearEvent) unit() calendar.Unit        { return calendar.Day }
func (*DateRange) unit() calendar.Unit        { return calendar.Day }
func (*MomentRange) unit() calendar.Unit      { return calendar.Day }
func (n *UnitLiteral) unit() calendar.Unit    { return n.Unit }
func (*PointDay) unit() calendar.Unit         { return calendar.Day }
func (*FromThrough) unit() calendar.Unit      { return calendar.Day }
func (*FromOnward) unit() calendar.Unit       { return calendar.Day }
func (*Through) unit() calendar.Unit          { return calendar.Day }
func (*AllDates) unit() calendar.Unit         { return calendar.Day }
func (*Name) unit() calendar.Unit             { return calendar.Day }
func (*SetOp) unit() calendar.Unit            { return calendar.Day }
func (*ExcludingToday) unit() calendar.Unit   { return calendar.Day }
func (*SoFar) unit() calendar.Unit            { return calendar.Day }
func (n *Move) unit() calendar.Unit           { return n.Unit }
func (*OnlyDays) unit() calendar.Unit         { return calendar.Day }
func (*OnlyTimes) unit() calendar.Unit        { return calendar.Day }
func (*InCalendar) unit() calendar.Unit       { return calendar.Day }

func (*Relative) before() *Move         { return nil }
func (n *This) before() *Move           { return &Move{N: -1, Unit: n.Unit} }
func (n *ToDate) before() *Move         { return &Move{N: -n.N, Unit: n.Unit} }
func (n *LastFull) before() *Move       { return &Move{N: -n.N, Unit: n.Unit} }
func (n *NextFull) before() *Move       { return &Move{N: -n.N, Unit: n.Unit} }
func (*RestOf) before() *Move           { return nil }
func (n *Trailing) before() *Move       { return &Move{N: -n.N, Unit: n.Unit} }
func (n *Coming) before() *Move         { return &Move{N: -n.N, Unit: n.Unit} }
func (*Nth) before() *Move              { return nil }
func (*FirstLast) before() *Move        { return nil }
func (*NthWeekday) before() *Move       { return &Move{N: -1, Unit: calendar.Week} }
func (*FirstLastWeekday) before() *Move { return &Move{N: -1, Unit: calendar.Week} }
func (*Event) before() *Move            { return nil }
func (*EventOf) before() *Move          { return nil }
func (*NearEvent) before() *Move        { return nil }
func (*DateRange) before() *Move        { return nil }
func (*MomentRange) before() *Move      { return nil }
func (n *UnitLiteral) before() *Move    { return &Move{N: -1, Unit: n.Unit} }
func (*PointDay) before() *Move         { return nil }
func (*FromThrough) before() *Move      { return nil }
func (*FromOnward) before() *Move       { return nil }
func (*Through) before() *Move          { return nil }
func (*AllDates) before() *Move         { return nil }
func (*Name) before() *Move             { return nil }
func (*SetOp) before() *Move            { return nil }
func (*ExcludingToday) before() *Move   { return nil }
func (*SoFar) before() *Move            { return nil }
func (*Move) before() *Move             { return nil }
func (*OnlyDays) before() *Move         { return nil }
func (*OnlyTimes) before() *Move        { return nil }
func (*InCalendar) before() *Move       { return nil }

func (*Relative) wholeUnits() bool         { return false }
func (*This) wholeUnits() bool             { return true }
func (*ToDate) wholeUnits() bool           { return true }
func (*LastFull) wholeUnits() bool         { return true }
func (*NextFull) wholeUnits() bool         { return true }
func (*RestOf) wholeUnits() bool           { return true }
func (*Trailing) wholeUnits() bool         { return false }
func (*Coming) wholeUnits() bool           { return false }
func (*Nth) wholeUnits() bool              { return false }
func (*FirstLast) wholeUnits() bool        { return false }
func (*NthWeekday) wholeUnits() bool       { return false }
func (*FirstLastWeekday) wholeUnits() bool { return false }
func (*Event) wholeUnits() bool            { return false }
func (*EventOf) wholeUnits() bool          { return false }
func (*NearEvent) wholeUnits() bool        { return false }
func (*DateRange) wholeUnits() bool        { return false }
func (*MomentRange) wholeUnits() bool      { return false }
func (*UnitLiteral) wholeUnits() bool      { return false }
func (*PointDay) wholeUnits() bool         { return false }
func (*FromThrough) wholeUnits() bool      { return false }
func (*FromOnward) wholeUnits() bool       { return false }
func (*Through) wholeUnits() bool          { return false }
func (*AllDates) wholeUnits() bool         { return false }
func (*Name) wholeUnits() bool             { return false }
func (*SetOp) wholeUnits() bool            { return false }
func (*ExcludingToday) wholeUnits() bool   { return false }
func (*SoFar) wholeUnits() bool            { return false }
func (*Move) wholeUnits() bool             { return false }
func (*OnlyDays) wholeUnits() bool         { return false }
func (*OnlyTimes) wholeUnits() bool        { return false }
func (*InCalendar) wholeUnits() bool       { return false }

func (*Relative) modifies() Node         { return nil }
func (*This) modifies() Node             { return nil }
func (*ToDate) modifies() Node           { return nil }
func (*LastFull) modifies() Node         { return nil }
func (*NextFull) modifies() Node         { return nil }
func (*RestOf) modifies() Node           { return nil }
func (*Trailing) modifies() Node         { return nil }
func (*Coming) modifies() Node           { return nil }
func (*Nth) modifies() Node              { return nil }
func (*FirstLast) modifies() Node        { return nil }
func (*NthWeekday) modifies() Node       { return nil }
func (*FirstLastWeekday) modifies() Node { return nil }
func (*Event) modifies() Node            { return nil }
func (*EventOf) modifies() Node          { return nil }
func (*NearEvent) modifies() Node        { return nil }
func (*DateRange) modifies() Node        { return nil }
func (*MomentRange) modifies() Node      { return nil }
func (*UnitLiteral) modifies() Node      { return nil }
func (*PointDay) modifies() Node         { return nil }
func (*FromThrough) modifies() Node      { return nil }
func (*FromOnward) modifies() Node       { return nil }
func (*Through) modifies() Node          { return nil }
func (*AllDates) modifies() Node         { return nil }
func (*Name) modifies() Node             { return nil }
func (*SetOp) modifies() Node            { return nil }
func (n *ExcludingToday) modifies() Node { return n.X }
func (n *SoFar) modifies() Node          { return n.X }
func (n *Move) modifies() Node           { return n.X }
func (n *OnlyDays) modifies() Node       { return n.X }
func (n *OnlyTimes) modifies() Node      { return n.X }
func (n *InCalendar) modifies() Node     { return n.X }
