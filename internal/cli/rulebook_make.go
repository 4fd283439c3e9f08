package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

func (a rulebookCommands) rulebookCheck(ctx context.Context, cmd *cli.Command) error {
	var tried *api.StagedByBook
	var read *api.OnTree
	return a.withRulebookFile(cmd, func(c *client.Client, text string) (api.Rulebook, error) {
		r, err := c.CheckRulebook(ctx, text)
		if file := cmd.String("with"); err == nil && file != "" {
			var digest string
			if digest, err = a.keepOnly(ctx, c, file); err == nil {
				var t api.StagedByBook
				t, err = c.TryRulebook(ctx, text, digest)
				tried = &t
			}
		}
		if server := cmd.String("with-tree"); err == nil && server != "" {
			var t api.OnTree
			t, err = c.ReadTree(ctx, text, server)
			read = &t
		}
		return r, err
	}, func(file string, r api.Rulebook) {
		fmt.Fprintf(a.Out, "%s is in order: rulebook %s (%s)\n", file, r.Name, r.Title)
		a.printBook(r)
		if tried != nil {
			a.printTried(cmd.String("with"), *tried)
		}
		if read != nil {
			a.printOnTree(cmd.String("with-tree"), *read)
		}
	})
}

func (a rulebookCommands) rulebookAdd(ctx context.Context, cmd *cli.Command) error {
	var again []api.StagedByBook
	return a.withRulebookFile(cmd, func(c *client.Client, text string) (api.Rulebook, error) {
		r, err := c.AddRulebook(ctx, text, cmd.Bool("over"))
		if err == nil && cmd.Bool("again") {
			again, err = c.LayOutAgain(ctx, r.Name, nil)
		}
		return r, err
	}, func(_ string, r api.Rulebook) {
		if r.Fresh {
			fmt.Fprintf(a.Out, "Rulebook %s (%s) is there, revision %d.\n", r.Name, r.Title, r.Revision)
		} else {
			fmt.Fprintf(a.Out, "Rulebook %s is the same as revision %d; nothing was changed.\n", r.Name, r.Revision)
		}
		if r.Outdated > 0 && !cmd.Bool("again") {
			fmt.Fprintf(a.Out, "%s laid out by earlier revisions only; rulebook add --again lays out by this one.\n", countWas(r.Outdated, "archive"))
		}
		for _, b := range again {
			for _, c := range b.Crates {
				a.printCrateLine(c)
			}
			for _, f := range b.Findings {
				printFinding(a.Out, f, subject{})
			}
		}
	})
}

func countWas(n int, thing string) string {
	if n == 1 {
		return "1 " + thing + " was"
	}
	return fmt.Sprintf("%d %ss were", n, thing)
}

// keepOnly uploads an archive without laying it out and gives its digest.
func (a rulebookCommands) keepOnly(ctx context.Context, c *client.Client, file string) (string, error) {
	st, err := a.send(ctx, false, c, file, client.Staging{Filename: filepath.Base(filepath.Clean(file)), KeepOnly: true})
	return st.Archive.Digest, err
}

func (a rulebookCommands) printOnTree(server string, t api.OnTree) {
	fmt.Fprintf(a.Out, "\nOn %s:\n", server)
	var lines [][]string
	for _, p := range t.Places {
		holds := words.Count(p.Holds, "thing") + " in it"
		if p.Holds < 0 {
			holds = "not there yet"
		}
		lines = append(lines, []string{"  place " + p.Name, p.Path, holds})
	}
	for _, x := range t.Addons {
		lines = append(lines, []string{"  " + x.Kind + " " + join(x.Name, x.Version), x.Path, ""})
	}
	for _, p := range t.Protected {
		lines = append(lines, []string{"  protected", p, ""})
	}
	a.rows(nil, lines)
}

func (a rulebookCommands) printTried(file string, t api.StagedByBook) {
	fmt.Fprintf(a.Out, "\nOf %s it would make:\n", file)
	for _, c := range t.Crates {
		a.printCrateLine(c)
		for _, f := range c.Findings {
			printFinding(a.Out, f, subject{crate: c.Ref})
		}
		a.printReadings(c.Readings)
		a.printMap(c)
	}
	for _, f := range t.Findings {
		printFinding(a.Out, f, subject{})
	}
	if len(t.Crates) == 0 && len(t.Findings) == 0 {
		fmt.Fprintln(a.Out, "  nothing: no kind recognises it")
	}
}

// printReadings says for each reading what it found, and where nothing.
func (a rulebookCommands) printReadings(list []api.Reading) {
	var lines [][]string
	for _, r := range list {
		found := "nothing in " + r.File
		if r.From != "" {
			found = fmt.Sprintf("%s, in %s", r.Value, r.From)
		}
		lines = append(lines, []string{"  reads " + r.What, r.Where, found})
	}
	a.rows(nil, lines)
}

// rulebookPropose prints the rulebook alone to standard output, so that it can
// be written to a file, and the questions beside it.
func (a rulebookCommands) rulebookPropose(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	p := api.Propose{Name: cmd.String("name"), Title: cmd.String("title"), Starter: cmd.String("starter"), Answers: map[string]string{}}
	if p.Starter == "?" {
		return a.starters(ctx, c)
	}
	if cmd.Args().Len() > 1 {
		return wrongUsage("give at most one server")
	}
	p.Server = cmd.Args().First()
	if p.Answers, err = pairs(cmd, "answer"); err != nil {
		return err
	}
	for _, file := range cmd.StringSlice("with") {
		digest, err := a.keepOnly(ctx, c, file)
		if err != nil {
			return err
		}
		p.Archives = append(p.Archives, digest)
	}
	made, err := c.Propose(ctx, p)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(made)
	}
	for _, q := range made.Questions {
		a.printQuestion(q, p.Answers[q.Key])
	}
	if made.Text == "" {
		return fmt.Errorf("%s", made.Missing)
	}
	fmt.Fprint(a.Out, made.Text)
	return nil
}

func (a rulebookCommands) printQuestion(q api.Question, answer string) {
	fmt.Fprintf(a.Err, "%s\n", q.Ask)
	for i, o := range q.Options {
		mark := " "
		if o.Value == answer || answer == "" && i == 0 {
			mark = "*"
		}
		fmt.Fprintf(a.Err, "  %s --answer %s=%s  %s (%s)\n", mark, q.Key, quoted(o.Value), o.Says, o.Why)
	}
	if q.Like != "" {
		fmt.Fprintf(a.Err, "      another answer looks like %s\n", quoted(q.Like))
	}
	if answer != "" && !slices.ContainsFunc(q.Options, func(o api.Option) bool { return o.Value == answer }) {
		fmt.Fprintf(a.Err, "  * %s, as you said\n", answer)
	}
}

// quoted is a word as a shell takes it for one.
func quoted(s string) string {
	if strings.ContainsAny(s, " \t\\$`\"'*?[]{}()<>|&;!") {
		return "'" + strings.ReplaceAll(s, "'", `'"'"'`) + "'"
	}
	return s
}

// starters lists the shapes that a rulebook may begin with.
func (a rulebookCommands) starters(ctx context.Context, c *client.Client) error {
	all, err := c.Starters(ctx)
	var lines [][]string
	for _, s := range all {
		lines = append(lines, []string{s.Name, s.About})
	}
	a.rows([]string{"starter", "for"}, lines)
	return err
}

func (a rulebookCommands) rulebookSchema(_ context.Context, _ *cli.Command) error {
	_, err := a.Out.Write(a.Schema)
	return err
}
