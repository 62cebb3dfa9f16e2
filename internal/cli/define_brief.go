package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vastspan/api/client"
	"vastspan/api/types"
	"vastspan/core/book"
	"vastspan/core/query"
	"vastspan/internal/cli/print"
)

// briefFlags are those of a brief's definition.
type briefFlags struct {
	definitionFlagSet
	title, about string
	context      query.Context
	items        []string
	prompts      []string
}

func (f *briefFlags) add(c *cobra.Command) {
	f.definitionFlagSet.add(c)
	flags := c.Flags()
	flags.StringVar(&f.title, "title", "", "the title of the brief (default its name)")
	flags.StringVar(&f.about, "about", "", "what the brief is for")
	flags.StringVar(&f.context.AsOf, "as-of", "", "as-of day of the brief: latest, today or a date (default latest)")
	flags.BoolVar(&f.context.AtClose, "at-close", false, "the as-of day itself is over")
	flags.StringVar(&f.context.Calendar, "calendar", "", "calendar in which its expressions are read")
	flags.StringArrayVar(&f.items, "item", nil, "an item: KIND TITLE: QUERY, where the kind is figure, table, bars, lines or drivers; "+
		"or in braces as in a span book, with all that it has; repeatable")
	flags.StringArrayVar(&f.prompts, "prompt", nil, "a prompt that items name as ?NAME: NAME=EXPRESSION, its default, "+
		"or 'NAME (LABEL)=EXPRESSION'; repeatable")
}

func (a *app) briefAdd() *cobra.Command {
	var f briefFlags
	c := &cobra.Command{
		Use: "add [NAME]", Short: "Add a brief, from flags or a file",
		Long: `Adds a brief with the items of the flags, or of a file as a span book has it. A bar separates the lines of an item of
lines, each with its label. An item in braces is read as in a span book; ageing and widths are written that way.`,
		Example: `  vastspan brief add quay --title 'The quay' --prompt 'window (Days to look at)=last full quarter' \
    --item 'figure Fares: dataset=crossings; over=month to date; figures=sum fare; spark=month' \
    --item 'table By route: dataset=crossings; over=?window; figures=sum fare; by=route; against=1 year earlier' \
    --item 'lines Fares by month: each=month | this year: dataset=crossings; over=year to date; figures=sum fare |
       last year: dataset=crossings; over=last full year; figures=sum fare' \
    --item '{kind: ageing, title: Jobs, dataset: jobs, width: 6, ageing: {from: opened_on, to: closed_on, bands: "0-7, 8-30, 31+"}}'
  vastspan brief add --file quay.yaml`,
		Args: argsUsage(cobra.MaximumNArgs(1), "a name, or --file"),
	}
	f.add(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		b, err := f.read(a, cmd, args)
		if err != nil {
			return err
		}
		r, err := call(a, b, func(c *client.Client) (*client.AddBriefResponse, error) {
			return c.AddBrief(cmd.Context(), &types.AddBriefParams{Note: ptrOrNil(f.note)}, b)
		})
		if err != nil {
			return err
		}
		d := &r.JSON201.Definition
		if err := a.done(r.JSON201, "saved brief %s %s: %s, %s; see it with vastspan brief show %s", d.Name, a.at(), d.Title,
			print.Number(len(d.Items), "item"), d.Name); err != nil {
			return err
		}
		return a.tryBrief(cmd.Context(), d)
	}
	return c
}

// tryBrief evaluates a saved brief and reports the items that cannot be shown.
func (a *app) tryBrief(ctx context.Context, b *book.Brief) error {
	q := types.ViewRequest{}
	if len(b.Prompts) > 0 {
		return nil // its figures wait for an answer
	}
	r, err := call(a, q, func(c *client.Client) (*client.ViewBriefResponse, error) {
		return c.ViewBrief(ctx, b.Name, q)
	})
	if err != nil {
		return fmt.Errorf("the brief is saved, but cannot be shown: %w", err)
	}
	var wrong []string
	for _, it := range r.JSON200.Items {
		if it.Error != nil {
			wrong = append(wrong, print.Visible(fmt.Sprintf("%s: %s", it.Item.Title, *it.Error)))
		}
	}
	if len(wrong) > 0 {
		_, err = fmt.Fprintf(a.err, "not all of it can be shown yet:\n  %s\n", strings.Join(wrong, "\n  "))
	}
	return err
}

