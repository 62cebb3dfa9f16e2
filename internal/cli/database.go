package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/query"
	"vastspan/core/table"
	"vastspan/internal/cli/print"
	"vastspan/internal/postgres"
)

func (a *app) databaseCommand() *cobra.Command {
	return group(
		"database", "List and test databases for attached tables; print the address of the service's own",
		a.databaseList(), a.databaseTest(), a.databaseTables(), a.databaseURL(),
	)
}

func (a *app) databases(ctx context.Context) ([]types.Database, error) {
	r, err := call(a, nil, func(c *client.Client) (*client.ListDatabasesResponse, error) {
		return c.ListDatabases(ctx)
	})
	if err != nil {
		return nil, err
	}
	return r.JSON200.Items, nil
}

func (a *app) databaseList() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "List the databases that the service knows, as its configuration names them",
		Example: "  vastspan database list", Args: argsUsage(cobra.NoArgs, "no arguments"),
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		list, err := a.databases(cmd.Context())
		if err != nil {
			return err
		}
		return a.print.Print(*out, print.View{Data: list, Look: print.Look{Right: print.Right(3, 4)}, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"name", "engine", "address", "timeout_seconds", "parallel"}}
			for _, d := range list {
				g.Rows = append(g.Rows, []string{d.Name, d.Engine, d.Address, fmt.Sprint(d.TimeoutSeconds), fmt.Sprint(d.Parallel)})
			}
			return g
		}, None: "the service knows no other databases; name them in the file of vastspan serve --config"})
	}
	return c
}

func (a *app) databaseTest() *cobra.Command {
	return &cobra.Command{
		Use: "test NAME", Short: "See whether a database answers, and what it is",
		Example: "  vastspan database test warehouse", Args: argsUsage(cobra.ExactArgs(1), "the name of a database"),
		ValidArgsFunction: a.completeDatabases,
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := call(a, nil, func(c *client.Client) (*client.TestDatabaseResponse, error) {
				return c.TestDatabase(cmd.Context(), args[0])
			})
			if err == nil {
				err = a.done(r.JSON200, "%s answers: %s", args[0], r.JSON200.Version)
			}
			return err
		},
	}
}

func (a *app) databaseTables() *cobra.Command {
	c := &cobra.Command{
		Use: "tables NAME [TABLE]", Short: "List the tables of a database that can be attached, or the columns of one",
		Long: `Lists the tables and views of a database that can be attached. With a table, lists its columns: the role that each would have
in a dataset, and its values in the first records.`,
		Example: "  vastspan database tables quay\n  vastspan database tables quay public.gates",
		Args:    argsUsage(cobra.RangeArgs(1, 2), "the name of a database, and a table of it"), ValidArgsFunction: a.completeDatabases,
	}
	out := a.outputFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if len(args) == 2 {
			return a.printColumns(cmd.Context(), *out, args[0], args[1])
		}
		r, err := call(a, nil, func(c *client.Client) (*client.ListTablesResponse, error) {
			return c.ListTables(cmd.Context(), args[0])
		})
		if err != nil {
			return err
		}
		err = a.print.Print(*out, print.View{Data: r.JSON200, Grid: func() *table.Grid {
			g := &table.Grid{Header: []string{"table", "kind"}}
			for _, t := range r.JSON200.Items {
				g.Rows = append(g.Rows, []string{t.Table, string(t.Kind)})
			}
			return g
		}, None: "database " + args[0] + " has no tables that can be read"})
		if err == nil && r.JSON200.More {
			fmt.Fprintf(a.err, "vastspan: only the first %s are listed\n", print.Number(len(r.JSON200.Items), "table"))
		}
		return err
	}
	return c
}

// printColumns prints a look at a table before it is attached.
func (a *app) printColumns(ctx context.Context, out print.Output, database, name string) error {
	r, err := call(a, nil, func(c *client.Client) (*client.ListColumnsResponse, error) {
		return c.ListColumns(ctx, database, &types.ListColumnsParams{Table: name})
	})
	if err != nil {
		return err
	}
	return a.print.Print(out, print.View{Data: r.JSON200.Items, Grid: func() *table.Grid {
		g := &table.Grid{Header: []string{"column", "declared", "type", "role", "first_values"}}
		for _, c := range r.JSON200.Items {
			g.Rows = append(g.Rows, []string{c.Name, c.Declared, string(c.Type), string(c.Role), strings.Join(c.First, " | ")})
		}
		return g
	}})
}

func (a *app) databaseURL() *cobra.Command {
	s := &serving{}
	c := &cobra.Command{
		Use: "url", Short: "Print the address of the private database of a service that runs on this machine, with its password",
		Long: `Prints where the private database of a service is, for tools of PostgreSQL's own: psql "$(vastspan database url)". Only
those who can read the data folder can ask. Read there as much as you like; writing there bypasses the service, at your own risk.
The port is the same at every start where serve has --database-port.`,
		Example: "  psql \"$(vastspan database url)\" -c 'SELECT * FROM records.crossings LIMIT 3'",
		Args:    argsUsage(cobra.NoArgs, "no arguments"),
		RunE: func(*cobra.Command, []string) error {
			base, err := s.dataFolder()
			if err != nil {
				return err
			}
			if _, err := existing(base); err != nil {
				return err
			}
			for _, name := range folders {
				if address, err := postgres.Address(filepath.Join(base, name)); err == nil {
					return a.done(addressOf{address}, "%s", address)
				}
			}
			return fmt.Errorf("no service runs on %s: start it first", base)
		},
	}
	c.Flags().StringVar(&s.data, "data", "", "folder of the service (default: $VASTSPAN_DATA, else the usual place for data)")
	_ = c.MarkFlagDirname("data")
	return c
}

