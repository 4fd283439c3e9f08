package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// textCommands are about the settings texts of servers.
type textCommands struct{ deployCommands }

func (a textCommands) textCommand() *cli.Command {
	return &cli.Command{Name: "text", Usage: "the settings texts of a server, one of them, or one value", UsageText: "restless text SERVER [PATH [VALUE-PATH]]   PATH may be PACKED!/INNER\n   restless text fetch SERVER PATH [FILE]\n   restless text put SERVER PATH FILE\n   restless text secret SERVER PATH VALUE-PATH",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "all", Usage: "every text of the tree"}, &cli.BoolFlag{Name: "reveal", Usage: "show secrets as they are"}},
		Commands: []*cli.Command{
			{Name: "fetch", Usage: "fetch a text to edit it in a program of your own", UsageText: "restless text fetch SERVER PATH [FILE]", Action: a.fetch},
			{Name: "put", Usage: "bring an edited text back: what has become of the server's meanwhile is merged with it", UsageText: "restless text put SERVER PATH FILE [--draft] [--yes]", Flags: append([]cli.Flag{&cli.StringFlag{Name: "note", Usage: "why, in `WORDS`"}, keepFlag()}, runFlags()...), Action: a.put},
			{Name: "secret", Usage: "have a value be masked wherever its text is shown", UsageText: "restless text secret SERVER PATH VALUE-PATH [--off]", Flags: []cli.Flag{&cli.BoolFlag{Name: "off", Usage: "take back a mark that was set by hand"}}, Action: a.secret},
		},
		Action: a.text}
}

func (a textCommands) secret(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 3, "a server, the path of a text and the path of a value")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	if err := c.MarkSecret(ctx, args[0], api.SecretMark{Path: args[1], At: args[2], Off: cmd.Bool("off")}); err != nil {
		return err
	}
	if cmd.Bool("off") {
		fmt.Fprintf(a.Out, "%s of %s is shown again.\n", args[2], args[1])
		return nil
	}
	fmt.Fprintf(a.Out, "%s of %s is a secret now: masked in texts, lists and history, and in drafts from now on.\nTitles and differences of earlier deployments may still show it.\n", args[2], args[1])
	return nil
}

func (a textCommands) text(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 1, "a server, and perhaps the path of a text and of a value")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	if len(args) == 1 {
		list, err := c.Texts(ctx, args[0], cmd.Bool("all"))
		if err != nil {
			return err
		}
		if cmd.Bool("json") {
			return a.printJSON(list)
		}
		a.printTexts(args[0], list)
		return nil
	}
	t, err := c.Text(ctx, args[0], args[1], cmd.Bool("reveal"))
	if err != nil {
		return err
	}
	if len(args) > 2 {
		if err := a.value(cmd, args[0], t, args[2]); err != nil || cmd.Bool("json") {
			return err
		}
		if err := a.valueHistory(ctx, c, args[0], t.Path, args[2]); err != nil {
			return err
		}
		return a.elsewhere(ctx, c, args[0], t, args[2])
	}
	if cmd.Bool("json") {
		return a.printJSON(t)
	}
	a.printText(t)
	return nil
}

func (a textCommands) printTexts(server string, list []api.Text) {
	if len(list) == 0 {
		fmt.Fprintf(a.Out, "Nothing calls a text of %s settings. restless text %s --all lists every text.\n", server, server)
		return
	}
	var lines [][]string
	for _, t := range list {
		owner := strings.Join(t.Owners, ", ")
		if owner == "" {
			owner = "the server's own"
			if t.Made != "" {
				owner = "came with the start of " + t.Made
			}
		}
		var know []string
		if t.Changed {
			know = append(know, "changed outside")
		}
		if n := len(t.Tweaks); n > 0 {
			know = append(know, words.Count(n, "tweak"))
		}
		if n := len(t.Findings); n > 0 {
			know = append(know, words.Count(n, "finding"))
		}
		when := ""
		if t.Modified != nil {
			when = clock(*t.Modified)
		}
		lines = append(lines, []string{t.Path, t.Format, words.Size(t.Size), when, owner, strings.Join(know, ", ")})
	}
	a.rows([]string{"text", "format", "size", "changed at", "from", ""}, lines)
	for _, t := range list {
		a.printLint(t.Findings, server)
	}
}

func (a textCommands) printText(t api.TextShown) {
	head := fmt.Sprintf("%s  %s, %s, %s", t.Path, t.Format, t.Encoding, words.Size(t.Size))
	if t.Ends != "lf" {
		head += map[string]string{"crlf": ", line ends of Windows", "mixed": ", mixed line ends"}[t.Ends]
	}
	if len(t.Owners) > 0 {
		head += ", from " + strings.Join(t.Owners, ", ")
	}
	if t.Made != "" && len(t.Owners) == 0 {
		head += ", came with the start of " + t.Made
	}
	if t.Changed {
		head += ", changed outside"
	}
	fmt.Fprintln(a.Out, head)
	for i, line := range strings.Split(strings.TrimRight(t.Body, "\r\n"), "\n") {
		fmt.Fprintf(a.Out, "%5d  %s\n", i+1, strings.TrimRight(line, "\r"))
	}
	if t.Masked > 0 {
		fmt.Fprintf(a.Out, "%s masked; --reveal shows it.\n", words.Count(t.Masked, "value"))
	}
	for _, k := range t.Tweaks {
		fmt.Fprintf(a.Out, "  %s %s%s\n", k.ID, k.Does, offWords(k))
	}
	a.printLint(t.Findings, "")
}

