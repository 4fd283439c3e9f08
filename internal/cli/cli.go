// Package cli is the command line: urfave/cli commands over the API client.
// It does nothing that the API cannot do.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

// Exit codes, the same everywhere.
const (
	ExitDone    = 0
	ExitFailed  = 1
	ExitUsage   = 2
	ExitBlocked = 3
	ExitHalted  = 4
)

// ServeOptions are what `serve` is started with.
type ServeOptions struct {
	Data, Listen  string
	Helpers       string        // the folder of helper programs; in Data where empty
	RideOut       time.Duration // for how long a lost line is tried again
	Beyond        bool          // allow addresses that are not loopback
	Verbose       bool
	Recover       bool           // find again what lost records knew
	PublicURL     string         // by which people reach it; where it listens if empty
	MaxUpload     int64          // bytes of the largest archive; 0: any
	Watch         []string       // folders whose downloads are staged
	DownloadsFrom []netip.Prefix // networks that are not public and that files are fetched from all the same
	RenewClient   bool           // make a new token for the client's file and end the old ones
	NewKey        bool           // make a new key file where credentials are sealed with one that is gone
}

// DemoOptions are what `demo` is started with.
type DemoOptions struct {
	Once bool   // end after the scenario
	Data string // keep everything here instead of in a temporary folder
}

// App is the command line with what it stands on. Serve and Demo are handed
// in, because this package knows neither the service nor the demo.
type App struct {
	In       io.Reader
	Out, Err io.Writer
	Version  string
	Serve    func(ctx context.Context, o ServeOptions) error
	Demo     func(ctx context.Context, o DemoOptions) error
	Play     func(ctx context.Context, o PlayOptions) error
	// Ask reads one line, or a secret where hidden is true. It gives an error
	// where there is no terminal to ask.
	Ask func(question string, hidden bool) (string, error)
	// Schema is the JSON Schema of rulebooks.
	Schema []byte
	// Terminal tells whether Out is one.
	Terminal  bool
	bars      io.Writer // where progress bars are drawn
	everyStep bool      // whether drafts are written out without folding their steps
}

// usageError is wrong usage: exit code 2.
type usageError struct{ text string }

func (e *usageError) Error() string { return e.text }

func wrongUsage(format string, args ...any) error { return &usageError{fmt.Sprintf(format, args...)} }

// Run runs one command line and gives its exit code. Errors are written to
// Err in words.
func (a *App) Run(ctx context.Context, args []string) int {
	// Logs, archives and console answers come from others: nothing of theirs is to
	// be a command to a terminal. Bars alone are drawn by ourselves.
	a.bars = a.Err
	a.Out, a.Err = &visible{to: a.Out}, &visible{to: a.Err}
	err := a.root().Run(ctx, args)
	if err == nil {
		return ExitDone
	}
	code := a.explain(err)
	return code
}

// explain writes an error for a person and gives its exit code.
func (a *App) explain(err error) int {
	var p *api.Problem
	var usage *usageError
	var exit cli.ExitCoder
	var gone *client.UnreachableError
	var left *client.LeftError
	switch {
	case errors.As(err, &p):
		fmt.Fprintf(a.Err, "restless: %s\n", p.Detail)
		server, _, _ := strings.Cut(p.Deployment, "#")
		about := subject{server: server, deployment: p.Deployment}
		for _, f := range p.Findings {
			printFinding(a.Err, f, about)
			if p.Code == "blocked" {
				printAccept(a.Err, f, nil)
			}
		}
		printMend(a.Err, "  ", p.Mend, p.Remedies, about)
		return p.Exit
	case errors.As(err, &usage):
		fmt.Fprintf(a.Err, "restless: %v\n", err)
		return ExitUsage
	case errors.As(err, &gone):
		fmt.Fprintf(a.Err, "restless: %v\n  Is it running? restless serve starts it.\n", gone)
		return ExitFailed
	case errors.As(err, &exit):
		if exit.Error() != "" {
			fmt.Fprintf(a.Err, "restless: %v\n", err)
		}
		return exit.ExitCode()
	case errors.As(err, &left):
		fmt.Fprintf(a.Err, "restless: stopped waiting; the %s goes on at the service\n", jobWords(left.Job))
		if !errors.Is(left.Err, context.Canceled) {
			fmt.Fprintf(a.Err, "  %v\n", left.Err)
		}
		if left.Job.Kind == "run" {
			fmt.Fprintf(a.Err, "  restless deployment show %s shows how far it is; deployment halt %s stops it\n", left.Job.Subject, left.Job.Subject)
		}
		return ExitFailed
	case errors.Is(err, context.Canceled):
		fmt.Fprintln(a.Err, "restless: stopped")
		return ExitFailed
	}
	fmt.Fprintf(a.Err, "restless: %v\n", err)
	return ExitFailed
}

