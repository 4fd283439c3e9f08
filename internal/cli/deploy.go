package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

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
		&cli.BoolFlag{Name: "or-undo", Usage: "take all back if the server does not come up, or what is deployed does not load"},
		&cli.BoolFlag{Name: "thorough", Usage: "check the bytes of every file once it is sent: read it back, or ask the host for its checksum"},
		&cli.StringSliceFlag{Name: "accept", Usage: "accept a block, for all paths or one: `CODE[=PATH]`"},
	}
}

// deployCommands are about drafts and runs.
type deployCommands struct{ *App }

func (a deployCommands) deployCommand() *cli.Command {
	return &cli.Command{Name: "deploy", Usage: "put crates on a server", UsageText: "restless deploy SERVER CRATE... [--take-needs] [--instead-of ADDON] [--renew PLACE[=NAME]] [--with PART] [--without PART] [--set NAME=VALUE] [--draft] [--yes] [--accept CODE[=PATH]]",
		Flags: append([]cli.Flag{&cli.StringSliceFlag{Name: "with", Usage: "take this part by choice (`PART`), now and in later versions"},
			&cli.StringSliceFlag{Name: "set", Usage: "change a value of the server, such as its port, or choose one that each add-on has for itself, such as its group folder (`NAME=VALUE`)"},
			&cli.StringSliceFlag{Name: "renew", Usage: "have the server make a folder that it writes anew: a `PLACE[=NAME]` of the rulebook. The old one is set aside, or with a NAME stays where it is; it is never deleted"},
			&cli.BoolFlag{Name: "take-needs", Usage: "have what the crates need come along, of what is staged and fits, with its own needs"},
			&cli.StringSliceFlag{Name: "instead-of", Usage: "an `ADDON` of the server that goes, because what is deployed takes its place; its settings are kept for the way back"},
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
			return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Crates: args[1:], TakeNeeds: cmd.Bool("take-needs"), InsteadOf: cmd.StringSlice("instead-of"), Tweaks: along, Keep: keep, With: append(cmd.StringSlice("with"), cmd.StringSlice("set")...), Without: cmd.StringSlice("without"), Renew: cmd.StringSlice("renew")})
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
	return &cli.Command{Name: "rollback", Usage: "bring back how things were", UsageText: "restless rollback SERVER --deployment N | --addon NAME | --path PATH | --to N | --known-good   [--to N] [--leave PATH]",
		Flags: append([]cli.Flag{
			&cli.IntFlag{Name: "deployment", Usage: "take deployment `N` back"},
			&cli.StringFlag{Name: "addon", Usage: "take the last change of this add-on `NAME` back"},
			&cli.StringFlag{Name: "path", Usage: "take the last change of this `PATH` back"},
			&cli.IntFlag{Name: "to", Usage: "go back to how things stood after deployment `N`; 0: before the first. Alone: the whole server"},
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
			if cmd.IsSet("to") {
				n := cmd.Int("to")
				r.To = &n
			}
			return a.draftAndRun(ctx, cmd, server, api.NewDraft{Rollback: r})
		}}
}

// draftAndRun drafts, shows, asks, and runs.
func (a deployCommands) draftAndRun(ctx context.Context, cmd *cli.Command, server string, n api.NewDraft) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	n.Accept, n.Thorough = cmd.StringSlice("accept"), cmd.Bool("thorough")
	n.Data, n.NoData = cmd.Bool("copy-data"), cmd.Bool("no-copy-data")
	n.Leave, n.Restart, n.OrUndo = cmd.Bool("leave-running"), cmd.Bool("restart"), cmd.Bool("or-undo")
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

func (a deployCommands) deploymentCommand() *cli.Command {
	what := "restless deployment %s SERVER#N"
	text := func(verb string) string { return fmt.Sprintf(what, verb) }
	return &cli.Command{Name: "deployment", Usage: "drafts and what came of them", Commands: []*cli.Command{
		{Name: "list", Usage: "list deployments, the newest first", UsageText: "restless deployment list [SERVER]", Action: a.deploymentList},
		{Name: "show", Usage: "show a deployment", UsageText: text("show"), Flags: []cli.Flag{&cli.BoolFlag{Name: "steps", Usage: "write every step out; many of a kind are one line otherwise"}}, Action: a.deploymentShow},
		{Name: "run", Usage: "run a draft", UsageText: text("run"), Flags: []cli.Flag{yes(), &cli.StringSliceFlag{Name: "accept", Usage: "accept a block: `CODE[=PATH]`"}}, Action: a.deploymentRun},
		{Name: "halt", Usage: "stop a running deployment between two motions, to resume or undo it", UsageText: text("halt"), Action: a.deploymentHalt},
		{Name: "resume", Usage: "finish a halted deployment", UsageText: text("resume"), Action: a.deploymentResume},
		{Name: "undo", Usage: "take a halted deployment back", UsageText: text("undo") + " [--with-data]", Flags: []cli.Flag{&cli.BoolFlag{Name: "with-data", Usage: "put the data folders that were copied back too"}}, Action: a.deploymentUndo},
		{Name: "tick", Usage: "say that what a waiting deployment waits for is done; it goes on", UsageText: text("tick"), Action: a.deploymentTick, Flags: []cli.Flag{&cli.BoolFlag{Name: "unchecked", Usage: "do not look whether it shows on the server"}}},
		{Name: "tidy", Usage: "clear what a done deployment could not clear on its server", UsageText: text("tidy"), Action: a.deploymentTidy},
		{Name: "decide", Usage: "decide on what a draft leaves open, and draft it anew: whose values stay where both sides changed them, what comes along, what goes", UsageText: text("decide") + " mine=PATH:KEY|theirs=PATH:KEY|take-needs|instead-of=ADDON|without=CRATE...", Action: a.deploymentDecide},
		a.remarkCommand(),
		{Name: "discard", Usage: "give a draft up", UsageText: text("discard"), Action: a.deploymentDiscard},
	}}
}

func (a deployCommands) deploymentList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Deployments(ctx, cmd.Args().First())
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No deployments yet.")
		return nil
	}
	head := []string{"deployment", "state", "what", "files", "drafted", "by"}
	said := slices.ContainsFunc(list, func(d api.Deployment) bool { return d.Remark != nil })
	if said {
		head = append(head, "remark")
	}
	var lines [][]string
	for _, d := range list {
		line := []string{d.Name, d.State, d.Title, filesOf(d.Counts), clock(d.CreatedAt), d.Actor}
		if said {
			line = append(line, remarkOf(d.Remark))
		}
		lines = append(lines, line)
	}
	a.rows(head, lines)
	return nil
}

