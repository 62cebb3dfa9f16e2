package main

import (
	"bufio"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"github.com/dustin/go-humanize"

	"vastspan/bench/made"
	"vastspan/core/tally"
	"vastspan/internal/export"
	"vastspan/internal/ingest"
)

// files measures totals of a CSV file next to those of the same records as Parquet, and the memory that either takes.
func (b *bench) files() error {
	parquet := strings.TrimSuffix(b.file, ".csv") + ".parquet"
	if err := writeParquet(b.file, parquet); err != nil {
		return err
	}
	defer os.Remove(parquet)
	plan, err := b.plan(false)
	if err != nil {
		return err
	}
	var spent [2]time.Duration
	var peak [2]int64
	for i, file := range []string{b.file, parquet} {
		if spent[i], err = made.Timed(2, func() error { return b.stream(plan, file) }); err != nil {
			return err
		}
		if peak[i], err = peakOf(file); err != nil {
			return err
		}
	}
	b.put("files", "the same of a Parquet file : of the CSV file", spent[1], spent[0])
	b.tables["files"].Put("memory at its peak, CSV file : Parquet file", humanize.Comma(int64(b.records))+" records",
		fmt.Sprintf("%d MB : %d MB", peak[0]>>20, peak[1]>>20))
	return nil
}

// writeParquet writes the records of a CSV file as Parquet.
func writeParquet(from, to string) error {
	f, err := os.Create(to)
	if err != nil {
		return err
	}
	sheet := export.Sheet{
		Columns: []export.Column{{Name: "day", Kind: export.Day}, {Name: "product"}, {Name: "region"}, {Name: "channel"},
			{Name: "amount", Kind: export.Number}},
		Rows: func(yield func([]string) error) error {
			in, err := os.Open(from)
			if err != nil {
				return err
			}
			defer in.Close()
			rows := csv.NewReader(bufio.NewReaderSize(in, 1<<20))
			rows.ReuseRecord = true
			for n := 0; ; n++ {
				row, err := rows.Read()
				if errors.Is(err, io.EOF) {
					return nil
				}
				if err == nil && n > 0 {
					err = yield(row)
				}
				if err != nil {
					return err
				}
			}
		},
	}
	w := bufio.NewWriterSize(f, 1<<20)
	return errors.Join(export.Parquet.WriteSheet(w, sheet, false), w.Flush(), f.Close())
}

// peakOf returns how much memory a process of its own takes to total a file, in bytes.
func peakOf(file string) (int64, error) {
	self, err := os.Executable()
	if err != nil {
		return 0, err
	}
	c := exec.Command(self, "-total", file)
	c.Stderr = os.Stderr
	out, err := c.Output()
	if err != nil {
		return 0, err
	}
	return strconv.ParseInt(strings.TrimSpace(string(out)), 10, 64)
}

// totalAlone totals a file and prints how much memory this process has taken at its peak, in bytes.
func totalAlone(file string) error {
	b := &bench{ctx: context.Background()}
	plan, err := b.plan(false)
	if err != nil {
		return err
	}
	if err := b.stream(plan, file); err != nil {
		return err
	}
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return err
	}
	for line := range strings.Lines(string(status)) {
		if value, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			kilobytes, err := strconv.ParseInt(strings.Fields(value)[0], 10, 64)
			fmt.Println(kilobytes << 10)
			return err
		}
	}
	return errors.New("/proc/self/status does not tell the memory at its peak")
}

// stream totals a file.
func (b *bench) stream(plan *tally.Plan, file string) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	r, err := ingest.Open(ingest.Options{}, f)
	if err != nil {
		return err
	}
	defer r.Close()
	schema, err := ingest.Infer(r.Header(), r.Sample(), hints)
	if err != nil {
		return err
	}
	_, err = tally.Run(b.ctx, plan, &ingest.Source{Reader: r, Schema: schema})
	return err
}
