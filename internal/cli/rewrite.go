package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// rewriteCommand changes a name in all of a server's texts, in one deployment.
func (a textCommands) rewriteCommand() *cli.Command {
	return &cli.Command{Name: "rewrite", Usage: "change a name in all of a server's texts, also inside packed files; one deployment, one way back", UsageText: "restless rewrite SERVER OLD NEW [--only PATH] [--leave PATH[:LINE]] [--count N] [--draft] [--yes]",
		Flags: append([]cli.Flag{&cli.BoolFlag{Name: "longer", Usage: "within longer names too"},
			&cli.StringSliceFlag{Name: "only", Usage: "in this text alone: `PATH`"}, &cli.StringSliceFlag{Name: "leave", Usage: "leave this text, or this line of it: `PATH[:LINE]`"},
			&cli.BoolFlag{Name: "names", Usage: "also the files and folders that are called so, and with them what names the things that the server loads"},
			&cli.BoolFlag{Name: "lists", Usage: "also in the texts that name what the server loads"}, &cli.IntFlag{Name: "count", Usage: "how many `PLACES` are to be changed"}}, runFlags()...),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 3, "a server, the old name and the new one")
			if err != nil {
				return err
			}
			if strings.TrimSpace(args[2]) == "" {
				return wrongUsage("say what %s is called from now on", args[1])
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			found, err := c.Named(ctx, args[0], args[1], args[2], cmd.StringSlice("leave"), cmd.Bool("longer"))
			if err != nil {
				return err
			}
			chosen := a.choose(cmd, found)
			moves := found.Moves
			if !cmd.Bool("names") {
				moves = nil
			}
			if !cmd.Bool("json") {
				a.printNamed(found, chosen, moves, args[1])
			}
			if want := cmd.Int("count"); want > 0 && want != len(chosen) {
				return fmt.Errorf("%s to be changed, and %s expected; nothing was done", words.Count(len(chosen), "place"), words.Count(want, "place"))
			}
			if len(chosen)+len(moves) == 0 {
				return cli.Exit("nothing is to be changed", ExitFailed)
			}
			return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Moves: moves, Tweaks: without(found, chosen)})
		}}
}

// choose gives the numbers of the places that are changed.
func (a textCommands) choose(cmd *cli.Command, found api.NamedIn) (out []int) {
	only, leave := cmd.StringSlice("only"), cmd.StringSlice("leave")
	for i, p := range found.Places {
		switch {
		case p.Log:
		case len(only) > 0 && !slices.Contains(only, p.Path):
		case slices.Contains(leave, p.Path), slices.Contains(leave, p.Path+":"+strconv.Itoa(p.Line)):
		case p.Listed && !cmd.Bool("lists") && !cmd.Bool("names") && !slices.Contains(only, p.Path):
		default:
			out = append(out, i)
		}
	}
	return out
}

// printNamed shows every place, those that stay with what would change them.
func (a textCommands) printNamed(found api.NamedIn, chosen []int, moves []api.Renaming, name string) {
	last := ""
	for i, p := range found.Places {
		if p.Path != last {
			last = p.Path
			whose := "the server's own"
			if len(p.Owners) > 0 {
				whose = "of " + strings.Join(p.Owners, ", ")
			}
			if p.Log {
				whose = "the server's log, which tells what was"
			}
			fmt.Fprintf(a.Out, "%s  (%s)\n", p.Path, whose)
		}
		mark := "changes"
		if !slices.Contains(chosen, i) {
			mark = "stays"
		}
		fmt.Fprintf(a.Out, "  %-8s %5d  %s\n", mark, p.Line, p.Text)
	}
	if len(moves) == 0 && slices.ContainsFunc(found.Places, func(p api.NamePlace) bool { return p.Listed }) {
		fmt.Fprintln(a.Out, "What names the things that the server loads stays, since folders and files keep their names; --lists changes it too, --names both.")
	}
	for _, m := range moves {
		fmt.Fprintf(a.Out, "  is renamed: %s to %s\n", m.From, m.To)
	}
	if len(moves) == 0 {
		for _, p := range found.Paths {
			fmt.Fprintf(a.Out, "  is called so and keeps its name: %s\n", p)
		}
	}
	for _, p := range found.Binary {
		fmt.Fprintf(a.Out, "  holds it and is no text, so it stays: %s\n", p)
	}
	fmt.Fprintf(a.Out, "%s of %s in %s searched.\n\n", words.Count(len(chosen), "place"), name, words.Count(found.Texts, "text"))
}

// without gives what changes the places that were chosen.
func without(found api.NamedIn, chosen []int) (out []api.TweakWish) {
	for _, w := range found.Tweaks {
		for i, p := range found.Places {
			if p.Path == w.Path && !slices.Contains(chosen, i) {
				w.Tweak.Skip = append(w.Tweak.Skip, p.Nth)
			}
		}
		if len(w.Tweak.Skip) < w.Tweak.Count {
			out = append(out, w)
		}
	}
	return out
}
