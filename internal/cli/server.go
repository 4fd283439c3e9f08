package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// serverCommands are about servers and how they are reached.
type serverCommands struct{ *App }

func (a serverCommands) serverCommand() *cli.Command {
	return &cli.Command{Name: "server", Usage: "the game servers", Commands: []*cli.Command{
		{Name: "add", Usage: "add a server", UsageText: "restless server add NAME --folder FOLDER                 with no rulebook yet: it is learnt\nrestless server add NAME --like SERVER --folder FOLDER    a new one with what another has\nrestless server add NAME --rulebook NAME --folder FOLDER\nrestless server add NAME --rulebook NAME --sftp USER@HOST --key FILE --root PATH\nrestless server add NAME --rulebook NAME --ftps USER@HOST --root PATH",
			Flags: append([]cli.Flag{&cli.StringFlag{Name: "rulebook", Usage: "the `NAME` of its game's rulebook; without it the server teaches one"}, &cli.StringFlag{Name: "like", Usage: "another `SERVER`, whose rulebook and variables it takes, and then its add-ons and settings"}, &cli.StringSliceFlag{Name: "crate", Usage: "deploy this `CRATE`, or pallet, at once"}, &cli.BoolFlag{Name: "draft", Usage: "with like and crate: keep it as a draft"}, &cli.BoolFlag{Name: "yes", Usage: "with like and crate: do not ask"}, &cli.StringSliceFlag{Name: "accept", Usage: "with like and crate: accept a block: `CODE[=PATH]`"},
				&cli.BoolFlag{Name: "take-rest", Usage: "with like: all of its settings"}, &cli.BoolFlag{Name: "leave-rest", Usage: "with like: none of its settings"}}, transportFlags()...), Action: a.serverAdd},
		{Name: "list", Usage: "list the servers", Action: a.serverList},
		{Name: "show", Usage: "show a server", UsageText: "restless server show NAME", Action: a.serverShow},
		{Name: "edit", Usage: "change a server", UsageText: "restless server edit NAME [--rename NAME] [--root PATH] ...",
			Flags: append([]cli.Flag{&cli.StringFlag{Name: "rename", Usage: "its new `NAME`"}, &cli.StringFlag{Name: "rulebook", Usage: "another rulebook (`NAME`), while nothing was deployed"}, &cli.BoolFlag{Name: "forget-key", Usage: "take back that the host's key was confirmed"}}, transportFlags()...), Action: a.serverEdit},
		{Name: "test", Usage: "connect and find out what the host can do", UsageText: "restless server test NAME [--unlock]",
			Flags: []cli.Flag{&cli.BoolFlag{Name: "unlock", Usage: "take away what a lost service has left on the host, its lock too"}, yes()}, Action: a.serverTest},
		{Name: "facts", Usage: "read what the server's tree and log tell of it: the version of its game, its loader", UsageText: "restless server facts NAME", Action: a.serverFacts},
		{Name: "control", Usage: "say how a server is stopped, started and spoken to, and try it", UsageText: "restless server control NAME [--file FILE] [--secret NAME] [--try ACT]",
			Flags: append(controlFlags(), yes()), Action: controlCommands(a).serverControl},
		{Name: "trust", Usage: "confirm the host's key", UsageText: "restless server trust NAME FINGERPRINT", Action: a.serverTrust},
		{Name: "drop", Usage: "forget a server; its files are not touched", UsageText: "restless server drop NAME", Flags: []cli.Flag{yes()}, Action: a.serverDrop},
	}}
}

func yes() cli.Flag { return &cli.BoolFlag{Name: "yes", Usage: "do not ask"} }

// pairs reads NAME=VALUE flags.
func pairs(cmd *cli.Command, flag string) (map[string]string, error) {
	out := map[string]string{}
	for _, text := range cmd.StringSlice(flag) {
		name, value, ok := strings.Cut(text, "=")
		if !ok || name == "" {
			return nil, wrongUsage("--%s %q is not NAME=VALUE", flag, text)
		}
		out[name] = value
	}
	return out, nil
}

