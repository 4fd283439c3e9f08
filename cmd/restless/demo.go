package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/netip"
	"os"
	"path/filepath"
	"time"

	"restlesscrate/internal/cli"
	"restlesscrate/internal/client"
	"restlesscrate/internal/demo"
	"restlesscrate/web"
)

// demoListen is where the demo's console is, if the port is free.
const demoListen = "127.0.0.1:7420"

// runDemo plays the scenario against a service of its own, and leaves both
// running until ctx ends, unless it is to be played once.
func runDemo(ctx context.Context, o cli.DemoOptions) (err error) {
	dir := o.Data
	if dir == "" {
		if dir, err = os.MkdirTemp("", "restless-demo-"); err != nil {
			return err
		}
		defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	data := filepath.Join(dir, "data")
	s, err := openService(ctx, cli.ServeOptions{Data: data, Listen: demoListen, RideOut: time.Minute, DownloadsFrom: []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}}, quiet)
	if err != nil {
		if s, err = openService(ctx, cli.ServeOptions{Data: data, Listen: "127.0.0.1:0", RideOut: time.Minute, DownloadsFrom: []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}}, quiet); err != nil {
			return err
		}
	}
	defer s.close()
	if s.damaged != nil {
		return s.damaged
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ended := make(chan error, 1)
	go func() { ended <- s.run(ctx) }()
	played, err := demo.Run(ctx, demo.Options{Client: client.New(s.url, s.token), Folder: filepath.Join(dir, "reedbank"), Out: os.Stdout})
	if err != nil {
		return fmt.Errorf("the demo: %w", err)
	}
	if !o.Once {
		link, err := s.whole.API.NewLink(ctx, "owner")
		if err != nil {
			return errors.Join(err, played.Close())
		}
		if web.Built() {
			fmt.Printf("\nLook around in the console (the link signs you in, once, within ten minutes):\n  %s\n", link.URL)
		}
		fmt.Printf("\nLook around in another terminal:\n  export RESTLESS_DATA=%s\n  bin/restless status\nCtrl-C ends it.\n", data)
		select {
		case err = <-ended:
			return errors.Join(err, played.Close())
		case <-ctx.Done():
		}
	}
	stop()
	return errors.Join(<-ended, played.Close())
}
