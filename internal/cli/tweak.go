package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func keepFlag() cli.Flag {
	return &cli.StringSliceFlag{Name: "keep", Usage: "whose value stays where the server and a new version both changed it: `mine=PATH:KEY` or theirs=PATH:KEY, or PATH alone for all of a text"}
}

// keeps reads the options keep.
func keeps(cmd *cli.Command) (map[string]api.Side, error) {
	return sides(cmd.StringSlice("keep"))
}

func sides(given []string) (map[string]api.Side, error) {
	var out map[string]api.Side
	for _, word := range given {
		side, key, pair := strings.Cut(word, "=")
		if !pair || side != string(api.Mine) && side != string(api.Theirs) || key == "" {
			return nil, wrongUsage("%q is not mine=PATH:KEY or theirs=PATH:KEY", word)
		}
		if out == nil {
			out = map[string]api.Side{}
		}
		out[key] = api.Side(side)
	}
	return out, nil
}

// tweakFlags are what every kind of tweak has.
func tweakFlags(more ...cli.Flag) []cli.Flag {
	return append(append(more,
		&cli.StringFlag{Name: "for", Usage: "it goes with this `ADDON`"},
		&cli.StringFlag{Name: "if", Usage: "it is done only while this `ADDON` is there"},
		&cli.StringFlag{Name: "note", Usage: "why, in `WORDS`"}), runFlags()...)
}

var (
	asFlag   = &cli.StringFlag{Name: "as", Usage: "write it as this `TYPE`: text, number, bool, null or code; it keeps the one that is there otherwise"}
	rawFlag  = &cli.BoolFlag{Name: "raw", Usage: "write the value as it is, quotes and brackets too"}
	fromFlag = &cli.StringFlag{Name: "from", Usage: "make the value of this `TEMPLATE` and write it again when that changes: {NAME} is a variable or a fact of the server, {version-of-ADDON} a version, {PATH:/VALUE-PATH} a value of another text"}
	lineFlag = &cli.StringSliceFlag{Name: "line", Usage: "a `LINE` as it stands there; give it again for the next one"}
)

