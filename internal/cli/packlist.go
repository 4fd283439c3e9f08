package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func (a trackCommands) packlistCommand() *cli.Command {
	return &cli.Command{Name: "packlist", Usage: "what the players of a server must have, may have and must not have", DisableSliceFlagSeparator: true, UsageText: "restless packlist SERVER [--must ADDON[=NOTE]] [--may ADDON[=NOTE]] [--must-not NAME[=NOTE]] [--no-need ADDON] [--by-manifest ADDON]\nrestless packlist SERVER --link      gives it a page for players, with an address that nobody can guess",
		Flags: []cli.Flag{&cli.StringFlag{Name: "title", Usage: "what stands above it (`WORDS`)"}, &cli.StringFlag{Name: "words", Usage: "what stands below the title (`WORDS`); @FILE reads a file"},
			&cli.StringSliceFlag{Name: "must", Usage: "players must have this `ADDON[=NOTE]`"}, &cli.StringSliceFlag{Name: "may", Usage: "players may have this `ADDON[=NOTE]`"},
			&cli.StringSliceFlag{Name: "must-not", Usage: "players must not have this `NAME[=NOTE]`, which need not be on the server"}, &cli.StringSliceFlag{Name: "no-need", Usage: "the server alone has this `ADDON`"},
			&cli.StringSliceFlag{Name: "by-manifest", Usage: "forget what was said of this `ADDON`"}, &cli.StringSliceFlag{Name: "share", Usage: "the licence of this `ADDON` allows that its files are handed out"}, &cli.StringSliceFlag{Name: "no-share", Usage: "it does not (`ADDON`)"},
			&cli.BoolFlag{Name: "link", Usage: "give it a page with an unlisted address; an earlier one leads nowhere any more"}, &cli.BoolFlag{Name: "no-link", Usage: "take its page away"},
			&cli.BoolFlag{Name: "text", Usage: "as a text to paste into a chat"}, &cli.StringFlag{Name: "zip", Usage: "write the files that may be handed out to `FILE`"}}, Action: a.packlist}
}

