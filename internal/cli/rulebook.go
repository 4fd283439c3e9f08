package cli

import (
	"context"
	"fmt"
	"io"
	"os"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

// rulebookCommands are about rulebooks.
type rulebookCommands struct{ *App }

func (a rulebookCommands) rulebookCommand() *cli.Command {
	return &cli.Command{Name: "rulebook", Usage: "what describes a game's server tree", Commands: []*cli.Command{
		{Name: "list", Usage: "list the rulebooks", Action: a.rulebookList},
		{Name: "show", Usage: "show a rulebook", UsageText: "restless rulebook show NAME [--revision N] [--text]", Flags: []cli.Flag{
			&cli.IntFlag{Name: "revision", Usage: "`N`; the newest if not given"}, &cli.BoolFlag{Name: "text", Usage: "the YAML itself"}}, Action: a.rulebookShow},
		{Name: "compare", Usage: "what changed between two revisions", UsageText: "restless rulebook compare NAME --from N [--to N]", Flags: []cli.Flag{
			&cli.IntFlag{Name: "from", Usage: "revision `N`", Required: true}, &cli.IntFlag{Name: "to", Usage: "revision `N`; the newest if not given"}}, Action: a.rulebookCompare},
		{Name: "check", Usage: "read a rulebook file and say what is wrong with it", UsageText: "restless rulebook check FILE [--with ARCHIVE] [--with-tree SERVER]",
			Flags: []cli.Flag{&cli.StringFlag{Name: "with", Usage: "show what it would make of this `ARCHIVE` or folder"},
				&cli.StringFlag{Name: "with-tree", Usage: "show what it makes of this `SERVER`'s tree"}}, Action: a.rulebookCheck},
		{Name: "propose", Usage: "make a rulebook from a server's tree, downloads and answers, and print it", UsageText: "restless rulebook propose [SERVER] --name NAME --title TITLE [--with ARCHIVE]... [--answer KEY=VALUE]...\n   restless rulebook propose --starter NAME --name NAME --title TITLE",
			Flags: []cli.Flag{&cli.StringFlag{Name: "name", Usage: "what the rulebook is called (`NAME`)", Value: "my-game"}, &cli.StringFlag{Name: "title", Usage: "the game's name (`TITLE`)", Value: "My game"},
				&cli.StringSliceFlag{Name: "with", Usage: "a download to learn from (`ARCHIVE`)"}, &cli.StringSliceFlag{Name: "answer", Usage: "an answer to one of the questions (`KEY=VALUE`)"},
				&cli.StringFlag{Name: "starter", Usage: "begin with a rulebook named for a shape (`NAME`; ? lists them)"}}, Action: a.rulebookPropose},
		{Name: "schema", Usage: "print the JSON Schema of the language, for editors", Action: a.rulebookSchema},
		{Name: "add", Usage: "add a rulebook, or its next revision", UsageText: "restless rulebook add FILE [--again] [--over]", Flags: []cli.Flag{&cli.BoolFlag{Name: "over", Usage: "it may be the next revision of a rulebook that somebody else wrote"}, &cli.BoolFlag{Name: "again", Usage: "lay out again, by this revision, what only earlier ones laid out"}}, Action: a.rulebookAdd},
		{Name: "drop", Usage: "take a rulebook out of use", UsageText: "restless rulebook drop NAME", Flags: []cli.Flag{yes()}, Action: a.rulebookDrop},
	}}
}

func (a rulebookCommands) rulebookList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Rulebooks(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No rulebooks yet. restless rulebook add FILE adds one.")
		return nil
	}
	var lines [][]string
	for _, r := range list {
		lines = append(lines, []string{r.Name, r.Title, fmt.Sprint(r.Revision), clock(r.CreatedAt), r.Actor})
	}
	a.rows([]string{"rulebook", "game", "revision", "since", "by"}, lines)
	return nil
}

func (a rulebookCommands) printBook(r api.Rulebook) {
	for _, v := range r.Variables {
		fmt.Fprintf(a.Out, "  asks each server for %s: %s\n", v.Name, v.Ask)
	}
	var lines [][]string
	for _, p := range r.Places {
		lines = append(lines, []string{"  place " + p.Name, p.Path, p.About})
	}
	for _, k := range r.Kinds {
		lines = append(lines, []string{"  kind " + k.Name, k.Recognised, k.About})
	}
	a.rows(nil, lines)
}

func (a rulebookCommands) rulebookShow(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "rulebook name")
	if err != nil {
		return err
	}
	r, err := c.Rulebook(ctx, name, cmd.Int("revision"))
	switch {
	case err != nil:
		return err
	case cmd.Bool("json"):
		return a.printJSON(r)
	case cmd.Bool("text"):
		_, err := io.WriteString(a.Out, r.Text)
		return err
	}
	fmt.Fprintf(a.Out, "%s (%s), revision %d, added %s by %s\n", r.Name, r.Title, r.Revision, clock(r.CreatedAt), r.Actor)
	a.printBook(r)
	return nil
}

func (a rulebookCommands) withRulebookFile(cmd *cli.Command, do func(*client.Client, string) (api.Rulebook, error), say func(string, api.Rulebook)) error {
	file, err := onlyArg(cmd, "file")
	if err != nil {
		return err
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("read the rulebook: %w", err)
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	r, err := do(c, string(text))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(r)
	}
	say(file, r)
	return nil
}

func (a rulebookCommands) rulebookDrop(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "rulebook name")
	if err != nil {
		return err
	}
	if err := a.confirm(cmd, fmt.Sprintf("Take rulebook %s out of use?", name)); err != nil {
		return err
	}
	if err := c.DropRulebook(ctx, name); err != nil {
		return err
	}
	fmt.Fprintf(a.Out, "Rulebook %s is out of use; crates that it laid out stay.\n", name)
	return nil
}

func (a rulebookCommands) rulebookCompare(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "the name of a rulebook")
	if err != nil {
		return err
	}
	t, err := c.CompareRulebook(ctx, name, cmd.Int("from"), cmd.Int("to"))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(t)
	}
	fmt.Fprintf(a.Out, "%s: revision %d, by %s at %s, and revision %d, by %s at %s\n", name, t.From.Revision, t.From.Actor, clock(t.From.CreatedAt), t.To.Revision, t.To.Actor, clock(t.To.CreatedAt))
	if t.Diff == "" {
		fmt.Fprintln(a.Out, "They are the same.")
		return nil
	}
	fmt.Fprint(a.Out, t.Diff)
	return nil
}
