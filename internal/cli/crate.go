package cli

import (
	"cmp"
	"context"
	"fmt"
	"sort"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// crateCommands are about crates.
type crateCommands struct{ *App }

func (a crateCommands) crateCommand() *cli.Command {
	correct := correctionCommands(a)
	book := &cli.StringFlag{Name: "rulebook", Usage: "of this rulebook `NAME` only"}
	return &cli.Command{Name: "crate", Usage: "what was staged and can be deployed", Commands: []*cli.Command{
		{Name: "list", Usage: "list the crates, the newest first", Flags: []cli.Flag{book, &cli.StringFlag{Name: "addon", Usage: "of this add-on `NAME` only"}, &cli.BoolFlag{Name: "members", Usage: "list the crates of pallets one by one"}}, Action: a.crateList},
		{Name: "show", Usage: "where each file goes, and why", UsageText: "restless crate show NAME@VERSION", Flags: []cli.Flag{book}, Action: a.crateShow},
		{Name: "readme", Usage: "the author's notes", UsageText: "restless crate readme NAME@VERSION [--numbers]", Flags: []cli.Flag{book, &cli.BoolFlag{Name: "numbers", Usage: "number the lines, for tweak insert --from-readme"}}, Action: a.crateReadme},
		{Name: "place", Usage: "say where files of a crate go, for this version and later ones", UsageText: "restless crate place NAME@VERSION GLOB --in PLACE [--as PATH] | --leave-out",
			Flags:  []cli.Flag{book, &cli.StringFlag{Name: "in", Usage: "the `PLACE` they go to"}, &cli.StringFlag{Name: "as", Usage: "the `PATH` in it; may hold {name}, {version}, {path}, {file}"}, &cli.BoolFlag{Name: "leave-out", Usage: "leave these files out"}},
			Action: correct.cratePlace},
		{Name: "set", Usage: "say what a crate is called: its name for later versions too, its version for this archive", UsageText: "restless crate set NAME@VERSION [--name NAME] [--version VERSION] [--base ADDON] [--apart]",
			Flags: []cli.Flag{book, &cli.StringFlag{Name: "name", Usage: "what the add-on is called (`NAME`)"}, &cli.StringFlag{Name: "version", Usage: "which `VERSION` this is"},
				&cli.StringFlag{Name: "base", Usage: "which `ADDON` it changes, for later versions too"}, &cli.BoolFlag{Name: "apart", Usage: "it is another add-on than those of other kinds that have its name"}}, Action: correct.crateSet},
		{Name: "unset", Usage: "take back what you corrected of a crate; without one: show all that is in force", UsageText: "restless crate unset [NAME@VERSION [--name] [--version] [--base] [--apart] [--files] [--root]]",
			Flags: []cli.Flag{book, &cli.BoolFlag{Name: "name", Usage: "its name"}, &cli.BoolFlag{Name: "version", Usage: "its version"}, &cli.BoolFlag{Name: "base", Usage: "which add-on it changes"},
				&cli.BoolFlag{Name: "apart", Usage: "that it is another add-on"}, &cli.BoolFlag{Name: "files", Usage: "where its files go"}, &cli.BoolFlag{Name: "root", Usage: "which folder of its archive it is"}}, Action: correct.crateUnset},
		{Name: "join", Usage: "join two downloads of one add-on into one crate with the name and version of the first", UsageText: "restless crate join FIRST SECOND", Flags: []cli.Flag{book}, Action: correct.crateJoin},
		{Name: "compare", Usage: "show what a crate changes compared with another", UsageText: "restless crate compare OLD NEW", Flags: []cli.Flag{book}, Action: correct.crateCompare},
		{Name: "drop", Usage: "take a crate out of the list", UsageText: "restless crate drop NAME@VERSION", Flags: []cli.Flag{book, yes()}, Action: a.crateDrop},
	}}
}

func (a crateCommands) crateList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Crates(ctx, cmd.String("rulebook"), cmd.String("addon"))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No crates. restless stage FILE makes some.")
		return nil
	}
	seen := map[string]int{}
	for _, x := range list {
		seen[x.Rulebook+x.Label]++
	}
	lines, folded, err := a.palletsIn(ctx, cmd, c, list)
	if err != nil {
		return err
	}
	for _, x := range list {
		if folded[x.Rulebook+" "+x.Label] {
			continue // it stands there with its pallet
		}
		name := x.Label
		if seen[x.Rulebook+x.Label] > 1 {
			name = x.Ref
		}
		lines = append(lines, []string{name, x.Rulebook, x.Kind, words.Count(x.FileCount, "file"), words.Size(x.Size), heldBy(x), clock(x.StagedAt), from(x)})
	}
	a.rows([]string{"crate", "rulebook", "kind", "holds", "size", "on", "staged", "from"}, lines)
	return nil
}

