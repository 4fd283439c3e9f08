package cli

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// feedCommands are about feeds.
type feedCommands struct{ *App }

func (a feedCommands) feedCommand() *cli.Command {
	return &cli.Command{Name: "feed", Usage: "follow feeds, in which communities and authors announce versions", Commands: []*cli.Command{
		{Name: "add", Usage: "follow a feed from now on", UsageText: "restless feed add NAME URL --for SERVER | --rulebook NAME [--key KEY|FILE]",
			Flags: []cli.Flag{&cli.StringFlag{Name: "for", Usage: "its files are laid out for this `SERVER`'s game"}, &cli.StringFlag{Name: "rulebook", Usage: "or by this rulebook `NAME`"},
				&cli.StringFlag{Name: "key", Usage: "the public `KEY` of minisign, or its file, that has to have signed it"},
				&cli.StringFlag{Name: "every", Usage: "how often it is looked at by itself (`AGE`: 6h, 1d), or never", Value: "6h"},
				&cli.StringSliceFlag{Name: "take", Usage: "stage each next version of this `ADDON` as soon as it is announced"}}, Action: a.add},
		{Name: "list", Usage: "the feeds that are followed", UsageText: "restless feed list", Action: a.list},
		{Name: "show", Usage: "what a feed announces, beside what is on your servers", UsageText: "restless feed show NAME [--new]",
			Flags: []cli.Flag{&cli.BoolFlag{Name: "new", Usage: "only what is newer than what a server has"}}, Action: a.show},
		{Name: "check", Usage: "look at feeds now", UsageText: "restless feed check [NAME...]", Action: a.check},
		{Name: "take", Usage: "download what a feed announces, and stage it", UsageText: "restless feed take NAME ADDON[@VERSION]...\nrestless feed take NAME ADDON --always     and each next version as soon as it is announced\nrestless feed take NAME ADDON --no-longer",
			Flags: []cli.Flag{&cli.BoolFlag{Name: "always", Usage: "stage each next version too as soon as it is announced"}, &cli.BoolFlag{Name: "no-longer", Usage: "stage none by itself any more"}}, Action: a.take},
		{Name: "drop", Usage: "follow a feed no more; what was staged stays", UsageText: "restless feed drop NAME", Action: a.drop},
		a.makeCommand(), a.keyCommand(),
	}}
}

