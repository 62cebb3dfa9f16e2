package cli

import (
	"context"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/dataset"
	"vastspan/core/measure"
	"vastspan/core/query"
	"vastspan/core/span"
	"vastspan/internal/cli/print"
)

// totalFlags are the flags of total.
type totalFlags struct {
	query        query.Query
	figures      []measure.Figure     // in the order in which they were asked for
	derived      map[string]*[]string // by the flag of the derivation
	where, other []string
	rolling      string
	overFile     string
	limits       *query.Limits // of the file
	rankBy       string
	explainSQL   bool
	receipt      string
	file         fileFlags
	*contextFlags
}

// whereHelp says how filters are written.
const whereHelp = "records to keep: " + dataset.FilterForms + "; not before in, contains and blank; ignoring case behind; " +
	"or between alternatives; several filters have to hold together, but values of one column are alternatives"

func (a *app) totalCommand() *cobra.Command {
	var f totalFlags
	c := &cobra.Command{
		Use:   "total SOURCE --over EXPR...",
		Short: "Total records over spans",
		Long: `Totals the records of SOURCE over one or more spans. SOURCE is the name of a dataset of the service,
or a file, or - for standard input; a file needs no service.`,
		Example: `  vastspan total crossings --over @closed-month --sum fare --count --by route --as-of latest
  vastspan total crossings.csv --date sailed_on --over 'last full month' --sum fare --as-of 2026-10-19
  vastspan total crossings --over 'year to date' --sum fare --against 'year earlier' --each month --running year --as-of latest
  vastspan total crossings --over 'this quarter' --sum fare --against-dataset 'plan fare=planned_fare' --like-for-like --as-of latest
  vastspan total crossings --over 'last full quarter' --sum fare --each month --across route --top 3 --as-of latest
  zcat big.csv.gz | vastspan total - --over 'month to date' 'last full month' --sum amount --where 'region=North'`,
		Args:              argsUsage(cobra.MinimumNArgs(1), "a dataset or a file, then --over and expressions"),
		ValidArgsFunction: a.completeDatasets,
	}
	out := a.outputFlag(c)
	f.contextFlags = addContextFlags(c, latestHelp)
	f.knownFlag(c)
	f.add(c)
	f.definitionFlags(c)
	for _, e := range measure.All() {
		fits := isNumber
		if e.AnyType {
			fits = nil
		}
		a.completeColumns(c, fits, string(e.Kind))
	}
	a.completeColumns(c, isCategory, "by", "across", "category")
	a.completeColumns(c, isTime, "date")
	a.completeColumns(c, nil, "where", "omit", "amount", "detail")
	completeUnits(c, "each", "running", "grain")
	_ = c.RegisterFlagCompletionFunc("over", a.completeExpressions)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if f.overFile != "" {
			var err error
			if f.limits, err = a.limits(f.overFile); err != nil {
				return err
			}
		}
		q, err := f.read(args)
		if err == nil && f.limits == nil {
			err = a.readable(q.Over)
		}
		if err != nil {
			return err
		}
		switch {
		case f.explainSQL && (f.receipt != "" || isFile(args[0]) || f.limits != nil):
			return usagef("--explain-sql goes with a dataset and --over alone: it shows what is sent to the database of an attached table")
		case f.receipt != "" && isFile(args[0]):
			return usagef("--receipt: a receipt is of a dataset of the service, not of a file")
		case f.receipt != "":
			return a.createReceipt(cmd.Context(), types.ReceiptRequest{Title: &f.receipt, Total: &q})
		case isFile(args[0]):
			return a.totalFile(cmd.Context(), args[0], q, &f, *out)
		case f.book != "" || f.offline:
			return usagef("--book and --offline go with a file; dataset %s is read with the service's own definitions", args[0])
		}
		if f.explainSQL {
			return a.statements(cmd.Context(), q, *out)
		}
		return a.total(cmd.Context(), q, f.limits, *out)
	}
	return c
}

