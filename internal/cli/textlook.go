package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// mostLines is how many lines of one text are written.
const mostLines = 8

func (a textCommands) findCommand() *cli.Command {
	return &cli.Command{Name: "find", Usage: "every line of a server's texts in which a word stands, also inside packed files", UsageText: "restless find SERVER TEXT [--blind]",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "blind", Usage: "take small and capital letters for the same"}, &cli.BoolFlag{Name: "every", Usage: "write every line of a text out"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and the words to look for")
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			f, err := c.FindIn(ctx, args[0], strings.Join(args[1:], " "), cmd.Bool("blind"))
			if err != nil {
				return err
			}
			if cmd.Bool("json") {
				return a.printJSON(f)
			}
			path, shown, in := "", 0, map[string]int{}
			for _, l := range f.Lines {
				in[l.Path]++
			}
			for _, l := range f.Lines {
				if l.Path != path {
					fmt.Fprintln(a.Out, l.Path)
					path, shown = l.Path, 0
				}
				if shown++; shown > mostLines && !cmd.Bool("every") {
					if shown == mostLines+1 {
						fmt.Fprintf(a.Out, "        and %s more; --every writes them all\n", words.Count(in[path]-mostLines, "line"))
					}
					continue
				}
				at := ""
				if l.At != "" {
					at = "   " + l.At
				}
				fmt.Fprintf(a.Out, "%6d  %s%s\n", l.Line, l.Text, at)
			}
			more := ""
			if f.Partial {
				more = "; there are more"
			}
			fmt.Fprintf(a.Out, "%s in %s searched%s.\n", words.Count(len(f.Lines), "line"), words.Count(f.Files, "text"), more)
			return nil
		}}
}

func (a textCommands) lintCommand() *cli.Command {
	return &cli.Command{Name: "lint", Usage: "what is wrong with a server's settings, a crate's texts, or a file here", UsageText: "restless lint SERVER|CRATE|FILE",
		Action: func(ctx context.Context, cmd *cli.Command) error {
			what, err := onlyArg(cmd, "server, crate or file")
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			var l api.Linted
			server := ""
			raw, notFile := os.ReadFile(what)
			servers, err := c.Servers(ctx)
			if err != nil {
				return err
			}
			for _, s := range servers {
				if s.Name == what {
					server = what
				}
			}
			switch {
			case server != "":
				l, err = c.LintServer(ctx, what)
			case notFile == nil:
				l, err = c.LintText(ctx, api.LintText{Name: filepath.Base(what), Raw: raw})
			default:
				l, err = c.LintCrate(ctx, what)
			}
			if err != nil {
				return err
			}
			if cmd.Bool("json") {
				return a.printJSON(l)
			}
			a.printLint(l.Findings, server)
			switch {
			case l.Texts == 0:
				fmt.Fprintln(a.Out, "Nothing in it is a text that can be looked over.")
			case len(l.Findings) == 0:
				fmt.Fprintf(a.Out, "No findings in %s.\n", words.Count(l.Texts, "text"))
			}
			return nil
		}}
}

// printLint writes what is wrong with texts. Where a tweak mends it, its command is written.
func (a textCommands) printLint(list []api.TextFinding, server string) {
	for _, f := range list {
		printFinding(a.Out, f.Finding, subject{server: server})
		if f.Tweak != nil && server != "" {
			fmt.Fprintf(a.Out, "          restless tweak set %s %s %s %s --raw\n", server, quoted(f.Path), quoted(f.Tweak.At), quoted(f.Tweak.Value))
		}
	}
}
