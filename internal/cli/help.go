package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// helpWidth is how many characters a line of help has at most.
const helpWidth = 80

// ofFile begins the texts of flags that hold for a file alone, which their section says.
const ofFile = "of a file: "

// readingFiles is the title of that section.
const readingFiles = "Reading files"

// few is up to how many flags a command's help lists them without sections.
const few = 9

// A section is a part of the flags of a command's help.
type section struct {
	title string
	flags string // their names, with blanks between
}

// sections are the groups of flags in help, in order. A flag that is in none is listed under the first title.
var sections = []section{
	{"Flags", ""},
	{"What to total", `from-column to-column over over-file count sum mean min max first last median distinct ratio pace per
		where date line amount`},
	{"Compare", "against against-dataset like-for-like planned previous"},
	{"Break down", "by each align across top rank-by running rolling blank-incomplete share subtotals bands show unit open"},
	{"As of", "as-of at-close known changed-since until calendar book offline days from through within both-ends zone day-starts"},
	{"What to load", "again idempotency-key key replace preview since"},
	{readingFiles, `allow-undated ambiguous blank century date-order delimiter encoding epoch format grain
		header-row key category detail no-records numbers omit sheet skip-footer trim type`},
	{"Data", "data database database-port memory deliver-into"},
	{"Listening", "address public-url tls-certificate tls-key trusted-proxy accounts stop-within"},
	{"Mail, webhooks and logs", `mail-from mail-password-file mail-server mail-user webhook-hosts webhook-secret-file log
		log-requests audit-to`},
	{"Output", "output to receipt explain explain-sql quiet all-notes safe-cells wide batch column"},
	{"Other flags", "help version config"},
}

// The parts of the list of commands.
const (
	groupAsk     = "ask"
	groupDefine  = "define"
	groupRecords = "records"
	groupReport  = "report"
	groupRun     = "run"
	groupAccess  = "access"
)

var commandGroups = []*cobra.Group{
	{ID: groupAsk, Title: "Ask:"},
	{ID: groupDefine, Title: "Define:"},
	{ID: groupRecords, Title: "Load and keep records:"},
	{ID: groupReport, Title: "Report:"},
	{ID: groupRun, Title: "Run a service:"},
	{ID: groupAccess, Title: "Sign in:"},
}

// help writes the help of a command in lines of at most helpWidth characters.
func help(out io.Writer, cmd *cobra.Command) {
	about := cmd.Long
	if about == "" {
		about = cmd.Short
	}
	fmt.Fprintf(out, "%s\n\nUsage:\n", wrap(about, 0))
	if cmd.Runnable() && !cmd.HasAvailableSubCommands() {
		fmt.Fprintf(out, "  %s\n", wrap(cmd.UseLine(), 4))
	}
	if cmd.HasAvailableSubCommands() {
		fmt.Fprintf(out, "  %s COMMAND [flags]\n", cmd.CommandPath())
	}
	if cmd.HasExample() {
		fmt.Fprint(out, "\nExamples:\n")
		for line := range strings.SplitSeq(cmd.Example, "\n") {
			fmt.Fprintln(out, continued(line))
		}
	}
	helpCommands(out, cmd)
	helpFlags(out, cmd.LocalFlags())
	if cmd.HasAvailableInheritedFlags() {
		all := pflag.NewFlagSet("", pflag.ContinueOnError)
		cmd.InheritedFlags().VisitAll(func(f *pflag.Flag) { all.AddFlag(readable(f)) })
		fmt.Fprintf(out, "\nFlags of every command:\n%s", all.FlagUsagesWrapped(helpWidth))
	}
	if cmd.HasAvailableSubCommands() {
		fmt.Fprintf(out, "\n%s COMMAND --help says more about a command.\n", cmd.CommandPath())
	}
}

// helpCommands lists the commands below one, in their groups.
func helpCommands(out io.Writer, cmd *cobra.Command) {
	list := func(title, group string) {
		for _, c := range cmd.Commands() {
			if c.GroupID != group || !c.IsAvailableCommand() && c.Name() != "help" {
				continue
			}
			if title != "" {
				fmt.Fprintf(out, "\n%s\n", title)
				title = ""
			}
			indent := c.NamePadding() + 3
			fmt.Fprintf(out, "  %-*s %s\n", c.NamePadding(), c.Name(), hanging(c.Short, indent))
		}
	}
	for _, g := range cmd.Groups() {
		list(g.Title, g.ID)
	}
	if len(cmd.Groups()) == 0 {
		list("Commands:", "")
	} else {
		list("Help:", "")
	}
}

