package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

func (a deployCommands) promoteCommand() *cli.Command {
	return &cli.Command{Name: "promote", Usage: "take what was tried on one server to another: its add-ons, and the settings that you choose, as one draft", DisableSliceFlagSeparator: true, UsageText: "restless promote FROM TO [--take FILE:/VALUE | --apart FILE:/VALUE]... [--take-rest | --leave-rest]",
		Flags: append([]cli.Flag{&cli.StringSliceFlag{Name: "take", Usage: "take this value along (`FILE:/VALUE`)"}, &cli.StringSliceFlag{Name: "apart", Usage: "this value differs on purpose (`FILE:/VALUE`): it is left now and from now on"},
			&cli.StringSliceFlag{Name: "together", Usage: "this value differs on purpose no more (`FILE:/VALUE`)"},
			&cli.BoolFlag{Name: "take-rest", Usage: "take along all other values that differ"}, &cli.BoolFlag{Name: "leave-rest", Usage: "leave all other values that differ, this time"},
			&cli.BoolFlag{Name: "remove-others", Usage: "remove what only TO has"}, &cli.BoolFlag{Name: "look", Usage: "only say what would go along"}}, runFlags()...), Action: a.promote}
}

func (a deployCommands) promote(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "the server from which, and the one to which")
	if err != nil {
		return err
	}
	if cmd.Bool("take-rest") && cmd.Bool("leave-rest") {
		return wrongUsage("give one of --take-rest and --leave-rest")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	return a.promoteTo(ctx, cmd, c, args[0], args[1])
}

func (a deployCommands) promoteTo(ctx context.Context, cmd *cli.Command, c *client.Client, from, to string) error {
	each, end := a.watch(cmd.Bool("json"))
	p, err := c.Promotion(ctx, from, to, each)
	end()
	if err != nil {
		return err
	}
	for _, flag := range []string{"take", "apart", "together"} {
		for _, word := range cmd.StringSlice(flag) {
			if !slices.ContainsFunc(p.Values, func(v api.PromotedValue) bool { return named(v) == word }) {
				return wrongUsage("--%s %s names no value in which %s and %s differ\n  restless promote %s %s --look shows them", flag, word, from, to, from, to)
			}
		}
	}
	if cmd.Bool("look") {
		if cmd.Bool("json") {
			return a.printJSON(p)
		}
		a.printPromotion(p)
		return nil
	}
	n := api.NewDraft{Enable: p.Enable, Disable: p.Disable}
	for _, x := range p.Addons {
		n.Crates = append(n.Crates, x.Crate)
	}
	if cmd.Bool("remove-others") {
		for _, x := range p.Others {
			n.Remove = append(n.Remove, x.Name)
		}
	}
	if !cmd.Bool("json") {
		a.printPromotion(p)
	}
	if n.Tweaks, err = a.chooseValues(ctx, cmd, c, p); err != nil {
		return err
	}
	if len(n.Crates)+len(n.Remove)+len(n.Enable)+len(n.Disable)+len(n.Tweaks) == 0 {
		fmt.Fprintf(a.Out, "Nothing goes from %s to %s.\n", from, to)
		return nil
	}
	return a.draftAndRun(ctx, cmd, to, n)
}

func named(v api.PromotedValue) string { return v.Path + ":" + v.Value }

