package cli

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"runtime/debug"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/internal/postgres"
	"vastspan/internal/service"
	"vastspan/internal/signon"
	"vastspan/internal/web"
)

// serving holds the flags of serve and demo.
type serving struct {
	address, data, database, zone, dayStarts, config string
	databases                                        map[string]service.DatabaseDefinition
	// beside makes databases in the private one's server, in which tables are attached; nil for none.
	beside      func(context.Context, *postgres.Server) (map[string]service.DatabaseDefinition, error)
	chosen      bool // the address was given, not the default
	logForm     string
	logRequests bool
	stopWithin  time.Duration
	memory      string
	// databasePort is that of the private database; 0 takes any that is free.
	databasePort int
	certificate  string
	key          string
	tls          *tls.Config
	accounts     bool
	publicURL    string
	proxies      []string
	auditTo      string
	signOn       *signon.Definition
	delivering
}

func servingFlags(c *cobra.Command) *serving {
	s := &serving{}
	c.Flags().StringVar(&s.address, "address", defaultAddress, "address to listen on, loopback only; port 0 takes any that is free")
	c.Flags().StringVar(&s.data, "data", "", "folder for the private database (default: $VASTSPAN_DATA, else the usual place for data)")
	c.Flags().StringVar(&s.zone, "zone", "", "IANA time zone in which the service reads today (default: this machine's)")
	c.Flags().StringVar(&s.dayStarts, "day-starts", "", "time at which the service's days start, such as 04:00 (default midnight)")
	c.Flags().StringVar(&s.logForm, "log", logText, "form of the log on standard error: text or json")
	c.Flags().DurationVar(&s.stopWithin, "stop-within", stopWithin, "how long requests that are under way may take when the service stops")
	c.Flags().StringVar(&s.memory, "memory", usualMemory,
		"memory that the service may use, its database aside, such as 2GB; half of it for files that are being read")
	c.Flags().StringVar(&s.certificate, "tls-certificate", "", "PEM file of the certificate to answer by over TLS; read again when it changes")
	c.Flags().StringVar(&s.key, "tls-key", "", "PEM file of the key of that certificate")
	_ = c.RegisterFlagCompletionFunc("log", cobra.FixedCompletions([]string{logText, logJSON}, cobra.ShellCompDirectiveNoFileComp))
	return s
}

// usualMemory is how much memory the service may use, where nothing is stated, and leastMemory what it needs.
const (
	usualMemory = "2GB"
	leastMemory = 256 << 20
)

// boundMemory has the program keep to its memory, and returns how many bytes of it are for files.
func (s *serving) boundMemory() (files int64, err error) {
	size, err := humanize.ParseBytes(s.memory)
	if err != nil || size < leastMemory || size > math.MaxInt64 {
		return 0, usagef("--memory %q: expected a size of at least 256MB, such as 2GB", s.memory)
	}
	debug.SetMemoryLimit(int64(size))
	return int64(size) / 2, nil
}

// stopWithin is how long requests may take when the service stops, where nothing is stated.
const stopWithin = 10 * time.Second

// The forms of the log.
const (
	logText = "text"
	logJSON = "json"
)

// openLog has everything that is logged written to standard error.
func (a *app) openLog(form string) error {
	options := &slog.HandlerOptions{ReplaceAttr: bounded}
	switch form {
	case logText:
		slog.SetDefault(slog.New(slog.NewTextHandler(a.err, options)))
	case logJSON:
		slog.SetDefault(slog.New(slog.NewJSONHandler(a.err, options)))
	default:
		return usagef("--log %q: expected text or json", form)
	}
	return nil
}

func (a *app) serveCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "serve", Short: "Run the service, with a private or an external PostgreSQL",
		Long: `Runs the service: the HTTP interface, the console and the metrics. Without --database it starts a
private PostgreSQL on loopback in the data folder, and stops it at the end.

The password of an external database is not accepted on the command line, where others can read it. It is
taken from PGPASSWORD, from the file that PGPASSFILE names (usually ~/.pgpass), or from the URL in
VASTSPAN_DATABASE.

Limits:
` + strings.TrimRight(web.BoundsText(), "\n"),
		Example: "  vastspan serve\n  PGPASSFILE=reporting.pgpass vastspan serve --database postgres://reporting@db.example/vastspan",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
	}
	s := servingFlags(c)
	s.delivering.add(c)
	c.Flags().BoolVar(&s.logRequests, "log-requests", true, "write each request to the log when it has been answered")
	c.Flags().StringVar(
		&s.database,
		"database",
		"",
		"URL of a PostgreSQL database that somebody else runs, without its password (default: $VASTSPAN_DATABASE)",
	)
	c.Flags().IntVar(&s.databasePort, "database-port", 0, "port of the private database, on loopback; 0 takes any that is free")
	c.Flags().BoolVar(&s.accounts, "accounts", false,
		"callers have to sign in; always so once there is an account. Without, everybody on this machine is administrator")
	c.Flags().StringVar(&s.publicURL, "public-url", "", "address under which browsers reach the service, such as https://reports.example")
	c.Flags().StringSliceVar(&s.proxies, "trusted-proxy", nil,
		"address or range of a proxy whose X-Forwarded-For is taken for where a request comes from; may be repeated")
	c.Flags().StringVar(&s.auditTo, "audit-to", "", "file to which the audit is written away as lines of JSON; - is standard error")
	c.Flags().StringVar(&s.config, "config", "",
		"YAML file of these settings, with underscores for hyphens, and of the databases in which tables may be attached")
	_ = c.MarkFlagFilename("config", "yaml", "yml")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := s.readConfig(cmd); err != nil {
			return err
		}
		s.chosen = cmd.Flags().Changed("address")
		if holdsPassword(s.database) {
			return errPassword
		}
		if s.database == "" {
			s.database = os.Getenv("VASTSPAN_DATABASE")
		}
		return a.serve(cmd.Context(), s, "serve", nil)
	}
	return c
}

