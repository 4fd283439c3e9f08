package cli

import (
	"context"
	"fmt"
	"strconv"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// accessCommands are about who may sign in.
type accessCommands struct{ *App }

func (a accessCommands) tokenCommand() *cli.Command {
	return &cli.Command{Name: "token", Usage: "what signs clients in", Commands: []*cli.Command{
		{Name: "list", Usage: "list the tokens", Action: a.tokenList},
		{Name: "add", Usage: "make a token; it is shown this once", UsageText: "restless token add NAME", Action: a.tokenAdd},
		{Name: "end", Usage: "revoke tokens", UsageText: "restless token end ID...", Flags: []cli.Flag{yes()},
			Action: a.ending("token", (*client.Client).EndToken)},
	}}
}

func (a accessCommands) sessionCommand() *cli.Command {
	return &cli.Command{Name: "session", Usage: "browsers that are signed in", Commands: []*cli.Command{
		{Name: "list", Usage: "list the browsers that are signed in", Action: a.sessionList},
		{Name: "end", Usage: "sign browsers out", UsageText: "restless session end ID...", Flags: []cli.Flag{yes()},
			Action: a.ending("session", (*client.Client).EndSession)},
	}}
}

func (a accessCommands) tokenList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Tokens(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	var lines [][]string
	for _, t := range list {
		used := "never"
		if t.UsedAt != nil {
			used = clock(*t.UsedAt)
		}
		lines = append(lines, []string{strconv.FormatInt(t.ID, 10), t.Name, clock(t.MadeAt), used})
	}
	a.rows([]string{"id", "name", "made", "last used, to the hour"}, lines)
	return nil
}

func (a accessCommands) tokenAdd(ctx context.Context, cmd *cli.Command) error {
	if cmd.Args().Len() != 1 {
		return wrongUsage("token add takes one name: whose it is, or what for")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	t, err := c.MakeToken(ctx, cmd.Args().First())
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(t)
	}
	fmt.Fprintf(a.Out, "%s\n", t.Secret)
	fmt.Fprintf(a.Err, "Keep it: it is not shown again. A client takes it from RESTLESS_TOKEN; token end %d ends it.\n", t.ID)
	return nil
}

func (a accessCommands) sessionList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Sessions(ctx)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No browser is signed in. restless sign-in prints a link for one.")
		return nil
	}
	var lines [][]string
	for _, s := range list {
		lines = append(lines, []string{strconv.FormatInt(s.ID, 10), s.Actor, clock(s.SignedInAt), clock(s.ExpiresAt)})
	}
	a.rows([]string{"id", "who", "signed in", "ends, if not used"}, lines)
	return nil
}

// ending is the action that ends tokens or sessions by their ids.
func (a accessCommands) ending(what string, end func(*client.Client, context.Context, int64) error) cli.ActionFunc {
	return func(ctx context.Context, cmd *cli.Command) error {
		var ids []int64
		for _, word := range cmd.Args().Slice() {
			id, err := strconv.ParseInt(word, 10, 64)
			if err != nil {
				return wrongUsage("%q is no id; %s list shows them", word, what)
			}
			ids = append(ids, id)
		}
		if len(ids) == 0 {
			return wrongUsage("say which: %s list shows the ids", what)
		}
		c, err := a.client(cmd)
		if err != nil {
			return err
		}
		if err := a.confirm(cmd, fmt.Sprintf("End %s?", words.Count(len(ids), what))); err != nil {
			return err
		}
		for _, id := range ids {
			if err := end(c, ctx, id); err != nil {
				return err
			}
			fmt.Fprintf(a.Out, "%s %d is ended.\n", what, id)
		}
		return nil
	}
}
