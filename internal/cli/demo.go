package cli

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"vastspan/core/span"
	"vastspan/internal/cli/print"
	"vastspan/internal/demo"
	"vastspan/internal/service"
)

func (a *app) demoCommand() *cobra.Command {
	var write string
	c := &cobra.Command{
		Use: "demo", Short: "Run the service on made-up records: Lantern Bay Ferries",
		Long: `Runs the service on the records of Lantern Bay Ferries, a made-up company, in a database of its own.
The records are made and loaded the first time only. --write leaves them as files, with some more to try commands
on, and serves nothing.`,
		Example: "  vastspan demo\n  vastspan demo --write lantern-bay",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	s := servingFlags(c)
	c.Flags().StringVar(&write, "write", "", "folder to write the demo's files, its span book and samples to")
	_ = c.MarkFlagDirname("write")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if write != "" {
			return a.writeDemo(write)
		}
		s.chosen = cmd.Flags().Changed("address")
		base, err := s.dataFolder()
		if err != nil {
			return err
		}
		s.into = filepath.Join(base, "demo-deliveries")
		s.beside = a.besideDemo
		return a.serve(cmd.Context(), s, "demo", a.loadDemo)
	}
	return c
}

// writeDemo leaves the demo's files in a folder.
func (a *app) writeDemo(folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	for _, d := range demo.Datasets() {
		path := filepath.Join(folder, d.Name+".csv")
		if err := writeFile(path, d.Write); err != nil {
			return err
		}
		a.print.Linef("%s", path)
	}
	samples, err := demo.Samples()
	if err != nil {
		return err
	}
	for _, sample := range samples {
		path := filepath.Join(folder, sample.Name)
		if err := writeFile(path, sample.Write); err != nil {
			return err
		}
		a.print.Linef("%s", path)
	}
	path := filepath.Join(folder, "book.yaml")
	a.print.Linef("%s", path)
	return os.WriteFile(path, demo.Book, 0o644)
}

func writeFile(path string, write func(io.Writer) error) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriter(f)
	if err := write(w); err != nil {
		return err
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}

// demoAuthor is who the demo's definitions and loads are by.
const demoAuthor = "demo"

// loadDemo brings the demo's definitions and records in where they are not there yet.
func (a *app) loadDemo(ctx context.Context, s *service.Service) error {
	spans, err := s.Spans.All(ctx)
	if err != nil {
		return err
	}
	if len(spans) == 0 {
		if _, err := s.Definitions.Load(ctx, demo.Book, demoAuthor, "the demo's book", false); err != nil {
			return err
		}
	}
	if len(spans) == 0 {
		if err := acknowledgeDemo(ctx, s); err != nil {
			return err
		}
	}
	have, err := s.Datasets.All(ctx)
	if err != nil {
		return err
	}
	described := map[string]int64{}
	for _, d := range have {
		described[d.Name] = d.Described
	}
	for _, d := range demo.Datasets() {
		if described[d.Name] == 0 {
			bring := a.loadDemoRecords
			if d.Attached {
				bring = a.attachGates
			}
			if err := bring(ctx, s, &d); err != nil {
				return err
			}
		}
		if described[d.Name] <= 1 { // nothing was said about it, or the last demo ended before it was
			if _, err := s.Datasets.Describe(ctx, d.Name, describedDemo(&d), service.AnyVersion); err != nil {
				return err
			}
		}
	}
	return nil
}

// acknowledgeDemo acknowledges that some of the demo's spans have no days on some as-of days, by what they say.
func acknowledgeDemo(ctx context.Context, s *service.Service) error {
	for name, note := range map[string]string{
		"@month-so-far":        "empty on the first day of each month, as the month so far leaves today out",
		"@year-to-last-close":  "empty in January, as no month of the year is over",
		"@weekends-this-month": "empty until the first weekend of each month",
	} {
		finding := service.FindingName{Kind: string(span.FoundEmpty), Spans: []string{name}}
		if err := s.Expressions.Acknowledge(ctx, finding, demoAuthor, note); err != nil {
			return err
		}
	}
	return nil
}

func (a *app) loadDemoRecords(ctx context.Context, s *service.Service, d *demo.Dataset) error {
	file, out := io.Pipe()
	go func() { out.CloseWithError(d.Write(out)) }()
	defer file.CloseWithError(io.ErrClosedPipe)
	load, err := s.Datasets.Load(
		ctx,
		service.File{
			Dataset:      d.Name,
			Name:         d.Name + ".csv",
			Author:       demoAuthor,
			AllowUndated: d.AllowUndated,
			Hints:        d.Hints,
			Body:         file,
		},
	)
	if err == nil {
		fmt.Fprintf(a.err, "loaded %s into %s\n", print.Number(load.Records, "record"), d.Name)
	}
	return err
}

// describedDemo says what the demo's amounts are counted in.
func describedDemo(d *demo.Dataset) service.Description {
	var described service.Description
	if d.Grain != "" {
		described.Grain = &d.Grain
	}
	if d.NoRecords != "" {
		described.NoRecords = &d.NoRecords
	}
	for i := range d.Amounts {
		c := &d.Amounts[i]
		described.Columns = append(described.Columns, service.ColumnDescription{Name: c.Name, Unit: &c.Unit, Better: &c.Better})
	}
	return described
}