func (a serverCommands) serverAdd(ctx context.Context, cmd *cli.Command) error {
	name, err := onlyArg(cmd, "name")
	if err != nil {
		return err
	}
	n := api.NewServer{Name: name, Rulebook: cmd.String("rulebook")}
	if n.Transport, n.Secrets, err = a.transport(cmd, api.Transport{}); err != nil {
		return err
	}
	if n.Transport.Kind == "" {
		return wrongUsage("server add needs --folder FOLDER, or --sftp, --ftps or --ftp with USER@HOST")
	}
	if n.Variables, err = pairs(cmd, "set"); err != nil {
		return err
	}
	if n.Facts, err = pairs(cmd, "fact"); err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	if like := cmd.String("like"); like != "" {
		old, err := c.Server(ctx, like)
		if err != nil {
			return err
		}
		n.Rulebook = cmp.Or(n.Rulebook, old.Rulebook)
		for name, value := range old.Variables {
			if _, said := n.Variables[name]; !said {
				n.Variables[name] = value
			}
		}
	}
	s, err := c.AddServer(ctx, n)
	if err != nil {
		return err
	}
	if cmd.String("like") != "" || len(cmd.StringSlice("crate")) > 0 {
		return a.fill(ctx, cmd, c, s)
	}
	if cmd.Bool("json") {
		return a.printJSON(s)
	}
	if s.Learning && s.Transport.Kind == "folder" { // a folder needs no key confirmed first
		fmt.Fprintf(a.Out, "Added %s, with rulebook %s, which knows nothing yet.\n", s.Name, s.Rulebook)
		return a.teach(ctx, c, s.Name, api.Teach{})
	}
	if s.Learning {
		fmt.Fprintf(a.Out, "Added %s, with rulebook %s, which knows nothing yet. Nothing was connected to yet.\n  restless server test %s   connects and finds out what the host can do\n  restless learn %s         looks at it and asks\n", s.Name, s.Rulebook, s.Name, s.Name)
		return nil
	}
	fmt.Fprintf(a.Out, "Added %s. Nothing was connected to yet.\n  restless server test %s   connects and finds out what the host can do\n", s.Name, s.Name)
	return nil
}

// fill connects to a server that was just added, and brings what it is to have.
func (a serverCommands) fill(ctx context.Context, cmd *cli.Command, c *client.Client, s api.Server) error {
	_, err := c.TestServer(ctx, s.Name)
	var p *api.Problem
	if errors.As(err, &p) && p.Code == "host-key-unknown" {
		fmt.Fprintf(a.Out, "%s\n", p.Detail)
		if answer, asked := a.Ask("Is that its key? [y/n] ", false); asked == nil && strings.HasPrefix(strings.ToLower(strings.TrimSpace(answer)), "y") {
			_, key, _ := strings.Cut(p.Detail, "SHA256:")
			fingerprint, _, _ := strings.Cut("SHA256:"+key, " ")
			if _, err = c.TrustServer(ctx, s.Name, strings.TrimRight(fingerprint, ".;,")); err == nil {
				_, err = c.TestServer(ctx, s.Name)
			}
		}
	}
	if err != nil {
		return fmt.Errorf("%s is added, and nothing was brought to it: %w", s.Name, err)
	}
	fmt.Fprintf(a.Out, "Added %s.\n", s.Name)
	if like := cmd.String("like"); like != "" {
		if err := deployCommands(a).promoteTo(ctx, cmd, c, like, s.Name); err != nil {
			return err
		}
	}
	if crates := cmd.StringSlice("crate"); len(crates) > 0 {
		return deployCommands(a).draftAndRun(ctx, cmd, s.Name, api.NewDraft{Crates: crates})
	}
	return nil
}

func (a serverCommands) serverList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Servers(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No servers yet. restless server add adds one.")
		return nil
	}
	var lines [][]string
	for _, s := range list {
		lines = append(lines, []string{s.Name, s.Rulebook, where(s.Transport), tested(s)})
	}
	a.rows([]string{"server", "rulebook", "where", "tested"}, lines)
	return nil
}