func (a textCommands) tweakCommand() *cli.Command {
	cmds := []*cli.Command{
		a.tweak("set", "make a value another one", "PATH [VALUE]", []cli.Flag{asFlag, rawFlag, fromFlag, &cli.BoolFlag{Name: "make", Usage: "put it in if it is not there"}}, 2, func(cmd *cli.Command, args []string, w *api.TweakWish) {
			w.Tweak.At, w.Tweak.Make = args[0], cmd.Bool("make")
			valueOf(cmd, args, w)
		}),
		a.tweak("add", "put a value in under a name that is not there, or as an item of a list (LIST/-)", "PATH [VALUE]", []cli.Flag{asFlag, rawFlag, fromFlag,
			&cli.StringFlag{Name: "after", Usage: "behind this `NAME`"}, &cli.StringFlag{Name: "before", Usage: "in front of this `NAME`"},
			&cli.StringFlag{Name: "separator", Usage: "the value at PATH is a list of items between such `SIGNS`"}}, 2, func(cmd *cli.Command, args []string, w *api.TweakWish) {
			w.Tweak.At, w.Tweak.Separator = args[0], cmd.String("separator")
			w.Tweak.Place.After, w.Tweak.Place.Before = cmd.String("after"), cmd.String("before")
			valueOf(cmd, args, w)
		}),
		a.tweak("drop", "take an entry or an item out", "PATH [ITEM]", []cli.Flag{&cli.StringFlag{Name: "separator", Usage: "the value at PATH is a list of items between such `SIGNS`"}}, 1, func(cmd *cli.Command, args []string, w *api.TweakWish) {
			w.Tweak.At, w.Tweak.Separator = args[0], cmd.String("separator")
			if len(args) > 1 {
				w.Tweak.Value = args[1]
			}
		}),
		a.tweak("comment", "make an entry, or lines, a comment", "[PATH]", []cli.Flag{lineFlag}, 0, func(cmd *cli.Command, args []string, w *api.TweakWish) {
			w.Tweak.Text = linesOf(cmd)
			if len(args) > 0 {
				w.Tweak.At = args[0]
			}
		}),
		a.tweak("uncomment", "have lines count again that are a comment", "", []cli.Flag{lineFlag}, 0, func(cmd *cli.Command, _ []string, w *api.TweakWish) { w.Tweak.Text = linesOf(cmd) }),
		a.tweak("insert", "put lines in, at the end if nothing else is said", "", []cli.Flag{lineFlag, &cli.BoolFlag{Name: "start", Usage: "at the start"},
			&cli.StringFlag{Name: "after", Usage: "behind this `LINE`"}, &cli.StringFlag{Name: "before", Usage: "in front of this `LINE`"}, &cli.StringFlag{Name: "like", Usage: "behind the last line that begins with these `WORDS`"}, &cli.StringFlag{Name: "label", Usage: "write comments of this `NAME` in front of them and behind them"},
			&cli.StringFlag{Name: "from-readme", Usage: "take the lines from the notes of a `CRATE`"}, &cli.StringFlag{Name: "lines", Usage: "which lines of these notes: `FIRST-LAST`, as crate readme numbers them"}}, 0, func(cmd *cli.Command, _ []string, w *api.TweakWish) {
			w.Tweak.Text, w.Tweak.Label = linesOf(cmd), cmd.String("label")
			w.Tweak.Where.Start, w.Tweak.Where.After, w.Tweak.Where.Before, w.Tweak.Where.Like = cmd.Bool("start"), cmd.String("after"), cmd.String("before"), cmd.String("like")
		}),
		a.tweak("cut", "take lines out", "", []cli.Flag{lineFlag}, 0, func(cmd *cli.Command, _ []string, w *api.TweakWish) { w.Tweak.Text = linesOf(cmd) }),
		a.tweak("replace", "write other words for some, as often as expected", "OLD NEW", []cli.Flag{&cli.IntFlag{Name: "count", Usage: "how `OFTEN` it stands there"}, &cli.BoolFlag{Name: "words", Usage: "not within longer words"}}, 2, func(cmd *cli.Command, args []string, w *api.TweakWish) {
			w.Tweak.Text, w.Tweak.Value, w.Tweak.Count, w.Tweak.Words = args[0], args[1], cmd.Int("count"), cmd.Bool("words")
		}),
		a.tweak("each", "set the same in every item of a collection", "PATH ITEM-PATH VALUE", []cli.Flag{asFlag, rawFlag, &cli.IntFlag{Name: "count", Usage: "how `MANY` items it is about"}, &cli.StringSliceFlag{Name: "except", Usage: "leave the item of this `NAME` as it is"}, &cli.BoolFlag{Name: "make", Usage: "put it in where it is not there"}}, 3, func(cmd *cli.Command, args []string, w *api.TweakWish) {
			w.Tweak.At, w.Tweak.Item, w.Tweak.Count, w.Tweak.Except, w.Tweak.Make = args[0], args[1], cmd.Int("count"), cmd.StringSlice("except"), cmd.Bool("make")
			valueOf(cmd, args[1:], w)
		}),
		a.tweak("copy", "copy an item, and change the copy", "PATH", []cli.Flag{&cli.StringFlag{Name: "name", Usage: "the `NAME` of the copy"}, &cli.StringSliceFlag{Name: "change", Usage: "a value of the copy: `PATH=VALUE`"}}, 1, func(cmd *cli.Command, args []string, w *api.TweakWish) {
			w.Tweak.At, w.Tweak.Key = args[0], cmd.String("name")
			for _, word := range cmd.StringSlice("change") {
				at, value, _ := strings.Cut(word, "=")
				w.Tweak.Tweaks = append(w.Tweak.Tweaks, api.Tweak{Do: "set", At: at, Value: value})
			}
		}),
		a.makeCommand(), a.swapCommand(),
		{Name: "list", Usage: "the tweaks that hold on a server", UsageText: "restless tweak list SERVER", Action: a.tweakList},
		{Name: "undo", Usage: "take tweaks back, each on its own", UsageText: "restless tweak undo SERVER ID...", Flags: runFlags(), Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and one or more tweaks, as restless tweak list names them")
			if err != nil {
				return err
			}
			return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Untweak: args[1:]})
		}},
	}
	return &cli.Command{Name: "tweak", Usage: "change a server's texts by meaning; every other byte stays, and updates keep it", Commands: cmds}
}

