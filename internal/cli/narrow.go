package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

func (a surveyCommands) narrowCommand() *cli.Command {
	return &cli.Command{Name: "narrow", Usage: "find the add-on that does something wrong where nothing in the log names it: half of them off, is it still so, and the next half", UsageText: "restless narrow SERVER [ADDON...]       among these, or among all that can be disabled\nrestless narrow SERVER [ADDON...] --by-start   the server does not come up: it is started until the one is found\nrestless narrow SERVER --still yes|no   where there is no terminal to ask on\nrestless narrow SERVER --give-up",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "by-start", Usage: "what is wrong is that the server does not come up: nobody has to answer"}, &cli.StringFlag{Name: "still", Usage: "it still happens with what is off now: `yes` or no"},
			&cli.BoolFlag{Name: "give-up", Usage: "stop, and have everything as it was"}, yes()}, Action: a.narrow}
}

func (a surveyCommands) narrow(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 1, "a server, and perhaps the add-ons that are suspected")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	server := args[0]
	step := func(do func(each client.Each) (api.Narrowing, error)) (api.Narrowing, error) {
		each, end := a.watch(cmd.Bool("json"))
		defer end()
		return do(each)
	}
	var n api.Narrowing
	switch still := cmd.String("still"); {
	case cmd.Bool("give-up"):
		n, err = step(func(each client.Each) (api.Narrowing, error) { return c.EndNarrowing(ctx, server, each) })
	case still == "yes", still == "no":
		if n, err = c.Narrowing(ctx, server); err == nil {
			n, err = step(func(each client.Each) (api.Narrowing, error) {
				return c.AnswerNarrowing(ctx, server, n.Tried, still == "yes", each)
			})
		}
	case still != "":
		return wrongUsage("--still is yes or no, not %q", still)
	default:
		n, err = c.Narrowing(ctx, server)
		begin := api.BeginNarrowing{Suspects: args[1:], ByStart: cmd.Bool("by-start") || n.ByStart}
		var p *api.Problem
		fresh := errors.As(err, &p) && p.Code == "no-narrowing"
		if fresh {
			if err := a.confirm(cmd, fmt.Sprintf("Add-ons of %s are disabled and enabled again, and it is started anew each time. Begin?", server)); err != nil {
				return err
			}
		}
		if fresh || err == nil && n.ByStart { // one that answers itself is taken up again
			n, err = step(func(each client.Each) (api.Narrowing, error) { return c.BeginNarrowing(ctx, server, begin, each) })
		}
	}
	for err == nil {
		if cmd.Bool("json") {
			return a.printJSON(n)
		}
		if a.printNarrowing(server, n); n.Over {
			return nil
		}
		answer, asked := a.Ask("Does it still happen? [y/n] ", false)
		if asked != nil {
			fmt.Fprintf(a.Out, "Say whether it still happens:\n  restless narrow %s --still yes\n  restless narrow %s --still no\n  restless narrow %s --give-up    stops, and has everything as it was\n", server, server, server)
			return nil
		}
		switch strings.ToLower(strings.TrimSpace(answer)) {
		case "y", "yes", "n", "no":
			still := strings.HasPrefix(strings.ToLower(strings.TrimSpace(answer)), "y")
			n, err = step(func(each client.Each) (api.Narrowing, error) {
				return c.AnswerNarrowing(ctx, server, n.Tried, still, each)
			})
		default:
			fmt.Fprintf(a.Out, "y or n. restless narrow %s --give-up stops, and has everything as it was.\n", server)
		}
	}
	return err
}

func (a surveyCommands) printNarrowing(server string, n api.Narrowing) {
	if !n.Over {
		if n.Note != "" {
			fmt.Fprintln(a.Out, words.Sentence(n.Note))
		}
		fmt.Fprintf(a.Out, "Off now: %s. ", strings.Join(n.Off, ", "))
	}
	fmt.Fprintln(a.Out, n.Says)
	if n.Blamed != "" {
		fmt.Fprintf(a.Out, "  restless disable %s %s\n  restless rollback %s --addon %s\n", server, n.Blamed, server, n.Blamed)
	}
	if n.Down != "" {
		fmt.Fprintln(a.Out, n.Down)
	}
}
