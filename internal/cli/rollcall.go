package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// rollCallCommands are about what was found to run, and what people say of it.
type rollCallCommands struct{ *App }

// rollCallCommand finds out what has loaded.
func (a rollCallCommands) rollCallCommand() *cli.Command {
	return &cli.Command{Name: "rollcall", Usage: "find out which add-ons have loaded on a server", UsageText: "restless rollcall SERVER", Action: func(ctx context.Context, cmd *cli.Command) error {
		name, err := onlyArg(cmd, "server")
		if err != nil {
			return err
		}
		c, err := a.client(cmd)
		if err != nil {
			return err
		}
		roll, err := c.RollCall(ctx, name)
		if err != nil {
			return err
		}
		if cmd.Bool("json") {
			return a.printJSON(roll)
		}
		a.printRoll(roll)
		for _, f := range roll.Findings {
			switch {
			case f.Code == "console-silent" || f.Code == "log-trouble":
				printFinding(a.Out, f, subject{server: name})
			default: // what it is about is said above
				printMend(a.Out, "  ", f.Mend, f.Remedies, subject{server: name})
			}
		}
		return nil
	}}
}

// printRoll writes a roll call as a person reads it: first what needs one.
func (a *App) printRoll(r api.RollCall) {
	from := fmt.Sprintf("from %s of the log", words.Count(r.LogRead, "line"))
	if r.Asked {
		from += " and the console"
	}
	counts := map[string]int{}
	for _, e := range r.Entries {
		counts[e.Standing]++
	}
	var said []string
	for _, standing := range []string{"loaded", "failed", "silent", "unknown"} {
		if counts[standing] > 0 {
			said = append(said, fmt.Sprintf("%d %s", counts[standing], standing))
		}
	}
	if len(said) == 0 {
		said = []string{"nothing was said of any add-on"}
	}
	fmt.Fprintf(a.Out, "Roll call: %s, %s\n", strings.Join(said, ", "), from)
	if !r.Ready {
		fmt.Fprintln(a.Out, "  The log has no ready line since the last start.")
	}
	for _, e := range r.Entries {
		why := e.Why
		switch e.Standing {
		case "silent":
			if why == "" {
				why = "nothing is said of it"
			}
		case "unknown":
			why = "it loaded, and the ledger does not know it"
		}
		fmt.Fprintf(a.Out, "  %-8s %-20s %-10s %s\n", strings.ToUpper(e.Standing), e.Addon, e.Version, why)
		if e.Standing != "loaded" || why != "" {
			for _, l := range e.Lines {
				fmt.Fprintf(a.Out, "           line %d: %s\n", l.Number, l.Text)
			}
		}
		for _, o := range e.Oddities {
			fmt.Fprintf(a.Out, "           known and harmless: %s\n", o)
		}
	}
}

// oddityCommand notes what looks wrong and is harmless.
func (a rollCallCommands) oddityCommand() *cli.Command {
	return &cli.Command{Name: "oddity", Usage: "note something harmless that looks wrong in an add-on, for every server of the same game", UsageText: "restless oddity SERVER ADDON TEXT [--forget]",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "forget", Usage: "forget it: it is no longer so"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 3, "a server, an add-on and what is odd")
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			o := api.Oddity{Text: strings.Join(args[2:], " "), Forget: cmd.Bool("forget")}
			if err := c.NoteOddity(ctx, args[0], args[1], o); err != nil || cmd.Bool("json") {
				return err
			}
			said := "Noted of %s: %s. Roll calls and status show it from now on.\n"
			if o.Forget {
				said = "Forgotten of %s: %s.\n"
			}
			fmt.Fprintf(a.Out, said, args[1], strings.TrimSuffix(o.Text, "."))
			return nil
		}}
}

// confirmCommand records that an add-on was seen to work.
func (a rollCallCommands) confirmCommand() *cli.Command {
	return &cli.Command{Name: "confirm", Usage: "say that you saw an add-on work in the game", UsageText: "restless confirm SERVER ADDON... [--note TEXT]", Flags: []cli.Flag{&cli.StringFlag{Name: "note", Usage: "what you saw (`TEXT`)"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and one or more add-ons")
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			for _, addon := range args[1:] {
				if err := c.Confirm(ctx, args[0], addon, cmd.String("note")); err != nil {
					return err
				}
				if !cmd.Bool("json") {
					fmt.Fprintf(a.Out, "%s on %s is confirmed.\n", addon, args[0])
				}
			}
			return nil
		}}
}
