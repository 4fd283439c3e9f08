package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

// jobCommands are about what the service works on.
type jobCommands struct{ *App }

func (a jobCommands) jobCommand() *cli.Command {
	return &cli.Command{Name: "job", Usage: "what the service is doing, and what it has done", Commands: []*cli.Command{
		{Name: "list", Usage: "list what the service is doing, or what it has done", UsageText: "restless job list [--ended] [--failed] [WORD…]", Action: a.jobList,
			Flags: []cli.Flag{&cli.BoolFlag{Name: "ended", Usage: "what has ended, the newest first"}, &cli.BoolFlag{Name: "failed", Usage: "of that, what failed"}}},
		{Name: "cancel", Usage: "cancel work that changes nothing, such as the making of a draft", UsageText: "restless job cancel ID...", Action: a.jobCancel},
	}}
}

func (a jobCommands) jobList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	if cmd.Bool("ended") || cmd.Bool("failed") {
		return a.endedJobs(ctx, cmd, c)
	}
	list, err := c.Jobs(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "The service is doing nothing.")
		return nil
	}
	var lines [][]string
	for _, j := range list {
		can := ""
		if j.Cancellable {
			can = "can be cancelled"
		}
		lines = append(lines, []string{j.ID, jobWords(j), j.Actor, clock(j.CreatedAt), can})
	}
	a.rows([]string{"id", "what", "for", "since", ""}, lines)
	return nil
}

func (a jobCommands) endedJobs(ctx context.Context, cmd *cli.Command, c *client.Client) error {
	list, err := c.EndedJobs(ctx, strings.Join(cmd.Args().Slice(), " "), cmd.Bool("failed"))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No such work has ended yet.")
		return nil
	}
	lines := make([][]string, len(list))
	for i, j := range list {
		why := ""
		if j.Problem != nil {
			why = j.Problem.Detail
		}
		lines[i] = []string{clock(j.CreatedAt), jobWords(j), j.Actor, j.State, why}
	}
	a.rows([]string{"begun", "what", "for", "how it ended", "why"}, lines)
	return nil
}

func (a jobCommands) jobCancel(ctx context.Context, cmd *cli.Command) error {
	ids, err := atLeast(cmd, 1, "the id of a job; job list shows them")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	for _, id := range ids {
		j, err := c.CancelJob(ctx, id)
		if err != nil {
			return err
		}
		if cmd.Bool("json") {
			if err := a.printJSON(j); err != nil {
				return err
			}
			continue
		}
		switch j.State {
		case "cancelled":
			fmt.Fprintf(a.Out, "The %s is cancelled.\n", jobWords(j))
		case "running":
			fmt.Fprintf(a.Out, "The %s is told to end, and has not ended yet.\n", jobWords(j))
		default:
			fmt.Fprintf(a.Out, "The %s was over before it could be cancelled: %s.\n", jobWords(j), j.State)
		}
	}
	return nil
}

// jobWords says what a job is: "draft of lantern".
func jobWords(j api.Job) string {
	if j.Subject == "" {
		return j.Kind
	}
	return j.Kind + " of " + j.Subject
}