func offWords(k api.TweakOn) string {
	if k.Off {
		return ", once " + k.If + " is there"
	}
	return ""
}

// value shows one value of a text, with what stands beside it.
func (a textCommands) value(cmd *cli.Command, server string, t api.TextShown, path string) error {
	var near []string
	found := 0
	for _, v := range t.Values {
		if v.Path != path && "/"+strings.TrimPrefix(path, "/") != v.Path && !strings.HasPrefix(v.Path, strings.TrimSuffix(path, "/")+"/") {
			near = append(near, v.Path)
			continue
		}
		found++
		if cmd.Bool("json") {
			if err := a.printJSON(v); err != nil {
				return err
			}
			continue
		}
		fmt.Fprintf(a.Out, "%s  %s, line %d\n", v.Path, or(v.Type, v.Kind), v.Line)
		if v.Value != "" || v.Kind == "value" {
			fmt.Fprintf(a.Out, "  %s\n", v.Value)
		}
		for line := range strings.Lines(v.Comment) {
			fmt.Fprintf(a.Out, "  beside it: %s\n", strings.TrimSpace(line))
		}
		if len(v.Choices) > 0 {
			fmt.Fprintf(a.Out, "  one of: %s\n", strings.Join(v.Choices, ", "))
		}
		if v.Doubled > 1 && !v.Counts {
			fmt.Fprintf(a.Out, "  its name stands %s here; most readers take another one\n", words.Count(v.Doubled, "time"))
		}
	}
	if found > 0 {
		return nil
	}
	mend := fmt.Sprintf("restless text %s %s shows it", server, t.Path)
	if n := words.Nearest(path, near); n != "" {
		mend = "there is " + n + "; is that meant?"
	}
	return fmt.Errorf("%s has no value at %s\n  %s", t.Path, path, mend)
}

func or(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// valueHistory writes what was changed of a value: when, by whom, what.
func (a textCommands) valueHistory(ctx context.Context, c *client.Client, server, path, at string) error {
	outer, _, _ := strings.Cut(path, "!/")
	events, err := c.History(ctx, server, outer, "")
	if err != nil {
		return nil //nolint:nilerr // nothing of it was ever changed here
	}
	at = "/" + strings.TrimPrefix(at, "/")
	for _, e := range events {
		for _, did := range e.Did {
			if strings.Contains(did+" ", " "+at+" ") || strings.Contains(did, " "+at+":") {
				fmt.Fprintf(a.Out, "  %s  %s, %s: %s\n", clock(e.At), e.Deployment, e.Actor, did)
			}
		}
	}
	return nil
}

// elsewhere writes where else a value stands; nothing of a group of values.
func (a textCommands) elsewhere(ctx context.Context, c *client.Client, server string, t api.TextShown, at string) error {
	at = "/" + strings.TrimPrefix(at, "/")
	i := slices.IndexFunc(t.Values, func(v api.TextValue) bool { return v.Path == at && v.Kind == "value" })
	if i < 0 {
		return nil
	}
	e, err := c.Elsewhere(ctx, server, t.Path, at)
	if err != nil || e.Common {
		return err
	}
	for n, p := range e.Places {
		if n == mostLines {
			fmt.Fprintf(a.Out, "  and in %s more\n", words.Count(len(e.Places)-mostLines, "place"))
			break
		}
		fmt.Fprintf(a.Out, "  also in %s, line %d: %s\n", p.Path, p.Line, p.Text)
	}
	if len(e.Places) == 0 {
		fmt.Fprintf(a.Out, "  nowhere else in the server's settings (%s searched); restless find searches every text\n", words.Count(e.Texts, "text"))
	}
	return nil
}

// meantPath asks after the path that a person may have meant.
func meantPath(path string, all []string) string {
	if n := words.Nearest(path, all); n != "" {
		return "\n  there is " + n + "; is that meant?"
	}
	return ""
}

// base is the file beside a fetched text that keeps what it was.
func base(file string) string { return file + ".as-fetched" }

func (a textCommands) fetch(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a server and the path of a text")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	file := filepath.Base(args[1])
	if len(args) > 2 {
		file = args[2]
	}
	for _, f := range []string{file, base(file)} {
		if _, err := os.Stat(f); err == nil {
			return fmt.Errorf("%s is there already; give another file name", f)
		}
	}
	t, err := c.Text(ctx, args[0], args[1], true)
	if err != nil {
		return err
	}
	for _, f := range []string{file, base(file)} {
		if err := os.WriteFile(f, t.Raw, 0o600); err != nil {
			return err
		}
	}
	fmt.Fprintf(a.Out, "%s is in %s; %s keeps what it was, so leave that as it is.\n  restless text put %s %s %s brings it back once it is edited.\n", args[1], file, base(file), args[0], args[1], file)
	return nil
}

func (a textCommands) put(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 3, "a server, the path of a text and the edited file")
	if err != nil {
		return err
	}
	now, err := os.ReadFile(args[2])
	if err != nil {
		return err
	}
	was, err := os.ReadFile(base(args[2]))
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s is not beside the edited file, so it is not known what the editing began with\n  restless text fetch %s %s fetches the text anew", base(args[2]), args[0], args[1])
	}
	if err != nil {
		return err
	}
	keep, err := keeps(cmd)
	if err != nil {
		return err
	}
	return a.draftAndRun(ctx, cmd, args[0], api.NewDraft{Texts: []api.EditedText{{Path: args[1], Was: was, Now: now, Note: cmd.String("note")}}, Keep: keep})
}