func (a feedCommands) add(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a name of your own and the address of a feed")
	if err != nil {
		return err
	}
	if (cmd.String("for") == "") == (cmd.String("rulebook") == "") {
		return wrongUsage("give one of --for and --rulebook: by it the feed's files are laid out")
	}
	every, err := parseEvery(cmd)
	if err != nil {
		return err
	}
	key := cmd.String("key")
	if raw, err := os.ReadFile(key); err == nil && key != "" {
		key = strings.TrimSpace(string(raw))
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	each, end := a.watch(cmd.Bool("json"))
	defer end()
	f, err := c.FollowFeed(ctx, api.NewFeed{Name: args[0], URL: args[1], For: cmd.String("for"), Rulebook: cmd.String("rulebook"), Key: key, Every: &every, Taken: cmd.StringSlice("take")}, each)
	if err != nil {
		return err
	}
	end()
	if cmd.Bool("json") {
		return a.printJSON(f)
	}
	if f.Trouble != "" {
		fmt.Fprintf(a.Out, "Feed %s is followed, but could not be read yet: %s.\n", f.Name, f.Trouble)
		return nil
	}
	fmt.Fprintf(a.Out, "Feed %s (%s) is followed: %s.%s\n", f.Name, f.Title, words.Count(f.Count, "release"), signedWords(f))
	a.printNew(f)
	return nil
}

func signedWords(f api.Feed) string {
	if f.Signed {
		return " Its signature is right, and is checked each time."
	}
	return " No key was given for it, so nobody checks who wrote it."
}

// printNew says what a feed announces that is newer than what servers have.
func (a feedCommands) printNew(f api.Feed) {
	lines := releaseLines(f, true)
	if len(lines) == 0 {
		fmt.Fprintln(a.Out, "It announces nothing newer than what your servers have that is not staged already.")
		return
	}
	a.rows(releaseHead, lines)
	fmt.Fprintf(a.Out, "\n  restless feed take %s ADDON    downloads and stages one\n", f.Name)
}

var releaseHead = []string{"add-on", "version", "date", "size", "for", "on your servers", "notes"}

func releaseLines(f api.Feed, onlyNew bool) (lines [][]string) {
	for _, r := range f.Releases {
		var on []string
		for _, s := range r.On {
			said := s.Server + " has " + s.Installed
			switch {
			case !s.Newer:
			case s.Fit.State == "fits":
				said += "; it fits"
			case s.Fit.State == "unknown":
				said += "; whether it fits is not known"
			default:
				said += "; it does not fit: " + s.Fit.Why
			}
			on = append(on, said)
		}
		isNew := slices.ContainsFunc(r.On, func(s api.ReleaseOn) bool { return s.Newer })
		if onlyNew && (!isNew || r.Staged) {
			continue
		}
		if r.Staged {
			on = append(on, "staged")
		}
		note, _, _ := strings.Cut(r.Notes, "\n")
		lines = append(lines, []string{r.Addon, r.Version, r.Date, words.Size(r.Size), forWords(r), strings.Join(on, "\n"), note})
	}
	return lines
}

// forWords says what a release is for.
func forWords(r api.Release) string {
	var out []string
	if r.Game != "" {
		out = append(out, "game "+r.Game)
	}
	for name, span := range r.Loaders {
		out = append(out, strings.TrimSpace(name+" "+span))
	}
	if r.Side == "players" {
		out = append(out, "players only")
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

func (a feedCommands) list(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Feeds(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No feed is followed.\n  restless feed add NAME URL --for SERVER    follows one")
		return nil
	}
	var lines [][]string
	for _, f := range list {
		looked := "could not be read yet"
		if f.LookedAt != nil {
			looked = clock(*f.LookedAt)
		}
		if f.Trouble != "" {
			looked += ", and not since: " + f.Trouble
		}
		every := "never by itself"
		if f.Every > 0 {
			every = "every " + ageWords(f.Every)
		}
		signed := "no"
		if f.Signed {
			signed = "yes"
		}
		lines = append(lines, []string{f.Name, f.Title, f.Rulebook, fmt.Sprint(f.Count), signed, every, looked, strings.Join(f.Taken, ", ")})
	}
	a.rows([]string{"feed", "title", "rulebook", "releases", "signed", "looked at", "last read", "staged by itself"}, lines)
	return nil
}

func (a feedCommands) show(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "feed")
	if err != nil {
		return err
	}
	f, err := c.Feed(ctx, name)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(f)
	}
	if f.LookedAt == nil {
		fmt.Fprintf(a.Out, "Feed %s could not be read yet: %s.\n", f.Name, f.Trouble)
		return nil
	}
	fmt.Fprintf(a.Out, "%s, at %s\nWritten %s, read %s.%s\n", f.Title, f.URL, told(f.Made), clock(*f.LookedAt), signedWords(f))
	if f.Trouble != "" {
		fmt.Fprintf(a.Out, "At the last try, on %s, it could not be read: %s.\n", clock(*f.TriedAt), f.Trouble)
	}
	fmt.Fprintln(a.Out)
	if cmd.Bool("new") {
		a.printNew(f)
		return nil
	}
	a.rows(releaseHead, releaseLines(f, false))
	return nil
}

func (a feedCommands) check(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	names := cmd.Args().Slice()
	if len(names) == 0 {
		list, err := c.Feeds(ctx)
		if err != nil {
			return err
		}
		for _, f := range list {
			names = append(names, f.Name)
		}
	}
	var out []api.Feed
	var failed error
	for _, name := range names {
		each, end := a.watch(cmd.Bool("json"))
		f, err := c.CheckFeed(ctx, name, each)
		end()
		if err != nil { // the others are looked at all the same
			if failed != nil {
				a.explain(failed)
			}
			failed = err
			continue
		}
		if out = append(out, f); cmd.Bool("json") {
			continue
		}
		fmt.Fprintf(a.Out, "%s: %s, written %s.\n", f.Name, words.Count(f.Count, "release"), f.Made)
		a.printNew(f)
	}
	if cmd.Bool("json") {
		if err := a.printJSON(append([]api.Feed{}, out...)); err != nil {
			return err
		}
	}
	return failed
}

func (a feedCommands) take(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a feed and the add-ons that it announces")
	if err != nil {
		return err
	}
	if cmd.Bool("always") && cmd.Bool("no-longer") {
		return wrongUsage("give one of --always and --no-longer")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	var staged []api.Staged
	for _, addon := range args[1:] {
		name, _, _ := strings.Cut(addon, "@")
		if cmd.Bool("no-longer") {
			if err := c.TakeAlways(ctx, args[0], name, false); err != nil {
				return err
			}
			continue
		}
		each, end := a.watch(cmd.Bool("json"))
		st, err := c.TakeRelease(ctx, args[0], addon, each)
		end()
		if err != nil {
			return err
		}
		if staged = append(staged, st); !cmd.Bool("json") {
			stageCommands(a).printStaged(st)
		}
		if cmd.Bool("always") {
			if err := c.TakeAlways(ctx, args[0], name, true); err != nil {
				return err
			}
			if !cmd.Bool("json") {
				fmt.Fprintf(a.Out, "Each next version of %s is staged as soon as %s announces it.\n", name, args[0])
			}
		}
	}
	if cmd.Bool("json") {
		return a.printJSON(append([]api.Staged{}, staged...))
	}
	return nil
}

func (a feedCommands) drop(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "feed")
	if err != nil {
		return err
	}
	return c.DropFeed(ctx, name)
}
