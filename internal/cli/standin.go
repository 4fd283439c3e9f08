package cli

import (
	"context"

	"github.com/urfave/cli/v3"
)

// PlayOptions are how a made-up game is run.
type PlayOptions struct {
	Folder, Game, Console, Password, Program string
}

// standInCommand runs one of the demo's made-up games, as its start command does.
func (a serviceCommands) standInCommand() *cli.Command {
	return &cli.Command{Name: "standin", Usage: "run a made-up game of the demo", UsageText: "restless standin --game NAME --folder FOLDER [--console HOST:PORT]", Hidden: true,
		Flags: []cli.Flag{&cli.StringFlag{Name: "game", Required: true}, &cli.StringFlag{Name: "folder", Required: true},
			&cli.StringFlag{Name: "console"}, &cli.StringFlag{Name: "program"}, &cli.StringFlag{Name: "password", Sources: cli.EnvVars("STANDIN_PASSWORD")}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			return a.Play(ctx, PlayOptions{Folder: cmd.String("folder"), Game: cmd.String("game"), Console: cmd.String("console"), Password: cmd.String("password"), Program: cmd.String("program")})
		}}
}