// filesOf tells in a few words how many files a deployment concerns.
func filesOf(c api.Counts) string {
	if c.Edited > 0 && c.In+c.Changed+c.Out == 0 {
		return words.Count(c.Edited, "text") + " edited"
	}
	if c.Accepted > 0 && c.In+c.Changed+c.Out == 0 {
		return words.Count(c.Accepted, "file") + " taken in"
	}
	files := fmt.Sprintf("%d in, %d changed, %d out", c.In, c.Changed, c.Out)
	if c.Edited > 0 {
		files += ", " + words.Count(c.Edited, "text") + " edited"
	}
	return files
}

// named finds the deployment that the only argument names: saltpan#7.
func (a deployCommands) named(ctx context.Context, cmd *cli.Command) (*client.Client, api.Deployment, error) {
	ref, err := onlyArg(cmd, "deployment, written server#number")
	if err != nil {
		return nil, api.Deployment{}, err
	}
	return a.find(ctx, cmd, ref)
}

// find finds the deployment that a person named.
func (a deployCommands) find(ctx context.Context, cmd *cli.Command, ref string) (*client.Client, api.Deployment, error) {
	server, number, ok := strings.Cut(ref, "#")
	n, err := strconv.Atoi(number)
	if !ok || err != nil {
		return nil, api.Deployment{}, wrongUsage("%q is not server#number; a shell may need quotes around it", ref)
	}
	c, err := a.client(cmd)
	if err != nil {
		return nil, api.Deployment{}, err
	}
	d, err := c.Deployment(ctx, server, n)
	return c, d, err
}

func (a deployCommands) deploymentShow(ctx context.Context, cmd *cli.Command) error {
	a.everyStep = cmd.Bool("steps")
	_, d, err := a.named(ctx, cmd)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(d)
	}
	a.printDeployment(d)
	return nil
}

