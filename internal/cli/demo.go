package cli

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"vastspan/internal/demo"
	"vastspan/internal/service"
)

func (a *app) demoCommand() *cobra.Command {
	var write string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Run the service on made-up records: Lantern Bay Ferries",
		Long: `Runs the service on the records of Lantern Bay Ferries, a made-up company, in a database of its own.
The records are made and loaded the first time only. --write leaves them as files and serves nothing.`,
		Example: "  vastspan demo\n  vastspan demo --write lantern-bay",
		Args:    takes(cobra.NoArgs, "no arguments"),
	}
	s := servingFlags(c)
	c.Flags().StringVar(&write, "write", "", "folder to write the demo's files and span book to")
	_ = c.MarkFlagDirname("write")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if write != "" {
			return a.writeDemo(write)
		}
		s.chosen = cmd.Flags().Changed("address")
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
		fmt.Fprintln(a.out, path)
	}
	path := filepath.Join(folder, "book.yaml")
	fmt.Fprintln(a.out, path)
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
	spans, err := s.Spans(ctx)
	if err != nil {
		return err
	}
	if len(spans) == 0 {
		if _, err := s.LoadBook(ctx, demo.Book, demoAuthor, "the demo's book", false); err != nil {
			return err
		}
	}
	have, err := s.Datasets(ctx)
	if err != nil {
		return err
	}
	loaded := map[string]bool{}
	for _, d := range have {
		loaded[d.Name] = true
	}
	for _, d := range demo.Datasets() {
		if loaded[d.Name] {
			continue
		}
		file, out := io.Pipe()
		go func() { out.CloseWithError(d.Write(out)) }()
		load, err := s.Load(ctx, service.LoadRequest{
			Dataset: d.Name, File: d.Name + ".csv", Author: demoAuthor, AllowUndated: d.AllowUndated, Wishes: d.Wishes, Body: file,
		})
		file.CloseWithError(io.ErrClosedPipe)
		if err != nil {
			return err
		}
		if _, err := s.Describe(ctx, d.Name, describedDemo(&d)); err != nil {
			return err
		}
		fmt.Fprintf(a.err, "loaded %s: %s records\n", d.Name, grouped(fmt.Sprint(load.Records)))
	}
	return nil
}

// describedDemo says what the demo's amounts are counted in.
func describedDemo(d *demo.Dataset) service.Description {
	var described service.Description
	if d.Covers != "" {
		described.Covers = &d.Covers
	}
	for i := range d.Amounts {
		c := &d.Amounts[i]
		described.Columns = append(described.Columns, service.ColumnDescription{Name: c.Name, Unit: &c.Unit, Better: &c.Better})
	}
	return described
}
