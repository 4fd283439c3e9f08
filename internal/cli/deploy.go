package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

func runFlags() []cli.Flag {
	return []cli.Flag{
		&cli.BoolFlag{Name: "draft", Usage: "keep it as a draft and do not run it"}, yes(),
		&cli.BoolFlag{Name: "copy-data", Usage: "copy every folder that the server writes while it is stopped, so that the way back covers it"},
		&cli.BoolFlag{Name: "no-copy-data", Usage: "copy no data folder, even if an add-on may change what is in one"},
		&cli.BoolFlag{Name: "leave-running", Usage: "do not stop the server"},
		&cli.BoolFlag{Name: "restart", Usage: "stop and start the server where a reload would do"},
		&cli.BoolFlag{Name: "or-undo-each", Usage: "take back alone what does not load, and leave the rest; take all back if the server does not come up"},
		&cli.BoolFlag{Name: "or-undo", Usage: "take all back if the server does not come up, or what is deployed does not load"},
		&cli.BoolFlag{Name: "thorough", Usage: "check the bytes of every file once it is sent: read it back, or ask the host for its checksum"},
		&cli.StringSliceFlag{Name: "accept", Usage: "accept a block, for all paths or one: `CODE[=PATH]`"},
	}
}

// inRun takes what runFlags say.
func inRun(cmd *cli.Command, n *api.NewDraft) {
	n.Accept, n.Thorough = cmd.StringSlice("accept"), cmd.Bool("thorough")
	n.Data, n.NoData = cmd.Bool("copy-data"), cmd.Bool("no-copy-data")
	n.Leave, n.Restart, n.OrUndo, n.OrUndoEach = cmd.Bool("leave-running"), cmd.Bool("restart"), cmd.Bool("or-undo"), cmd.Bool("or-undo-each")
}

// deployCommands are about drafts and runs.
type deployCommands struct{ *App }

func (a deployCommands) deployCommand() *cli.Command {
	return &cli.Command{Name: "deploy", Usage: "put crates on a server", UsageText: "restless deploy SERVER CRATE... [--take-needs] [--instead-of ADDON] [--rewrite OLD:NEW] [--renew PLACE[=NAME]] [--with PART] [--without PART] [--set NAME=VALUE] [--draft] [--yes] [--accept CODE[=PATH]]",
		Flags: append([]cli.Flag{&cli.StringSliceFlag{Name: "with", Usage: "take this part by choice (`PART`), now and in later versions"},
			&cli.StringSliceFlag{Name: "set", Usage: "change a value of the server, such as its port, or choose one that each add-on has for itself, such as its group folder (`NAME=VALUE`)"},
			&cli.StringSliceFlag{Name: "renew", Usage: "have the server make a folder that it writes anew: a `PLACE[=NAME]` of the rulebook. The old one is set aside, or with a NAME stays where it is; it is never deleted"},
			&cli.BoolFlag{Name: "take-needs", Usage: "have what the crates need come along, of what is staged and fits, with its own needs"},
			&cli.StringSliceFlag{Name: "instead-of", Usage: "an `ADDON` of the server that goes, because what is deployed takes its place; its settings are kept for the way back"},
			&cli.StringSliceFlag{Name: "rewrite", Usage: "a name that is changed in the server's texts along with it: `OLD:NEW`"},
			&cli.StringSliceFlag{Name: "tweak", Usage: "set a value of a text along with it: `FILE:/PATH=VALUE`"}, keepFlag(),
			&cli.StringSliceFlag{Name: "without", Usage: "leave this part by choice out, or this crate or member of a pallet (`PART`)"}}, runFlags()...),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			least, what := 2, "a server and one or more crates"
			if len(cmd.StringSlice("renew"))+len(cmd.StringSlice("set"))+len(cmd.StringSlice("tweak")) > 0 {
				least, what = 1, "a server"
			}
			args, err := atLeast(cmd, least, what)
			if err != nil {
				return err
			}
			along, err := alongTweaks(cmd)
			if err != nil {
				return err
			}
			keep, err := keeps(cmd)
			if err != nil {
				return err
			}
			var renamed []api.NameChange
			for _, text := range cmd.StringSlice("rewrite") {
				n, ok := nameChange(text)
				if !ok {
					return wrongUsage("--rewrite is OLD:NEW, not %q", text)
				}
				renamed = append(renamed, n)
			}
			return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Crates: args[1:], TakeNeeds: cmd.Bool("take-needs"), InsteadOf: cmd.StringSlice("instead-of"), Rewrite: renamed, Tweaks: along, Keep: keep, With: append(cmd.StringSlice("with"), cmd.StringSlice("set")...), Without: cmd.StringSlice("without"), Renew: cmd.StringSlice("renew")})
		}}
}

