package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func (a deployCommands) groupCommand() *cli.Command {
	return &cli.Command{Name: "group", Usage: "deploy to several servers together", Commands: []*cli.Command{
		{Name: "add", Usage: "name servers that are deployed to together, in this order", UsageText: "restless group add NAME SERVER...", Action: a.groupAdd},
		{Name: "list", Usage: "the groups", UsageText: "restless group list", Action: a.groupList},
		{Name: "show", Usage: "what was done on a group last", UsageText: "restless group show NAME", Action: a.groupShow},
		{Name: "deploy", Usage: "draft the same on every server, and run the drafts: one after the other, until one does not come through", UsageText: "restless group deploy NAME CRATE|PALLET... [--remove ADDON] [--side-by-side N]",
			Flags: append([]cli.Flag{&cli.StringSliceFlag{Name: "remove", Usage: "remove this `ADDON`"}, &cli.BoolFlag{Name: "take-needs", Usage: "have what the crates need come along"},
				&cli.IntFlag{Name: "side-by-side", Usage: "on `N` servers at a time"}}, runFlags()...), Action: a.groupDeploy},
		{Name: "back", Usage: "take back what was done last, on all servers of the group", UsageText: "restless group back NAME", Flags: []cli.Flag{yes()}, Action: a.groupBack},
		{Name: "drop", Usage: "forget a group; nothing is done to its servers", UsageText: "restless group drop NAME", Action: a.groupDrop},
	}}
}

func (a deployCommands) groupAdd(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a name and servers")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	g, err := c.AddGroup(ctx, api.NewGroup{Name: args[0], Servers: args[1:]})
	if err == nil && cmd.Bool("json") {
		return a.printJSON(g)
	}
	return err
}

func (a deployCommands) groupList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Groups(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "There is no group.\n  restless group add NAME SERVER... makes one")
		return nil
	}
	var lines [][]string
	for _, g := range list {
		lines = append(lines, []string{g.Name, strings.Join(g.Servers, ", ")})
	}
	a.rows([]string{"group", "servers"}, lines)
	return nil
}

func (a deployCommands) groupShow(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "group")
	if err != nil {
		return err
	}
	g, err := c.Group(ctx, name)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(g)
	}
	fmt.Fprintf(a.Out, "%s: %s\n", g.Name, strings.Join(g.Servers, ", "))
	if g.Last == nil {
		fmt.Fprintln(a.Out, "Nothing was deployed to it yet.")
		return nil
	}
	fmt.Fprintf(a.Out, "Last on %s, by %s: %s\n\n", clock(g.Last.At), g.Last.By, g.Last.State)
	a.printParts(*g.Last)
	return nil
}

func (a deployCommands) printParts(r api.GroupRun) {
	var lines [][]string
	for _, p := range r.Parts {
		note, _, _ := strings.Cut(p.Words, "\n")
		lines = append(lines, []string{p.Server, p.Deployment, p.State, note})
	}
	a.rows([]string{"server", "deployment", "came of it", "words"}, lines)
}

func (a deployCommands) groupDeploy(ctx context.Context, cmd *cli.Command) error {
	least, what := 2, "a group and one or more crates"
	if len(cmd.StringSlice("remove")) > 0 {
		least, what = 1, "a group"
	}
	args, err := atLeast(cmd, least, what)
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	n := api.NewDraft{Crates: args[1:], Remove: cmd.StringSlice("remove"), TakeNeeds: cmd.Bool("take-needs")}
	inRun(cmd, &n)
	each, end := a.watch(cmd.Bool("json"))
	r, err := c.DraftGroup(ctx, args[0], n, each)
	end()
	if err != nil {
		return err
	}
	quiet := cmd.Bool("json")
	if !quiet {
		a.printGroupDrafts(r)
	}
	blocked := 0
	for _, d := range r.Drafts {
		if d.Blocks > 0 {
			blocked++
		}
	}
	switch {
	case cmd.Bool("draft"):
		if quiet {
			return a.printJSON(r)
		}
		fmt.Fprintln(a.Out, "\nKept as drafts. Each can be run by itself; to run them together, do this again without --draft.")
		return nil
	case blocked > 0:
		return cli.Exit(fmt.Sprintf("%s blocked, so nothing was done on any server; restless deployment show tells more of each, and --accept CODE[=PATH] accepts what may be accepted", words.Count(blocked, "draft")+" "+map[bool]string{true: "is", false: "are"}[blocked == 1]), ExitBlocked)
	case len(r.Drafts) == 0:
		fmt.Fprintf(a.Out, "All of it is so already on every server of %s.\n", args[0])
		return nil
	}
	if err := a.confirm(cmd, fmt.Sprintf("\nRun %s, %s?", words.Count(len(r.Drafts), "draft"), inOrder(cmd.Int("side-by-side")))); err != nil {
		return err
	}
	each, end = a.watch(quiet)
	r, err = c.RunGroup(ctx, args[0], api.RunGroup{ID: r.ID, Accept: cmd.StringSlice("accept"), SideBySide: cmd.Int("side-by-side")}, each)
	end()
	if err != nil {
		return err
	}
	if quiet {
		if err := a.printJSON(r); err != nil {
			return err
		}
	} else {
		fmt.Fprintln(a.Out)
		a.printParts(r)
	}
	if r.State == "stopped" {
		return cli.Exit(fmt.Sprintf("the group was stopped at the first that did not come through\n  restless group back %s takes all of it back", args[0]), ExitFailed)
	}
	if !quiet {
		fmt.Fprintf(a.Out, "\n  restless group back %s    takes all of it back\n", args[0])
	}
	return nil
}

func inOrder(sideBySide int) string {
	if sideBySide > 1 {
		return fmt.Sprintf("%d at a time", sideBySide)
	}
	return "one after the other"
}

// printGroupDrafts says what would happen on each server.
func (a deployCommands) printGroupDrafts(r api.GroupRun) {
	var lines [][]string
	for _, p := range r.Parts {
		line := []string{p.Server, p.Deployment, p.Words, ""}
		for _, d := range r.Drafts {
			if d.Name == p.Deployment {
				line[2] = fmt.Sprintf("%d in, %d changed, %d out", d.Counts.In, d.Counts.Changed, d.Counts.Out)
				if d.Blocks > 0 {
					line[3] = "blocked by " + words.Count(d.Blocks, "finding")
				}
			}
		}
		lines = append(lines, line)
	}
	a.rows([]string{"server", "draft", "what", ""}, lines)
	seen := map[string]bool{}
	for _, d := range r.Drafts {
		for _, f := range d.Findings {
			if f.Level != "note" && !seen[f.Code+f.What] {
				seen[f.Code+f.What] = true
				printFinding(a.Out, f, subject{server: d.Server, deployment: d.Name})
			}
		}
	}
}

func (a deployCommands) groupBack(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "group")
	if err != nil {
		return err
	}
	if err := a.confirm(cmd, fmt.Sprintf("Take back what was done on group %s last, on all of its servers?", name)); err != nil {
		return err
	}
	each, end := a.watch(cmd.Bool("json"))
	r, err := c.TakeGroupBack(ctx, name, each)
	end()
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(r)
	}
	a.printParts(r)
	return nil
}

func (a deployCommands) groupDrop(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "group")
	if err != nil {
		return err
	}
	return c.DropGroup(ctx, name)
}
