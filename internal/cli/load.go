package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
)

// loadFlags are what is stated about a file.
type loadFlags struct {
	date, zone, dayStarts, order, numbers, ambiguous, epoch, key string
	amount, category, detail                                     []string
	allowUndated, previewOnly                                    bool
}

func (a *app) loadCommand() *cobra.Command {
	var f loadFlags
	c := &cobra.Command{
		Use: "load DATASET FILE.csv", Short: "Load a file of records into a dataset",
		Long: `Loads a CSV file (- is standard input) into a dataset, which is created where there is none. The file is
loaded whole or not at all; where any row is wrong, up to twenty are named. Types and roles that are not
stated are inferred: --preview shows them and loads nothing. The first load fixes them.`,
		Example: `  vastspan load crossings crossings.csv --date sailed_on --amount fare --category route --preview
  vastspan load crossings crossings.csv --date sailed_on --amount fare --category route`,
		Args: argsUsage(cobra.ExactArgs(2), "a dataset and a file"),
	}
	out := a.outputFlag(c)
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		in, done, err := a.open(args[1])
		if err != nil {
			return err
		}
		defer done()
		params := f.params(args[1])
		if f.previewOnly {
			return a.preview(cmd, args[0], params, in, *out)
		}
		bar := a.progress(in, args[1])
		r, err := call(a, nil, func(c *client.ClientWithResponses) (*client.LoadFileResponse, error) {
			return c.LoadFileWithBodyWithResponse(cmd.Context(), args[0], params, "text/csv", bar)
		})
		bar.finish()
		if err != nil {
			return err
		}
		if *out != print.AsTable {
			return a.printLoads([]types.Load{*r.JSON201}, *out)
		}
		l := r.JSON201
		line := fmt.Sprintf("loaded %s into %s %s, as load %d", print.Number(l.Records, "record"), args[0], a.at(), l.Id)
		if l.Oldest != nil {
			line += fmt.Sprintf(": from %s to %s", l.Oldest.Long(), l.Newest.Long())
		}
		if l.Undated > 0 {
			line += fmt.Sprintf(", %s of them without a day", print.Count(l.Undated))
		}
		a.print.Linef("%s", line)
		return nil
	}
	return c
}

const (
	ambiguousHelp = "which moment is meant where the zone's clock shows a time twice: earlier or later; never guessed"
	dayStartsHelp = "the time at which a day starts, such as 04:00 for nights that belong to the evening before (default midnight)"
	epochHelp     = "times that are numbers count seconds or milliseconds from 1970; never guessed"
)

func (f *loadFlags) add(c *cobra.Command) {
	flags := c.Flags()
	flags.StringVar(&f.date, "date", "", "the column that holds the day")
	flags.StringArrayVar(&f.amount, "amount", nil, "a column of amounts; may be given several times")
	flags.StringArrayVar(&f.category, "category", nil, "a column of categories; may be given several times")
	flags.StringArrayVar(&f.detail, "detail", nil, "a column that is kept and listed only; may be given several times")
	flags.StringVar(&f.zone, "zone", "", "the IANA time zone in which an instant becomes a day (default UTC)")
	flags.StringVar(&f.dayStarts, "day-starts", "", dayStartsHelp)
	flags.StringVar(&f.order, "date-order", "", "the order of dates such as 03/04/2026: dmy, mdy or ymd; never guessed")
	flags.StringVar(&f.numbers, "numbers", "", "how the file writes numbers, such as 1.234,56 (default plain digits); never guessed")
	flags.StringVar(&f.ambiguous, "ambiguous", "", ambiguousHelp)
	flags.StringVar(&f.epoch, "epoch", "", epochHelp)
	flags.StringVar(&f.key, "key", "", "a text of your own: a second load with the same key loads nothing and gives the first one")
	flags.BoolVar(&f.allowUndated, "allow-undated", false, "accept records without a date; every total says how many are excluded")
	flags.BoolVar(&f.previewOnly, "preview", false, "show what the columns are taken for and load nothing")
}

// clockText tells by which clock a dataset's times become days.
func clockText(zone string, starts *string) string {
	if starts == nil {
		return "zone " + zone
	}
	return "zone " + zone + ", days start at " + *starts
}

