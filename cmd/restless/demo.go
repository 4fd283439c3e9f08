package main

import (
	"context"
	"errors"

	"restlesscrate/internal/cli"
)

func runDemo(ctx context.Context, o cli.DemoOptions) error { return errors.New("not yet") }
