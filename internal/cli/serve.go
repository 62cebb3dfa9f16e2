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

	"vastspan/internal/postgres"
	"vastspan/internal/service"
	"vastspan/internal/store"
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
		Use:   "serve",
		Short: "Run the service, with a private PostgreSQL or one that somebody else runs",
		Long: `Runs the service: the HTTP interface, the console and the metrics. Without --database it starts a
private PostgreSQL on loopback in the data folder, and stops it again at the end.`,
		Example: "  vastspan serve\n  vastspan serve --database postgres://reporting@db.example/vastspan",
		Args:    takes(cobra.NoArgs, "no arguments"),
	}
	s := servingFlags(c)
	c.Flags().StringVar(&s.database, "database", "", "URL of a PostgreSQL database that somebody else runs")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		s.chosen = cmd.Flags().Changed("address")
		return a.serve(cmd.Context(), s, "serve", nil)
	}
	return c
}

// serve runs the service until the context ends. prepare is called before the first request is
// answered.
func (a *app) serve(ctx context.Context, s *serving, folder string, prepare func(context.Context, *service.Service) error) (err error) {
	slog.SetDefault(slog.New(slog.NewTextHandler(a.err, nil)))
	zone, err := s.location()
	if err != nil {
		return err
	}
	base := s.data
	if base == "" {
		if base, err = baseFolder(); err != nil {
			return err
		}
	}
	listener, err := s.listen()
	if err != nil {
		return err
	}
	defer listener.Close()
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	url := s.database
	if url == "" {
		own := filepath.Join(base, folder)
		unlock, err := lockFolder(own)
		if err != nil {
			return err
		}
		defer unlock()
		pg, err := postgres.Start(ctx, own)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, pg.Stop()) }()
		go func() {
			select {
			case <-pg.Done():
				stop(errors.New("the database server has ended by itself; its log is in " + own))
			case <-ctx.Done():
			}
		}()
		url = pg.URL
	}
	st, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, st.Close()) }()
	svc := service.New(st, zone, time.Now)
	if prepare != nil {
		if err := prepare(ctx, svc); err != nil {
			return err
		}
	}
	keeping := make(chan struct{})
	go func() {
		var wait sync.WaitGroup
		wait.Go(func() { svc.KeepDays(ctx) })
		wait.Go(func() { svc.KeepSchedules(ctx) })
		wait.Wait()
		close(keeping)
	}()
	defer func() {
		stop(nil)
		<-keeping
	}()
	address := "http://" + listener.Addr().String()
	forget := announce(base, address)
	defer forget()
	fmt.Fprintf(a.out, "Vast Span is at %s\nCtrl-C stops it.\n", address)
	if err := web.Serve(ctx, listener, web.Handler(svc, Version())); err != nil {
		return err
	}
	if cause := context.Cause(ctx); !errors.Is(cause, context.Canceled) {
		return cause
	}
	return nil
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

// listen opens the address; where the default one is taken, any free port serves as well.
func (s *serving) listen() (net.Listener, error) {
	l, err := web.Listen(s.address)
	if errors.Is(err, syscall.EADDRINUSE) && !s.chosen {
		return web.Listen("127.0.0.1:0")
	}
	return l, err
}

// lockFolder keeps two services from running on one folder.
func lockFolder(folder string) (unlock func(), err error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(filepath.Join(folder, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return nil, errors.Join(fmt.Errorf("another service already runs on %s", folder), f.Close())
	}
	return func() { _ = f.Close() }, nil // closing gives the lock up
}

// announce leaves the address for clients on this machine, and takes it away again unless another
// service has left its own since.
func announce(base, address string) (forget func()) {
	file := addressFile(base)
	err := os.MkdirAll(base, 0o755)
	if err == nil {
		err = os.WriteFile(file, []byte(address+"\n"), 0o644)
	}
	if err != nil {
		slog.Warn("clients must be told the address with --server", "error", err)
		return func() {}
	}
	return func() {
		if text, err := os.ReadFile(file); err == nil && string(text) == address+"\n" {
			_ = os.Remove(file)
		}
	}
}
