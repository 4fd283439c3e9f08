package cli

import (
	"context"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func transportFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "folder", Usage: "the server's root is this `FOLDER` on the service's machine"},
		&cli.StringFlag{Name: "sftp", Usage: "reach it over SFTP: `USER@HOST[:PORT]`"},
		&cli.StringFlag{Name: "ftps", Usage: "reach it over FTP with TLS: `USER@HOST[:PORT]`"},
		&cli.StringFlag{Name: "ftp", Usage: "reach it over FTP, unencrypted: `USER@HOST[:PORT]`"},
		&cli.StringFlag{Name: "root", Usage: "on a host: the server's root `PATH`; where the user arrives if not given"},
		&cli.StringFlag{Name: "key", Usage: "with --sftp: sign in with this private key `FILE`; its content is sent to the service"},
		&cli.BoolFlag{Name: "agent", Usage: "with --sftp: sign in with the service's own SSH agent"},
		&cli.StringFlag{Name: "upload-limit", Usage: "the longest file that this way in takes, if the host has told you: a `SIZE` such as 100MB; 0 for any"},
		&cli.BoolFlag{Name: "password", Usage: "on a host: sign in with a password, asked for or from RESTLESS_PASSWORD"},
		&cli.StringSliceFlag{Name: "set", Usage: "a variable that the rulebook asks for: `NAME=VALUE`"},
		&cli.StringSliceFlag{Name: "fact", Usage: "something to know about it, such as game=9.3: `NAME=VALUE`"},
	}
}

func (a *App) serverCommand() *cli.Command {
	return &cli.Command{Name: "server", Usage: "the game servers", Commands: []*cli.Command{
		{Name: "add", Usage: "add a server", UsageText: "restless server add NAME --rulebook NAME --folder FOLDER\nrestless server add NAME --rulebook NAME --sftp USER@HOST --key FILE --root PATH\nrestless server add NAME --rulebook NAME --ftps USER@HOST --root PATH",
			Flags: append([]cli.Flag{&cli.StringFlag{Name: "rulebook", Usage: "the `NAME` of its game's rulebook"}}, transportFlags()...), Action: a.serverAdd},
		{Name: "list", Usage: "list the servers", Action: a.serverList},
		{Name: "show", Usage: "show a server", UsageText: "restless server show NAME", Action: a.serverShow},
		{Name: "edit", Usage: "change a server", UsageText: "restless server edit NAME [--rename NAME] [--root PATH] ...",
			Flags: append([]cli.Flag{&cli.StringFlag{Name: "rename", Usage: "its new `NAME`"}, &cli.StringFlag{Name: "rulebook", Usage: "another rulebook (`NAME`), while nothing was deployed"}, &cli.BoolFlag{Name: "forget-key", Usage: "take back that the host's key was confirmed"}}, transportFlags()...), Action: a.serverEdit},
		{Name: "test", Usage: "connect and find out what the host can do", UsageText: "restless server test NAME [--unlock]",
			Flags: []cli.Flag{&cli.BoolFlag{Name: "unlock", Usage: "take away what a lost service has left on the host, its lock too"}, yes()}, Action: a.serverTest},
		{Name: "control", Usage: "say how a server is stopped, started and spoken to, and try it", UsageText: "restless server control NAME [--file FILE] [--secret NAME] [--try ACT]",
			Flags: append(controlFlags(), yes()), Action: a.serverControl},
		{Name: "trust", Usage: "confirm the host's key", UsageText: "restless server trust NAME FINGERPRINT", Action: a.serverTrust},
		{Name: "drop", Usage: "forget a server; its files are not touched", UsageText: "restless server drop NAME", Flags: []cli.Flag{yes()}, Action: a.serverDrop},
	}}
}

func yes() cli.Flag { return &cli.BoolFlag{Name: "yes", Usage: "do not ask"} }

// transport reads the flags on top of what is known already.
func (a *App) transport(cmd *cli.Command, t api.Transport) (api.Transport, api.Secrets, error) {
	var sec api.Secrets
	kind, target, err := reached(cmd)
	if err != nil {
		return t, sec, err
	}
	if folder := cmd.String("folder"); folder != "" {
		abs, err := filepath.Abs(folder)
		if err != nil {
			return t, sec, err
		}
		return api.Transport{Kind: "folder", Root: abs}, sec, nil
	}
	if target != "" {
		user, host, ok := strings.Cut(target, "@")
		if !ok || user == "" || host == "" {
			return t, sec, wrongUsage("--%s %q is not USER@HOST or USER@HOST:PORT", kind, target)
		}
		t = api.Transport{Kind: kind, User: user, Host: host, Root: t.Root, Auth: t.Auth}
		if kind != "sftp" {
			t.Auth = "password"
		}
		if h, p, err := net.SplitHostPort(host); err == nil {
			n, err := strconv.Atoi(p)
			if err != nil {
				return t, sec, wrongUsage("--%s %q: %q is no port", kind, target, p)
			}
			t.Host, t.Port = h, n
		}
	}
	if root := cmd.String("root"); root != "" {
		t.Root = root
	}
	if limit := cmd.String("upload-limit"); limit != "" {
		if t.UploadLimit, err = parseSize(limit); err != nil {
			return t, sec, wrongUsage("--upload-limit %v", err)
		}
	}
	return a.credentials(cmd, t)
}

