package cli

import (
	"context"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
)

// scheduleCommands are about what is done by itself, and where its results are told.
type scheduleCommands struct{ *App }

func (a scheduleCommands) scheduleCommand() *cli.Command {
	return &cli.Command{Name: "schedule", Usage: "have things done on servers by themselves, at their times", Commands: []*cli.Command{
		{Name: "add", DisableSliceFlagSeparator: true, Usage: "deploy, update, survey or restart at a time", UsageText: `restless schedule add NAME SERVER --do update --at "0 4 * * *" --zone Europe/Lisbon
restless schedule add NAME SERVER --do deploy --crate NAME@VERSION --once "2026-12-01 04:00"`,
			Flags: []cli.Flag{&cli.StringFlag{Name: "do", Usage: "`WHAT`: deploy, update, survey or restart"}, &cli.StringFlag{Name: "at", Usage: "a `CRON` expression: minute, hour, day, month, weekday"},
				&cli.StringFlag{Name: "once", Usage: "a `TIME` instead: 2026-12-01 04:00"}, &cli.StringFlag{Name: "zone", Usage: "the time `ZONE`; this machine's if not given"},
				&cli.StringFlag{Name: "window", Usage: "how late it may still begin (`AGE`: 30m, 2h)", Value: "1h"}, &cli.BoolFlag{Name: "when-empty", Usage: "only while no player is on; the rulebook says how they are counted"},
				&cli.StringSliceFlag{Name: "warn", Usage: "a line for the console some time before (`LINE`), such as \"10m: say Back in ten minutes\""},
				&cli.StringSliceFlag{Name: "crate", Usage: "with deploy: the `CRATE`"}, &cli.BoolFlag{Name: "or-undo", Usage: "take it back where the server does not come up, or something does not load"},
				&cli.BoolFlag{Name: "or-undo-each", Usage: "the same, but what did not load goes back alone"}}, Action: a.add},
		{Name: "list", Usage: "what is done by itself, and when", UsageText: "restless schedule list", Action: a.list},
		{Name: "show", Usage: "what came of a schedule", UsageText: "restless schedule show NAME", Action: a.show},
		{Name: "drop", Usage: "have it done no more", UsageText: "restless schedule drop NAME", Action: a.drop},
	}}
}

func (a scheduleCommands) noticeCommand() *cli.Command {
	return &cli.Command{Name: "notice", Usage: "have the results of schedules told", Commands: []*cli.Command{
		{Name: "add", Usage: "to a web address, by mail, or in a feed", UsageText: "restless notice add NAME --webhook URL\nrestless notice add NAME --mail-to ADDRESS --from ADDRESS --smtp HOST:PORT [--user NAME]\nrestless notice add NAME --feed",
			Flags: []cli.Flag{&cli.StringFlag{Name: "webhook", Usage: "a `URL` that gets each result as JSON, signed"}, &cli.StringFlag{Name: "mail-to", Usage: "an `ADDRESS`"}, &cli.StringFlag{Name: "from", Usage: "with mail: the `ADDRESS` from which it comes"},
				&cli.StringFlag{Name: "smtp", Usage: "with mail: the server, `HOST:PORT`"}, &cli.StringFlag{Name: "user", Usage: "with mail: who signs in there; the password is asked, or is in RESTLESS_PASSWORD"}, &cli.BoolFlag{Name: "no-tls", Usage: "with mail: it may go without TLS, such as to this machine"},
				&cli.BoolFlag{Name: "feed", Usage: "a feed (Atom) that a reader looks at"}, &cli.BoolFlag{Name: "successes", Usage: "tell what went well too; what did not is always told"}}, Action: a.addNotice},
		{Name: "list", Usage: "where results are told", UsageText: "restless notice list", Action: a.listNotices},
		{Name: "test", Usage: "tell a made-up result there now", UsageText: "restless notice test NAME", Action: a.testNotice},
		{Name: "drop", Usage: "tell results there no more", UsageText: "restless notice drop NAME", Action: a.dropNotice},
	}}
}

// localZone is the name of this machine's time zone, as IANA has it.
func localZone() string {
	if z := os.Getenv("TZ"); z != "" {
		return strings.TrimPrefix(z, ":")
	}
	if to, err := os.Readlink("/etc/localtime"); err == nil {
		if _, name, ok := strings.Cut(to, "zoneinfo/"); ok {
			return name
		}
	}
	return "UTC"
}

func (a scheduleCommands) add(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a name and a server")
	if err != nil {
		return err
	}
	n := api.NewSchedule{Name: args[0], Server: args[1], Does: cmd.String("do"), Cron: cmd.String("at"), Zone: cmd.String("zone"), Empty: cmd.Bool("when-empty")}
	if n.Does == "" {
		return wrongUsage("say what it does: --do deploy, update, survey or restart")
	}
	if n.Zone == "" {
		n.Zone = localZone()
	}
	window, err := parseAge(cmd.String("window"))
	if err != nil {
		return wrongUsage("--window %v", err)
	}
	n.Window = int64(window.Seconds())
	if text := cmd.String("once"); text != "" {
		loc, err := time.LoadLocation(n.Zone)
		if err != nil {
			return wrongUsage("%q is no time zone, such as Europe/Lisbon", n.Zone)
		}
		at, err := time.ParseInLocation("2006-01-02 15:04", text, loc)
		if exact, e := time.ParseInLocation(time.DateTime, text, loc); e == nil {
			at, err = exact, nil
		}
		if err != nil {
			return wrongUsage("--once is a time such as \"2026-12-01 04:00\", not %q", text)
		}
		n.Once = &at
	}
	for _, w := range cmd.StringSlice("warn") {
		before, line, ok := strings.Cut(w, ":")
		age, err := parseAge(strings.TrimSpace(before))
		if !ok || err != nil {
			return wrongUsage("--warn is a length of time and a line for the console, such as \"10m: say Back in ten minutes\", not %q", w)
		}
		n.Warnings = append(n.Warnings, api.EarlyLine{Before: int64(age.Seconds()), Line: strings.TrimSpace(line)})
	}
	n.Deploy = &api.NewDraft{Crates: cmd.StringSlice("crate"), OrUndo: cmd.Bool("or-undo"), OrUndoEach: cmd.Bool("or-undo-each")}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	s, err := c.AddSchedule(ctx, n)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(s)
	}
	fmt.Fprintf(a.Out, "%s %s, next %s.\n", s.Name, doesWords(s), inZone(s.Next, s.Zone))
	return nil
}

