package cli

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// trackCommands are about what is on servers, and how it came to be.
type trackCommands struct{ *App }

func (a trackCommands) statusCommand() *cli.Command {
	return &cli.Command{Name: "status", Usage: "what is on a server, or on all", UsageText: "restless status [SERVER]", Action: a.status, Flags: []cli.Flag{&cli.BoolFlag{Name: "members", Usage: "list the add-ons of pallets one by one"}}}
}

func (a trackCommands) status(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	names := cmd.Args().Slice()
	if len(names) == 0 {
		servers, err := c.Servers(ctx)
		if err != nil {
			return err
		}
		for _, s := range servers {
			names = append(names, s.Name)
		}
	}
	all := []api.Status{}
	for _, n := range names {
		st, err := c.Status(ctx, n)
		if err != nil {
			return err
		}
		all = append(all, st)
	}
	if cmd.Bool("json") {
		return a.printJSON(all)
	}
	if len(all) == 0 {
		fmt.Fprintln(a.Out, "No servers yet. restless server add adds one.")
	}
	for i, st := range all {
		if i > 0 {
			fmt.Fprintln(a.Out)
		}
		a.printStatus(st, cmd.Bool("members"))
	}
	return nil
}

// changedOutside gives what a draft found that somebody else changed of what is recorded.
func changedOutside(d api.Deployment) (out []string) {
	for _, f := range d.Findings {
		if f.Code == "changed-file" || f.Code == "missing-file" {
			out = append(out, f.What)
		}
	}
	if more := len(out) - 3; more > 0 {
		out = append(out[:3], fmt.Sprintf("and %s more like these.", words.Count(more, "thing")))
	}
	return out
}

func (a trackCommands) printStatus(st api.Status, members bool) {
	fmt.Fprintf(a.Out, "%s  %s, %s\n", st.Server.Name, words.Count(len(st.Addons), "add-on"), words.Count(st.Files, "file"))
	if l := st.Survey; l != nil {
		before := ""
		if st.Last != nil && st.Last.EndedAt != nil && st.Last.EndedAt.After(l.At) {
			before = ", before " + st.Last.Name
		}
		fmt.Fprintf(a.Out, "  surveyed at %s%s: %s", clock(l.At), before, surveyWords(l.Counts))
		if l.Counts.Unknown > 0 {
			fmt.Fprintf(a.Out, "; %s that nobody deployed", words.Count(l.Counts.Unknown, "file"))
		}
		fmt.Fprintln(a.Out)
	}
	if r := st.Rhythm; r != nil && r.Overdue {
		since := "nobody has looked for updates yet"
		if r.UpdatesAt != nil {
			since = fmt.Sprintf("nobody has looked for updates since %s", clock(*r.UpdatesAt))
		}
		fmt.Fprintf(a.Out, "  %s, and it was to be done every %s\n    restless update %s\n", since, ageWords(r.UpdatesEvery), st.Server.Name)
	}
	if l := st.Looked; l != nil {
		fmt.Fprintf(a.Out, "  last looked at %s, by %s, at what that is about\n", clock(l.At), l.Deployment)
	}
	if l := st.Agree; l != nil {
		for _, f := range l.Found {
			fmt.Fprintf(a.Out, "  seen at %s by %s: %s\n", clock(l.At), l.By, f.What)
		}
	}
	for _, f := range st.Company {
		fmt.Fprintf(a.Out, "  %s\n", f.What)
		printMend(a.Out, "    ", f.Mend, f.Remedies, subject{server: st.Server.Name})
	}
	if st.Open != nil {
		fmt.Fprintf(a.Out, "  %s is %s: %s\n", st.Open.Name, strings.ToUpper(st.Open.State), st.Open.Title)
		if st.Open.State == "halted" {
			fmt.Fprintf(a.Out, "  restless deployment resume %s finishes it, deployment undo %s takes it back\n", st.Open.Name, st.Open.Name)
		}
	}
	for _, d := range st.Queue {
		fmt.Fprintf(a.Out, "  %s waits for its turn: %s\n", d.Name, d.Title)
	}
	for _, d := range st.Drafts {
		if d.Number > st.Settled {
			for _, what := range changedOutside(d) {
				fmt.Fprintf(a.Out, "  %s, a draft, saw at %s: %s\n", d.Name, clock(d.CreatedAt), what)
			}
		}
	}
	lines := palletRows(st)
	for _, x := range st.Addons {
		var know []string
		if x.Disabled {
			know = append(know, "disabled")
		}
		if x.Trouble != "" {
			know = append(know, "did not load: "+x.Trouble)
		}
		if x.ChangedSince {
			know = append(know, "changed since the last start")
		}
		if x.Note != "" {
			know = append(know, x.Note)
		}
		for _, o := range x.Oddities {
			know = append(know, "known and harmless: "+o)
		}
		switch x.Fit.State {
		case "outside", "other-loader", "players-only":
			know = append(know, "does not fit: "+x.Fit.Why)
		}
		switch {
		case x.Newer != "" && x.Hold != nil && x.Hold.Held:
			know = append(know, x.Newer+" is staged, and it is held")
		case x.Newer != "":
			know = append(know, x.Newer+" is staged")
		}
		if x.NewerUnfit != nil {
			know = append(know, x.NewerUnfit.Version+" is staged and does not fit: "+x.NewerUnfit.Why)
		}
		if len(x.Others) > 0 {
			know = append(know, "some files are from "+strings.Join(x.Others, ", "))
		}
		if x.Pallet != "" && len(know) == 0 && !members {
			continue // it stands there with its pallet
		}
		lines = append(lines, []string{"  " + x.Name, x.Version, x.Kind, x.Rung, fmt.Sprint(x.Files), x.Deployment, clock(x.Since), strings.Join(know, "; ")})
	}
	if len(lines) > 0 {
		a.rows([]string{"  add-on", "version", "kind", "rung", "files", "by", "since", "to know"}, lines)
	}
}

