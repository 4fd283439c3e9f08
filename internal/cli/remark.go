package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
)

func (a deployCommands) remarkCommand() *cli.Command {
	return &cli.Command{Name: "remark", Usage: "say something of a deployment, or that the server was good after it; rollback --known-good goes back there", UsageText: "restless deployment remark SERVER#NUMBER [TEXT] [--good|--not-good]",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "good", Usage: "the server is good as it stands after it"},
			&cli.BoolFlag{Name: "not-good", Usage: "it was not, after all"},
		},
		Action: a.deploymentRemark}
}

// deploymentRemark changes what was given alone: a text leaves the star, and a star leaves the text.
func (a deployCommands) deploymentRemark(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 1, "a deployment, written server#number, and what to say of it")
	if err != nil {
		return err
	}
	good, bad := cmd.Bool("good"), cmd.Bool("not-good")
	switch {
	case len(args) > 2:
		return wrongUsage("what is said of a deployment is one text; put quotes around it")
	case good && bad:
		return wrongUsage("a deployment is good or it is not; give one of --good and --not-good")
	case len(args) == 1 && !good && !bad:
		return wrongUsage("nothing is said of %s; give a text, --good or --not-good", args[0])
	}
	c, d, err := a.find(ctx, cmd, args[0])
	if err != nil {
		return err
	}
	var r api.Remark
	if d.Remark != nil {
		r = api.Remark{Text: d.Remark.Text, Good: d.Remark.Good}
	}
	if len(args) == 2 {
		r.Text = args[1]
	}
	if good || bad {
		r.Good = good
	}
	if err := c.Remark(ctx, d.Server, d.Number, r); err != nil {
		return err
	}
	fmt.Fprintf(a.Out, "%s: %s\n", d.Name, orNothing(remarkOf(&r)))
	if good {
		fmt.Fprintf(a.Out, "  restless rollback %s --known-good   goes back to how things stood after it\n", d.Server)
	}
	return nil
}

// remarkOf is what was said of a deployment, in a line; empty where nothing was.
func remarkOf(r *api.Remark) string {
	switch {
	case r == nil:
		return ""
	case r.Good && r.Text != "":
		return "known good: " + r.Text
	case r.Good:
		return "known good"
	}
	return r.Text
}

func orNothing(text string) string {
	if text == "" {
		return "nothing is said of it now"
	}
	return text
}
