package cli

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"vastspan/api"
)

// loadFlags are what is stated about a file.
type loadFlags struct {
	date, zone, order, numbers string
	amount, category, detail   []string
	allowUndated, previewOnly  bool
}

func (a *app) loadCommand() *cobra.Command {
	var f loadFlags
	c := &cobra.Command{
		Use:   "load DATASET FILE.csv",
		Short: "Load a file of records into a dataset",
		Long: `Loads a CSV file (- is standard input) into a dataset, which is made where there is none. The file
lands whole or not at all; where any row is wrong, up to twenty are named. Types and roles that are
not stated are inferred: --preview shows them and loads nothing. The first load settles them.`,
		Example: `  vastspan load crossings crossings.csv --date sailed_on --amount fare --category route --preview
  vastspan load crossings crossings.csv --date sailed_on --amount fare --category route`,
		Args: takes(cobra.ExactArgs(2), "a dataset and a file"),
	}
	out := outputFlag(c)
	flags := c.Flags()
	flags.StringVar(&f.date, "date", "", "the column that holds the day")
	flags.StringArrayVar(&f.amount, "amount", nil, "a column of amounts; may be given several times")
	flags.StringArrayVar(&f.category, "category", nil, "a column of categories; may be given several times")
	flags.StringArrayVar(&f.detail, "detail", nil, "a column that is kept and listed only; may be given several times")
	flags.StringVar(&f.zone, "zone", "", "the IANA time zone in which an instant becomes a day (default UTC)")
	flags.StringVar(&f.order, "date-order", "", "the order of dates such as 03/04/2026: dmy, mdy or ymd; never guessed")
	flags.StringVar(&f.numbers, "numbers", "", "how the file writes numbers, such as 1.234,56 (default plain digits); never guessed")
	flags.BoolVar(&f.allowUndated, "allow-undated", false, "let records without a date in; every total says how many stand outside")
	flags.BoolVar(&f.previewOnly, "preview", false, "show what the columns are taken for and load nothing")
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
		r, err := call(a, func(c *api.ClientWithResponses) (*api.LoadFileResponse, error) {
			return c.LoadFileWithBodyWithResponse(cmd.Context(), args[0], params, "text/csv", bar)
		}, func(r *api.LoadFileResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
		bar.finish()
		if err != nil {
			return err
		}
		if *out != asTable {
			return a.printLoads([]api.Load{*r.JSON201}, *out)
		}
		l := r.JSON201
		fmt.Fprintf(a.out, "load %d: %s records landed in %s", l.Id, grouped(fmt.Sprint(l.Records)), args[0])
		if l.FirstDay != nil {
			fmt.Fprintf(a.out, ", from %s to %s", longDay(*l.FirstDay), longDay(*l.LastDay))
		}
		if l.Undated > 0 {
			fmt.Fprintf(a.out, ", %s of them without a day", grouped(fmt.Sprint(l.Undated)))
		}
		fmt.Fprintln(a.out)
		return nil
	}
	return c
}

func (f *loadFlags) params(file string) *api.LoadFileParams {
	name := filepath.Base(file)
	if file == "-" {
		name = "(standard input)"
	}
	p := &api.LoadFileParams{File: &name, AllowUndated: &f.allowUndated}
	for _, list := range []struct {
		from []string
		to   **[]string
	}{{f.amount, &p.Amount}, {f.category, &p.Category}, {f.detail, &p.Detail}} {
		if len(list.from) > 0 {
			*list.to = &list.from
		}
	}
	for _, text := range []struct {
		from string
		to   **string
	}{{f.date, &p.Date}, {f.zone, &p.Zone}, {f.numbers, &p.Numbers}} {
		if text.from != "" {
			*text.to = &text.from
		}
	}
	if f.order != "" {
		order := api.DateOrder(f.order)
		p.DateOrder = &order
	}
	return p
}

func (a *app) preview(cmd *cobra.Command, dataset string, params *api.LoadFileParams, in io.Reader, out output) error {
	preview := api.PreviewLoadParams(*params)
	r, err := call(a, func(c *api.ClientWithResponses) (*api.PreviewLoadResponse, error) {
		return c.PreviewLoadWithBodyWithResponse(cmd.Context(), dataset, &preview, "text/csv", in)
	}, func(r *api.PreviewLoadResponse) (*http.Response, []byte) { return r.HTTPResponse, r.Body })
	if err != nil {
		return err
	}
	p := r.JSON200
	if out == asJSON {
		return a.printJSON(p)
	}
	g := columnsGrid(p.Columns)
	g.header = append(g.header, "first values")
	for i := range g.rows {
		var values []string
		for _, row := range p.Samples {
			if i < len(row) {
				values = append(values, row[i])
			}
		}
		g.rows[i] = append(g.rows[i], strings.Join(values, " | "))
	}
	if out == asCSV {
		return a.printCSV(g)
	}
	settled := "would be made"
	if p.Exists {
		settled = "is there; its columns are settled"
	}
	fmt.Fprintf(a.out, "dataset %s %s; zone %s; from the first %s rows. Nothing is loaded.\n\n", dataset, settled, p.Zone, grouped(fmt.Sprint(p.Sampled)))
	a.printTable(g)
	if len(p.Faults) > 0 {
		return &problemError{api.Problem{Detail: "the file would be refused", Faults: &p.Faults}}
	}
	return nil
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
		progressbar.OptionSetWriter(a.err), progressbar.OptionSetVisibility(isTerminal(a.err)),
		progressbar.OptionSetDescription(filepath.Base(file)), progressbar.OptionShowBytes(true), progressbar.OptionClearOnFinish())}
}

func (p *progress) Read(b []byte) (int, error) {
	n, err := p.in.Read(b)
	_ = p.bar.Add(n) // a bar that cannot be drawn is no reason to stop
	return n, err
}

func (p *progress) finish() { _ = p.bar.Finish() }
