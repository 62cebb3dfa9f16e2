package cli

import (
	"github.com/spf13/pflag"

	"vastspan/core/dataset"
	"vastspan/internal/service"
)

// readingFlags say how a file is read, wherever one is.
type readingFlags struct {
	zone, dayStarts, dateOrder, numbers, ambiguous, epoch, grain string
	omit, types, blanks                                          []string
	trim                                                         bool
	century                                                      int
	written                                                      service.FileOptions
}

const (
	ambiguousHelp = "which moment is meant where the zone's clock shows a time twice: earlier or later; never guessed"
	dayStartsHelp = "the time at which a day starts, such as 04:00 for nights that belong to the evening before (default midnight)"
	epochHelp     = "what times that are numbers count: seconds or milliseconds from 1970, or spreadsheet-days; never guessed"
	centuryHelp   = "the first year that two-digit years mean, such as 1970 for 1970 to 2069 (default two-digit years are refused)"
)

// add adds the flags; of says of what file they are, where a command also takes datasets.
func (f *readingFlags) add(flags *pflag.FlagSet, of, zoneHelp string) {
	flags.StringVar(&f.zone, "zone", "", of+zoneHelp)
	flags.StringVar(&f.dayStarts, "day-starts", "", of+dayStartsHelp)
	flags.StringVar(&f.dateOrder, "date-order", "", of+"the order of dates such as 03/04/2026: dmy, mdy or ymd; never guessed")
	flags.StringVar(&f.numbers, "numbers", "",
		of+"how it writes numbers, such as 1.234,56 or ($1,234.56) (default plain digits); never guessed")
	flags.StringVar(&f.ambiguous, "ambiguous", "", of+ambiguousHelp)
	flags.StringVar(&f.epoch, "epoch", "", of+epochHelp)
	flags.IntVar(&f.century, "century", 0, of+centuryHelp)
	flags.StringVar(&f.grain, "grain", "", of+"the unit that a record stands for, such as month (default by how the dates are written)")
	flags.StringArrayVar(&f.omit, "omit", nil, of+"a column that is left out; repeatable")
	flags.StringArrayVar(&f.types, "type", nil, of+"the type of a column, as COLUMN=TYPE: text, number, date or timestamp")
	flags.StringSliceVar(&f.blanks, "blank", nil, of+"words that mean blank, such as 'n/a,-'")
	flags.BoolVar(&f.trim, "trim", false, of+"take blanks off both ends of texts")
	flags.IntVar(&f.written.SkipFooter, "skip-footer", 0, of+"rows at its end that are left out, such as a total line")
	flags.StringVar(&f.written.Format, "format", "", of+"csv, json, xlsx or parquet (default by the content)")
	flags.StringVar(&f.written.Delimiter, "delimiter", "", of+"comma, semicolon, tab or bar (default by the content)")
	flags.StringVar(&f.written.Encoding, "encoding", "", of+"utf-8, utf-16 or windows-1252; the last is never guessed")
	flags.StringVar(&f.written.Sheet, "sheet", "", of+"the sheet of a workbook (default the first)")
	flags.IntVar(&f.written.HeaderRow, "header-row", 0, of+"the row of a sheet that names the columns (default the first that holds any)")
}

// hints are what the flags say about the columns.
func (f *readingFlags) hints() service.ColumnHints {
	return service.ColumnHints{
		Zone: f.zone, DayStarts: f.dayStarts, DateOrder: dataset.DateOrder(f.dateOrder), Numbers: f.numbers,
		Ambiguous: dataset.Ambiguous(f.ambiguous), Epoch: dataset.Epoch(f.epoch), Century: f.century, Grain: f.grain, Types: f.types,
		Blanks: f.blanks, Trim: f.trim,
	}
}