func (a *App) root() *cli.Command {
	onUsage := func(_ context.Context, cmd *cli.Command, err error, _ bool) error {
		return wrongUsage("%v\n  restless %s --help shows how", err, cmd.Name)
	}
	service, server, rulebook, stage, crate, deploy := serviceCommands{a}, serverCommands{a}, rulebookCommands{a}, stageCommands{a}, crateCommands{a}, deployCommands{a}
	texts := textCommands{deploy}
	control, roll, track, access, job := controlCommands{a}, rollCallCommands{a}, trackCommands{a}, accessCommands{a}, jobCommands{a}
	root := &cli.Command{
		Name: "restless", Usage: "stage, deploy, track and roll back what is on your game servers", Version: a.Version,
		Reader: a.In, Writer: a.Out, ErrWriter: a.Err, EnableShellCompletion: true,
		ExitErrHandler: func(context.Context, *cli.Command, error) {},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "url", Usage: "the service's `ADDRESS`", Sources: cli.EnvVars("RESTLESS_URL")},
			&cli.StringFlag{Name: "token", Usage: "a `TOKEN` for it; better in RESTLESS_TOKEN", Sources: cli.EnvVars("RESTLESS_TOKEN"), Hidden: true},
			&cli.StringFlag{Name: "data", Usage: "the data `FOLDER` of a service on this machine", Sources: cli.EnvVars("RESTLESS_DATA")},
			&cli.BoolFlag{Name: "json", Usage: "print the API's own objects"},
		},
		Commands: []*cli.Command{
			service.serveCommand(), service.demoCommand(), server.serverCommand(), rulebook.rulebookCommand(), stage.stageCommand(), stage.watchCommand(), feedCommands{a}.feedCommand(), scheduleCommands{a}.scheduleCommand(), scheduleCommands{a}.noticeCommand(), crate.crateCommand(), archiveCommands{a}.archiveCommand(), crate.palletCommand(),
			deploy.deployCommand(), deploy.removeCommand(), deploy.enableCommand(), deploy.disableCommand(), deploy.deploymentCommand(), deploy.rollbackCommand(), deploy.promoteCommand(), deploy.groupCommand(),
			control.actCommand("stop", "stop a server and wait until it has stopped"), control.actCommand("start", "start a server and wait until it is ready"),
			control.actCommand("restart", "stop a server and start it again"), control.reloadCommand(), control.sayCommand(), control.logCommand(), roll.rollCallCommand(), server.learnCommand(), surveyCommands{a}.updateCommand(), surveyCommands{a}.narrowCommand(), surveyCommands{a}.surveyCommand(), surveyCommands{a}.adoptCommand(), surveyCommands{a}.settleCommand(), roll.confirmCommand(), roll.oddityCommand(),
			texts.textCommand(), texts.findCommand(), texts.tweakCommand(), texts.tryCommand(), texts.rewriteCommand(), texts.lintCommand(),
			track.deskCommand(), track.statusCommand(), track.filesCommand(), track.historyCommand(), track.compareCommand(), track.packlistCommand(), track.bundleCommand(), service.signInCommand(), access.tokenCommand(), access.sessionCommand(), job.jobCommand(), service.doctorCommand(), stockroomCommands{a}.stockroomCommand(), service.standInCommand(),
		},
	}
	var each func(c *cli.Command)
	each = func(c *cli.Command) {
		c.OnUsageError = onUsage
		for _, sub := range c.Commands {
			each(sub)
		}
		if len(c.Commands) > 0 && c.Action == nil {
			c.Action = func(_ context.Context, cmd *cli.Command) error {
				if word := cmd.Args().First(); word != "" {
					return wrongUsage("%s has no command %q\n  %s --help shows them", cmd.FullName(), word, cmd.FullName())
				}
				return cli.ShowSubcommandHelp(cmd)
			}
		}
	}
	each(root)
	return root
}

// DefaultData is the data folder where none is given.
func DefaultData() string {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "restless-data"
	}
	return filepath.Join(dir, "restless-crate")
}

// ClientFile is the file in the data folder that lets a client on the same
// machine find the service and sign in.
const ClientFile = "client.json"

// Local is what [ClientFile] holds.
type Local struct {
	URL   string `json:"url"`
	Token string `json:"token"`
}

// client finds the service: by address and token, else by the data folder.
func (a *App) client(cmd *cli.Command) (*client.Client, error) {
	base, token, data := cmd.String("url"), cmd.String("token"), cmd.String("data")
	if base != "" && token != "" {
		return client.New(base, token), nil
	}
	given := data != ""
	if !given {
		data = DefaultData()
	}
	raw, err := os.ReadFile(filepath.Join(data, ClientFile))
	if err != nil {
		if given {
			return nil, fmt.Errorf("no service has been started with %s: %w", data, err)
		}
		return nil, wrongUsage("which service? Give --data FOLDER (or RESTLESS_DATA) on its own machine, else RESTLESS_URL and RESTLESS_TOKEN")
	}
	var l Local
	if err := json.Unmarshal(raw, &l); err != nil {
		return nil, fmt.Errorf("read %s: %w", filepath.Join(data, ClientFile), err)
	}
	if base == "" {
		base = l.URL
	}
	if token == "" {
		token = l.Token
	}
	return client.New(base, token), nil
}

// onlyArg gives a command's only argument.
func onlyArg(cmd *cli.Command, what string) (string, error) {
	if cmd.Args().Len() != 1 {
		return "", wrongUsage("%s takes one %s\n  %s --help shows how", cmd.FullName(), what, cmd.FullName())
	}
	return cmd.Args().First(), nil
}

// atLeast gives the arguments and fails where there are fewer than n.
func atLeast(cmd *cli.Command, n int, what string) ([]string, error) {
	if cmd.Args().Len() < n {
		return nil, wrongUsage("%s takes %s\n  %s --help shows how", cmd.FullName(), what, cmd.FullName())
	}
	return cmd.Args().Slice(), nil
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

// about gives a command's only argument, and the service that it is told to.
func (a *App) about(cmd *cli.Command, what string) (string, *client.Client, error) {
	name, err := onlyArg(cmd, what)
	if err != nil {
		return "", nil, err
	}
	c, err := a.client(cmd)
	return name, c, err
}
