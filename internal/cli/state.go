package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"syscall"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/postgres"
)

func (a *app) statusCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "status", Short: "Show the version, the sizes and the slowest questions of a service",
		Example: "  vastspan status\n  vastspan status --output json",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		r, err := call(a, nil, func(c *client.Client) (*client.DescribeServiceResponse, error) {
			return c.DescribeService(cmd.Context())
		})
		if err != nil {
			return err
		}
		s := r.JSON200
		size := func(n int64) string { return humanize.Bytes(uint64(max(n, 0))) }
		sets := &table.Grid{Header: []string{"dataset", "records", "loads", "records take", "past records take", "columns take", "newest load"}}
		for _, d := range s.Datasets {
			newest := ""
			if d.LoadedAt != nil {
				newest = d.LoadedAt.Local().Format(time.DateTime)
			}
			sets.Rows = append(sets.Rows, []string{d.Name, print.Count(d.Records), print.Count(d.Loads), size(d.Bytes),
				size(d.PastBytes), size(d.ColumnsBytes), newest})
		}
		return a.print.Print(*out, print.View{Data: s, Grid: func() *table.Grid { return sets }, Draw: func(p *print.Printer) {
			p.Linef("Vast Span %s %s, since %s; its database takes %s", s.Version, a.at(), s.Since.Local().Format(time.DateTime),
				size(s.DatabaseBytes))
			p.Linef("")
			p.Table(sets, print.Look{Right: print.Right(1, 2, 3, 4, 5), Lead: 1})
			for i, q := range s.Slow {
				if i == 0 {
					p.Linef("")
					p.Linef("Slowest questions since the start:")
				}
				if i == 5 {
					break
				}
				p.Linef("  %.2f s  %s %s  %s", q.Seconds, q.Operation, value(q.Dataset), q.At.Local().Format(time.DateTime))
			}
		}})
	}
	return c
}

// stopWait is for how long a service is waited for that was asked to stop.
const stopWait = 2 * time.Minute

func (a *app) stopCommand() *cobra.Command {
	s := &serving{}
	c := &cobra.Command{
		Use: "stop", Short: "Stop the service or demo that runs on a data folder of this machine",
		Example: "  vastspan stop\n  vastspan stop --data /var/lib/vastspan",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	c.Flags().StringVar(&s.data, "data", "", "folder of the service (default: $VASTSPAN_DATA, else the usual place for data)")
	_ = c.MarkFlagDirname("data")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		base, err := s.dataFolder()
		if err != nil {
			return err
		}
		if _, err := existing(base); err != nil {
			return err
		}
		stopped := false
		for _, name := range folders {
			folder := filepath.Join(base, name)
			pid, runs := postgres.Holder(folder)
			if !runs {
				continue
			}
			if err := a.stop(cmd.Context(), folder, pid); err != nil {
				return err
			}
			stopped = true
		}
		if !stopped {
			a.print.Linef("No service runs on %s.", base)
		}
		return nil
	}
	return c
}

// stop asks a service to end and waits until it has.
func (a *app) stop(ctx context.Context, folder string, pid int) error {
	if pid <= 0 {
		return fmt.Errorf("a service runs on %s, started by a version that does not say which process it is: stop that by Ctrl-C", folder)
	}
	if err := syscall.Kill(pid, syscall.SIGTERM); err != nil {
		return fmt.Errorf("process %d, which runs on %s, cannot be stopped: %w", pid, folder, err)
	}
	for until := time.Now().Add(stopWait); time.Now().Before(until); {
		if _, runs := postgres.Holder(folder); !runs {
			a.print.Linef("Stopped the service on %s.", folder)
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
	return fmt.Errorf("process %d, which runs on %s, has not ended within %s", pid, folder, stopWait)
}
