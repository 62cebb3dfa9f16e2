// Command cluster starts several database servers on loopback that hold one table of made-up records together, until it is
// interrupted; or it measures totals of that table, attached as a dataset, beside what one would write by hand.
package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"maps"
	"math/rand/v2"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"vastspan/core/civil"
	"vastspan/internal/cluster"
)

var (
	first = civil.Of(2022, 1, 1)
	asOf  = civil.Of(2026, 10, 19)
)

func main() {
	log.SetFlags(0)
	engine := flag.String("engine", "postgresql", "postgresql or clickhouse")
	servers := flag.Int("servers", 4, "how many servers hold a part of the table")
	records := flag.Int("records", 1_000_000, "how many records they hold together")
	measuring := flag.Bool("measure", false, "measure, and stop")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *engine, *servers, *records, *measuring); err != nil {
		log.Fatal(err)
	}
}

// products are the values by which the records are spread.
const products = 20

func tableOfTrips() *cluster.Table {
	t := &cluster.Table{Name: "trips", By: "product", Day: "day", Columns: []cluster.Column{
		{Name: "day", Kind: cluster.Day}, {Name: "product"}, {Name: "region"}, {Name: "channel"},
		{Name: "amount", Kind: cluster.Decimal, Decimals: 2},
	}}
	for i := range products {
		t.Values = append(t.Values, fmt.Sprintf("product %02d", i))
	}
	return t
}

func run(ctx context.Context, engine string, servers, records int, measuring bool) (err error) {
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
	if err := write(file, records); err != nil {
		return err
	}
	if err := c.Fill(ctx, t, func() (io.ReadCloser, error) { return os.Open(file) }); err != nil {
		return err
	}
	if measuring {
		return measureTable(ctx, c, records)
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

func write(path string, records int) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	rng := rand.New(rand.NewPCG(5, 20))
	days := int(asOf-first) + 1
	texts := make([]string, days)
	for i := range texts {
		texts[i] = (first + civil.Day(i)).String()
	}
	fmt.Fprintln(w, "day,product,region,channel,amount")
	for range records {
		fmt.Fprintf(w, "%s,product %02d,region %d,channel %d,%d.%02d\n",
			texts[rng.IntN(days)], rng.IntN(products), rng.IntN(8), rng.IntN(3), rng.IntN(500), rng.IntN(100))
	}
	return errors.Join(w.Flush(), f.Close())
}
