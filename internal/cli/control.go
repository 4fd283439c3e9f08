package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/power"
)

// controlFlags are those of server control.
func controlFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "file", Usage: "a `FILE` that says how the server is stopped, started and spoken to; - is standard input"},
		&cli.StringSliceFlag{Name: "secret", Usage: "set a secret of this `NAME`; it is asked for, or read from RESTLESS_SECRET_NAME"},
		&cli.StringFlag{Name: "try", Usage: "try one `ACT`: stop, start, restart"},
	}
}

// controlCommands are about stopping, starting and listening to servers.
type controlCommands struct{ *App }

// serverControl sets how a server is controlled, or shows it and tries it out.
func (a controlCommands) serverControl(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "server")
	if err != nil {
		return err
	}
	set := api.SetControl{Secrets: map[string]string{}}
	if file := cmd.String("file"); file != "" {
		if set.Control, err = a.readControl(file); err != nil {
			return err
		}
	}
	for _, secret := range cmd.StringSlice("secret") {
		env := "RESTLESS_SECRET_" + strings.ToUpper(strings.ReplaceAll(secret, "-", "_"))
		if set.Secrets[secret] = os.Getenv(env); set.Secrets[secret] != "" {
			continue
		}
		if set.Secrets[secret], err = a.Ask("Secret "+secret+": ", true); err != nil {
			return wrongUsage("no terminal to ask for the secret %s: give it in %s", secret, env)
		}
	}
	if set.Control != nil || len(set.Secrets) > 0 {
		if err := c.SetControl(ctx, name, set); err != nil {
			return err
		}
	}
	if act := cmd.String("try"); act != "" {
		return a.act(ctx, cmd, act)
	}
	spec, err := c.Control(ctx, name)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(spec)
	}
	if len(spec.Acts) == 0 && len(spec.Probes) == 0 && spec.RCON == "" {
		fmt.Fprintf(a.Out, "How %s is stopped, started and spoken to is not known.\n  restless server control %s --file FILE   says it; docs/control.md shows how\n", name, name)
		return nil
	}
	var lines [][]string
	for _, act := range power.Acts {
		w, ok := spec.Acts[act]
		switch {
		case ok:
			lines = append(lines, []string{"  " + string(act), w.By, wayWords(w)})
		case (act == power.Say || act == power.Reload) && spec.RCON != "":
			lines = append(lines, []string{"  " + string(act), "rcon", "at " + spec.RCON})
		case act == power.Restart:
			lines = append(lines, []string{"  " + string(act), "-", "stop, then start"})
		default:
			lines = append(lines, []string{"  " + string(act), "-", "no way"})
		}
	}
	fmt.Fprintf(a.Out, "%s\n", name)
	a.rows(nil, lines)
	st, err := c.Standing(ctx, name)
	if err != nil {
		return err
	}
	fmt.Fprintln(a.Out)
	a.printStanding(name, st)
	return nil
}

func wayWords(w power.Way) string {
	if w.HTTP != nil {
		method := w.HTTP.Method
		if method == "" {
			method = "GET"
		}
		return method + " " + w.HTTP.URL
	}
	return w.Command
}

func (a controlCommands) printStanding(name string, st api.Standing) {
	fmt.Fprintf(a.Out, "%s is %s\n", name, strings.ToUpper(st.Condition))
	for _, p := range st.Probes {
		fmt.Fprintf(a.Out, "  by %-8s %-8s %s\n", p.By, p.Condition, p.Words)
	}
	if len(st.Probes) == 0 {
		fmt.Fprintln(a.Out, "  There is no probe, so nothing proves that it has stopped; deployments do not stop it.")
	}
}

func (a controlCommands) readControl(file string) (*power.Control, error) {
	var raw []byte
	var err error
	if file == "-" {
		raw, err = io.ReadAll(a.In)
	} else {
		raw, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, err
	}
	d := yaml.NewDecoder(bytes.NewReader(raw))
	d.KnownFields(true)
	var out power.Control
	if err := d.Decode(&out); err != nil && !errors.Is(err, io.EOF) {
		return nil, wrongUsage("%s: %s", file, strings.TrimPrefix(strings.ReplaceAll(err.Error(), "\n", " "), "yaml: "))
	}
	return &out, nil
}