func (a trackCommands) packlist(ctx context.Context, cmd *cli.Command) error {
	server, err := onlyArg(cmd, "server")
	if err != nil {
		return err
	}
	if cmd.Bool("link") && cmd.Bool("no-link") {
		return wrongUsage("give one of --link and --no-link")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	l, err := c.Packlist(ctx, server)
	if err != nil {
		return err
	}
	say, any, err := saidOfPlayers(cmd, l)
	if err != nil {
		return err
	}
	if any {
		if l, err = c.SayPacklist(ctx, server, say); err != nil {
			return err
		}
	}
	if cmd.Bool("link") || cmd.Bool("no-link") {
		if l, err = c.LinkPacklist(ctx, server, cmd.Bool("no-link")); err != nil {
			return err
		}
	}
	if file := cmd.String("zip"); file != "" {
		if l.URL == "" {
			return errors.New("the files are handed out by the list's page, and it has none; --link makes it")
		}
		f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
		if err != nil {
			return err
		}
		err = c.PackBundle(ctx, l.URL, f)
		if err = errors.Join(err, f.Close()); err != nil {
			return errors.Join(err, os.Remove(file))
		}
	}
	switch {
	case cmd.Bool("json"):
		return a.printJSON(l)
	case cmd.Bool("text"):
		fmt.Fprint(a.Out, l.Text)
		return nil
	}
	a.printPacklist(server, l)
	return nil
}

// saidOfPlayers reads what a person says of the list. What was said otherwise of an add-on stays.
func saidOfPlayers(cmd *cli.Command, l api.Packlist) (say api.SayPacklist, any bool, err error) {
	if cmd.IsSet("title") {
		title := cmd.String("title")
		say.Title, any = &title, true
	}
	if cmd.IsSet("words") {
		text := cmd.String("words")
		if file, ok := strings.CutPrefix(text, "@"); ok {
			raw, err := os.ReadFile(file)
			if err != nil {
				return say, false, err
			}
			text = string(raw)
		}
		say.Words, any = &text, true
	}
	said := map[string]*api.PackingSaid{}
	var order []string
	of := func(name string) *api.PackingSaid {
		key := strings.ToLower(name)
		if said[key] == nil {
			s := &api.PackingSaid{Addon: name}
			for _, e := range l.Entries {
				if strings.EqualFold(e.Name, name) {
					s.Note, s.Share = e.Note, e.Share
					if e.Because == "" && e.Need != "unknown" {
						s.Need = e.Need
					}
				}
			}
			said[key] = s
			order = append(order, key)
		}
		return said[key]
	}
	for flag, need := range map[string]string{"must": "must", "may": "may", "must-not": "must-not", "no-need": "none"} {
		for _, word := range cmd.StringSlice(flag) {
			name, note, noted := strings.Cut(word, "=")
			s := of(strings.TrimSpace(name))
			if s.Need = need; noted {
				s.Note = strings.TrimSpace(note)
			}
		}
	}
	for _, name := range cmd.StringSlice("share") {
		of(name).Share = true
	}
	for _, name := range cmd.StringSlice("no-share") {
		of(name).Share = false
	}
	for _, name := range cmd.StringSlice("by-manifest") {
		*of(name) = api.PackingSaid{Addon: name}
	}
	for _, key := range order {
		say.Addons = append(say.Addons, *said[key])
	}
	return say, any || len(order) > 0, nil
}

func (a trackCommands) printPacklist(server string, l api.Packlist) {
	fmt.Fprintf(a.Out, "%s (%s)\n", l.Title, l.Game)
	if l.Join != "" {
		fmt.Fprintf(a.Out, "Players join at %s.\n", l.Join)
	} else {
		fmt.Fprintf(a.Out, "Where players join is not known: restless server edit %s --fact address=HOST --fact port=PORT says so.\n", server)
	}
	if l.Words != "" {
		fmt.Fprintf(a.Out, "\n%s\n", l.Words)
	}
	fmt.Fprintln(a.Out)
	needs := map[string]string{"must": "must have", "may": "may have", "must-not": "must not have", "none": "need not", "unknown": "not known"}
	var lines [][]string
	unknown := ""
	for _, e := range l.Entries {
		size, share := "", ""
		if e.Size > 0 {
			size = words.Size(e.Size)
		}
		if e.Share {
			share = "may be handed out"
		}
		if e.Need == "unknown" && unknown == "" {
			unknown = e.Name
		}
		note := strings.TrimPrefix(strings.Join([]string{e.Note, e.Because}, "; "), "; ")
		lines = append(lines, []string{needs[e.Need], e.Name, e.Version, size, share, strings.TrimSuffix(note, "; ")})
	}
	a.rows([]string{"players", "add-on", "version", "size", "licence", "note"}, lines)
	if unknown != "" {
		fmt.Fprintf(a.Out, "\nOf what is not known, players are told nothing. Say it:\n  restless packlist %s --must %s    or --may, --no-need\n", server, unknown)
	}
	if len(l.Changes) > 0 && l.Before != nil {
		fmt.Fprintf(a.Out, "\nSince %s:\n", clock(*l.Before))
		for _, t := range l.Changes {
			what := map[string]string{"add": "new", "replace": "another version", "drop": "no longer needed", "need": "needed otherwise"}[t.What]
			fmt.Fprintf(a.Out, "  %s: %s %s\n", t.Name, what, strings.Trim(t.Was+" → "+t.Is, " →"))
		}
	}
	if l.URL != "" {
		fmt.Fprintf(a.Out, "\nIts page, for whoever has the address:\n  %s\n", l.URL)
	} else {
		fmt.Fprintf(a.Out, "\n  restless packlist %s --link    makes a page that players can be sent\n", server)
	}
}
