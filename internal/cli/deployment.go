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
		{Name: "decide", Usage: "decide on what a draft leaves open, and draft it anew: whose values stay where both sides changed them, what comes along, what goes", UsageText: text("decide") + " mine=PATH:KEY|theirs=PATH:KEY|take-needs|instead-of=ADDON|replace=PATH|set-aside=PATH|rewrite=OLD:NEW|without=CRATE...", Action: a.deploymentDecide},
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

// nameChange reads OLD:NEW.
func nameChange(text string) (api.NameChange, bool) {
	from, to, ok := strings.Cut(text, ":")
	return api.NameChange{From: from, To: to}, ok && from != "" && to != ""
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
		case (verb == "replace" || verb == "set-aside") && pair && name != "":
			d.Replace = append(d.Replace, strings.TrimSuffix(name, "/"))
		case verb == "without" && pair && name != "":
			d.LeaveOut = append(d.LeaveOut, name)
		case verb == "rewrite" && pair:
			n, ok := nameChange(name)
			if !ok {
				return d, wrongUsage("%q is no decision: rewrite=OLD:NEW", word)
			}
			d.Rewrite = append(d.Rewrite, n)
		case verb == string(api.Mine) || verb == string(api.Theirs):
			keep = append(keep, word)
		default:
			return d, wrongUsage("%q is no decision; it is one of mine=PATH:KEY, theirs=PATH:KEY, take-needs, instead-of=ADDON, replace=PATH, set-aside=PATH, rewrite=OLD:NEW and without=CRATE", word)
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