func (a deployCommands) deploymentRun(ctx context.Context, cmd *cli.Command) error {
	c, d, err := a.named(ctx, cmd)
	if err != nil {
		return err
	}
	if !cmd.Bool("json") {
		a.printDeployment(d)
	}
	// The accepts are new: the service, not this count, tells what is still open.
	if len(cmd.StringSlice("accept")) > 0 {
		d.Blocks = 0
	}
	return a.runDraft(ctx, cmd, c, d)
}

func (a deployCommands) deploymentResume(ctx context.Context, cmd *cli.Command) error {
	return a.finish(ctx, cmd, (*client.Client).Resume)
}

func (a deployCommands) deploymentHalt(ctx context.Context, cmd *cli.Command) error {
	c, d, err := a.named(ctx, cmd)
	if err != nil {
		return err
	}
	if d, err = c.Halt(ctx, d.Server, d.Number); err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(d)
	}
	fmt.Fprintf(a.Out, "%s stops between two motions; what has begun is finished first.\n  restless deployment show %s       what state it is in\n", d.Name, d.Name)
	return nil
}

func (a deployCommands) deploymentUndo(ctx context.Context, cmd *cli.Command) error {
	if cmd.Bool("with-data") {
		return a.finish(ctx, cmd, (*client.Client).UndoData)
	}
	return a.finish(ctx, cmd, (*client.Client).Undo)
}

func (a deployCommands) deploymentTick(ctx context.Context, cmd *cli.Command) error {
	if cmd.Bool("unchecked") {
		return a.finish(ctx, cmd, (*client.Client).TickUnchecked)
	}
	return a.finish(ctx, cmd, (*client.Client).Tick)
}

func (a deployCommands) deploymentTidy(ctx context.Context, cmd *cli.Command) error {
	return a.finish(ctx, cmd, (*client.Client).Tidy)
}

func (a deployCommands) finish(ctx context.Context, cmd *cli.Command, do func(c *client.Client, ctx context.Context, server string, n int, each client.Each) (api.Deployment, error)) error {
	c, d, err := a.named(ctx, cmd)
	if err != nil {
		return err
	}
	each, end := a.watch(cmd.Bool("json"))
	d, err = do(c, ctx, d.Server, d.Number, each)
	end()
	if err != nil {
		return err
	}
	return a.printRan(cmd, d)
}

func (a deployCommands) deploymentDecide(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a deployment and one or more decisions, such as take-needs or mine=PATH:KEY")
	if err != nil {
		return err
	}
	by, err := decision(args[1:])
	if err != nil {
		return err
	}
	server, number, ok := strings.Cut(args[0], "#")
	n, err := strconv.Atoi(number)
	if !ok || err != nil {
		return wrongUsage("%q is not server#number; a shell may need quotes around it", args[0])
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	each, end := a.watch(cmd.Bool("json"))
	d, err := c.Decide(ctx, server, n, by, each)
	end()
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(d)
	}
	a.printDeployment(d)
	fmt.Fprintf(a.Out, "\n%s takes the place of %s. restless deployment run %s runs it.\n", d.Name, args[0], d.Name)
	return nil
}

// decision reads the words of a decision.
func decision(given []string) (d api.Decision, err error) {
	var keep []string
	for _, word := range given {
		verb, name, pair := strings.Cut(word, "=")
		switch {
		case word == "take-needs":
			d.TakeNeeds = true
		case verb == "instead-of" && pair && name != "":
			d.InsteadOf = append(d.InsteadOf, name)
		case verb == "without" && pair && name != "":
			d.LeaveOut = append(d.LeaveOut, name)
		case verb == string(api.Mine) || verb == string(api.Theirs):
			keep = append(keep, word)
		default:
			return d, wrongUsage("%q is no decision; it is one of mine=PATH:KEY, theirs=PATH:KEY, take-needs, instead-of=ADDON and without=CRATE", word)
		}
	}
	d.Keep, err = sides(keep)
	return d, err
}

func (a deployCommands) deploymentDiscard(ctx context.Context, cmd *cli.Command) error {
	c, d, err := a.named(ctx, cmd)
	if err != nil {
		return err
	}
	if err := c.Discard(ctx, d.Server, d.Number); err != nil {
		return err
	}
	fmt.Fprintf(a.Out, "%s is discarded; nothing was done.\n", d.Name)
	return nil
}