// parseSize reads a number of bytes as people write it: 512, 100MB, 2 GB.
func parseSize(text string) (int64, error) {
	number, unit := strings.TrimSpace(text), int64(1)
	for _, u := range []struct {
		suffix string
		bytes  int64
	}{{"GB", 1e9}, {"MB", 1e6}, {"KB", 1e3}, {"kB", 1e3}, {"B", 1}} {
		if rest, ok := strings.CutSuffix(number, u.suffix); ok {
			number, unit = strings.TrimSpace(rest), u.bytes
			break
		}
	}
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil || n < 0 || n > (1<<62)/unit {
		return 0, fmt.Errorf("%q is no size; write it like 100MB", text)
	}
	return n * unit, nil
}

// reached gives the one way that was said in which a host is reached, if any.
func reached(cmd *cli.Command) (kind, target string, err error) {
	ways := 0
	for _, flag := range []string{"folder", "sftp", "ftps", "ftp"} {
		if value := cmd.String(flag); value != "" {
			ways++
			if flag != "folder" {
				kind, target = flag, value
			}
		}
	}
	if ways > 1 {
		return "", "", wrongUsage("give one of --folder, --sftp, --ftps and --ftp")
	}
	return kind, target, nil
}

// credentials reads key files and asks for secrets; they are never arguments.
func (a *App) credentials(cmd *cli.Command, t api.Transport) (api.Transport, api.Secrets, error) {
	var sec api.Secrets
	switch {
	case cmd.String("key") != "":
		raw, err := os.ReadFile(cmd.String("key"))
		if err != nil {
			return t, sec, fmt.Errorf("read the key file: %w", err)
		}
		t.Auth, sec.Key, sec.Passphrase = "key", string(raw), os.Getenv("RESTLESS_PASSPHRASE")
		if strings.Contains(sec.Key, "ENCRYPTED") && sec.Passphrase == "" {
			if sec.Passphrase, err = a.Ask("Passphrase of the key: ", true); err != nil {
				return t, sec, wrongUsage("the key is encrypted: give its passphrase in RESTLESS_PASSPHRASE")
			}
		}
	case cmd.Bool("agent"):
		t.Auth = "agent"
	case cmd.Bool("password") || cmd.IsSet("ftp") || cmd.IsSet("ftps"):
		t.Auth, sec.Password = "password", os.Getenv("RESTLESS_PASSWORD")
		if sec.Password == "" {
			var err error
			if sec.Password, err = a.Ask("Password: ", true); err != nil {
				return t, sec, wrongUsage("no terminal to ask for the password: give it in RESTLESS_PASSWORD")
			}
		}
	case t.Kind == "sftp" && t.Auth == "":
		return t, sec, wrongUsage("how to sign in? Give one of --key FILE, --agent, --password")
	}
	return t, sec, nil
}

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

func (a *App) serverAdd(ctx context.Context, cmd *cli.Command) error {
	name, err := one(cmd, "name")
	if err != nil {
		return err
	}
	n := api.NewServer{Name: name, Rulebook: cmd.String("rulebook")}
	if n.Rulebook == "" {
		return wrongUsage("server add needs --rulebook NAME; rulebook list shows them")
	}
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
	s, err := c.AddServer(ctx, n)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(s)
	}
	fmt.Fprintf(a.Out, "Added %s. Nothing was connected to yet.\n  restless server test %s   connects and finds out what the host can do\n", s.Name, s.Name)
	return nil
}

func (a *App) serverList(ctx context.Context, cmd *cli.Command) error {
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

func where(t api.Transport) string {
	if t.Kind == "folder" {
		return t.Root
	}
	return fmt.Sprintf("%s@%s:%d %s", t.User, t.Host, t.Port, t.Root)
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

func (a *App) printServer(cmd *cli.Command, s api.Server) error {
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
	for name, v := range s.Facts {
		lines = append(lines, []string{"fact " + name, v})
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
	return nil
}

func (a *App) serverShow(ctx context.Context, cmd *cli.Command) error {
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
	TestServer(ctx context.Context, name string) (api.Server, error)
	UnlockServer(ctx context.Context, name string) (api.Server, error)
	EditServer(ctx context.Context, name string, e api.ServerEdit) (api.Server, error)
}

func (a *App) withServer(_ context.Context, cmd *cli.Command, do func(serverCalls, string) (api.Server, error)) error {
	name, err := one(cmd, "server name")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	s, err := do(c, name)
	if err != nil {
		return err
	}
	return a.printServer(cmd, s)
}

func (a *App) serverTest(ctx context.Context, cmd *cli.Command) error {
	return a.withServer(ctx, cmd, func(c serverCalls, name string) (api.Server, error) {
		if !cmd.Bool("unlock") {
			return c.TestServer(ctx, name)
		}
		if err := a.confirm(cmd, fmt.Sprintf("Take another service's lock on %s away? Only do so if that service is lost for good.", name)); err != nil {
			return api.Server{}, err
		}
		return c.UnlockServer(ctx, name)
	})
}

func (a *App) serverEdit(ctx context.Context, cmd *cli.Command) error {
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
		return c.EditServer(ctx, name, e)
	})
}

func (a *App) serverTrust(ctx context.Context, cmd *cli.Command) error {
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

func (a *App) serverDrop(ctx context.Context, cmd *cli.Command) error {
	name, err := one(cmd, "server name")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
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

// confirm asks before something changes, unless --yes was given.
func (a *App) confirm(cmd *cli.Command, question string) error {
	if cmd.Bool("yes") {
		return nil
	}
	answer, err := a.Ask(question+" [y/N] ", false)
	if err != nil {
		return wrongUsage("there is no terminal to ask on; --yes says yes")
	}
	if a := strings.ToLower(strings.TrimSpace(answer)); a != "y" && a != "yes" {
		return cli.Exit("nothing was done", ExitFailed)
	}
	return nil
}