// add adds the flags of a query.
func (f *totalFlags) add(c *cobra.Command) {
	flags, q := c.Flags(), &f.query
	flags.StringArrayVar(&q.Over, "over", nil, "expressions to total over (repeatable), and words after it count too")
	flags.StringVar(&f.overFile, "over-file", "", overFileHelp)
	for _, e := range measure.All() {
		help := "column to " + e.Help
		switch {
		case !e.OfColumn():
			help = e.Help
		case e.Pair:
			help = "two columns, such as fare/passengers: " + e.Help
		}
		flag := flags.VarPF(&figureFlag{&f.figures, &e}, string(e.Kind), "", help)
		if !e.OfColumn() {
			flag.NoOptDefVal = "yes"
		}
	}
	f.addDerived(flags)
	flags.BoolVar(
		&f.explainSQL, "explain-sql", false, "show the statements that are sent to the database of an attached table, in place of figures",
	)
	flags.StringArrayVar(&q.By, "by", nil, "category to break down by, at most two; or a part of time: "+query.PartForms)
	flags.IntVar(
		&q.Top,
		"top",
		0,
		"keep N values of the first category, those that rank highest over the first span, and put the others together",
	)
	flags.StringVar(&f.rankBy, "rank-by", "", "with --top: the figure to rank by, such as 'sum fare' (default: the first one asked for)")
	flags.StringVar(&q.Across, "across", "", "category to set across: units or the other category go down, with totals at both ends")
	flags.StringVar(&q.Share, "share", "", "give figures that add up as a share, too: of the span or of the unit")
	flags.StringArrayVar(&f.where, "where", nil, whereHelp)
	flags.StringArrayVar(
		&q.Against,
		"against",
		nil,
		"what to compare with: 'year earlier', '52 weeks earlier', prior, or an expression (repeatable)",
	)
	flags.StringArrayVar(
		&f.other,
		"against-dataset",
		nil,
		"other records to compare with: a dataset, then COL=ITS_COL where its columns have other names",
	)
	flags.BoolVar(
		&q.LikeForLike,
		"like-for-like",
		false,
		"make both sides end at the same day, where the span reaches past the as-of day or the newest record",
	)
	flags.StringVar(&q.Each, "each", "", "unit to break each span down into: minute, hour, day, week, month, quarter, half or year")
	flags.StringVar(&q.Align, "align", "", "with --each day: an event, such as 'event easter', from whose first day the days are counted")
	flags.StringVar(&q.Running, "running", "", "with --each: add up from the start of this unit, or of the span")
	flags.StringVar(&f.rolling, "rolling", "", "with --each: the row's unit and those before it, such as '3 months'")
	flags.BoolVar(&q.BlankIncomplete, "blank-incomplete", false, "leave a rolling figure blank whose window begins before the records do")
	flags.BoolVar(&q.Previous, "previous", false, "with --each: compare every unit with the one before it")
	flags.BoolVar(&q.Subtotals, "subtotals", false, "add subtotals and the total as rows, flagged, to files and other output")
	flags.BoolVar(&q.Planned, "planned", false, "the records are planned: units in the future count like the others")
	flags.StringVar(&q.Date, "date", "", "the column that holds the day of a record; a dataset has one of its own")
	f.file.add(c)
	f.file.addTotals(c)
	flags.StringVar(&f.receipt, "receipt", "", "create a receipt of this title, in place of printing the answer")
}

// figureFlag adds a figure of one kind each time that it is set.
type figureFlag struct {
	list  *[]measure.Figure
	entry *measure.Entry
}

// Set adds the figure of a column, or of none.
func (f *figureFlag) Set(text string) error {
	if !f.entry.OfColumn() {
		if text == "yes" || text == "true" {
			*f.list = append(*f.list, measure.Figure{Kind: f.entry.Kind})
		}
		return nil
	}
	figure, err := measure.ParseFigure(string(f.entry.Kind) + " " + text)
	if err == nil {
		*f.list = append(*f.list, figure)
	}
	return err
}

// String returns nothing: there is no default.
func (f *figureFlag) String() string { return "" }

// Type is what help shows as the value.
func (f *figureFlag) Type() string {
	switch {
	case !f.entry.OfColumn():
		return "bool"
	case f.entry.Pair:
		return "column/column"
	}
	return "column"
}

// paceFlag goes without a value, too: by days.
const paceFlag = "pace"

// addDerived adds a flag for each kind of derivation; one that has days takes them where no value is given.
func (f *totalFlags) addDerived(flags *pflag.FlagSet) {
	f.derived = map[string]*[]string{}
	help := map[string]string{}
	for _, d := range measure.Derivations() {
		flag, value := d.Flag()
		if help[flag] != "" {
			help[flag] += "; "
		}
		help[flag] += value + ": " + d.Help
	}
	for _, flag := range slices.Sorted(maps.Keys(help)) {
		f.derived[flag] = flags.StringArray(flag, nil, "counts and sums also "+flag+" "+help[flag])
	}
	flags.Lookup(paceFlag).NoOptDefVal = derivedValues(paceFlag)[0]
}

// derivedOf returns what the flags ask to be made of a figure, in the order of the registry.
func (f *totalFlags) derivedOf(base measure.Figure) (list []measure.Figure) {
	e, _ := measure.Lookup(base.Kind)
	for _, d := range measure.Derivations() {
		flag, value := d.Flag()
		asked := slices.ContainsFunc(*f.derived[flag], func(v string) bool { return strings.ReplaceAll(v, "-", " ") == value })
		if asked && e.Share && base.Derived == "" {
			derived := base
			derived.Derived = d.Derivation
			list = append(list, derived)
		}
	}
	return list
}

