package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// correctionCommands are about corrections of how a crate is laid out.
type correctionCommands struct{ *App }

func (a correctionCommands) cratePlace(ctx context.Context, cmd *cli.Command) error {
	args := cmd.Args().Slice()
	if len(args) != 2 {
		return wrongUsage("give a crate, written name@version, and a glob of its files")
	}
	place, out := cmd.String("in"), cmd.Bool("leave-out")
	if (place == "") != out {
		return wrongUsage("give one of --in PLACE and --leave-out")
	}
	return a.correct(ctx, cmd, func(c *client.Client) ([]api.Crate, error) {
		return c.PlaceFiles(ctx, args[0], cmd.String("rulebook"), api.Placing{Glob: args[1], Place: place, As: cmd.String("as")})
	})
}

func (a correctionCommands) crateSet(ctx context.Context, cmd *cli.Command) error {
	ref, err := onlyArg(cmd, "crate, written name@version")
	if err != nil {
		return err
	}
	return a.correct(ctx, cmd, func(c *client.Client) ([]api.Crate, error) {
		return c.SetCrate(ctx, ref, cmd.String("rulebook"), api.Naming{Name: cmd.String("name"), Version: cmd.String("version"), Base: cmd.String("base"), Apart: cmd.Bool("apart")})
	})
}

// crateUnset takes corrections of a crate back, or shows what is in force.
func (a correctionCommands) crateUnset(ctx context.Context, cmd *cli.Command) error {
	if cmd.Args().Len() == 0 {
		return a.inForce(ctx, cmd)
	}
	ref, err := onlyArg(cmd, "crate, written name@version")
	if err != nil {
		return err
	}
	return a.correct(ctx, cmd, func(c *client.Client) ([]api.Crate, error) {
		return c.UnsetCrate(ctx, ref, cmd.String("rulebook"), api.Unsetting{Name: cmd.Bool("name"), Version: cmd.Bool("version"), Base: cmd.Bool("base"), Apart: cmd.Bool("apart"), Files: cmd.Bool("files"), Root: cmd.Bool("root")})
	})
}

func (a correctionCommands) inForce(ctx context.Context, cmd *cli.Command) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	list, err := c.Corrections(ctx, cmd.String("rulebook"))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out, "Nothing was corrected.")
		return nil
	}
	var lines [][]string
	for _, x := range list {
		for i, said := range x.Says {
			row := []string{"", "", said, ""}
			if i == 0 {
				row = []string{x.Addon, x.Rulebook, said, x.From}
			}
			lines = append(lines, row)
		}
	}
	a.rows([]string{"add-on", "rulebook", "you said", "for"}, lines)
	return nil
}

func (a correctionCommands) crateJoin(ctx context.Context, cmd *cli.Command) error {
	args := cmd.Args().Slice()
	if len(args) != 2 {
		return wrongUsage("give two crates, written name@version; the first gives name and version")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	x, err := c.JoinCrates(ctx, args[0], args[1], cmd.String("rulebook"))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(x)
	}
	fmt.Fprintf(a.Out, "Joined from %s:\n", from(x))
	a.printCrateLine(x)
	return nil
}

func (a correctionCommands) crateCompare(ctx context.Context, cmd *cli.Command) error {
	args := cmd.Args().Slice()
	if len(args) != 2 {
		return wrongUsage("give two crates, written name@version, the older one first")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	diff, err := c.CompareCrates(ctx, args[0], args[1], cmd.String("rulebook"))
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(diff)
	}
	fmt.Fprintf(a.Out, "from %s to %s: %s the same\n", diff.Old, diff.New, words.Count(diff.Same, "file"))
	var lines [][]string
	for _, d := range diff.Files {
		was := ""
		if d.Kind == "moved" {
			was = "from " + d.FromPlace + ": " + d.From
		}
		lines = append(lines, []string{"  " + d.Kind, d.Place + ": " + d.Path, was, words.Size(d.Size)})
	}
	a.rows(nil, lines)
	return nil
}

// correct sends a correction and shows what the crate became.
func (a correctionCommands) correct(ctx context.Context, cmd *cli.Command, send func(*client.Client) ([]api.Crate, error)) error {
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	now, err := send(c)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(now)
	}
	kept := "Kept for later versions too. "
	if cmd.IsSet("version") {
		kept = "The version is kept for this archive alone. "
	}
	if cmd.Name == "unset" {
		kept = "Taken back, for later versions too. "
	}
	fmt.Fprintln(a.Out, kept+"It was laid out again:")
	for _, x := range now {
		a.printCrateLine(x)
		for _, said := range x.Corrected {
			fmt.Fprintf(a.Out, "        %s\n", said)
		}
		for _, f := range x.Findings {
			printFinding(a.Out, f, subject{crate: x.Ref})
		}
	}
	return nil
}

// printCrateLine sums a crate up, with what it says of itself.
func (a *App) printCrateLine(x api.Crate) {
	fmt.Fprintf(a.Out, "  crate %s  %s of %s: %s placed, %d left out\n", x.Label, x.Kind, x.Rulebook, words.Count(x.FileCount, "file"), x.LeftCount)
	a.printFits("        ", x)
}

// printFits says which servers a crate fits, and why not others. Where it tells nothing, nothing
// is said.
func (a *App) printFits(indent string, x api.Crate) {
	if len(x.Facts) == 0 {
		return
	}
	var fits []string
	why := map[string][]string{} // servers, by why it does not fit or is not known to
	var order []string
	for _, f := range x.Fits {
		var says string
		switch f.State {
		case "fits":
			fits = append(fits, f.Server)
			continue
		case "unknown":
			says = "not known to fit %s: " + f.Why
		default:
			says = "does not fit %s: " + f.Why
		}
		if f.Why == "it does not tell what it is for" {
			continue
		}
		if why[says] == nil {
			order = append(order, says)
		}
		why[says] = append(why[says], f.Server)
	}
	if len(fits) > 0 {
		fmt.Fprintf(a.Out, "%sfits %s\n", indent, strings.Join(fits, ", "))
	}
	for _, says := range order {
		fmt.Fprintf(a.Out, "%s%s\n", indent, strings.Replace(says, "%s", strings.Join(why[says], ", "), 1))
	}
}

// printTold says where a crate's name and version were read and what its
// manifests tell.
func (a *App) printTold(x api.Crate) {
	if x.NameFrom != "" {
		fmt.Fprintf(a.Out, "name from %s", x.NameFrom)
		if x.VerFrom != "" {
			fmt.Fprintf(a.Out, ", version from %s", x.VerFrom)
		}
		fmt.Fprintln(a.Out)
	}
	for _, f := range x.Facts {
		fmt.Fprintf(a.Out, "%s %s (%s)\n", f.Kind, join(f.Name, f.Range), f.From)
	}
	for _, said := range x.Corrected {
		fmt.Fprintln(a.Out, said)
	}
	for _, s := range x.Says {
		fmt.Fprintf(a.Out, "the author says: %s (%s line %d)\n", s.Text, s.Source, s.Line)
	}
	fmt.Fprintln(a.Out)
}

func join(a, b string) string {
	if a == "" || b == "" {
		return a + b
	}
	return a + " " + b
}

// reasonOf gives a file's reason with the rule's line, if a rule says it.
func reasonOf(f api.CrateFile) string {
	if f.Line == 0 {
		return f.Reason
	}
	return fmt.Sprintf("%s (line %d)", f.Reason, f.Line)
}