func (a trackCommands) filesCommand() *cli.Command {
	return &cli.Command{Name: "files", Usage: "every file with where it came from", UsageText: "restless files SERVER [PATH] [--gone]", Flags: []cli.Flag{&cli.BoolFlag{Name: "gone", Usage: "files that deployments have taken away"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 1, "a server, and perhaps a path")
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			below := ""
			if len(args) > 1 {
				below = args[1]
			}
			if cmd.Bool("gone") {
				return a.gone(ctx, cmd, c, args[0], below)
			}
			list, err := c.Files(ctx, args[0], below)
			if err != nil {
				return err
			}
			if cmd.Bool("json") {
				return a.printJSON(list)
			}
			if len(list) == 0 {
				fmt.Fprintln(a.Out, "The ledger knows no file there.")
				return nil
			}
			var lines [][]string
			for _, f := range list {
				lines = append(lines, []string{f.Path, words.Size(f.Size), strings.Join(f.Crates, ", "), strings.Join(f.Archives, ", "), f.Deployment, clock(f.Since), state(f.Before)})
			}
			a.rows([]string{"path", "size", "crate", "archive", "by", "since", "before"}, lines)
			return nil
		}}
}

// gone lists files that deployments have taken away.
func (a trackCommands) gone(ctx context.Context, cmd *cli.Command, c *client.Client, server, below string) error {
	list, err := c.Gone(ctx, server)
	if err != nil {
		return err
	}
	list = slices.DeleteFunc(list, func(e api.Event) bool {
		return below != "" && e.Path != below && !strings.HasPrefix(e.Path, strings.TrimSuffix(below, "/")+"/")
	})
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No deployment has taken a file away that is not there again.")
		return nil
	}
	var lines [][]string
	for _, e := range list {
		lines = append(lines, []string{e.Path, state(e.Before), strings.Join(e.CratesBefore, ", "), e.Deployment, clock(e.At), e.Actor})
	}
	a.rows([]string{"path", "was", "of", "taken away by", "when", "who"}, lines)
	return nil
}

func (a trackCommands) historyCommand() *cli.Command {
	return &cli.Command{Name: "history", Usage: "what happened to a path or an add-on", UsageText: "restless history SERVER --path PATH | --addon NAME",
		Flags: []cli.Flag{&cli.StringFlag{Name: "path", Usage: "this `PATH`"}, &cli.StringFlag{Name: "addon", Usage: "this add-on `NAME`"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			server, err := onlyArg(cmd, "server")
			if err != nil {
				return err
			}
			if (cmd.String("path") == "") == (cmd.String("addon") == "") {
				return wrongUsage("history needs one of --path PATH and --addon NAME")
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			list, err := c.History(ctx, server, cmd.String("path"), cmd.String("addon"))
			if err != nil {
				return err
			}
			if cmd.Bool("json") {
				return a.printJSON(list)
			}
			var lines [][]string
			for _, e := range list {
				lines = append(lines, []string{clock(e.At), e.Deployment, e.Path, state(e.Before), state(e.After), cmp.Or(strings.Join(e.Did, ", "), strings.Join(e.CratesAfter, ", ")), e.Actor})
			}
			a.rows([]string{"when", "by", "path", "before", "after", "crate, or what was edited", "who"}, lines)
			return nil
		}}
}
