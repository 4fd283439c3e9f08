package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// rungs are how far an add-on can have come, in their order.
var rungs = []string{"placed", "listed", "loaded", "confirmed"}

// palletRows shows each pallet of which add-ons are on a server in one row: as far as all of
// them have come.
func palletRows(st api.Status) (lines [][]string) {
	for _, p := range st.Pallets {
		files, least, by, since := 0, len(rungs)-1, "", ""
		for _, x := range st.Addons {
			if x.Pallet != p.Label {
				continue
			}
			files += x.Files
			least = min(least, max(0, slices.Index(rungs, x.Rung)))
			if at := clock(x.Since); at > since {
				by, since = x.Deployment, at
			}
		}
		know := fmt.Sprintf("%d of its %s", p.Of-len(p.Missing), words.Count(p.Of, "add-on"))
		if len(p.Missing) > 0 {
			know += "; not there: " + words.Few(p.Missing)
		}
		name, version, _ := strings.Cut(p.Label, "@")
		if i := strings.LastIndexByte(p.Label, '@'); i > 0 {
			name, version = p.Label[:i], p.Label[i+1:]
		}
		lines = append(lines, []string{"  " + name, version, "pallet", rungs[least], fmt.Sprint(files), by, since, know})
	}
	return lines
}

// palletsIn gives a row for each pallet, and the crates of a list that stand in it with their
// pallet: unless they are asked for one by one.
func (a crateCommands) palletsIn(ctx context.Context, cmd *cli.Command, c *client.Client, list []api.Crate) (lines [][]string, folded map[string]bool, err error) {
	folded = map[string]bool{}
	if cmd.Bool("members") || cmd.String("addon") != "" {
		return nil, folded, nil
	}
	pallets, err := c.Pallets(ctx, cmd.String("rulebook"))
	if err != nil {
		return nil, nil, err
	}
	by := map[string]api.Crate{}
	for _, x := range list {
		by[x.Rulebook+" "+x.Label] = x
	}
	for _, p := range pallets {
		var size int64
		var on []string
		for _, label := range p.Crates {
			key := p.Rulebook + " " + label
			folded[key] = true
			size += by[key].Size
			for _, server := range strings.Fields(strings.ReplaceAll(heldBy(by[key]), ",", " ")) {
				if !slices.Contains(on, server) {
					on = append(on, server)
				}
			}
		}
		slices.Sort(on)
		lines = append(lines, []string{p.Label, p.Rulebook, "pallet", words.Count(len(p.Crates), "crate"), words.Size(size), strings.Join(on, ", "), clock(p.StagedAt), words.Few(p.Crates)})
	}
	return lines, folded, nil
}

func (a crateCommands) palletCommand() *cli.Command {
	book := &cli.StringFlag{Name: "rulebook", Usage: "of this rulebook `NAME` only"}
	return &cli.Command{Name: "pallet", Usage: "packs whose add-ons came together", Commands: []*cli.Command{
		{Name: "list", Usage: "list the pallets, the newest first", Flags: []cli.Flag{book}, Action: a.palletList},
		{Name: "rename", Usage: "give a pallet another name, and its later versions too", UsageText: "restless pallet rename NAME NEW-NAME", Flags: []cli.Flag{book}, Action: a.palletRename},
	}}
}

func (a crateCommands) palletList(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Pallets(ctx, cmd.String("rulebook"))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "No pallets. A download that holds several add-ons makes one.")
		return nil
	}
	var lines [][]string
	for _, p := range list {
		lines = append(lines, []string{p.Label, p.Rulebook, words.Count(len(p.Crates), "crate"), clock(p.StagedAt), words.Few(p.Crates)})
	}
	a.rows([]string{"pallet", "rulebook", "holds", "staged", "which are"}, lines)
	return nil
}

func (a crateCommands) palletRename(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a pallet and its new name")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	if err := c.RenamePallet(ctx, args[0], cmd.String("rulebook"), args[1]); err != nil {
		return err
	}
	fmt.Fprintf(a.Out, "%s is called %s now, and so are its later versions.\n", args[0], args[1])
	return nil
}