func tested(s api.Server) string {
	switch {
	case s.OfferedKey != "":
		return "its key waits for your word"
	case s.Abilities == nil:
		return "not yet"
	}
	return clock(s.Abilities.TestedAt)
}

func (a serverCommands) printServer(cmd *cli.Command, s api.Server) error {
	if cmd.Bool("json") {
		return a.printJSON(s)
	}
	lines := [][]string{{"server", s.Name}, {"rulebook", s.Rulebook}, {"reached by", s.Transport.Kind}, {"where", where(s.Transport)}}
	if s.Transport.Kind != "folder" {
		lines = append(lines, []string{"signs in by", s.Transport.Auth})
	}
	if s.Transport.UploadLimit > 0 {
		lines = append(lines, []string{"takes files of", words.Size(s.Transport.UploadLimit) + " at most"})
	}
	for name, v := range s.Variables {
		lines = append(lines, []string{"variable " + name, v})
	}
	for _, f := range s.Known {
		lines = append(lines, []string{"fact " + f.Name, factOf(f)})
	}
	if s.HostKey != "" {
		lines = append(lines, []string{"host key", s.HostKey})
	}
	if s.OfferedKey != "" {
		lines = append(lines, []string{"offered key", s.OfferedKey + " (not confirmed)"})
	}
	a.rows(nil, lines)
	if s.Abilities == nil {
		fmt.Fprintf(a.Out, "\nNot tested yet: restless server test %s\n", s.Name)
		return nil
	}
	fmt.Fprintf(a.Out, "\nTested %s:\n", clock(s.Abilities.TestedAt))
	for _, w := range s.Abilities.Words {
		fmt.Fprintf(a.Out, "  %s\n", w)
	}
	if s.Abilities.Left {
		printMend(a.Out, "  ", "", []api.Remedy{{Do: "unlock-server", On: s.Name}}, subject{})
	}
	return nil
}

// factOf is a fact with where it was read, and when.
func factOf(f api.KnownFact) string {
	out := fmt.Sprintf("%s (%s", f.Value, f.From)
	if f.At != nil {
		out += ", " + clock(*f.At)
	}
	if f.Before {
		out += ", before the last start"
	}
	if out += ")"; f.Told != "" {
		out += fmt.Sprintf("; but by %s it is %s", f.ToldBy, f.Told)
	}
	return out
}

func (a serverCommands) serverShow(ctx context.Context, cmd *cli.Command) error {
	var written []api.Written
	err := a.withServer(ctx, cmd, func(c serverCalls, name string) (s api.Server, err error) {
		if written, err = c.Written(ctx, name); err != nil {
			return s, err
		}
		return c.Server(ctx, name)
	})
	if err != nil || cmd.Bool("json") || len(written) == 0 {
		return err
	}
	fmt.Fprintf(a.Out, "\nWritten by the server itself; deploy %s --renew PLACE has it begun anew:\n", cmd.Args().First())
	var lines [][]string
	for _, w := range written {
		other := ""
		if w.Variable != "" {
			other = fmt.Sprintf("%s %s; --renew %s=NAME leaves it and begins another", w.Variable, w.Value, w.Place)
		}
		lines = append(lines, []string{"  " + w.Place, w.Path, other})
	}
	a.rows(nil, lines)
	return nil
}

// serverCalls are the calls that give a server back.
type serverCalls interface {
	Server(ctx context.Context, name string) (api.Server, error)
	Written(ctx context.Context, name string) ([]api.Written, error)
	ReadFacts(ctx context.Context, name string) (api.Server, error)
	TestServer(ctx context.Context, name string) (api.Server, error)
	UnlockServer(ctx context.Context, name string) (api.Server, error)
	EditServer(ctx context.Context, name string, e api.ServerEdit) (api.Server, error)
	Draft(ctx context.Context, server string, n api.NewDraft, each client.Each) (api.Deployment, error)
}

func (a serverCommands) withServer(_ context.Context, cmd *cli.Command, do func(serverCalls, string) (api.Server, error)) error {
	name, c, err := a.about(cmd, "server name")
	if err != nil {
		return err
	}
	s, err := do(c, name)
	if err != nil {
		return err
	}
	return a.printServer(cmd, s)
}

