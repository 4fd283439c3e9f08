package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/dustin/go-humanize/english"
	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// stageCommands are about staging.
type stageCommands struct{ *App }

func (a stageCommands) stageCommand() *cli.Command {
	return &cli.Command{Name: "stage", Usage: "take in downloads: keep them, and find out what goes where", UsageText: "restless stage FILE|FOLDER|URL... [--for SERVER | --rulebook NAME]\n   restless stage --id ID... --for SERVER",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "for", Usage: "lay it out for this `SERVER`'s game"}, &cli.StringFlag{Name: "rulebook", Usage: "lay it out by this rulebook `NAME`"},
			&cli.StringFlag{Name: "source", Usage: "where it was downloaded (`TEXT`)"}, &cli.StringFlag{Name: "note", Usage: "a note of your own (`TEXT`)"},
			&cli.StringFlag{Name: "sha256", Usage: "what the file's SHA-256 has to be (`DIGEST`)"}, &cli.StringFlag{Name: "code-page", Usage: "the encoding of names in it that are not UTF-8, such as Shift_JIS (`NAME`)"},
			&cli.StringSliceFlag{Name: "id", Usage: "instead of a download: the `ID` by which a server's list holds the add-on"},
			&cli.BoolFlag{Name: "trusted", Usage: "it may unpack to far more than it is: you know it"},
			&cli.StringFlag{Name: "root", Usage: "the `FOLDER` in it that is the add-on, where several could be"}},
		Action: a.stage}
}

func (a stageCommands) stage(ctx context.Context, cmd *cli.Command) error {
	if cmd.String("for") != "" && cmd.String("rulebook") != "" {
		return wrongUsage("give one of --for and --rulebook")
	}
	if cmd.IsSet("id") {
		return a.stageIDs(ctx, cmd)
	}
	files, err := atLeast(cmd, 1, "one or more files, folders or addresses")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	var staged []api.Staged
	var nothing []string // of which no crate came
	for _, f := range files {
		st, err := a.stageOne(ctx, cmd, c, f)
		if err != nil {
			return err
		}
		made := crates(st)
		switch {
		case cmd.Bool("json"):
			made += laid(st.Lesson)
		case st.Lesson != nil:
			taught, err := a.learnFrom(ctx, c, cmd.String("for"), st)
			if err != nil {
				return err
			}
			made += taught
		default:
			a.printStaged(st)
		}
		staged = append(staged, st)
		if made == 0 {
			nothing = append(nothing, st.Archive.Filename)
		}
	}
	if cmd.Bool("json") {
		if err := a.printJSON(staged); err != nil {
			return err
		}
	}
	if len(nothing) > 0 {
		return cli.Exit("no crate was made of "+words.Few(nothing), ExitBlocked)
	}
	return nil
}

// learnFrom says what a server learnt from a download, and asks. It gives how many crates came
// of that.
func (a stageCommands) learnFrom(ctx context.Context, c *client.Client, server string, st api.Staged) (int, error) {
	if crates(st) > 0 {
		a.printStaged(st)
	} else {
		fmt.Fprintf(a.Out, "%s (%s, %s)\n", st.Archive.Filename, st.Archive.Format, words.Size(st.Archive.Size))
	}
	return a.lesson(ctx, c, server, *st.Lesson, false)
}

// laid counts the crates that came of a lesson.
func laid(l *api.Lesson) (n int) {
	if l == nil {
		return 0
	}
	for _, b := range l.Laid {
		n += len(b.Crates)
	}
	return n
}

// crates counts what came of an archive.
func crates(st api.Staged) (n int) {
	for _, b := range st.Rulebooks {
		n += len(b.Crates)
	}
	return n
}

