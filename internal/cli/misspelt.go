package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"vastspan/core/naming"
)

// synonyms are what people type for commands that have another name here.
var synonyms = map[string]string{
	"delete": "remove", "del": "remove", "rm": "remove", "drop": "remove", "ls": "list", "create": "add", "new": "add", "edit": "change",
	"update": "change", "set": "change", "view": "show", "get": "show", "describe": "show", "import": "load", "upload": "load",
	"totals": "total",
	"query":  "total", "sum": "total", "start": "serve", "run": "serve", "login": "sign-in", "logout": "sign-out", "accounts": "account",
	"people": "account", "user": "account", "users": "account", "age": "ageing", "lengths": "ageing",
}

// misspeltCommand is the error of a command that is not there, with the nearest that is; nil where every one is. It is looked for before
// flags are, which would be unknown as well.
func misspeltCommand(root *cobra.Command, args []string) error {
	root.InitDefaultHelpCmd()
	root.InitDefaultCompletionCmd(args...)
	at := root
	for i := 0; i < len(args) && at.HasSubCommands(); i++ {
		arg := args[i]
		if strings.HasPrefix(arg, "-") {
			name, _, stated := strings.Cut(strings.TrimLeft(arg, "-"), "=")
			if f := at.Flag(name); f != nil && !stated && f.NoOptDefVal == "" {
				i++ // its value
			}
			continue
		}
		if strings.HasPrefix(arg, "__") { // of the shell's completion
			return nil
		}
		var known []string
		var next *cobra.Command
		for _, c := range at.Commands() {
			if c.Name() == arg || c.HasAlias(arg) {
				next = c
			}
			if !c.Hidden {
				known = append(known, c.Name())
			}
		}
		if next == nil && at != root && (at.Args == nil || at.Args(at, []string{arg}) == nil) {
			return nil // it takes arguments of its own
		}
		if next == nil {
			return unknownCommand(at, arg, known)
		}
		at = next
	}
	return nil
}

func unknownCommand(at *cobra.Command, name string, known []string) error {
	near := naming.Nearest(name, known)
	if other := synonyms[strings.ToLower(name)]; near == "" && other != "" {
		for _, k := range known {
			if k == other {
				near = other
			}
		}
	}
	text := fmt.Sprintf("there is no command %q", strings.TrimSpace(strings.TrimPrefix(at.CommandPath()+" "+name, "vastspan ")))
	if near != "" {
		return usagef("%s; did you mean %s %s?", text, at.CommandPath(), near)
	}
	return usagef("%s; see %s --help", text, at.CommandPath())
}

// misspeltFlag words the error of flags, with the nearest one where there is none of the name.
func misspeltFlag(cmd *cobra.Command, err error) error {
	var wrong *pflag.InvalidValueError
	var missing *pflag.NotExistError
	switch {
	case errors.As(err, &wrong) && wrong.Unwrap() != nil:
		err = fmt.Errorf("--%s: %w", wrong.GetFlag().Name, wrong.Unwrap())
	case errors.As(err, &missing):
		name := missing.GetSpecifiedName()
		var known []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) {
			if !f.Hidden {
				known = append(known, f.Name)
			}
		})
		text := fmt.Sprintf("%s has no flag --%s", cmd.CommandPath(), name)
		if len(name) == 1 {
			text = fmt.Sprintf("%s has no flag -%s", cmd.CommandPath(), name)
		}
		// A hyphen too many or too few counts as a letter.
		if near := naming.Nearest(name, known); near != "" {
			err = fmt.Errorf("%s; did you mean --%s?", text, near)
		} else {
			err = fmt.Errorf("%s; see %s --help", text, cmd.CommandPath())
		}
	}
	return usageError{err}
}