func (a serverCommands) serverFacts(ctx context.Context, cmd *cli.Command) error {
	return a.withServer(ctx, cmd, func(c serverCalls, name string) (api.Server, error) { return c.ReadFacts(ctx, name) })
}

func (a serverCommands) serverTest(ctx context.Context, cmd *cli.Command) error {
	return a.withServer(ctx, cmd, func(c serverCalls, name string) (api.Server, error) {
		if !cmd.Bool("unlock") {
			return c.TestServer(ctx, name)
		}
		s, err := c.Server(ctx, name)
		if err != nil {
			return s, err
		}
		says := ""
		if s.Abilities != nil && s.Abilities.Lock != "" {
			says = fmt.Sprintf("The host said at its last test: %s. ", s.Abilities.Lock)
		}
		if err := a.confirm(cmd, fmt.Sprintf("%sTake another service's lock on %s away? Only do so if that service is lost for good.", says, name)); err != nil {
			return s, err
		}
		return c.UnlockServer(ctx, name)
	})
}

func (a serverCommands) serverEdit(ctx context.Context, cmd *cli.Command) error {
	return a.withServer(ctx, cmd, func(c serverCalls, name string) (s api.Server, err error) {
		e := api.ServerEdit{ForgetKey: cmd.Bool("forget-key")}
		if s, err = c.Server(ctx, name); err != nil {
			return s, err
		}
		t, sec, err := a.transport(cmd, s.Transport)
		if err != nil {
			return s, err
		}
		if t != s.Transport {
			e.Transport = &t
		}
		e.Secrets = sec
		if n := cmd.String("rename"); n != "" {
			e.Name = &n
		}
		if b := cmd.String("rulebook"); b != "" {
			e.Rulebook = &b
		}
		if e.Variables, err = pairs(cmd, "set"); err != nil {
			return s, err
		}
		if e.Facts, err = pairs(cmd, "fact"); err != nil {
			return s, err
		}
		s, err = c.EditServer(ctx, name, e)
		var p *api.Problem
		if errors.As(err, &p) && p.Code == "value-held" {
			return a.setHeld(ctx, cmd, c, name, e)
		}
		return s, err
	})
}

// setHeld does what else there is to edit, and drafts the values that a text or a panel
// holds: a deployment changes them there.
func (a serverCommands) setHeld(ctx context.Context, cmd *cli.Command, c serverCalls, name string, e api.ServerEdit) (api.Server, error) {
	var with []string
	for _, key := range slices.Sorted(maps.Keys(e.Variables)) {
		with = append(with, key+"="+e.Variables[key])
	}
	e.Variables = nil
	s, err := c.EditServer(ctx, name, e)
	if err != nil {
		return s, err
	}
	d, err := c.Draft(ctx, s.Name, api.NewDraft{With: with}, nil)
	if err != nil {
		return s, err
	}
	if !cmd.Bool("json") {
		a.printDeployment(d)
		fmt.Fprintf(a.Out, "\nThe server holds that itself, so it is changed by a deployment, kept as a draft. restless deployment run %s runs it.\n\n", d.Name)
	}
	return s, nil
}

func (a serverCommands) serverTrust(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a server name and the fingerprint that server test showed")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	s, err := c.TrustServer(ctx, args[0], args[1])
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(s)
	}
	fmt.Fprintf(a.Out, "The key of %s is confirmed: %s\n", s.Name, s.HostKey)
	return nil
}

func (a serverCommands) serverDrop(ctx context.Context, cmd *cli.Command) error {
	name, c, err := a.about(cmd, "server name")
	if err != nil {
		return err
	}
	if err := a.confirm(cmd, fmt.Sprintf("Forget %s and what is known of its files? The files themselves stay.", name)); err != nil {
		return err
	}
	if err := c.DropServer(ctx, name); err != nil {
		return err
	}
	fmt.Fprintf(a.Out, "%s is forgotten; its files were not touched.\n", name)
	return nil
}
