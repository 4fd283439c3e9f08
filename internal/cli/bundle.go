package cli

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/words"
)

func (a trackCommands) bundleCommand() *cli.Command {
	return &cli.Command{Name: "bundle", Usage: "pack what somebody needs who helps you with a server, with secrets masked: a zip that you read before you send it", UsageText: "restless bundle SERVER [--out FILE] [--without log,settings]",
		Flags: []cli.Flag{&cli.StringFlag{Name: "out", Usage: "the `FILE`; SERVER-support.zip if not given"}, &cli.StringSliceFlag{Name: "without", Usage: "leave this `PART` out: server, rulebook, status, deployments, rollcall, survey, log, settings"}}, Action: a.bundle}
}

func (a trackCommands) bundle(ctx context.Context, cmd *cli.Command) error {
	server, c, err := a.about(cmd, "server")
	if err != nil {
		return err
	}
	file := cmd.String("out")
	if file == "" {
		file = server + "-support.zip"
	}
	f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s is there already; give another --out", file)
	}
	if err != nil {
		return err
	}
	err = c.Bundle(ctx, server, cmd.StringSlice("without"), f)
	if err = errors.Join(err, f.Close()); err != nil {
		return errors.Join(err, os.Remove(file))
	}
	z, err := zip.OpenReader(file)
	if err != nil {
		return err
	}
	defer z.Close()
	if cmd.Bool("json") {
		return a.printJSON(map[string]any{"file": file, "parts": len(z.File)})
	}
	fmt.Fprintf(a.Out, "Wrote %s, with %s. Read it before you send it; nothing was sent.\n\n", file, words.Count(len(z.File), "text"))
	var lines [][]string
	for _, x := range z.File {
		lines = append(lines, []string{x.Name, words.Size(int64(x.UncompressedSize64))})
	}
	a.rows([]string{"text", "size"}, lines)
	fmt.Fprintf(a.Out, "\n  restless bundle %s --without %s    leaves parts out\n", server, strings.Join([]string{"log", "settings"}, ","))
	return nil
}