// helpFlags lists flags, in sections where they are many.
func helpFlags(out io.Writer, flags *pflag.FlagSet) {
	if !flags.HasAvailableFlags() {
		return
	}
	parts, all := map[string]*pflag.FlagSet{}, pflag.NewFlagSet("", pflag.ContinueOnError)
	total := 0
	flags.VisitAll(func(f *pflag.Flag) {
		title := sectionOf(f.Name)
		if parts[title] == nil {
			parts[title] = pflag.NewFlagSet("", pflag.ContinueOnError)
		}
		plain := readable(f)
		all.AddFlag(plain)
		parts[title].AddFlag(plain)
		if !f.Hidden {
			total++
		}
	})
	if total <= few {
		fmt.Fprintf(out, "\nFlags:\n%s", all.FlagUsagesWrapped(helpWidth))
		return
	}
	for _, s := range sections {
		if part := parts[s.title]; part != nil && part.HasAvailableFlags() {
			fmt.Fprintf(out, "\n%s:\n%s", s.title, part.FlagUsagesWrapped(helpWidth))
		}
	}
}

// A named value is that of a flag, with another name for what it takes.
type named struct {
	pflag.Value
	kind string
}

func (n named) Type() string { return n.kind }

// readable returns a flag as help shows it: what it takes in one plain word, alternatives in its text.
func readable(f *pflag.Flag) *pflag.Flag {
	shown := *f
	if sectionOf(f.Name) == readingFiles {
		shown.Usage = strings.TrimPrefix(shown.Usage, ofFile)
	}
	kind := f.Value.Type()
	alternatives := strings.Split(kind, "|")
	switch {
	case len(alternatives) > 1:
		kind = "form"
		shown.Usage += "; one of " + strings.Join(alternatives, ", ")
	case kind == "stringArray", kind == "strings", kind == "string":
		kind = "text"
	case kind == "int":
		kind = "number"
	}
	if shown.DefValue == "[]" {
		shown.DefValue = ""
	}
	if f.Value.Type() != "bool" {
		shown.Value = named{f.Value, kind}
	}
	return &shown
}

// sectionOf returns the title of a flag's section.
func sectionOf(flag string) string {
	for _, s := range sections {
		for name := range strings.FieldsSeq(s.flags) {
			if name == flag {
				return s.title
			}
		}
	}
	return sections[0].title
}

// wrap breaks paragraphs into lines; lines after a paragraph's first are indented. A line that begins with a blank is one
// of a list: it stays a line, and what does not fit goes below its last column.
func wrap(s string, indent int) string {
	var lines, paragraph []string
	flush := func() {
		if len(paragraph) > 0 {
			lines = append(lines, hanging(strings.Join(paragraph, " "), indent))
			paragraph = nil
		}
	}
	for line := range strings.SplitSeq(s, "\n") {
		switch {
		case line == "":
			flush()
			lines = append(lines, "")
		case strings.HasPrefix(line, " "):
			flush()
			start := len(line) - len(strings.TrimLeft(line, " "))
			column := max(start, strings.LastIndex(line, "  ")+2)
			lines = append(lines, line[:column]+hanging(line[column:], column))
		default:
			paragraph = append(paragraph, line)
		}
	}
	flush()
	return strings.Join(lines, "\n")
}

// hanging breaks a text into lines and indents all but the first.
func hanging(s string, indent int) string {
	lines := strings.Split(text.WrapSoft(s, helpWidth-indent), "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return strings.Join(lines, "\n"+strings.Repeat(" ", indent))
}

// continued breaks a command that is too long into lines that a shell reads as one.
func continued(command string) string {
	var lines []string
	rest := command
	for len(rest) > helpWidth {
		at, quoted := 0, false
		for i, r := range rest[:helpWidth-1] {
			switch {
			case r == '\'':
				quoted = !quoted
			case r == ' ' && !quoted && strings.TrimSpace(rest[:i]) != "" && strings.HasPrefix(rest[i+1:], "-"):
				at = i // before a flag, so that it stays with its value
			}
		}
		if at == 0 {
			break
		}
		lines = append(lines, rest[:at]+" \\")
		rest = "      " + rest[at+1:]
	}
	return strings.Join(append(lines, rest), "\n")
}
