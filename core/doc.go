// Package core holds the heart of the product in its folders: days, calendars, the span language,
// definitions and totals. Nothing below it does I/O or reads a clock.
package core
