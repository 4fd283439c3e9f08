package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// stockroomCommands are about what the service keeps of downloads and of servers' files.
type stockroomCommands struct{ *App }

func (a stockroomCommands) stockroomCommand() *cli.Command {
	return &cli.Command{Name: "stockroom", Usage: "what is kept of downloads and of servers' files: every byte of it read, and room freed", Commands: []*cli.Command{
		{Name: "verify", Usage: "read every byte and name what is damaged; doctor looks over the database as well", UsageText: "restless stockroom verify [--mend]",
			Flags: []cli.Flag{&cli.BoolFlag{Name: "mend", Usage: "read what is damaged again on the servers on which the ledger has it"}}, Action: serviceCommands(a).doctorCommand().Action},
		{Name: "tidy", Usage: "show what can go by age, by versions or by room, and let it go; nothing goes that is on a server or that a way back needs", UsageText: "restless stockroom tidy --older-than 90d [--keep 3] [--below 20GB] [--yes]",
			Flags: []cli.Flag{&cli.StringFlag{Name: "older-than", Usage: "downloads staged before this `AGE` (90d, 12w), and the ways back of deployments that are older; not since the last that is called good"},
				&cli.IntFlag{Name: "keep", Usage: "the newest `N` versions of each add-on stay"},
				&cli.StringFlag{Name: "below", Usage: "the oldest go, until the stockroom takes less than this `SIZE`"}, yes()}, Action: a.tidy},
	}}
}

func (a stockroomCommands) tidy(ctx context.Context, cmd *cli.Command) error {
	var t api.Tidy
	if text := cmd.String("older-than"); text != "" {
		age, err := parseAge(text)
		if err != nil {
			return wrongUsage("--older-than %v", err)
		}
		t.Policy.OlderThan = age.Milliseconds()
	}
	if text := cmd.String("below"); text != "" {
		size, err := parseSize(text)
		if err != nil {
			return wrongUsage("--below %v", err)
		}
		t.Policy.Below = size
	}
	t.Policy.Versions = cmd.Int("keep")
	if !t.Policy.Says() {
		return wrongUsage("say what may go: --older-than AGE, --keep N or --below SIZE")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	return a.letGo(ctx, cmd, c, t)
}

// letGo shows what goes, asks, and has it go.
func (a *App) letGo(ctx context.Context, cmd *cli.Command, c *client.Client, t api.Tidy) error {
	plan, err := c.PlanTidying(ctx, t)
	if err != nil {
		return err
	}
	if !cmd.Bool("json") {
		a.printPlan(plan)
	}
	if len(plan.Archives)+len(plan.Copies)+len(plan.GivenUp) == 0 {
		if cmd.Bool("json") {
			return a.printJSON(plan)
		}
		fmt.Fprintln(a.Out, "Nothing can go.")
		return nil
	}
	if err := a.confirm(cmd, "\nLet it go?"); err != nil {
		return err
	}
	t.Digest = plan.Digest
	each, end := a.watch(cmd.Bool("json"))
	done, err := c.TidyStockroom(ctx, t, each)
	end()
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(done)
	}
	fmt.Fprintf(a.Out, "Done: %s are free again. A download that went is brought back by staging it again.\n", words.Size(done.Freed))
	return nil
}

func (a *App) printPlan(p api.TidyPlan) {
	var lines [][]string
	row := func(what string, g api.Going) {
		copied := ""
		if g.Copied > 0 {
			copied = words.Size(g.Copied) + " of it are needed still, and are kept"
		}
		lines = append(lines, []string{what, g.Name, words.Size(g.Size), copied})
	}
	for _, g := range p.Archives {
		row("download", g)
	}
	for _, g := range p.Copies {
		row("copies kept by", g)
	}
	if len(lines) > 0 {
		a.rows([]string{"goes", "", "size", ""}, lines)
	}
	if len(p.GivenUp) > 0 {
		fmt.Fprintf(a.Out, "\n%s cannot be rolled back any more: %s\n", words.Count(len(p.GivenUp), "deployment"), words.Few(p.GivenUp))
	}
	if len(p.Kept) > 0 {
		fmt.Fprintln(a.Out, "\nWhat stays of the downloads:")
		lines = nil
		for _, k := range p.Kept {
			lines = append(lines, []string{"  " + words.Count(len(k.Names), "download"), words.Size(k.Bytes), k.Why, words.Few(k.Names)})
		}
		a.rows(nil, lines)
	}
	fmt.Fprintf(a.Out, "\n%s of %s would be free again.\n", words.Size(p.Freed), words.Size(p.Total))
}

// parseAge reads a length of time: 90d, 12w, 36h.
func parseAge(text string) (time.Duration, error) {
	for unit, length := range map[string]time.Duration{"d": 24 * time.Hour, "w": 7 * 24 * time.Hour} {
		if n, ok := strings.CutSuffix(text, unit); ok {
			if days, err := strconv.ParseFloat(n, 64); err == nil && days > 0 {
				return time.Duration(days * float64(length)), nil
			}
		}
	}
	d, err := time.ParseDuration(text)
	if err != nil || d <= 0 {
		return 0, fmt.Errorf("%q is no length of time; write it such as 90d, 12w or 36h", text)
	}
	return d, nil
}

// listAll lists every download that the stockroom holds, or held.
func (a archiveCommands) listAll(ctx context.Context, cmd *cli.Command, c *client.Client) error {
	list, err := c.Archives(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	var lines [][]string
	for _, x := range list {
		note := ""
		switch {
		case !x.Dropped.IsZero():
			note = "let go " + clock(x.Dropped)
		case len(x.Servers) > 0:
			note = "on " + words.Few(x.Servers)
		case x.Newer > 0:
			note = words.Count(x.Newer, "newer version") + " staged"
		case x.Newer < 0:
			note = "no crate came of it"
		}
		lines = append(lines, []string{x.Archive.Digest[:6], x.Archive.Filename, words.Size(x.Archive.Size), clock(x.Archive.StagedAt), note})
	}
	a.rows([]string{"", "archive", "size", "staged", ""}, lines)
	return nil
}

// drop lets the bytes of archives go.
func (a archiveCommands) drop(ctx context.Context, cmd *cli.Command) error {
	refs, err := atLeast(cmd, 1, "one or more archives")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Archives(ctx)
	if err != nil {
		return err
	}
	var t api.Tidy
	for _, ref := range refs {
		var found []api.KeptArchive
		for _, x := range list {
			if x.Dropped.IsZero() && (x.Archive.Filename == ref || len(ref) >= 4 && strings.HasPrefix(x.Archive.Digest, ref)) {
				found = append(found, x)
			}
		}
		if len(found) != 1 {
			return fmt.Errorf("%s archives here are called %s; archive list --all shows them with their digits", map[bool]string{true: "no", false: "several"}[len(found) == 0], ref)
		}
		t.Policy.Only = append(t.Policy.Only, found[0].Archive.Digest)
	}
	return a.letGo(ctx, cmd, c, t)
}
