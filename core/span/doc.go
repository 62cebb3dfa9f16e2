// Package span is the language in which relative date ranges are written: lexer, tree, parser,
// canonical printer, resolver and explainer (semantics §4 to §6). It reads no clock and does no
// I/O; the as-of day, the calendar and the named spans come with the call.
package span
