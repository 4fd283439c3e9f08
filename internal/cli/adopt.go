package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func (a surveyCommands) adoptCommand() *cli.Command {
	return &cli.Command{Name: "adopt", Usage: "find the add-ons that lie on a server and were not deployed, and have the ledger take them in; nothing is done to them", UsageText: "restless adopt SERVER             shows what was found\nrestless adopt SERVER PATH...     takes these in\nrestless adopt SERVER --all       takes in all that can be",
		Flags: append([]cli.Flag{&cli.BoolFlag{Name: "all", Usage: "take in all that is there once and where the server finds it"}}, runFlags()...), Action: a.adopt}
}

func (a surveyCommands) adopt(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 1, "a server, and perhaps paths of add-ons to take in")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	paths := args[1:]
	for i := range paths {
		paths[i] = strings.TrimSuffix(paths[i], "/")
	}
	if len(paths) == 0 {
		each, end := a.watch(cmd.Bool("json"))
		found, err := c.Adoptable(ctx, args[0], each)
		end()
		if err != nil {
			return err
		}
		for _, f := range found.Found {
			if adoptable(f) {
				paths = append(paths, f.Path)
			}
		}
		switch {
		case !cmd.Bool("all") && cmd.Bool("json"):
			return a.printJSON(found)
		case !cmd.Bool("all"):
			a.printAdoptable(args[0], found, paths)
			return nil
		case len(paths) == 0:
			return fmt.Errorf("there is nothing on %s that could be taken in", args[0])
		}
	}
	return deployCommands(a).draftAndRun(ctx, cmd, args[0], api.NewDraft{Adopt: paths})
}

// adoptable tells whether something can be taken in without a person's choice.
func adoptable(f api.AddonFound) bool {
	return f.Deep == "" && len(f.Beside) == 0 && f.From != "its name alone"
}

func (a surveyCommands) printAdoptable(server string, l api.Adoptable, all []string) {
	if len(l.Found)+len(l.Strays) == 0 {
		fmt.Fprintf(a.Out, "Nothing lies on %s that looks like an add-on and was not deployed.\n", server)
		a.printNowhere(server, l)
		return
	}
	var lines [][]string
	for _, f := range l.Found {
		lines = append(lines, []string{f.Name, f.Version, f.Kind, fmt.Sprintf("%s, %s", words.Count(f.Files, "file"), words.Size(f.Bytes)), f.Path, standing(f)})
	}
	if len(lines) > 0 {
		a.rows([]string{"add-on", "version", "kind", "", "where", "to know"}, lines)
	}
	for _, f := range l.Found {
		said := remarks(f)
		if len(said) == 0 {
			continue
		}
		fmt.Fprintf(a.Out, "\n  %s %s, %s\n", f.Name, f.Version, f.Path)
		for _, s := range said {
			fmt.Fprintf(a.Out, "    %s\n", s)
		}
	}
	if len(l.Strays) > 0 {
		fmt.Fprintf(a.Out, "\nBelongs to nothing that was found: %s\n", strings.Join(few(l.Strays, 12), ", "))
	}
	a.printNowhere(server, l)
	fmt.Fprintln(a.Out)
	switch {
	case len(all) == 0:
		fmt.Fprintln(a.Out, "None of these can be taken in as it is.")
	case len(all) == len(l.Found):
		fmt.Fprintf(a.Out, "  restless adopt %s --all    has the ledger take them in; nothing is done to them\n", server)
	default:
		fmt.Fprintf(a.Out, "  restless adopt %s --all    has the ledger take in %s; nothing is done to them\n", server, words.Count(len(all), "add-on"))
		fmt.Fprintf(a.Out, "  restless adopt %s %s    takes one in\n", server, quoted(all[0]))
	}
}

func (a surveyCommands) printNowhere(server string, l api.Adoptable) {
	if len(l.Nowhere) > 0 {
		fmt.Fprintln(a.Out)
	}
	for _, f := range l.Nowhere {
		printFinding(a.Out, f, subject{server: server})
	}
}

// standing is what there is to know of an add-on, in a few words.
func standing(f api.AddonFound) string {
	var said []string
	switch {
	case f.Deep != "":
		said = append(said, "a folder too deep")
	case f.Loaded:
		said = append(said, "loaded")
	case f.Listed != "":
		said = append(said, "named in "+f.Listed)
	}
	if f.Copies > 1 {
		said = append(said, fmt.Sprintf("there %d times", f.Copies))
	}
	switch {
	case f.Crate != "" && len(f.Missing)+len(f.Differs) == 0:
		said = append(said, "as staged")
	case f.Crate != "":
		said = append(said, fmt.Sprintf("staged; %d missing, %d different", len(f.Missing), len(f.Differs)))
	}
	return strings.Join(said, ", ")
}

// remarks are what a person has to decide or to know of an add-on, a line each.
func remarks(f api.AddonFound) (out []string) {
	if f.Deep != "" {
		out = append(out, fmt.Sprintf("Its marker is %s, a folder too deep: the server does not find it there. Move it up, or deploy it and take this one off the server.", f.Deep))
	}
	if len(f.Beside) > 0 {
		out = append(out, others(f))
	}
	if len(f.Missing) > 0 {
		out = append(out, fmt.Sprintf("%s brings what is not there: %s", f.Crate, strings.Join(few(f.Missing, 5), ", ")))
	}
	if len(f.Differs) > 0 {
		out = append(out, fmt.Sprintf("Of another length than %s brings: %s", f.Crate, strings.Join(few(f.Differs, 5), ", ")))
	}
	if f.From == "its name alone" {
		out = append(out, "The rulebook makes no add-on of it, so it cannot be taken in; only its name looks like one.")
	}
	return out
}

// others says where else an add-on lies, and what to do about it.
func others(f api.AddonFound) string {
	at := f.Beside[:min(5, len(f.Beside))]
	where, them := strings.Join(at, " and "), "the other"
	if f.Copies > 2 {
		them = "the others"
	}
	if more := f.Copies - 1 - len(at); more > 0 {
		where = fmt.Sprintf("%s and at %d more paths", strings.Join(at, ", "), more)
	}
	return fmt.Sprintf("The same add-on lies at %s too. Take one of them in, and take %s off the server: settle remove=PATH.", where, them)
}

// few are the first of many, and how many more there are.
func few(all []string, n int) []string {
	if len(all) <= n {
		return all
	}
	return append(slices.Clone(all[:n]), fmt.Sprintf("and %d more", len(all)-n))
}
