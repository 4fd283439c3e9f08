package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// archiveCommands are about archives of which no crate came, or the wrong one.
type archiveCommands struct{ *App }

func (a archiveCommands) archiveCommand() *cli.Command {
	return &cli.Command{Name: "archive", Usage: "archives of which no crate is in the list, and laying one out again", Commands: []*cli.Command{
		{Name: "list", Usage: "list the archives of which no crate is in the list", UsageText: "restless archive list [--all]", Flags: []cli.Flag{&cli.BoolFlag{Name: "all", Usage: "list every download, also what was let go"}}, Action: a.list},
		{Name: "drop", Usage: "let the bytes of archives go that nothing needs; staging one again brings it back", UsageText: "restless archive drop ARCHIVE... [--yes]", Flags: []cli.Flag{yes()}, Action: a.drop},
		{Name: "again", Usage: "lay an archive out again, perhaps with another root", UsageText: "restless archive again ARCHIVE [--root FOLDER | --forget-root] [--rulebook NAME]", Flags: []cli.Flag{
			&cli.StringFlag{Name: "root", Usage: "the folder in it that is the add-on; kept for later versions"},
			&cli.BoolFlag{Name: "forget-root", Usage: "a root that was chosen before is forgotten, and asked anew"},
			&cli.StringFlag{Name: "rulebook", Usage: "by this rulebook only"},
		}, Action: a.again},
	}}
}

func (a archiveCommands) list(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	if cmd.Bool("all") {
		return a.listAll(ctx, cmd, c)
	}
	list, err := c.LooseArchives(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "Of every archive that was staged there is a crate in the list.")
		return nil
	}
	var lines [][]string
	choices := false
	for _, x := range list {
		lines = append(lines, []string{x.Archive.Digest[:6], x.Archive.Filename, words.Size(x.Archive.Size), clock(x.Archive.StagedAt), looseWords(x)})
		for _, b := range x.Rulebooks {
			choices = choices || len(b.Choices) > 0
		}
	}
	a.rows([]string{"", "archive", "size", "staged", "why there is no crate"}, lines)
	fmt.Fprintf(a.Out, "\nrestless archive again ARCHIVE%s\n", map[bool]string{true: " --root FOLDER"}[choices])
	return nil
}

// looseWords says why no crate came of an archive, as far as that is known.
func looseWords(x api.Loose) string {
	var said, strange []string
	for _, b := range x.Rulebooks {
		switch {
		case b.Crates > 0:
			said = append(said, fmt.Sprintf("what %s made of it has left the list", b.Rulebook))
			continue
		case len(b.Choices) == 0:
			strange = append(strange, b.Rulebook)
			continue
		}
		var could []string
		for _, c := range b.Choices {
			could = append(could, c.Root)
		}
		said = append(said, fmt.Sprintf("%s asks which is the add-on: %s", b.Rulebook, words.Few(could)))
	}
	switch {
	case len(x.Rulebooks) == 0:
		return "no rulebook in use has looked at it, as it is now"
	case len(strange) > 0 && len(said) == 0:
		said = append(said, "not known to "+words.Few(strange))
	}
	return strings.Join(said, "; ")
}

func (a archiveCommands) again(ctx context.Context, cmd *cli.Command) error {
	ref, err := onlyArg(cmd, "archive, by its file name or the first digits of its digest")
	if err != nil {
		return err
	}
	if cmd.Bool("forget-root") && cmd.String("root") != "" {
		return wrongUsage("give one of --root FOLDER and --forget-root")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	st, err := c.LayOutArchive(ctx, ref, api.Choosing{Rulebook: cmd.String("rulebook"), Root: cmd.String("root"), Forget: cmd.Bool("forget-root")}, nil)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(st)
	}
	stageCommands(a).printStaged(st)
	if crates(st) == 0 {
		return cli.Exit("no crate was made of "+st.Archive.Filename, ExitBlocked)
	}
	return nil
}