// errPassword is that the address of a database on the command line holds its password.
var errPassword = usagef(
	"--database: a password on the command line can be read by others: give it by PGPASSWORD, PGPASSFILE or VASTSPAN_DATABASE",
)

// passwordSetting is how the other form of an address, by keys and values, states a password.
var passwordSetting = regexp.MustCompile(`(?i)\bpassword\s*=`)

// holdsPassword reports whether the address of a database states a password.
func holdsPassword(database string) bool {
	if u, err := url.Parse(database); err == nil && u.User != nil {
		if _, stated := u.User.Password(); stated {
			return true
		}
	}
	return passwordSetting.MatchString(database)
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

// folders are where a service and a demo keep everything, below the folder of --data.
var folders = []string{"serve", "demo"}

// existing returns the folder of the service that keeps its data below a folder, or of a demo. Nothing is made.
func existing(base string) (string, error) {
	for _, name := range folders {
		folder := filepath.Join(base, name)
		if _, err := os.Stat(filepath.Join(folder, "data")); err == nil {
			return folder, nil
		}
	}
	return "", fmt.Errorf("no service keeps its data in %s: give the folder that the service was started with (--data or VASTSPAN_DATA)", base)
}

// serve runs the service until the context ends. prepare is called before the first request is answered.
func (a *app) serve(ctx context.Context, s *serving, folder string, prepare func(context.Context, *service.Service) error) (err error) {
	if err := a.openLog(s.logForm); err != nil {
		return err
	}
	clock, err := readClock(a.ownClock(), s.zone, s.dayStarts)
	if err != nil {
		return err
	}
	base, err := s.dataFolder()
	if err != nil {
		return err
	}
	if err := s.readCertificate(); err != nil {
		return err
	}
	settings, err := s.settings()
	if err != nil {
		return err
	}
	files, err := s.boundMemory()
	if err != nil {
		return err
	}
	listener, err := a.listen(ctx, s)
	if err != nil {
		return err
	}
	defer listener.Close()
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	database, err := s.openDatabase(ctx, filepath.Join(base, folder))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, database.close()) }()
	svc, err := service.Open(ctx, database.url, filepath.Join(base, folder, "columns"), s.databases, clock)
	if err != nil {
		return err
	}
	if err := database.guard(ctx); err != nil {
		return errors.Join(err, svc.Close())
	}
	svc.Trouble = database.trouble
	svc.Datasets.ReadWithin(files)
	if svc.Deliveries.Means, err = s.means(); err != nil {
		return errors.Join(err, svc.Close())
	}
	defer func() { err = errors.Join(err, svc.Close()) }()
	if prepare != nil {
		if err := prepare(ctx, svc); err != nil {
			return err
		}
	}
	first, err := svc.Accounts.Begin(ctx, s.accounts)
	if err != nil {
		return err
	}
	if settings.SignOn, err = s.provider(listener); err != nil {
		return err
	}
	handler, err := web.Handler(svc, *settings)
	if err != nil {
		return err
	}
	audit, err := a.auditFile(ctx, s, svc)
	if err != nil {
		return err
	}
	var background sync.WaitGroup
	if audit != nil {
		defer func() { err = errors.Join(err, audit.Close()) }()
		background.Go(func() { svc.Audit.Keep(ctx, audit) })
	}
	background.Go(func() { svc.DayTables.Keep(ctx) })
	background.Go(func() { svc.Schedules.Keep(ctx) })
	background.Go(func() { svc.Deliveries.Keep(ctx) })
	defer func() {
		stop()
		background.Wait()
	}()
	a.announce(listener, s, first)
	return web.Serve(ctx, listener, handler, web.Serving{TLS: s.tls, StopWithin: s.stopWithin})
}

// readCertificate reads the certificate, where one is stated.
func (s *serving) readCertificate() (err error) {
	if s.certificate == "" && s.key == "" {
		return nil
	}
	if s.certificate == "" || s.key == "" {
		return usagef("--tls-certificate and --tls-key go together")
	}
	s.tls, err = web.Certificate(s.certificate, s.key)
	return err
}