func (a deployCommands) removeCommand() *cli.Command {
	return &cli.Command{Name: "remove", Usage: "take add-ons off a server", UsageText: "restless remove SERVER ADDON... [--draft] [--yes] [--accept CODE[=PATH]]", Flags: runFlags(),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and one or more add-ons")
			if err != nil {
				return err
			}
			return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Remove: args[1:]})
		}}
}

func (a deployCommands) enableCommand() *cli.Command {
	return a.toggleCommand("enable", "name disabled add-ons in the server's load lists again", func(names []string) api.NewDraft { return api.NewDraft{Enable: names} })
}

func (a deployCommands) disableCommand() *cli.Command {
	return a.toggleCommand("disable", "take add-ons out of the server's load lists; their files stay", func(names []string) api.NewDraft { return api.NewDraft{Disable: names} })
}

func (a deployCommands) toggleCommand(verb, usage string, ask func(names []string) api.NewDraft) *cli.Command {
	return &cli.Command{Name: verb, Usage: usage, UsageText: "restless " + verb + " SERVER ADDON... [--draft] [--yes] [--accept CODE[=PATH]]", Flags: runFlags(),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and one or more add-ons")
			if err != nil {
				return err
			}
			return a.draftAndRun(ctx, cmd, args[0], ask(args[1:]))
		}}
}

func (a deployCommands) rollbackCommand() *cli.Command {
	return &cli.Command{Name: "rollback", Usage: "bring back how things were", UsageText: "restless rollback SERVER --deployment N | --addon NAME | --path PATH | --to N | --as-of TIME | --known-good   [--to N] [--leave PATH]",
		Flags: append([]cli.Flag{
			&cli.IntFlag{Name: "deployment", Usage: "take deployment `N` back"},
			&cli.StringFlag{Name: "addon", Usage: "take the last change of this add-on `NAME` back"},
			&cli.StringFlag{Name: "path", Usage: "take the last change of this `PATH` back"},
			&cli.IntFlag{Name: "to", Usage: "go back to how things stood after deployment `N`; 0: before the first. Alone: the whole server"},
			&cli.StringFlag{Name: "value", Usage: "with --path and --to: only this `VALUE-PATH` of it goes back, as a tweak; all else in it stays"},
			&cli.StringFlag{Name: "as-of", Usage: "go back to how things stood at this `TIME`: 2026-11-24, for the end of that day, or \"2026-11-24 18:00\". Alone: the whole server"},
			&cli.BoolFlag{Name: "known-good", Usage: "go back to how things stood after the last deployment that is called good. Alone: the whole server"},
			&cli.BoolFlag{Name: "with-data", Usage: "with --deployment: put the data folders that it copied back too"},
			&cli.StringSliceFlag{Name: "leave", Usage: "leave this `PATH` as it is"},
		}, runFlags()...),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			server, err := onlyArg(cmd, "server")
			if err != nil {
				return err
			}
			r := &api.Rollback{Deployment: cmd.Int("deployment"), Path: cmd.String("path"), Addon: cmd.String("addon"), Leave: cmd.StringSlice("leave"), KnownGood: cmd.Bool("known-good"), Data: cmd.Bool("with-data")}
			if text := cmd.String("as-of"); text != "" {
				at, err := parseMoment(text)
				if err != nil {
					return wrongUsage("--as-of %v", err)
				}
				r.AsOf = &at
			}
			if cmd.IsSet("to") {
				n := cmd.Int("to")
				r.To = &n
			}
			if cmd.IsSet("value") {
				return a.valueBack(ctx, cmd, server)
			}
			return a.draftAndRun(ctx, cmd, server, api.NewDraft{Rollback: r})
		}}
}