// chooseValues decides on every value in which two servers differ: by flags, by what was remembered,
// or by asking. It remembers what differs on purpose.
func (a deployCommands) chooseValues(ctx context.Context, cmd *cli.Command, c *client.Client, p api.Promotion) (out []api.TweakWish, err error) {
	var open []string
	for _, v := range p.Values {
		take := slices.Contains(cmd.StringSlice("take"), named(v))
		apart := slices.Contains(cmd.StringSlice("apart"), named(v))
		if slices.Contains(cmd.StringSlice("together"), named(v)) {
			if err := c.KeepApart(ctx, p.To, api.KeepApart{From: p.From, Path: v.Path, Value: v.Value}); err != nil {
				return nil, err
			}
			v.Apart = false
		}
		switch {
		case take || apart:
		case v.Apart || cmd.Bool("leave-rest"):
			continue
		case cmd.Bool("take-rest"):
			take = true
		default:
			answer, err := a.Ask(fmt.Sprintf("%s is %s on %s, and %s on %s. [t]ake it along, [l]eave it, or leave it [a]lways? ", named(v), cmp.Or(v.From, "empty"), p.From, cmp.Or(v.To, "empty"), p.To), false)
			if err != nil {
				open = append(open, named(v))
				continue
			}
			switch strings.ToLower(strings.TrimSpace(answer)) {
			case "t", "take":
				take = true
			case "a", "always":
				apart = true
			case "l", "leave":
			default:
				return nil, errors.New("that is none of t, l and a; nothing was done")
			}
		}
		if apart {
			if err := c.KeepApart(ctx, p.To, api.KeepApart{From: p.From, Path: v.Path, Value: v.Value, Keep: true}); err != nil {
				return nil, err
			}
		}
		if take {
			out = append(out, api.TweakWish{Path: v.Path, Tweak: api.Tweak{Do: "set", At: v.Value, Value: v.From}, Note: "as on " + p.From})
		}
	}
	if len(open) > 0 {
		return nil, wrongUsage("there is no terminal to ask what becomes of %s\n  %s\n  --take or --apart with each of them, or --take-rest or --leave-rest", words.Count(len(open), "value"), strings.Join(open, "\n  "))
	}
	return out, nil
}

func (a deployCommands) printPromotion(p api.Promotion) {
	var lines [][]string
	for _, x := range p.Addons {
		lines = append(lines, []string{x.Name, x.Version, cmp.Or(x.Was, "not there")})
	}
	for _, name := range p.Enable {
		lines = append(lines, []string{name, "enabled", "disabled"})
	}
	for _, name := range p.Disable {
		lines = append(lines, []string{name, "disabled", ""})
	}
	if len(lines) == 0 {
		fmt.Fprintf(a.Out, "%s has every add-on of %s, as it is there.\n", p.To, p.From)
	} else {
		a.rows([]string{"add-on", p.From, p.To}, lines)
	}
	if len(p.Others) > 0 {
		var names []string
		for _, x := range p.Others {
			names = append(names, x.Name)
		}
		fmt.Fprintf(a.Out, "\nOnly %s has %s; --remove-others removes what only it has.\n", p.To, words.Few(names))
	}
	if len(p.Values) > 0 {
		fmt.Fprintln(a.Out)
		lines = nil
		for _, v := range p.Values {
			note := ""
			if v.Apart {
				note = "differs on purpose, and is left"
			}
			lines = append(lines, []string{named(v), v.From, v.To, note})
		}
		a.rows([]string{"value", p.From, p.To, ""}, lines)
	}
	if p.Secrets > 0 {
		fmt.Fprintf(a.Out, "%s differ too and are secret: they do not go along.\n", words.Count(p.Secrets, "value"))
	}
	fmt.Fprintln(a.Out)
}

// moment reads SERVER, SERVER@NUMBER or SERVER@TIME into a query.
func moment(q url.Values, which, text string) error {
	server, at, ok := strings.Cut(text, "@")
	q.Set(which, server)
	if !ok {
		return nil
	}
	if n, err := strconv.Atoi(strings.TrimPrefix(at, "#")); err == nil && n >= 0 && len(at) < 7 {
		q.Set(which+"After", strconv.Itoa(n))
		return nil
	}
	for _, form := range []string{time.RFC3339, time.DateTime, "2006-01-02 15:04", "2006-01-02T15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(form, at, time.Local); err == nil {
			q.Set(which+"At", t.UTC().Format(time.RFC3339Nano))
			return nil
		}
	}
	return wrongUsage("%q is neither the number of a deployment nor a time, such as 2026-11-20 or \"2026-11-20 18:00\"", at)
}

// compareServers compares two servers, each at a moment.
func (a trackCommands) compareServers(ctx context.Context, cmd *cli.Command, args []string) error {
	q := url.Values{}
	if err := errors.Join(moment(q, "a", args[0]), moment(q, "b", args[1])); err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	found, err := c.CompareServers(ctx, q)
	var p *api.Problem
	if errors.As(err, &p) && p.Code == "server-unknown" && !strings.Contains(args[1], "@") && strings.Contains(p.Detail, strconv.Quote(args[1])) {
		return wrongUsage("%q is no number of a deployment, and no server", args[1])
	}
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(found)
	}
	a.printBetween("", found, cmd.Bool("diff"))
	return nil
}
