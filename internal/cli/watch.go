package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/watch"
	"restlesscrate/internal/words"
)

// watchEvery is how often folders are looked into, and watchSettle for how long a file has to
// stand still before it is taken for whole.
const (
	watchEvery  = time.Second
	watchSettle = 3 * time.Second
)

func (a stageCommands) watchCommand() *cli.Command {
	return &cli.Command{Name: "watch", Usage: "stage what is downloaded into folders of this computer, as soon as it is whole; Ctrl-C ends it", UsageText: "restless watch FOLDER... [--for SERVER | --rulebook NAME]",
		Flags: []cli.Flag{&cli.StringFlag{Name: "for", Usage: "lay it out for this `SERVER`'s game"}, &cli.StringFlag{Name: "rulebook", Usage: "lay it out by this rulebook `NAME`"},
			&cli.StringSliceFlag{Name: "only", Usage: "only files with such names: a `GLOB`; archives and what the rulebooks know as single files if not given"},
			&cli.BoolFlag{Name: "all", Usage: "in a folder that is watched for the first time: stage what lies there already too"},
			&cli.BoolFlag{Name: "once", Usage: "stage what is there and whole, and end"}},
		Action: a.watchFolders}
}

func (a stageCommands) watchFolders(ctx context.Context, cmd *cli.Command) error {
	folders, err := atLeast(cmd, 1, "one or more folders")
	if err != nil {
		return err
	}
	if cmd.String("for") != "" && cmd.String("rulebook") != "" {
		return wrongUsage("give one of --for and --rulebook")
	}
	for i, f := range folders {
		if folders[i], err = filepath.Abs(f); err != nil {
			return err
		}
		if info, err := os.Stat(f); err != nil {
			return fmt.Errorf("watch: %w", err)
		} else if !info.IsDir() {
			return wrongUsage("%s is no folder", f)
		}
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	globs := cmd.StringSlice("only")
	for _, g := range globs {
		if _, err := path.Match(g, ""); err != nil {
			return wrongUsage("--only is a pattern such as *.zip, not %q", g)
		}
	}
	if len(globs) == 0 {
		if globs, err = a.taken(ctx, c, cmd.String("rulebook")); err != nil {
			return err
		}
	}
	data := cmd.String("data")
	if data == "" {
		data = DefaultData()
	}
	w := &watch.Watcher{Folders: folders, Settle: watchSettle, Now: time.Now, State: filepath.Join(data, "watched.json"), Takes: func(name string) bool {
		return slices.ContainsFunc(globs, func(g string) bool {
			ok, err := path.Match(strings.ToLower(g), strings.ToLower(name))
			return ok && err == nil
		})
	}}
	old, err := w.Open(cmd.Bool("all"))
	if err != nil {
		return err
	}
	if old > 0 {
		fmt.Fprintf(a.Out, "%s there already; that is left alone. --all stages it too, in a folder that is watched for the first time.\n", lie(old))
	}
	if !cmd.Bool("once") {
		fmt.Fprintf(a.Out, "Watching %s for %s. Ctrl-C ends it.\n", strings.Join(folders, ", "), strings.Join(globs, ", "))
	}
	return a.watching(ctx, cmd, c, w)
}

func lie(n int) string {
	if n == 1 {
		return "1 such file lies"
	}
	return fmt.Sprintf("%d such files lie", n)
}

// taken are the names of files that staging makes something of.
func (a stageCommands) taken(ctx context.Context, c *client.Client, book string) ([]string, error) {
	all, err := c.Rulebooks(ctx)
	if err != nil {
		return nil, err
	}
	globs := slices.Clone(watch.Packed)
	for _, b := range all {
		if book != "" && b.Name != book {
			continue
		}
		whole, err := c.Rulebook(ctx, b.Name, 0)
		if err != nil {
			return nil, err
		}
		for _, k := range whole.Kinds {
			for _, g := range k.Files {
				if !slices.Contains(globs, g) {
					globs = append(globs, g)
				}
			}
		}
	}
	return globs, nil
}

// watching stages what comes until somebody ends it.
func (a stageCommands) watching(ctx context.Context, cmd *cli.Command, c *client.Client, w *watch.Watcher) error {
	trouble := "" // that was told last
	tell := func(err error) {
		if said := err.Error(); said != trouble {
			trouble = said
			fmt.Fprintf(a.Err, "%s  %v; trying again\n", a.clock(), err)
		}
	}
	for {
		whole, err := w.Look()
		if err != nil {
			tell(err)
		}
		failed := false
		for _, file := range whole {
			st, err := a.send(ctx, false, c, file, client.Staging{Filename: filepath.Base(file), For: cmd.String("for"), Rulebook: cmd.String("rulebook")})
			var refused *api.Problem
			no := errors.As(err, &refused) && ofTheFile(refused) // it was looked at, and the service says no
			if err != nil && ctx.Err() != nil {
				return nil
			}
			if err != nil && !no {
				failed = true
				tell(fmt.Errorf("%s: %w", filepath.Base(file), err))
				continue
			}
			trouble = ""
			// It is noted before it is told: whoever ends this on reading so does not meet it again.
			if err := w.Did(file); err != nil {
				return err
			}
			if no {
				fmt.Fprintf(a.Out, "%s  %s  not staged: %s\n", a.clock(), filepath.Base(file), strings.TrimPrefix(refused.Detail, filepath.Base(file)+": "))
			} else if err := a.tellStaged(ctx, cmd, c, file, st); err != nil && ctx.Err() == nil {
				fmt.Fprintf(a.Err, "%s  %s is staged, but not all of it could be told: %v\n", a.clock(), filepath.Base(file), err)
			}
		}
		if cmd.Bool("once") && !w.Waiting() && !failed {
			return nil
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(watchEvery):
		}
	}
}

// ofTheFile tells whether a refusal is about a download, and not about who sends it, or when.
func ofTheFile(p *api.Problem) bool {
	return !slices.Contains([]int{http.StatusInternalServerError, http.StatusServiceUnavailable, http.StatusUnauthorized, http.StatusForbidden, http.StatusNotFound, http.StatusTooManyRequests}, p.Status)
}

func (a stageCommands) clock() string { return time.Now().Format("15:04:05") }

// tellStaged says in a line or two what came of a download.
func (a stageCommands) tellStaged(ctx context.Context, cmd *cli.Command, c *client.Client, file string, st api.Staged) error {
	if cmd.Bool("json") {
		return a.printJSON(st)
	}
	made, fresh := []api.Crate{}, false
	for _, b := range st.Rulebooks {
		made, fresh = append(made, b.Crates...), fresh || b.Fresh
	}
	what := "no crate came of it; restless stage " + quoted(file) + " says why"
	switch {
	case len(made) == 0:
	case st.Known && !fresh:
		what = "the same bytes were staged before"
	default:
		what = words.Few(labels(made))
	}
	fmt.Fprintf(a.Out, "%s  %s  %s\n", a.clock(), filepath.Base(file), what)
	if len(made) == 0 {
		return nil
	}
	return a.tellUpdates(ctx, c, made)
}

func labels(all []api.Crate) (out []string) {
	for _, c := range all {
		out = append(out, c.Label)
	}
	return out
}

// tellUpdates says which servers have an older version of what came.
func (a stageCommands) tellUpdates(ctx context.Context, c *client.Client, made []api.Crate) error {
	servers, err := c.Servers(ctx)
	if err != nil {
		return err
	}
	for _, s := range servers {
		mine := slices.DeleteFunc(slices.Clone(made), func(x api.Crate) bool { return x.Rulebook != s.Rulebook })
		if len(mine) == 0 {
			continue
		}
		st, err := c.Status(ctx, s.Name)
		if err != nil {
			return err
		}
		for _, on := range st.Addons {
			for _, x := range mine {
				switch {
				case on.Name != x.Name:
				case on.Newer == x.Version:
					fmt.Fprintf(a.Out, "          %s has %s: restless update %s %s\n", s.Name, on.Version, s.Name, quoted(on.Name))
				case on.NewerUnfit != nil && on.NewerUnfit.Version == x.Version:
					fmt.Fprintf(a.Out, "          %s has %s, and %s does not fit there: %s\n", s.Name, on.Version, x.Version, on.NewerUnfit.Why)
				}
			}
		}
	}
	return nil
}
