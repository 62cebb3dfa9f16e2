package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/internal/postgres"
	"vastspan/internal/service"
	"vastspan/internal/web"
)

// serving holds the flags of serve and demo.
type serving struct {
	address, data, database, zone string
	chosen                        bool // the address was given, not the default
}

func servingFlags(c *cobra.Command) *serving {
	s := &serving{}
	c.Flags().StringVar(&s.address, "address", defaultAddress, "address to listen on, loopback only; port 0 takes any that is free")
	c.Flags().StringVar(&s.data, "data", "", "folder for the private database (default: $VASTSPAN_DATA, else the usual place for data)")
	c.Flags().StringVar(&s.zone, "zone", "", "IANA time zone in which the service reads today (default: this machine's)")
	return s
}

func (a *app) serveCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "serve", Short: "Run the service, with a private PostgreSQL or one that somebody else runs",
		Long: `Runs the service: the HTTP interface, the console and the metrics. Without --database it starts a
private PostgreSQL on loopback in the data folder, and stops it again at the end.`,
		Example: "  vastspan serve\n  vastspan serve --database postgres://reporting@db.example/vastspan",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	s := servingFlags(c)
	c.Flags().StringVar(&s.database, "database", "", "URL of a PostgreSQL database that somebody else runs")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		s.chosen = cmd.Flags().Changed("address")
		return a.serve(cmd.Context(), s, "serve", nil)
	}
	return c
}

// dataFolder is where services on this machine keep their data: for root a folder that the database
// account can reach.
func (s *serving) dataFolder() (string, error) {
	if s.data != "" {
		return s.data, nil
	}
	if dir := os.Getenv("VASTSPAN_DATA"); dir != "" {
		return filepath.Abs(dir)
	}
	if os.Geteuid() == 0 {
		return "/var/lib/vastspan", nil
	}
	if dir := os.Getenv("XDG_DATA_HOME"); dir != "" {
		return filepath.Join(dir, "vastspan"), nil
	}
	home, err := os.UserHomeDir()
	return filepath.Join(home, ".local", "share", "vastspan"), err
}

// serve runs the service until the context ends. prepare is called before the first request is answered.
func (a *app) serve(ctx context.Context, s *serving, folder string, prepare func(context.Context, *service.Service) error) (err error) {
	slog.SetDefault(slog.New(slog.NewTextHandler(a.err, nil)))
	zone, err := s.location()
	if err != nil {
		return err
	}
	base, err := s.dataFolder()
	if err != nil {
		return err
	}
	listener, err := a.listen(ctx, s)
	if err != nil {
		return err
	}
	defer listener.Close()
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	url, closeDatabase, err := s.openDatabase(ctx, filepath.Join(base, folder), stop)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closeDatabase()) }()
	svc, err := service.Open(ctx, url, zone, time.Now)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, svc.Close()) }()
	if prepare != nil {
		if err := prepare(ctx, svc); err != nil {
			return err
		}
	}
	handler, err := web.Handler(svc, Version())
	if err != nil {
		return err
	}
	var background sync.WaitGroup
	background.Go(func() { svc.DayTables.Keep(ctx) })
	background.Go(func() { svc.Schedules.Keep(ctx) })
	defer func() {
		stop(nil)
		background.Wait()
	}()
	a.announce(listener)
	if err := web.Serve(ctx, listener, handler); err != nil {
		return err
	}
	if cause := context.Cause(ctx); !errors.Is(cause, context.Canceled) {
		return cause
	}
	return nil
}

// announce says where the service is, and how a client reaches it where that is not the default.
func (a *app) announce(l net.Listener) {
	address := l.Addr().String()
	a.print.Linef("Vast Span is at http://%s", address)
	if address != defaultAddress {
		a.print.Linef("For clients: export VASTSPAN_SERVER=http://%s", address)
	}
	a.print.Linef("Ctrl-C stops it.")
}

// openDatabase returns the address of the database: the one that was given, or a private one that is
// started in a folder.
func (s *serving) openDatabase(
	ctx context.Context,
	folder string,
	stop context.CancelCauseFunc,
) (url string, closeIt func() error, err error) {
	if s.database != "" {
		return s.database, func() error { return nil }, nil
	}
	unlock, err := postgres.Lock(folder)
	if err != nil {
		return "", nil, err
	}
	pg, err := postgres.Start(ctx, folder)
	if err != nil {
		unlock()
		return "", nil, err
	}
	return pg.URL, func() error {
		defer unlock()
		return pg.Stop()
	}, nil
}

func (s *serving) location() (*time.Location, error) {
	if s.zone == "" {
		return time.Local, nil
	}
	zone, err := time.LoadLocation(s.zone)
	if err != nil {
		return nil, usagef("--zone: %q is not an IANA time zone: expected one such as Europe/Lisbon", s.zone)
	}
	return zone, nil
}

// portsTried is how many ports after the default one are tried.
const portsTried = 100

// listen opens the address. Where the default one is taken it says by whom, and takes the next free one.
func (a *app) listen(ctx context.Context, s *serving) (net.Listener, error) {
	l, err := web.Listen(s.address)
	if !errors.Is(err, syscall.EADDRINUSE) || s.chosen {
		return l, err
	}
	a.print.Linef("%s is taken by %s; another port is used.", s.address, whoListens(ctx, s.address))
	host, text, err := net.SplitHostPort(s.address)
	if err != nil {
		return nil, err
	}
	port, err := net.LookupPort("tcp", text)
	if err != nil {
		return nil, err
	}
	for next := port + 1; next < port+portsTried; next++ {
		if l, err := web.Listen(net.JoinHostPort(host, fmt.Sprint(next))); err == nil {
			return l, nil
		}
	}
	return web.Listen(net.JoinHostPort(host, "0"))
}

// whoListens says who answers at an address: a service of ours, or another program.
func whoListens(ctx context.Context, address string) string {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	if c, err := client.NewClientWithResponses("http://" + address + "/api/v1"); err == nil {
		if r, err := c.GetStatusWithResponse(ctx); err == nil && r.JSON200 != nil {
			return "another Vast Span, version " + r.JSON200.Version
		}
	}
	return "another program"
}
