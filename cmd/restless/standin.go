package main

import (
	"context"

	"restlesscrate/internal/cli"
	"restlesscrate/internal/standin/game"
)

// play runs a made-up game until it is told to stop.
func play(ctx context.Context, o cli.PlayOptions) error {
	return game.Run(ctx, game.Options{Folder: o.Folder, Game: o.Game, Console: o.Console, Password: o.Password, Program: o.Program})
}