// parseMoment reads a time of the place where the command is given. A day is its end.
func parseMoment(text string) (time.Time, error) {
	if at, err := time.ParseInLocation(time.DateOnly, text, time.Local); err == nil {
		return at.AddDate(0, 0, 1).Add(-time.Second), nil
	}
	for _, form := range []string{"2006-01-02 15:04", time.DateTime} {
		if at, err := time.ParseInLocation(form, text, time.Local); err == nil {
			return at, nil
		}
	}
	if at, err := time.Parse(time.RFC3339Nano, text); err == nil {
		return at, nil
	}
	return time.Time{}, fmt.Errorf("%q is no time; write it such as 2026-11-24 or \"2026-11-24 18:00\"", text)
}

// draftAndRun drafts, shows, asks, and runs.
func (a deployCommands) draftAndRun(ctx context.Context, cmd *cli.Command, server string, n api.NewDraft) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	inRun(cmd, &n)
	each, end := a.watch(cmd.Bool("json"))
	d, err := c.Draft(ctx, server, n, each)
	end()
	if err != nil {
		return err
	}
	if cmd.Bool("draft") {
		if cmd.Bool("json") {
			return a.printJSON(d)
		}
		a.printDeployment(d)
		if d.Blocks > 0 {
			fmt.Fprintf(a.Out, "\nKept as a draft, which is blocked by %s.\n", words.Count(d.Blocks, "finding"))
			return nil
		}
		fmt.Fprintf(a.Out, "\nKept as a draft. restless deployment run %s runs it.\n", d.Name)
		return nil
	}
	if !cmd.Bool("json") {
		a.printDeployment(d)
	}
	return a.runDraft(ctx, cmd, c, d)
}

// runDraft asks, unless told not to, and runs what was shown.
func (a deployCommands) runDraft(ctx context.Context, cmd *cli.Command, c *client.Client, d api.Deployment) error {
	accepts := cmd.StringSlice("accept")
	if d.Blocks > 0 {
		if cmd.Bool("json") {
			if err := a.printJSON(d); err != nil {
				return err
			}
		}
		return cli.Exit(fmt.Sprintf("%s is blocked by %s, so nothing was done; it is kept as a draft\n  restless deployment run %s --accept CODE[=PATH] accepts what may be accepted",
			d.Name, words.Count(d.Blocks, "finding"), d.Name), ExitBlocked)
	}
	if err := a.confirm(cmd, fmt.Sprintf("\nRun %s?", d.Name)); err != nil {
		return fmt.Errorf("%w\n  %s is kept as a draft: restless deployment run %s", err, d.Name, d.Name)
	}
	each, end := a.watch(cmd.Bool("json"))
	ran, err := c.Run(ctx, d.Server, d.Number, api.RunDraft{Digest: d.Digest, Accept: accepts}, each)
	end()
	if err != nil {
		return err
	}
	return a.printRan(cmd, ran)
}

func (a deployCommands) printRan(cmd *cli.Command, d api.Deployment) error {
	if cmd.Bool("json") {
		if err := a.printJSON(d); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(a.Out, "\n%s  %s", d.Name, strings.ToUpper(d.State))
		a.printOutcome(d)
	}
	if d.State == "waiting" { // half-way is not done
		return cli.Exit(d.Name+" waits for a person", ExitHalted)
	}
	return nil
}
