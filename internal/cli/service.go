package cli

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// serviceCommands are about the service itself.
type serviceCommands struct{ *App }

func (a serviceCommands) serveCommand() *cli.Command {
	return &cli.Command{
		Name: "serve", Usage: "run the service", UsageText: "restless serve --data FOLDER --listen 127.0.0.1:7420",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "listen", Value: "127.0.0.1:7420", Usage: "the `ADDRESS` it answers on"},
			&cli.StringFlag{Name: "helpers", Usage: "the `FOLDER` of programs for games' own packed formats; helpers in the data folder if not given"},
			&cli.DurationFlag{Name: "ride-out", Value: time.Minute, Usage: "for how `LONG` a line that is lost in a deployment is tried again before it is halted"},
			&cli.BoolFlag{Name: "beyond-this-machine", Usage: "allow an address that other machines can reach"},
			&cli.StringFlag{Name: "public-url", Usage: "the `ADDRESS` by which people reach it, such as https://crate.example.org behind a proxy with TLS"},
			&cli.StringFlag{Name: "max-upload", Value: "16GB", Usage: "the largest archive that it takes: a `SIZE`; 0 for any"},
			&cli.StringSliceFlag{Name: "watch", Usage: "a `FOLDER` of this machine: what is downloaded into it is staged, as soon as it is whole"},
			&cli.StringSliceFlag{Name: "downloads-from", Usage: "a `NETWORK` of this machine's own, such as 192.168.1.0/24, from which stage may fetch addresses too"},
			&cli.BoolFlag{Name: "renew-client", Usage: "make a new token for client.json in the data folder; the old one signs nobody in any more"},
			&cli.BoolFlag{Name: "recover", Usage: "go on with records that are older than the stockroom, or were lost, and find archives and kept copies again"},
			&cli.BoolFlag{Name: "new-key", Usage: "make a new key file where the old one is gone; what was sealed with it stays shut"},
			&cli.BoolFlag{Name: "verbose", Usage: "log every call"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Present() {
				return wrongUsage("serve takes no arguments, only --data and --listen")
			}
			most, err := parseSize(cmd.String("max-upload"))
			if err != nil {
				return wrongUsage("--max-upload %v", err)
			}
			var own []netip.Prefix
			for _, text := range cmd.StringSlice("downloads-from") {
				network, err := netip.ParsePrefix(text)
				if err != nil {
					return wrongUsage("--downloads-from is a network such as 192.168.1.0/24, not %q", text)
				}
				own = append(own, network)
			}
			data := cmd.String("data")
			if data == "" {
				data = DefaultData()
			}
			return a.Serve(ctx, ServeOptions{DownloadsFrom: own, Watch: cmd.StringSlice("watch"), Data: data, Listen: cmd.String("listen"), Helpers: cmd.String("helpers"), RideOut: cmd.Duration("ride-out"), Beyond: cmd.Bool("beyond-this-machine"), Verbose: cmd.Bool("verbose"), PublicURL: cmd.String("public-url"), MaxUpload: most, RenewClient: cmd.Bool("renew-client"), Recover: cmd.Bool("recover"), NewKey: cmd.Bool("new-key")})
		},
	}
}

func (a serviceCommands) demoCommand() *cli.Command {
	return &cli.Command{
		Name: "demo", Usage: "try everything on a made-up game server",
		Description: "Starts a service and a made-up game server, deploys to it, updates and rolls back, telling what it does; then leaves both running until Ctrl-C.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "once", Usage: "end when the scenario is through"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			return a.Demo(ctx, DemoOptions{Once: cmd.Bool("once"), Data: cmd.String("data")})
		},
	}
}

func (a serviceCommands) doctorCommand() *cli.Command {
	return &cli.Command{
		Name: "doctor", Usage: "look over everything that the service keeps: its database and its stockroom",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "mend", Usage: "read what is damaged again on the servers on which the ledger has it"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			found, err := c.CheckUp(ctx, cmd.Bool("mend"), nil)
			if err != nil {
				return err
			}
			if cmd.Bool("json") {
				if err := a.printJSON(found); err != nil {
					return err
				}
			} else {
				a.printCheckup(found, cmd.Bool("mend"))
			}
			if slices.ContainsFunc(found.Damaged, func(d api.Damaged) bool { return d.Mended == "" }) {
				return cli.Exit("", ExitFailed)
			}
			return nil
		},
	}
}

func (a serviceCommands) printCheckup(found api.Checkup, mend bool) {
	fmt.Fprintf(a.Out, "The database is whole. %s of the stockroom read", words.Count(found.Read, "content"))
	if len(found.Damaged) == 0 {
		fmt.Fprintln(a.Out, "; all are what they were.")
		return
	}
	fmt.Fprintf(a.Out, "; %d damaged:\n", len(found.Damaged))
	for _, d := range found.Damaged {
		what := "a kept copy of a server's file, or made here; what needs it will say so"
		switch {
		case d.Mended != "":
			what = "whole again: read from " + d.Mended
		case len(d.Archives) > 0:
			what = "stage again: " + strings.Join(d.Archives, ", or ")
		}
		fmt.Fprintf(a.Out, "  %s  %s\n", d.Digest[:12], what)
	}
	for _, n := range found.Notes {
		fmt.Fprintf(a.Out, "  NOTE  %s\n", n)
	}
	if !mend {
		fmt.Fprintln(a.Out, "restless doctor --mend reads again what still lies on a server.")
	}
}

func (a serviceCommands) signInCommand() *cli.Command {
	return &cli.Command{
		Name: "sign-in", Usage: "print a link that signs a browser in to the console, once",
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			l, err := c.SignInLink(ctx)
			if err != nil {
				return err
			}
			if cmd.Bool("json") {
				return a.printJSON(l)
			}
			fmt.Fprintf(a.Out, "%s\nIt works once, until %s.\n", l.URL, clock(l.ExpiresAt))
			return nil
		},
	}
}