func (a *app) completeDatabases(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	list, err := a.databases(cmd.Context())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	var names []string
	for _, d := range list {
		names = append(names, d.Name)
	}
	return names, cobra.ShellCompDirectiveNoFileComp
}

func (a *app) datasetAttach() *cobra.Command {
	var q types.AttachRequest
	var key, date, zone, dayStarts, grain, noRecords string
	var amounts, categories, details, kept []string
	c := &cobra.Command{
		Use:   "attach NAME --database DATABASE --table TABLE",
		Short: "Make a table or view of another database a dataset; nothing is brought in",
		Long: `Makes a table or a view of another database a dataset: nothing is brought in, and nothing is changed there.
Every total, list of records, brief and receipt is asked of the database itself. The service's configuration names the
databases (vastspan database list); vastspan database tables lists the tables of one.

Without --amount, --category and --detail all columns are taken: numbers as amounts, texts as categories.
--key names a column that tells the records apart: those of one day are then listed by it, and the
earliest and latest of several at the same time are told by it.`,
		Example: `  vastspan dataset attach trips --database warehouse --table public.trips --date sold_on --amount price --category region
  vastspan dataset attach events --database lake --table events --kept at=milliseconds --date at --zone Europe/Lisbon`,
		Args: argsUsage(cobra.ExactArgs(1), "a name for the dataset"),
	}
	flags := c.Flags()
	flags.StringVar(&q.Database, "database", "", "database, as the service's configuration names it")
	flags.StringVar(&q.Table, "table", "", "table or view, with its schema: public.trips")
	flags.StringVar(&key, "key", "", "column that tells the records apart")
	flags.StringVar(&date, "date", "", "column of dates or times that the records are kept by; not needed where there is one alone")
	flags.StringArrayVar(&amounts, "amount", nil, "column of numbers to be added up")
	flags.StringArrayVar(&categories, "category", nil, "column to break down by")
	flags.StringArrayVar(&details, "detail", nil, "column to be listed and filtered by")
	flags.StringArrayVar(&kept, "kept", nil, "column of numbers that are times since 1970: COLUMN=seconds or COLUMN=milliseconds")
	flags.StringVar(&zone, "zone", "", "IANA time zone in which times become days, and in which those without an offset are (default UTC)")
	flags.StringVar(&dayStarts, "day-starts", "", "time at which a day starts, such as 04:00 (default midnight)")
	flags.StringVar(&grain, "grain", "", "what a record stands for: day, week, month, quarter, half or year")
	flags.StringVar(&noRecords, "no-records", "", "what a sum without a record means: zero or blank")
	_ = c.RegisterFlagCompletionFunc("database", func(cmd *cobra.Command, _ []string, to string) ([]string, cobra.ShellCompDirective) {
		return a.completeDatabases(cmd, nil, to)
	})
	completeUnits(c, "grain")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if q.Database == "" || q.Table == "" {
			return usagef("dataset attach: expected --database and --table")
		}
		stated := func(text string) *string {
			if text == "" {
				return nil
			}
			return &text
		}
		listed := func(list []string) *[]string {
			if len(list) == 0 {
				return nil
			}
			return &list
		}
		q.Key, q.Date, q.Zone, q.DayStarts, q.Grain = stated(key), stated(date), stated(zone), stated(dayStarts), stated(grain)
		q.Amounts, q.Categories, q.Details, q.Kept = listed(amounts), listed(categories), listed(details), listed(kept)
		if noRecords != "" {
			means := types.AttachRequestNoRecords(noRecords)
			q.NoRecords = &means
		}
		r, err := call(a, q, func(c *client.Client) (*client.AttachTableResponse, error) {
			return c.AttachTable(cmd.Context(), args[0], q)
		})
		if err != nil {
			return err
		}
		kept := ""
		for _, line := range whereKept(r.JSON201) {
			kept += "\n" + line
		}
		return a.done(r.JSON201, "attached %s of %s as dataset %s %s%s", q.Table, q.Database, args[0], a.at(), kept)
	}
	return c
}

// whereKept says where the records of a dataset are, should that be elsewhere.
func whereKept(d *types.Dataset) []string {
	if d.Attached == nil {
		return nil
	}
	line := fmt.Sprintf("Records stay in table %s of database %s (%s).", d.Attached.Table, d.Attached.Database, d.Attached.Engine)
	lines := []string{line}
	if d.Attached.Floating != nil {
		lines = append(lines, fmt.Sprintf(
			"Kept there as floating point numbers, and added up by their shortest digits: %s.", strings.Join(*d.Attached.Floating, ", ")))
	}
	if d.Trouble != nil {
		lines = append(lines, "What it holds is not known just now: "+*d.Trouble)
	}
	return lines
}

// statements prints what a total sends to other databases.
func (a *app) statements(ctx context.Context, q query.Query, out print.Output) error {
	r, err := call(a, q, func(c *client.Client) (*client.TotalStatementsResponse, error) {
		return c.TotalStatements(ctx, q)
	})
	if err != nil {
		return err
	}
	list := r.JSON200.Items
	return a.print.Print(out, print.View{Data: list, Grid: func() *table.Grid {
		g := &table.Grid{Header: []string{"database", "sql"}}
		for _, s := range list {
			g.Rows = append(g.Rows, []string{s.Database, s.Sql})
		}
		return g
	}, Draw: func(p *print.Printer) {
		if len(list) == 0 {
			p.Linef("no statement is sent: the records of dataset %s are kept by the service", q.Dataset)
		}
		for _, s := range list {
			p.Linef("-- to %s\n%s;", s.Database, s.Sql)
		}
	}})
}
