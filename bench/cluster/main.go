// Command cluster starts several database servers on loopback that hold one table of made-up records together, until it is
// interrupted; or it measures totals of that table, attached as a dataset, next to what one would write by hand.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"maps"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"vastspan/bench/made"
	"vastspan/internal/cluster"
)

func main() {
	log.SetFlags(0)
	engine := flag.String("engine", "postgresql", "postgresql or clickhouse")
	servers := flag.Int("servers", 4, "how many servers hold a part of the table")
	records := flag.Int("records", 1_000_000, "how many records they hold together")
	measuring := flag.Bool("measure", false, "measure, and stop")
	keep := flag.Bool("keep", false, "keep the table in bench/results, and write docs/performance.md")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *engine, *servers, *records, *measuring, *keep); err != nil {
		log.Fatal(err)
	}
}

func tableOfTrips() *cluster.Table {
	t := &cluster.Table{Name: "trips", By: "product", Day: "day", Columns: []cluster.Column{
		{Name: "day", Kind: cluster.Day}, {Name: "product"}, {Name: "region"}, {Name: "channel"},
		{Name: "amount", Kind: cluster.Decimal, Decimals: 2},
	}}
	for i := range made.Products {
		t.Values = append(t.Values, fmt.Sprintf("product %02d", i))
	}
	return t
}

func run(ctx context.Context, engine string, servers, records int, measuring, keep bool) (err error) {
	start, ok := cluster.Engines[engine]
	if !ok || servers < 1 {
		return fmt.Errorf("%d servers of %q: expected 1 or more of %s", servers, engine,
			strings.Join(slices.Sorted(maps.Keys(cluster.Engines)), " or "))
	}
	folder, err := os.MkdirTemp("", "vastspan-cluster-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	if err := os.Chmod(folder, 0o755); err != nil {
		return err
	}
	t := tableOfTrips()
	c, err := start(ctx, folder, servers, t)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, c.Stop()) }()
	file := filepath.Join(folder, "records.csv")
	if err := made.Trips(file, records); err != nil {
		return err
	}
	if err := c.Fill(ctx, t, func() (io.ReadCloser, error) { return os.Open(file) }); err != nil {
		return err
	}
	if measuring {
		return measureTable(ctx, c, records, keep)
	}
	fmt.Printf("%d records in table %s over %d servers of %s.\n\n"+
		"In the service's configuration:\n\ndatabases:\n  together:\n    url: %s\n\n"+
		"Then:\n\nvastspan dataset attach trips --database together --table trips --date day --amount amount "+
		"--category product,region,channel\n\n",
		records, c.Table, servers, c.Engine, c.URL)
	for _, s := range c.Servers {
		fmt.Printf("%s is %s\n", s.Name, s.URL)
	}
	fmt.Println("\nCtrl-C stops the servers and removes their files.")
	<-ctx.Done()
	return nil
}