// doesWords says what a schedule does: "does update on saltpan at 0 4 * * * (Europe/Lisbon)".
func doesWords(s api.Schedule) string {
	out := fmt.Sprintf("does %s on %s", s.Does, s.Server)
	if len(s.What) > 0 {
		out = fmt.Sprintf("deploys %s on %s", strings.Join(s.What, ", "), s.Server)
	}
	if s.Cron != "" {
		out += " at " + s.Cron + " (" + s.Zone + ")"
	} else {
		out += " once"
	}
	if s.Empty {
		out += ", while no player is on"
	}
	if s.OrUndo {
		out += ", or undoes it"
	}
	return out
}

// inZone writes a time in a schedule's own time zone.
func inZone(t *time.Time, zone string) string {
	if t == nil {
		return "no more"
	}
	loc, err := time.LoadLocation(zone)
	if err != nil {
		loc = time.UTC
	}
	return t.In(loc).Format("2006-01-02 15:04 ") + zone
}

func (a scheduleCommands) list(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Schedules(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "Nothing is done by itself.\n  restless schedule add --help shows how")
		return nil
	}
	var lines [][]string
	for _, s := range list {
		lines = append(lines, []string{s.Name, doesWords(s), ageWords(s.Window), inZone(s.Next, s.Zone), s.By})
	}
	a.rows([]string{"schedule", "what", "window", "next", "by"}, lines)
	return nil
}

func (a scheduleCommands) show(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "schedule")
	if err != nil {
		return err
	}
	s, err := c.Schedule(ctx, name)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(s)
	}
	fmt.Fprintf(a.Out, "%s %s; next %s.\nIt may begin up to %s late.\n", s.Name, doesWords(s), inZone(s.Next, s.Zone), ageWords(s.Window))
	for _, w := range s.Warnings {
		fmt.Fprintf(a.Out, "%s before, the console is sent: %s\n", ageWords(w.Before), w.Line)
	}
	if len(s.Runs) == 0 {
		fmt.Fprintln(a.Out, "It was not due yet.")
		return nil
	}
	fmt.Fprintln(a.Out)
	var lines [][]string
	for _, r := range s.Runs {
		lines = append(lines, []string{inZone(&r.Due, s.Zone), r.State, r.Deployment, r.Words})
	}
	a.rows([]string{"due", "came of it", "deployment", "words"}, lines)
	return nil
}

func (a scheduleCommands) drop(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "schedule")
	if err != nil {
		return err
	}
	return c.DropSchedule(ctx, name)
}

func (a scheduleCommands) addNotice(ctx context.Context, cmd *cli.Command) error {
	name, err := onlyArg(cmd, "name")
	if err != nil {
		return err
	}
	n := api.NewNotice{Name: name, Webhook: cmd.String("webhook"), MailTo: cmd.String("mail-to"), From: cmd.String("from"), SMTP: cmd.String("smtp"), User: cmd.String("user"), NoTLS: cmd.Bool("no-tls"), Feed: cmd.Bool("feed"), Successes: cmd.Bool("successes")}
	if n.User != "" {
		if n.Password = os.Getenv("RESTLESS_PASSWORD"); n.Password == "" {
			if n.Password, err = a.Ask("The password of "+n.User+": ", true); err != nil {
				return fmt.Errorf("the password is asked on a terminal, or is in RESTLESS_PASSWORD: %w", err)
			}
		}
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	made, err := c.AddNotice(ctx, n)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(made)
	}
	switch {
	case made.URL != "":
		fmt.Fprintf(a.Out, "Results are told in a feed. Who has its address can read it; it is shown this once:\n  %s\n", made.URL)
	case made.Secret != "":
		fmt.Fprintf(a.Out, "Results go to %s. The header Restless-Signature is the HMAC-SHA256 of the body by this secret, which is shown this once:\n  %s\n", made.To, made.Secret)
	default:
		fmt.Fprintf(a.Out, "Results go by %s.\n", made.To)
	}
	if !n.Feed {
		fmt.Fprintf(a.Out, "  restless notice test %s    tries it now\n", name)
	}
	return nil
}

func (a scheduleCommands) listNotices(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Notices(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "Nobody is told what comes of schedules.\n  restless notice add --help shows how")
		return nil
	}
	var lines [][]string
	for _, n := range list {
		what, last := "what went wrong", "nothing yet"
		if n.Successes {
			what = "everything"
		}
		if n.ToldAt != nil {
			last = clock(*n.ToldAt)
		}
		if n.Trouble != "" {
			last += "; the last could not be told: " + n.Trouble
		}
		lines = append(lines, []string{n.Name, n.To, what, last})
	}
	a.rows([]string{"notice", "to", "tells", "told last"}, lines)
	return nil
}

func (a scheduleCommands) testNotice(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "notice")
	if err != nil {
		return err
	}
	return c.TestNotice(ctx, name)
}

func (a scheduleCommands) dropNotice(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "notice")
	if err != nil {
		return err
	}
	return c.DropNotice(ctx, name)
}
