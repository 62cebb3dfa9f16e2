package ingest

import (
	"strings"
)

// months are the names of months in English, German, French, Spanish, Portuguese, Italian and Dutch, without accents, and two
// abbreviations that are not the beginning of a name.
var months = [...][]string{
	{"january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"},
	{"januar", "februar", "maerz", "april", "mai", "juni", "juli", "august", "september", "oktober", "november", "dezember"},
	{"janvier", "fevrier", "mars", "avril", "mai", "juin", "juillet", "aout", "septembre", "octobre", "novembre", "decembre"},
	{"enero", "febrero", "marzo", "abril", "mayo", "junio", "julio", "agosto", "septiembre", "octubre", "noviembre", "diciembre"},
	{"janeiro", "fevereiro", "marco", "abril", "maio", "junho", "julho", "agosto", "setembro", "outubro", "novembro", "dezembro"},
	{"gennaio", "febbraio", "marzo", "aprile", "maggio", "giugno", "luglio", "agosto", "settembre", "ottobre", "novembre", "dicembre"},
	{"januari", "februari", "maart", "april", "mei", "juni", "juli", "augustus", "september", "oktober", "november", "december"},
	{"", "", "mrz", "", "", "", "", "", "", "", "", ""},
	{"", "", "mrt", "", "", "", "", "", "", "", "", ""},
}

// weekdays are the names of the days of the week, English first.
var weekdays = [...][]string{
	{"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"},
	{"montag", "dienstag", "mittwoch", "donnerstag", "freitag", "samstag", "sonntag"},
	{"lundi", "mardi", "mercredi", "jeudi", "vendredi", "samedi", "dimanche"},
	{"lunes", "martes", "miercoles", "jueves", "viernes", "sabado", "domingo"},
	{"segunda", "terca", "quarta", "quinta", "sexta", "sabado", "domingo"},
	{"lunedi", "martedi", "mercoledi", "giovedi", "venerdi", "sabato", "domenica"},
	{"maandag", "dinsdag", "woensdag", "donderdag", "vrijdag", "zaterdag", "zondag"},
}

// unaccented writes names as they are listed.
var unaccented = strings.NewReplacer(
	"ä", "ae", "á", "a", "à", "a", "â", "a", "ã", "a", "é", "e", "è", "e", "ê", "e", "í", "i", "ì", "i",
	"û", "u", "ü", "ue", "ú", "u", "ç", "c",
)

// monthOf returns the number of the month, from 1 on, that a text names in any of the languages; 0 where it names none, or
// months that differ.
func monthOf(s string) int { return nameOf(s, months[:]) }

// nameOf returns the number, from 1 on, of the name that a text is, or begins, with three letters at least; 0 where there is
// none, or names that differ.
func nameOf(s string, languages [][]string) int {
	if len(s) < 3 || s[0] >= '0' && s[0] <= '9' {
		return 0
	}
	s = unaccented.Replace(strings.ToLower(s))
	found := 0
	for _, names := range languages {
		n := begins(s, names)
		if n > 0 && names[n-1] == s {
			return n
		}
		if n > 0 && found > 0 && n != found || n < 0 {
			return 0
		}
		found = max(found, n)
	}
	return found
}

// begins returns the number, from 1 on, of the one name that begins with a text in lower case; 0 where none does, -1 where several
// do.
func begins(s string, names []string) int {
	found := 0
	s = strings.ToLower(s)
	for i, name := range names {
		if len(s) < 3 || !strings.HasPrefix(name, s) {
			continue
		}
		if name == s {
			return i + 1
		}
		if found > 0 {
			return -1
		}
		found = i + 1
	}
	return found
}