// checkDerived refuses values that are no derivations.
func (f *totalFlags) checkDerived() error {
	for flag, values := range f.derived {
		known := derivedValues(flag)
		for _, value := range *values {
			if !slices.Contains(known, strings.ReplaceAll(value, "-", " ")) {
				return usagef("--%s %q: expected %s", flag, value, strings.Join(known, ", "))
			}
		}
	}
	return nil
}

// derivedValues lists the values that the flag of a derivation takes.
func derivedValues(flag string) (values []string) {
	for _, d := range measure.Derivations() {
		if name, value := d.Flag(); name == flag {
			values = append(values, value)
		}
	}
	return values
}

// read puts the flags together as a query; figures come in the order in which they were asked for.
func (f *totalFlags) read(args []string) (query.Query, error) {
	q := f.query
	q.Over = append(slices.Clone(q.Over), args[1:]...)
	for _, arg := range args[1:] { // a flag that goes without a value takes one only behind =
		if len(*f.derived[paceFlag]) > 0 && slices.Contains(derivedValues(paceFlag), strings.ReplaceAll(arg, "-", " ")) {
			return q, usagef("--%[1]s %[2]s: write --%[1]s='%[2]s'", paceFlag, arg)
		}
		if against, err := span.ParseAgainst(arg); len(q.Against) > 0 && err == nil && against.Node() == nil {
			return q, usagef("--against takes one value: write --against '%s' as well", arg)
		}
	}
	switch {
	case f.limits != nil && len(q.Over) > 0:
		return q, usagef("--over and --over-file do not go together")
	case f.limits != nil:
		q.Over = f.limits.Over
	case len(q.Over) == 0:
		return q, usagef("total: expected --over and an expression, such as --over 'last full month'")
	}
	if !isFile(args[0]) {
		q.Dataset = args[0]
	}
	q.Context = f.Context
	figures := f.figures
	if len(figures) == 0 {
		figures = []measure.Figure{{Kind: measure.Count}}
	}
	if err := f.checkDerived(); err != nil {
		return q, err
	}
	for _, figure := range figures {
		q.Figures = append(append(q.Figures, figure), f.derivedOf(figure)...)
	}
	for flag, values := range f.derived {
		if len(*values) > 0 && len(q.Figures) == len(figures) {
			return q, usagef("--%s: only what adds up, --count or --sum, has one", flag)
		}
	}
	if q.Across != "" && !slices.Contains(q.By, q.Across) {
		q.By = append(slices.Clone(q.By), q.Across)
	}
	var err error
	if f.rankBy != "" {
		if q.RankBy, err = measure.ParseFigure(f.rankBy); err != nil {
			return q, usagef("--rank-by: %v", err)
		}
	}
	if q.Where, err = readWhere(f.where); err != nil {
		return q, err
	}
	for _, text := range f.other {
		o, err := query.ParseOther(text)
		if err != nil {
			return q, usagef("--against-dataset: %v", err)
		}
		q.AgainstDataset = append(q.AgainstDataset, o)
	}
	if f.rolling != "" {
		if q.Rolling, err = query.ParseWindow(f.rolling); err != nil {
			return q, usagef("--rolling: %v", err)
		}
	}
	return q, nil
}

func readWhere(texts []string) (dataset.Filters, error) {
	filters, err := dataset.ParseFilters(texts)
	if err != nil {
		return nil, usagef("--where: %v", err)
	}
	return filters, nil
}

// total asks the service; limits are the list that the spans came from, nil where they came from none.
func (a *app) total(ctx context.Context, q query.Query, limits *query.Limits, out print.Output) error {
	r, err := call(a, q, func(c *client.Client) (*client.TotalResponse, error) { return c.Total(ctx, q) })
	if err != nil {
		return err
	}
	if err := r.JSON200.ReadClock(); err != nil {
		return err
	}
	return a.printAnswer(limits.Put(r.JSON200), out, a.at())
}

// printAnswer prints an answer; source says whose definitions it uses.
func (a *app) printAnswer(answer *query.Answer, out print.Output, source string) error {
	return a.print.Print(out, print.View{Data: answer, Document: answer.Document, Draw: func(p *print.Printer) {
		p.Linef("%s by %s, %s", answer.Dataset, answer.Date, print.AnswerAsOf(&answer.Answer))
		p.Linef("%s\n", source)
		p.Answer(answer)
	}})
}