// swapCommand puts a file of the person's own in the place of another.
func (a textCommands) swapCommand() *cli.Command {
	return &cli.Command{Name: "swap", Usage: "put a file of your own in the place of one on the server, such as a picture; updates keep it", UsageText: "restless tweak swap SERVER PATH FILE [--as NAME [--in TEXT]]",
		Flags: append([]cli.Flag{&cli.StringFlag{Name: "as", Usage: "put it beside the other one under this `NAME`"}, &cli.StringFlag{Name: "in", Usage: "with --as: write the new name for the old one in this `TEXT`"}, &cli.StringFlag{Name: "note", Usage: "why, in `WORDS`"}}, runFlags()...),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 3, "a server, the path of a file on it, and a file of your own")
			if err != nil {
				return err
			}
			f, err := os.Open(args[2])
			if err != nil {
				return err
			}
			defer f.Close()
			info, err := f.Stat()
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			kept, err := c.KeepAsset(ctx, f, info.Size())
			if err != nil {
				return err
			}
			return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Swaps: []api.Swap{{Path: args[1], Digest: kept.Digest, Size: kept.Size, Name: filepath.Base(args[2]), As: cmd.String("as"), In: cmd.String("in"), Note: cmd.String("note")}}})
		}}
}

// makeCommand makes a text from a template.
func (a textCommands) makeCommand() *cli.Command {
	return &cli.Command{Name: "make", Usage: "make a text from a template of the rulebook", UsageText: "restless tweak make SERVER TEMPLATE [--with NAME=VALUE]... [--for ADDON]",
		Flags: tweakFlags(&cli.StringSliceFlag{Name: "with", Usage: "a value of the template: `NAME=VALUE`"}),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 2, "a server and the name of a template")
			if err != nil {
				return err
			}
			w := api.TweakWish{Template: args[1], For: cmd.String("for"), If: cmd.String("if"), Note: cmd.String("note"), With: map[string]string{}}
			for _, pair := range cmd.StringSlice("with") {
				name, value, ok := strings.Cut(pair, "=")
				if !ok {
					return wrongUsage("%q is not NAME=VALUE", pair)
				}
				w.With[name] = value
			}
			return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Tweaks: []api.TweakWish{w}})
		}}
}

// valueOf takes the value from the second argument, or from what it is made of.
func valueOf(cmd *cli.Command, args []string, w *api.TweakWish) {
	w.Tweak.Raw, w.From = cmd.Bool("raw"), cmd.String("from")
	if len(args) > 1 {
		w.Tweak.Value = args[1]
	}
	w.Tweak.As = api.ValueType(cmd.String("as"))
}

func linesOf(cmd *cli.Command) string { return strings.Join(cmd.StringSlice("line"), "\n") }