// actCommand is one of stop, start and restart.
func (a controlCommands) actCommand(act, usage string) *cli.Command {
	return &cli.Command{Name: act, Usage: usage, UsageText: "restless " + act + " SERVER [--yes]", Flags: []cli.Flag{yes()},
		Action: func(ctx context.Context, cmd *cli.Command) error { return a.act(ctx, cmd, act) }}
}

func (a controlCommands) act(ctx context.Context, cmd *cli.Command, act string) error {
	name, c, err := a.about(cmd, "server")
	if err != nil {
		return err
	}
	if err := a.confirm(cmd, fmt.Sprintf("%s %s?", strings.ToUpper(act[:1])+act[1:], name)); err != nil {
		return err
	}
	begun := time.Now()
	each := func(e api.JobEvent) {
		if !cmd.Bool("json") && e.Data.Text != "" {
			fmt.Fprintln(a.Err, e.Data.Text)
		}
	}
	done, err := c.Act(ctx, name, api.DoAct{Act: act, Wait: true}, each)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(done)
	}
	if done.Already {
		fmt.Fprintf(a.Out, "%s %s, and nothing was done; %s.\n", name, map[string]string{"start": "runs already", "stop": "is stopped already"}[act], done.Words)
		return nil
	}
	if text := strings.TrimSpace(done.Answer); text != "" {
		fmt.Fprintln(a.Out, text)
	}
	fmt.Fprintf(a.Out, "%s: %s done in %s; %s.\n", name, act, millis(time.Since(begun).Milliseconds()), done.Words)
	return nil
}

// sayCommand sends a line to a server's console.
func (a controlCommands) sayCommand() *cli.Command {
	return &cli.Command{Name: "say", Usage: "send a line to a server's console and show its answer", UsageText: "restless say SERVER LINE", Action: func(ctx context.Context, cmd *cli.Command) error {
		args, err := atLeast(cmd, 2, "a server and a line")
		if err != nil {
			return err
		}
		return a.speak(ctx, cmd, args[0], api.DoAct{Act: "say", Subject: strings.Join(args[1:], " ")})
	}}
}

// reloadCommand reloads one add-on on a server.
func (a controlCommands) reloadCommand() *cli.Command {
	return &cli.Command{Name: "reload", Usage: "reload an add-on with the console line that its rulebook gives", UsageText: "restless reload SERVER ADDON", Action: func(ctx context.Context, cmd *cli.Command) error {
		args, err := atLeast(cmd, 2, "a server and an add-on")
		if err != nil {
			return err
		}
		return a.speak(ctx, cmd, args[0], api.DoAct{Act: "reload", Subject: args[1]})
	}}
}

func (a controlCommands) speak(ctx context.Context, cmd *cli.Command, server string, act api.DoAct) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	done, err := c.Act(ctx, server, act, nil)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(done)
	}
	if text := strings.TrimRight(done.Answer, "\n"); text != "" {
		fmt.Fprintln(a.Out, text)
	} else {
		fmt.Fprintln(a.Out, "(no answer)")
	}
	return nil
}

// logCommand shows a server's log.
func (a controlCommands) logCommand() *cli.Command {
	return &cli.Command{Name: "log", Usage: "show the end of a server's log", UsageText: "restless log SERVER [--follow]", Flags: []cli.Flag{&cli.BoolFlag{Name: "follow", Usage: "keep showing new lines"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			name, err := onlyArg(cmd, "server")
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			from := ""
			for {
				piece, err := c.Log(ctx, name, from)
				switch {
				case err != nil && ctx.Err() != nil && cmd.Bool("follow"):
					return nil // who follows stops when they have seen enough
				case err != nil:
					return err
				}
				if cmd.Bool("json") {
					if err := a.printJSON(piece); err != nil {
						return err
					}
				} else {
					for _, l := range piece.Lines {
						fmt.Fprintf(a.Out, "%-18s %s\n", about(l), l.Text)
					}
				}
				if !cmd.Bool("follow") {
					return nil
				}
				from = piece.Next
				select {
				case <-ctx.Done():
					return nil
				case <-time.After(time.Second):
				}
			}
		}}
}

// about marks a line with the add-on that it speaks of.
func about(l api.LogLine) string {
	if l.Addon == "" {
		return ""
	}
	return "[" + l.Addon + "]"
}