// maxLogged is how much of a text the log shows, in bytes.
const maxLogged = 2000

// bounded cuts what is logged to a length.
func bounded(_ []string, at slog.Attr) slog.Attr {
	text := at.Value.String()
	if len(text) > maxLogged {
		at.Value = slog.StringValue(strings.ToValidUTF8(text[:maxLogged], "") + "…")
	}
	return at
}

// base is the address under which the service is reached.
func (s *serving) base(l net.Listener) string {
	switch {
	case s.publicURL != "":
		return strings.TrimSuffix(s.publicURL, "/")
	case s.tls != nil:
		return "https://" + l.Addr().String()
	}
	return "http://" + l.Addr().String()
}

// announce says where the service is, how a client reaches it where that is not the default, and, where there is nobody yet who
// could sign in, where the first administrator is made.
func (a *app) announce(l net.Listener, s *serving, first string) {
	address := s.base(l)
	a.print.Linef("Vast Span is at %s", address)
	if address != defaultServer {
		a.print.Linef("For clients: export VASTSPAN_SERVER=%s", address)
	}
	if first != "" {
		a.print.Linef("There is no administrator yet. Make the first one here, once, within %d hours:", int(service.FirstLasts.Hours()))
		a.print.Linef("  %s%s%s", address, web.LinkPath, first)
	}
	a.print.Linef("Ctrl-C stops it.")
}

// database is the one that is served from.
type database struct {
	url     string
	trouble func() error // why it does not run; nil where that cannot be known
	// guard keeps the audit from the service itself, once its tables are there.
	guard func(context.Context) error
	close func() error
}

// openDatabase returns the database that was given, or a private one that is started in a folder.
func (s *serving) openDatabase(ctx context.Context, folder string) (*database, error) {
	if s.database != "" {
		return &database{s.database, nil, func(context.Context) error { return nil }, func() error { return nil }}, nil
	}
	unlock, err := postgres.Lock(folder)
	if err != nil {
		return nil, err
	}
	pg, err := postgres.Start(ctx, folder, postgres.Settings{Port: s.databasePort})
	if err != nil {
		unlock()
		return nil, err
	}
	db := &database{trouble: pg.Trouble, guard: pg.Guard, close: func() error {
		defer unlock()
		return pg.Stop()
	}}
	if db.url, err = pg.Ordinary(ctx); err != nil {
		return nil, errors.Join(err, db.close())
	}
	if s.beside != nil {
		if s.databases, err = s.beside(ctx, pg); err != nil {
			return nil, errors.Join(err, db.close())
		}
	}
	return db, nil
}

// localZone returns this machine's time zone by its IANA name, where that can be found.
func localZone() *time.Location {
	name, stated := os.LookupEnv("TZ")
	if !stated {
		if path, err := filepath.EvalSymlinks("/etc/localtime"); err == nil {
			_, name, _ = strings.Cut(path, "zoneinfo/")
		}
	}
	if zone, err := time.LoadLocation(strings.TrimPrefix(name, ":")); err == nil && (stated || name != "") {
		return zone
	}
	return time.Local
}

// localZoneName is the IANA name of this machine's time zone, UTC where it has none.
func localZoneName() string {
	if name := localZone().String(); name != "Local" {
		return name
	}
	return "UTC"
}

// portsTried is how many ports after the default one are tried.
const portsTried = 100

// listen opens the address. Where the default one is taken it says by whom, and takes the next free one.
func (a *app) listen(ctx context.Context, s *serving) (net.Listener, error) {
	beyond := s.beyond()
	l, err := web.Listen(s.address, beyond)
	switch {
	case errors.Is(err, syscall.EADDRINUSE) && s.chosen:
		return nil, fmt.Errorf("%s is taken by %s: stop that, or give another --address, such as 127.0.0.1:0 for any that is free",
			s.address, whoListens(ctx, s.address))
	case errors.Is(err, syscall.EACCES):
		return nil, fmt.Errorf("%s needs rights that this account has not: give an --address with a port from 1024 on", s.address)
	case !errors.Is(err, syscall.EADDRINUSE):
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
		if l, err := web.Listen(net.JoinHostPort(host, fmt.Sprint(next)), beyond); err == nil {
			return l, nil
		}
	}
	return web.Listen(net.JoinHostPort(host, "0"), beyond)
}

// whoListens says who answers at an address: a service of ours, or another program.
func whoListens(ctx context.Context, address string) string {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	c := client.New("http://" + address + "/api/v1")
	if r, err := c.GetStatus(ctx); err == nil && r.JSON200 != nil {
		return "another Vast Span, version " + r.JSON200.Version
	}
	if r, err := c.GetSession(ctx); err == nil && r.JSON200 != nil {
		return "another Vast Span, which asks who calls"
	}
	return "another program"
}