// stageIDs keeps add-ons that have no download.
func (a stageCommands) stageIDs(ctx context.Context, cmd *cli.Command) error {
	if cmd.Args().Len() > 0 {
		return wrongUsage("give files or ids, not both at once")
	}
	if cmd.String("for") == "" && cmd.String("rulebook") == "" {
		return wrongUsage("say which game's ids these are: --for SERVER or --rulebook NAME")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	var kept []api.Crate
	for _, id := range cmd.StringSlice("id") {
		x, err := c.ListID(ctx, api.Listing{ID: id, For: cmd.String("for"), Rulebook: cmd.String("rulebook")})
		if err != nil {
			return err
		}
		kept = append(kept, x)
		if !cmd.Bool("json") {
			fmt.Fprintf(a.Out, "%s: %s\n", id, x.Why)
			a.printCrateLine(x)
		}
	}
	if cmd.Bool("json") {
		return a.printJSON(kept)
	}
	return nil
}

func (a stageCommands) stageOne(ctx context.Context, cmd *cli.Command, c *client.Client, file string) (api.Staged, error) {
	st := client.Staging{Filename: filepath.Base(filepath.Clean(file)), For: cmd.String("for"), Rulebook: cmd.String("rulebook"), Source: cmd.String("source"), Note: cmd.String("note"),
		SHA256: cmd.String("sha256"), CodePage: cmd.String("code-page"), Root: cmd.String("root"), Trusted: cmd.Bool("trusted")}
	if scheme, _, ok := strings.Cut(file, "://"); ok && !isAddress(file) {
		return api.Staged{}, wrongUsage("an address begins with https:// or http://, not with %s://", scheme)
	}
	if isAddress(file) {
		each, end := a.watch(cmd.Bool("json"))
		defer end()
		return c.Fetch(ctx, api.Fetch{URL: file, For: st.For, Rulebook: st.Rulebook, Note: st.Note, SHA256: st.SHA256, CodePage: st.CodePage, Root: st.Root, Trusted: st.Trusted}, each)
	}
	return a.send(ctx, a.Terminal && !cmd.Bool("json"), c, file, st)
}

// isAddress tells whether a word is the address of a file, and no file.
func isAddress(word string) bool {
	return strings.HasPrefix(word, "https://") || strings.HasPrefix(word, "http://")
}

// send stages a file or a folder; bar draws its progress.
func (a *App) send(ctx context.Context, bar bool, c *client.Client, file string, st client.Staging) (api.Staged, error) {
	info, err := os.Stat(file)
	if err != nil {
		return api.Staged{}, fmt.Errorf("stage: %w", err)
	}
	if info.IsDir() {
		return c.StageFolder(ctx, st, file, nil)
	}
	f, err := os.Open(file)
	if err != nil {
		return api.Staged{}, fmt.Errorf("stage: %w", err)
	}
	defer f.Close()
	var body io.Reader = f
	if bar {
		drawn := progressbar.NewOptions64(info.Size(), progressbar.OptionSetWriter(a.bars), progressbar.OptionSetDescription(st.Filename), progressbar.OptionShowBytes(true), progressbar.OptionClearOnFinish())
		body = io.TeeReader(f, drawn)
	}
	return c.Stage(ctx, st, body, info.Size(), nil)
}

func (a stageCommands) printStaged(st api.Staged) {
	fmt.Fprintf(a.Out, "%s (%s, %s)\n", st.Archive.Filename, st.Archive.Format, words.Size(st.Archive.Size))
	crates, same, asked, known := 0, true, false, false
	for _, b := range st.Rulebooks {
		same = same && !b.Fresh
		crates += len(b.Crates)
		var lists [][]api.Finding
		for _, c := range b.Crates {
			lists = append(lists, c.Findings)
		}
		folded := foldNotes(lists...)
		told := map[string]bool{} // what is of the archive stands at its only crate too
		for _, c := range b.Crates {
			a.printCrateLine(c)
			for _, f := range c.Findings {
				told[f.What] = true
				folded.print(a.Out, f, subject{crate: c.Ref})
			}
		}
		folded.rest(a.Out)
		if b.Pallet != "" {
			fmt.Fprintf(a.Out, "  pallet %s: these %d together; deploy takes its name\n", b.Pallet, len(b.Crates))
		}
		for _, f := range b.Findings {
			if !told[f.What] {
				printFinding(a.Out, f, subject{})
			}
			known = known || f.Code == "installer"
		}
		asked = asked || len(b.Choices) > 0
	}
	switch {
	case st.Back:
		fmt.Fprintln(a.Out, "  Its bytes had been let go when the stockroom was tidied; they are there again.")
	case st.Mended > 0:
		fmt.Fprintf(a.Out, "  The stockroom's copy was damaged (%s); it is whole again.\n", words.Count(st.Mended, "content"))
	case st.Reread:
		fmt.Fprintln(a.Out, "  The same bytes were staged before. With this code page the names in it are others; they count from now on.")
	case st.Renamed:
		fmt.Fprintf(a.Out, "  The same bytes were staged before as %s. This name tells the version, so it counts from now on.\n", st.Before)
	case st.Known && same && crates > 0 && st.Before != "":
		fmt.Fprintf(a.Out, "  The same bytes were staged before, as %s; nothing was changed.\n", st.Before)
	case st.Known && same && crates > 0:
		fmt.Fprintln(a.Out, "  The same bytes were staged before; nothing was changed.")
	case crates == 0 && asked:
		fmt.Fprintln(a.Out, "  The archive is kept, but no crate was made yet.")
	case crates == 0 && known:
		fmt.Fprintln(a.Out, "  The archive is kept; no crate is made of it.")
	case crates == 0:
		books := make([]string, len(st.Rulebooks))
		for i, b := range st.Rulebooks {
			books[i] = b.Rulebook
		}
		if slices.ContainsFunc(st.Archive.Findings, func(f api.Finding) bool { return f.Code == "empty-archive" }) {
			fmt.Fprintln(a.Out, "  The archive is empty: there is no file in it. Download it again, or ask its author.")
			break
		}
		fmt.Fprintf(a.Out, "  The archive is kept, but no crate was made: %s %s %s not recognise it.\n  Look at what kinds are recognised by, or stage it by another rulebook.\n    restless rulebook show %s\n",
			english.PluralWord(len(books), "rulebook", ""), english.WordSeries(books, "and"), english.PluralWord(len(books), "does", "do"), books[0])
	}
}
