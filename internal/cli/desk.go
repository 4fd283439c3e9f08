package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func (a trackCommands) deskCommand() *cli.Command {
	return &cli.Command{Name: "desk", Usage: "what needs you, over all servers, the worst first", UsageText: "restless desk", Action: a.desk}
}

func (a trackCommands) desk(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	d, err := c.Desk(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(d)
	}
	if len(d.Needs) == 0 && len(d.Servers) > 0 {
		fmt.Fprintln(a.Out, "Nothing waits for you, as far as was looked.")
	}
	for _, n := range d.Needs {
		since := ""
		if n.Since != nil {
			since = "  (" + clock(*n.Since) + ")"
		}
		fmt.Fprintf(a.Out, "%-8s %s%s\n", strings.ToUpper(n.Kind), n.What, since)
		for _, line := range []string{n.More, n.Line} {
			if line != "" {
				fmt.Fprintf(a.Out, "         %s\n", line)
			}
		}
		printMend(a.Out, "       ", "", n.Deeds, subject{server: n.Server})
	}
	if len(d.Servers) == 0 {
		fmt.Fprintln(a.Out, "No servers yet. restless server add adds one.")
		return nil
	}
	fmt.Fprintln(a.Out)
	rows := make([][]string, len(d.Servers))
	for i, s := range d.Servers {
		rows[i] = []string{s.Server, strings.TrimSpace(s.Rulebook + " " + s.Game), standsNow(s), fmt.Sprint(s.Addons), lookedWords(s), lastWords(s), s.Join}
	}
	a.rows([]string{"server", "game", "game runs", "add-ons", "looked at", "last change", "players join by"}, rows)
	return nil
}

// standsNow tells whether the game of a server runs, as it was last found, and what loaded.
func standsNow(s api.Stand) string {
	at := ""
	if s.FoundAt != nil {
		at = ", " + clock(*s.FoundAt)
	}
	loaded := ""
	if s.Asked > 0 {
		loaded = fmt.Sprintf(", %d of %d loaded", s.Loaded, s.Asked)
	}
	switch s.Condition {
	case "running":
		return "yes" + loaded + at
	case "stopped":
		return "no" + at
	case "unknown":
		return "not known" + at
	}
	return "nobody has asked"
}

// lookedWords tells when the files of a server were last looked at, and what that found.
func lookedWords(s api.Stand) string {
	if s.LookedAt == nil {
		return "not yet"
	}
	by := "surveyed"
	if s.LookedBy != "" {
		by = "by " + s.LookedBy
	}
	found := ""
	if s.Different > 0 {
		found = fmt.Sprintf(", %s changed", words.Count(s.Different, "file"))
	}
	return clock(*s.LookedAt) + " " + by + found
}

func lastWords(s api.Stand) string {
	switch {
	case s.Open != nil:
		return s.Open.Name + " is " + s.Open.State
	case s.Last == nil:
		return "none yet"
	}
	return s.Last.Name + ": " + s.Last.Title
}