// tweak makes the command of one kind of tweak.
func (a textCommands) tweak(verb, usage, args string, flags []cli.Flag, least int, fill func(cmd *cli.Command, args []string, w *api.TweakWish)) *cli.Command {
	return &cli.Command{Name: verb, Usage: usage, UsageText: strings.TrimSpace(fmt.Sprintf("restless tweak %s SERVER FILE %s", verb, args)), Flags: tweakFlags(flags...),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			given, err := atLeast(cmd, 2, "a server and the path of a text")
			if err != nil {
				return err
			}
			need := least
			if cmd.String("from") != "" {
				need = 1
			}
			if len(given)-2 < need {
				return wrongUsage("restless tweak %s takes SERVER FILE %s\n  restless tweak %s --help shows how", verb, args, verb)
			}
			w := api.TweakWish{Path: given[1], For: cmd.String("for"), If: cmd.String("if"), Note: cmd.String("note")}
			w.Tweak.Do = api.Verb(verb)
			fill(cmd, given[2:], &w)
			if ref := cmd.String("from-readme"); ref != "" {
				if w.Tweak.Text, err = a.noteLines(ctx, cmd, ref, cmd.String("lines")); err != nil {
					return err
				}
				if w.Note == "" {
					w.Note = "from the notes of " + ref
				}
			}
			return a.draftAndRun(ctx, cmd, given[0], api.NewDraft{Tweaks: []api.TweakWish{w}})
		}}
}

// undented joins lines without the spaces that all of them begin with, as notes set code off.
func undented(lines []string) string {
	least := -1
	for _, l := range lines {
		if n := len(l) - len(strings.TrimLeft(l, " ")); strings.TrimSpace(l) != "" && (least < 0 || n < least) {
			least = n
		}
	}
	out := make([]string, len(lines))
	for i, l := range lines {
		out[i] = l[min(len(l), max(0, least)):]
	}
	return strings.Join(out, "\n")
}

// noteLines takes lines out of the author's notes of a crate.
func (a textCommands) noteLines(ctx context.Context, cmd *cli.Command, ref, which string) (string, error) {
	first, last, ok := strings.Cut(which, "-")
	if !ok {
		last = first
	}
	from, err1 := strconv.Atoi(first)
	to, err2 := strconv.Atoi(last)
	if err1 != nil || err2 != nil || from < 1 || to < from {
		return "", wrongUsage("--from-readme goes with --lines FIRST-LAST\n  restless crate readme %s --numbers shows them", ref)
	}
	c, err := a.client(cmd)
	if err != nil {
		return "", err
	}
	notes, err := c.Readme(ctx, ref, "")
	if err != nil {
		return "", err
	}
	var all []string
	for _, n := range notes {
		all = append(all, strings.Split(strings.TrimRight(n.Text, "\n"), "\n")...)
	}
	if to > len(all) {
		return "", fmt.Errorf("the notes of %s have %s\n  restless crate readme %s --numbers shows them", ref, words.Count(len(all), "line"), ref)
	}
	return undented(all[from-1 : to]), nil
}

func (a textCommands) tweakList(ctx context.Context, cmd *cli.Command) error {
	server, c, err := a.about(cmd, "server")
	if err != nil {
		return err
	}
	list, err := c.Tweaks(ctx, server)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintf(a.Out, "No tweaks hold on %s.\n", server)
		return nil
	}
	var lines [][]string
	for _, k := range list {
		var why []string
		if k.For != "" {
			why = append(why, "goes with "+k.For)
		}
		if k.Off {
			why = append(why, "once "+k.If+" is there")
		} else if k.If != "" {
			why = append(why, "while "+k.If+" is there")
		}
		if k.From != "" {
			why = append(why, "from "+k.From)
		}
		if k.Note != "" {
			why = append(why, k.Note)
		}
		lines = append(lines, []string{k.ID, k.Path, k.Does, strings.Join(why, "; ")})
	}
	a.rows([]string{"tweak", "text", "what", ""}, lines)
	return nil
}

// alongTweaks reads the tweaks that go along with a deployment, as FILE:PATH=VALUE.
func alongTweaks(cmd *cli.Command) (out []api.TweakWish, err error) {
	for _, word := range cmd.StringSlice("tweak") {
		file, rest, ok := strings.Cut(word, ":/")
		at, value, pair := strings.Cut(rest, "=")
		if !ok || !pair {
			return nil, wrongUsage("%q is not FILE:/PATH=VALUE", word)
		}
		w := api.TweakWish{Path: file, Tweak: api.Tweak{Do: "set", At: "/" + at, Value: value}}
		out = append(out, w)
	}
	return out, nil
}
