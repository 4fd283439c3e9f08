package cli

import (
	"cmp"
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// mostTurns is how many files a comparison prints.
const mostTurns = 40

func (a trackCommands) compareCommand() *cli.Command {
	return &cli.Command{Name: "compare", Usage: "what differs between how a server stood after one deployment and after another, or between two servers, by the ledgers", Flags: []cli.Flag{&cli.BoolFlag{Name: "diff", Usage: "show changed texts line by line as well"}}, UsageText: "restless compare SERVER N      after deployment N, beside now; 0 is before the first\nrestless compare SERVER N M    beside how it stood after deployment M\nrestless compare A B           two servers of one game, as they are now\nrestless compare A@TIME B@N     as they stood at a time, or after a deployment",
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and one or two numbers of deployments, or two servers")
			if err != nil {
				return err
			}
			if len(args) > 3 {
				return wrongUsage("two moments are compared, not %d", len(args)-1)
			}
			if _, err := strconv.Atoi(args[1]); err != nil {
				if len(args) > 2 {
					return wrongUsage("two servers are compared, not %d", len(args))
				}
				return a.compareServers(ctx, cmd, args)
			}
			moments := []int{0, -1}
			for i, text := range args[1:] {
				if moments[i], err = strconv.Atoi(text); err != nil || moments[i] < 0 {
					return wrongUsage("%q is no number of a deployment; 0 is before the first", text)
				}
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			found, err := c.Compare(ctx, args[0], moments[0], moments[1])
			if err != nil {
				return err
			}
			if cmd.Bool("json") {
				return a.printJSON(found)
			}
			a.printBetween(args[0], found, cmd.Bool("diff"))
			return nil
		}}
}

func (a trackCommands) printBetween(server string, c api.Between, diffs bool) {
	fmt.Fprintf(a.Out, "%s, beside %s: ", strings.TrimSpace(server+" "+c.From), c.To)
	if len(c.Addons)+len(c.Files) == 0 {
		fmt.Fprintln(a.Out, "nothing that was deployed differs.")
		return
	}
	fmt.Fprintf(a.Out, "%s in, %d changed, %d out\n", words.Count(c.In, "file"), c.Changed, c.Out)
	if len(c.Addons) > 0 {
		fmt.Fprintln(a.Out)
		var lines [][]string
		for _, t := range c.Addons {
			lines = append(lines, []string{t.Addon, cmp.Or(t.Was, "not there"), cmp.Or(t.Is, "not there")})
		}
		a.rows([]string{"add-on", "was", "is"}, lines)
	}
	if len(c.Files) == 0 {
		return
	}
	fmt.Fprintln(a.Out)
	var lines [][]string
	for _, f := range c.Files[:min(len(c.Files), mostTurns)] {
		lines = append(lines, []string{f.What, f.Path, state(f.Was), state(f.Is), cmp.Or(f.Of, "edited")})
	}
	a.rows([]string{"what", "path", "was", "is", "of"}, lines)
	if more := c.In + c.Changed + c.Out - len(lines); more > 0 {
		fmt.Fprintf(a.Out, "  and %s more\n", words.Count(more, "file"))
	}
	for _, f := range c.Files[:min(len(c.Files), mostTurns)] {
		a.printInside(f, diffs)
	}
}

// printInside says what is different in one file.
func (a trackCommands) printInside(f api.FileTurn, diffs bool) {
	if f.Why != "" {
		fmt.Fprintf(a.Out, "\n%s: %s\n", f.Path, f.Why)
	}
	if len(f.Values) > 0 {
		fmt.Fprintf(a.Out, "\n%s\n", f.Path)
		var lines [][]string
		for _, v := range f.Values {
			was, is := v.Was, v.Is
			if v.New {
				was = "not there"
			}
			if v.Gone {
				is = "not there"
			}
			lines = append(lines, []string{"  " + v.At, was, "→ " + is})
		}
		a.rows(nil, lines)
	}
	if diffs && f.Diff != "" {
		fmt.Fprintln(a.Out)
		for line := range strings.Lines(f.Diff) {
			fmt.Fprintf(a.Out, "    %s\n", strings.TrimRight(line, "\n"))
		}
	}
}

// valueBack makes a value of a text what it was after a deployment, as a tweak.
func (a deployCommands) valueBack(ctx context.Context, cmd *cli.Command, server string) error {
	file, at := cmd.String("path"), cmd.String("value")
	if file == "" || !cmd.IsSet("to") {
		return wrongUsage("--value goes with --path and --to: whose value, and after which deployment")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	found, err := c.Compare(ctx, server, cmd.Int("to"), -1)
	if err != nil {
		return err
	}
	for _, f := range found.Files {
		if f.Path != file {
			continue
		}
		for _, v := range f.Values {
			if v.At != at {
				continue
			}
			t := api.Tweak{Do: "set", At: at, Value: v.Was, Make: v.Gone}
			if v.New {
				t = api.Tweak{Do: "drop", At: at}
			}
			return a.draftAndRun(ctx, cmd, server, api.NewDraft{Tweaks: []api.TweakWish{{Path: file, Note: "as it was " + found.From, Tweak: t}}})
		}
	}
	return fmt.Errorf("by the ledger %s of %s is what it was %s; there is nothing to take back", at, file, found.From)
}
