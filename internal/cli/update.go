package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func (a surveyCommands) updateCommand() *cli.Command {
	return &cli.Command{Name: "update", Usage: "bring add-ons of a server to the newest version that is staged and fits", UsageText: "restless update SERVER                  shows what there is\nrestless update SERVER ADDON...         updates these, in one deployment\nrestless update SERVER --all            updates all that are not held\nrestless update SERVER ADDON --hold [--note WORDS] | --release | --channel stable|development",
		Flags: append([]cli.Flag{&cli.BoolFlag{Name: "all", Usage: "update all that are not held"}, &cli.BoolFlag{Name: "hold", Usage: "leave the add-on as it is from now on"},
			&cli.BoolFlag{Name: "release", Usage: "hold it no more"}, &cli.StringFlag{Name: "channel", Usage: "by which builds it is updated: `CHANNEL` stable, or development"},
			&cli.BoolFlag{Name: "take-needs", Usage: "have what the new versions need come along"}, &cli.StringFlag{Name: "every", Usage: "you mean to look for updates this often (`AGE`: 7d): status says when nobody has; never for no more"}, &cli.StringFlag{Name: "note", Usage: "with hold: why, in `WORDS`"}}, runFlags()...), Action: a.update}
}

func (a surveyCommands) update(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 1, "a server, and perhaps add-ons")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	server, addons := args[0], args[1:]
	if cmd.String("every") != "" {
		every, err := parseEvery(cmd)
		if err == nil {
			_, err = c.SetRhythm(ctx, server, api.SetRhythm{UpdatesEvery: &every})
		}
		return err
	}
	if cmd.Bool("hold") || cmd.Bool("release") || cmd.String("channel") != "" {
		if len(addons) == 0 || cmd.Bool("hold") && cmd.Bool("release") {
			return wrongUsage("name the add-ons that are held, released or updated by other builds")
		}
		for _, x := range addons {
			if err := c.Hold(ctx, server, x, api.Hold{Held: cmd.Bool("hold"), Channel: cmd.String("channel"), Note: cmd.String("note")}); err != nil {
				return err
			}
		}
		return nil
	}
	list, err := c.Updates(ctx, server)
	if err != nil {
		return err
	}
	if len(addons) == 0 && !cmd.Bool("all") {
		if cmd.Bool("json") {
			return a.printJSON(list)
		}
		a.printUpdates(server, list)
		return c.LookedForUpdates(ctx, server)
	}
	crates, err := newest(server, list, addons)
	if err != nil {
		return err
	}
	if len(crates) == 0 {
		fmt.Fprintf(a.Out, "Nothing on %s has an update that is staged and fits.\n", server)
		return nil
	}
	return deployCommands(a).draftAndRun(ctx, cmd, server, api.NewDraft{Crates: crates, TakeNeeds: cmd.Bool("take-needs")})
}

// newest gives the crates of updates: of the add-ons that are named, or of all that are not held.
func newest(server string, list []api.Update, addons []string) (crates []string, err error) {
	for _, name := range addons {
		i := slices.IndexFunc(list, func(u api.Update) bool { return strings.EqualFold(u.Addon, name) })
		switch {
		case i < 0:
			return nil, wrongUsage("there is no add-on %q on %s", name, server)
		case list[i].Available == "" && list[i].Unfit != nil:
			return nil, fmt.Errorf("%s %s is staged and does not fit: %s", list[i].Addon, list[i].Unfit.Version, list[i].Unfit.Why)
		case list[i].Available == "":
			return nil, fmt.Errorf("nothing newer than %s %s is staged", list[i].Addon, list[i].Installed)
		}
		crates = append(crates, list[i].Crate)
	}
	if len(addons) > 0 {
		return crates, nil
	}
	for _, u := range list {
		if u.Available != "" && (u.Hold == nil || !u.Hold.Held) {
			crates = append(crates, u.Crate)
		}
	}
	return crates, nil
}

func (a surveyCommands) printUpdates(server string, list []api.Update) {
	if len(list) == 0 {
		fmt.Fprintf(a.Out, "Nothing was deployed on %s yet.\n", server)
		return
	}
	var lines [][]string
	can := 0
	for _, u := range list {
		staged := ""
		if u.StagedAt != nil {
			staged = clock(*u.StagedAt)
		}
		if u.Available != "" && (u.Hold == nil || !u.Hold.Held) {
			can++
		}
		lines = append(lines, []string{u.Addon, u.Installed, u.Available, u.Channel, staged, changesOf(u), toKnow(u)})
	}
	a.rows([]string{"add-on", "installed", "available", "channel", "staged", "changes", "to know"}, lines)
	if can > 0 {
		fmt.Fprintf(a.Out, "\n  restless update %s --all    updates %s in one deployment\n", server, words.Count(can, "add-on"))
	}
	if i := slices.IndexFunc(list, func(u api.Update) bool {
		return u.Announced != nil && (u.Announced.Fit.State == "fits" || u.Announced.Fit.State == "unknown")
	}); i >= 0 {
		fmt.Fprintf(a.Out, "\n  restless feed take %s %s    downloads and stages what is announced\n", list[i].Announced.Feed, list[i].Addon)
	}
}

func changesOf(u api.Update) string {
	if u.Available == "" {
		return ""
	}
	return fmt.Sprintf("%d in, %d changed, %d out", u.In, u.Changed, u.Out)
}

// toKnow is what there is to decide about an update.
func toKnow(u api.Update) string {
	var said []string
	if u.Hold != nil && u.Hold.Held {
		said = append(said, strings.TrimSuffix("held: "+u.Hold.Note, ": "))
	} else if u.Hold != nil {
		said = append(said, "development builds too")
	}
	if u.Fit.State != "fits" && u.Fit.State != "unknown" {
		said = append(said, "the installed one does not fit: "+u.Fit.Why)
	}
	if len(u.Settings) > 0 {
		said = append(said, "changes "+strings.Join(few(u.Settings, 3), ", ")+" too; yours is merged with it")
	}
	if len(u.Needs) > 0 {
		said = append(said, "needs "+strings.Join(u.Needs, ", "))
	}
	if u.Unfit != nil {
		said = append(said, u.Unfit.Version+" is staged and does not fit: "+u.Unfit.Why)
	}
	if n := u.Announced; n != nil {
		text := fmt.Sprintf("%s is announced by the feed %s", n.Version, n.Feed)
		switch n.Fit.State {
		case "fits":
			text += " and fits"
		case "unknown":
		default:
			text += " and does not fit: " + n.Fit.Why
		}
		said = append(said, text)
	}
	return strings.Join(said, "; ")
}