func (f *loadFlags) params(file string) *types.LoadFileParams {
	name := filepath.Base(file)
	if file == "-" {
		name = "(standard input)"
	}
	p := &types.LoadFileParams{
		File:           &name,
		AllowUndated:   &f.allowUndated,
		Date:           ptrOrNil(f.date),
		Zone:           ptrOrNil(f.zone),
		DayStarts:      ptrOrNil(f.dayStarts),
		Numbers:        ptrOrNil(f.numbers),
		Ambiguous:      ptrOrNil(f.ambiguous),
		Epoch:          ptrOrNil(f.epoch),
		DateOrder:      ptrOrNil(types.DateOrder(f.order)),
		IdempotencyKey: ptrOrNil(f.key),
	}
	for _, list := range []struct {
		from []string
		to   **types.ColumnNames
	}{{f.amount, &p.Amount}, {f.category, &p.Category}, {f.detail, &p.Detail}} {
		if len(list.from) > 0 {
			*list.to = &list.from
		}
	}
	return p
}

func (a *app) preview(cmd *cobra.Command, name string, f *types.LoadFileParams, in io.Reader, out print.Output) error {
	params := &types.PreviewLoadParams{
		Date:         f.Date,
		Amount:       f.Amount,
		Category:     f.Category,
		Detail:       f.Detail,
		Zone:         f.Zone,
		DayStarts:    f.DayStarts,
		DateOrder:    f.DateOrder,
		Numbers:      f.Numbers,
		Ambiguous:    f.Ambiguous,
		Epoch:        f.Epoch,
		AllowUndated: f.AllowUndated,
		File:         f.File,
	}
	r, err := call(a, nil, func(c *client.ClientWithResponses) (*client.PreviewLoadResponse, error) {
		return c.PreviewLoadWithBodyWithResponse(cmd.Context(), name, params, "text/csv", in)
	})
	if err != nil {
		return err
	}
	p := r.JSON200
	err = a.print.Print(out, print.View{Data: p, Grid: func() *table.Grid { return previewGrid(p) }, Draw: func(w *print.Printer) {
		state := "would be created"
		if p.Exists {
			state = "exists; its columns are fixed"
		}
		w.Linef(
			"dataset %s %s %s; %s; from the first %s. Nothing is loaded.\n",
			name,
			state,
			a.at(),
			clockText(p.Zone, p.DayStarts),
			print.Number(p.Sampled, "row"),
		)
		w.Table(previewGrid(p), print.Look{Right: print.Right(3)})
	}})
	if len(p.Faults) > 0 && err == nil && out != print.AsJSON {
		return &problemError{Problem: types.Problem{Detail: "the file would be rejected", Faults: &p.Faults}}
	}
	return err
}

func previewGrid(p *types.Preview) *table.Grid {
	g := columnGrid(p.Columns)
	g.Header = append(g.Header, "first values")
	for i := range g.Rows {
		var values []string
		for _, row := range p.Samples {
			if i < len(row) {
				values = append(values, row[i])
			}
		}
		g.Rows[i] = append(g.Rows[i], strings.Join(values, " | "))
	}
	return g
}

// progress shows on standard error, where that is a terminal, how much of a file has gone.
type progress struct {
	in  io.Reader
	bar *progressbar.ProgressBar
}

func (a *app) progress(in io.Reader, file string) *progress {
	size := int64(-1)
	if f, ok := in.(*os.File); ok {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			size = info.Size()
		}
	}
	return &progress{in, progressbar.NewOptions64(size,
		progressbar.OptionSetWriter(a.err), progressbar.OptionSetVisibility(print.IsTerminal(a.err)),
		progressbar.OptionSetDescription(filepath.Base(file)), progressbar.OptionShowBytes(true), progressbar.OptionClearOnFinish())}
}

func (p *progress) Read(b []byte) (int, error) {
	n, err := p.in.Read(b)
	_ = p.bar.Add(n) // a bar that cannot be drawn is no reason to stop
	return n, err
}

func (p *progress) finish() { _ = p.bar.Finish() }