// heldBy names the servers that hold this very version.
func heldBy(x api.Crate) string {
	var names []string
	for _, o := range x.On {
		if o.Crate == x.Digest {
			names = append(names, o.Server)
		}
	}
	return strings.Join(names, ", ")
}

func from(x api.Crate) string {
	names := make([]string, len(x.Archives))
	for i, ar := range x.Archives {
		names[i] = ar.Filename
	}
	if len(names) == 0 {
		return "no download"
	}
	return strings.Join(names, ", ")
}

func (a crateCommands) withCrate(cmd *cli.Command, do func(c *client.Client, ref, book string) error) error {
	ref, c, err := a.about(cmd, "crate, written name@version")
	if err != nil {
		return err
	}
	return do(c, ref, cmd.String("rulebook"))
}

func (a crateCommands) crateShow(ctx context.Context, cmd *cli.Command) error {
	return a.withCrate(cmd, func(c *client.Client, ref, book string) error {
		x, err := c.Crate(ctx, ref, book)
		if err != nil {
			return err
		}
		if cmd.Bool("json") {
			return a.printJSON(x)
		}
		fmt.Fprintf(a.Out, "%s  %s of %s (revision %d), from %s\n", x.Ref, x.Kind, x.Rulebook, x.Revision, from(x))
		for _, ar := range x.Archives {
			if ar.Source != "" {
				fmt.Fprintf(a.Out, "%s is from %s\n", ar.Filename, ar.Source)
			}
		}
		fmt.Fprintln(a.Out, x.Why)
		if x.Overlay {
			fmt.Fprintf(a.Out, "it changes another add-on: %s\n", cmp.Or(x.Base, "which one is not known"))
		}
		a.printTold(x)
		a.printFits("", x)
		for _, f := range x.Findings {
			printFinding(a.Out, f, subject{crate: x.Ref})
		}
		a.printMap(x)
		return nil
	})
}

// printMap shows where each file goes, and why.
func (a *App) printMap(x api.Crate) {
	sort.SliceStable(x.Files, func(i, j int) bool { return x.Files[i].Place < x.Files[j].Place })
	var lines [][]string
	for _, f := range x.Files {
		lines = append(lines, []string{f.Source, target(f), reasonOf(f)})
	}
	for _, f := range x.Folders {
		lines = append(lines, []string{f.Source + "/", f.Place + ": " + f.Path + "/", "an empty folder, which is made there too"})
	}
	for _, l := range x.Left {
		lines = append(lines, []string{l.Source, "left out", l.Reason})
	}
	a.rows([]string{"as downloaded", "on the server", "why"}, lines)
}

// target is where a file goes; what is merged into a packed file has its path
// there behind "!".
func target(f api.CrateFile) string {
	if f.Into != "" {
		return f.Place + ": " + f.Into + "!/" + f.Path
	}
	return f.Place + ": " + f.Path
}

func (a crateCommands) crateReadme(ctx context.Context, cmd *cli.Command) error {
	return a.withCrate(cmd, func(c *client.Client, ref, book string) error {
		notes, err := c.Readme(ctx, ref, book)
		if err != nil {
			return err
		}
		if cmd.Bool("json") {
			return a.printJSON(notes)
		}
		if len(notes) == 0 {
			fmt.Fprintf(a.Out, "No author's notes came with %s.\n", ref)
		}
		line := 0
		for _, n := range notes {
			body := strings.TrimRight(n.Text, "\n")
			if cmd.Bool("numbers") {
				var out strings.Builder
				for _, l := range strings.Split(body, "\n") {
					line++
					fmt.Fprintf(&out, "%5d  %s\n", line, l)
				}
				body = strings.TrimRight(out.String(), "\n")
			}
			fmt.Fprintf(a.Out, "-- %s\n%s\n", n.Path, body)
		}
		return nil
	})
}

func (a crateCommands) crateDrop(ctx context.Context, cmd *cli.Command) error {
	return a.withCrate(cmd, func(c *client.Client, ref, book string) error {
		if err := a.confirm(cmd, fmt.Sprintf("Take %s out of the list?", ref)); err != nil {
			return err
		}
		if err := c.DropCrate(ctx, ref, book); err != nil {
			return err
		}
		fmt.Fprintf(a.Out, "%s is out of the list; its archive stays in the stockroom.\n", ref)
		return nil
	})
}
