package cli

import (
	"cmp"
	"context"
	"fmt"
	"strconv"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// mostTurns is how many files a comparison prints.
const mostTurns = 40

func (a trackCommands) compareCommand() *cli.Command {
	return &cli.Command{Name: "compare", Usage: "what differs between how a server stood after one deployment and after another, or now, by the ledger", UsageText: "restless compare SERVER N      after deployment N, beside now; 0 is before the first\nrestless compare SERVER N M    beside how it stood after deployment M",
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and one or two numbers of deployments")
			if err != nil {
				return err
			}
			if len(args) > 3 {
				return wrongUsage("two moments are compared, not %d", len(args)-1)
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
			a.printBetween(args[0], found)
			return nil
		}}
}

func (a trackCommands) printBetween(server string, c api.Between) {
	fmt.Fprintf(a.Out, "%s %s, beside %s: ", server, c.From, c.To)
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
}