// read puts the brief together.
func (f *briefFlags) read(a *app, c *cobra.Command, args []string) (b book.Brief, err error) {
	if f.file != "" {
		if b, err = fromFile[book.Brief](a, f.file); err != nil {
			return b, err
		}
	}
	if len(args) == 1 {
		b.Name = args[0]
	}
	for _, text := range f.items {
		it, err := readItem(strings.TrimSpace(text))
		if err != nil {
			return b, err
		}
		b.Items = append(b.Items, it)
	}
	for _, text := range f.prompts {
		p, err := readPrompt(text)
		if err != nil {
			return b, err
		}
		b.Prompts = append(b.Prompts, p)
	}
	given := c.Flags().Changed
	if given("title") {
		b.Title = f.title
	}
	if given("about") {
		b.About = f.about
	}
	if given("as-of") {
		b.AsOf = f.context.AsOf
	}
	if given("at-close") {
		b.AtClose = f.context.AtClose
	}
	if given("calendar") {
		b.Calendar = f.context.Calendar
	}
	if b.Title == "" {
		b.Title = b.Name
	}
	switch {
	case b.Name == "":
		return b, usagef("brief add: expected a name")
	case len(b.Items) == 0:
		return b, usagef("brief add: expected --item, or a file with items")
	}
	return b, nil
}

// readItem reads an item of a brief: KIND TITLE: QUERY, where spark=UNIT may be a part of the query, or as a span book has it.
func readItem(text string) (it book.Item, err error) {
	if strings.HasPrefix(text, "{") {
		if it, err = book.DecodeOne[book.Item]([]byte(text)); err != nil {
			return it, usagef("--item %q: %v", text, err)
		}
		return it, nil
	}
	head, rest, ok := strings.Cut(text, ":")
	kind, title, _ := strings.Cut(strings.TrimSpace(head), " ")
	switch {
	case ok && kind == string(book.AgeingItem):
		return it, usagef("--item %q: write an item of ageing in braces, such as "+
			"'{kind: ageing, title: Jobs, dataset: jobs, ageing: {from: opened_on, to: closed_on}}'", text)
	case !ok || !slices.Contains(writtenKinds, book.ItemKind(kind)) || strings.TrimSpace(title) == "":
		return it, usagef("--item %q: expected figure, table, bars, lines or drivers, a title, a colon and a query, such as "+
			"'figure Fares: dataset=crossings; over=month to date; figures=sum fare'", text)
	}
	it.Kind, it.Title = book.ItemKind(kind), strings.TrimSpace(title)
	if it.Kind == book.LinesItem {
		parts := strings.Split(rest, "|")
		for _, part := range parts[1:] {
			l, err := readLine(strings.TrimSpace(part))
			if err != nil {
				return it, err
			}
			it.Lines = append(it.Lines, l)
		}
		if rest = parts[0]; len(it.Lines) == 0 {
			return it, usagef("--item %q: expected lines after the query, such as "+
				"'| this year: dataset=crossings; over=year to date; figures=sum fare'", text)
		}
	}
	parts := slices.DeleteFunc(strings.Split(rest, ";"), func(part string) bool {
		unit, is := strings.CutPrefix(strings.TrimSpace(part), "spark=")
		if is {
			it.Spark = strings.TrimSpace(unit)
		}
		return is
	})
	if it.Query, err = query.Parse(strings.Join(parts, ";")); err != nil {
		return it, usagef("--item %q: %v", text, err)
	}
	return it, nil
}

// writtenKinds are the kinds of items that are written with a query.
var writtenKinds = []book.ItemKind{book.FigureItem, book.TableItem, book.BarsItem, book.LinesItem, book.DriversItem}

// readPrompt reads a prompt of a brief: NAME=EXPRESSION or NAME (LABEL)=EXPRESSION.
func readPrompt(text string) (p book.Prompt, err error) {
	name, is, ok := strings.Cut(text, "=")
	name, label, labelled := strings.Cut(strings.TrimSpace(name), " (")
	label, closed := strings.CutSuffix(label, ")")
	p = book.Prompt{Name: name, Label: label, Default: strings.TrimSpace(is)}
	if !labelled {
		p.Label = name
	}
	if !ok || p.Name == "" || p.Label == "" || p.Default == "" || labelled && !closed {
		return p, usagef("--prompt %q: expected NAME=EXPRESSION or 'NAME (LABEL)=EXPRESSION', such as window='last full quarter'", text)
	}
	return p, nil
}
