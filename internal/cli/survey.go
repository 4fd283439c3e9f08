package cli

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

// surveyCommands are about what is on servers besides what was deployed, and what was changed there.
type surveyCommands struct{ *App }

func (a surveyCommands) surveyCommand() *cli.Command {
	return &cli.Command{Name: "survey", Usage: "compare a server's tree with what was deployed: what changed, what is missing, what nobody deployed", UsageText: "restless survey SERVER [--thorough] [--last]",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "thorough", Usage: "read every file that was deployed, whatever its time says"},
			&cli.BoolFlag{Name: "last", Usage: "show what the last survey found, and do not look"},
			&cli.StringFlag{Name: "every", Usage: "have it surveyed by itself this often (`AGE`: 24h, 7d), and after deployments that start it; never for no more"},
			&cli.BoolFlag{Name: "ignored", Usage: "list what is ignored"},
			&cli.StringFlag{Name: "unignore", Usage: "ignore this `PATTERN` no more"}}, Action: a.survey}
}

func (a surveyCommands) survey(ctx context.Context, cmd *cli.Command) error {
	server, c, err := a.about(cmd, "server")
	if err != nil {
		return err
	}
	switch {
	case cmd.String("unignore") != "":
		return c.Unignore(ctx, server, cmd.String("unignore"))
	case cmd.String("every") != "":
		every, err := parseEvery(cmd)
		if err != nil {
			return err
		}
		r, err := c.SetRhythm(ctx, server, api.SetRhythm{SurveyEvery: &every})
		if err == nil && !cmd.Bool("json") {
			fmt.Fprintf(a.Out, "%s.\n", rhythmWords(server, r))
		}
		return err
	case cmd.Bool("ignored"):
		return a.ignored(ctx, cmd, c, server)
	}
	var found api.Survey
	if cmd.Bool("last") {
		found, err = c.LastSurvey(ctx, server)
	} else {
		each, end := a.watch(cmd.Bool("json"))
		found, err = c.Survey(ctx, server, api.DoSurvey{Thorough: cmd.Bool("thorough")}, each)
		end()
	}
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(found)
	}
	a.printSurvey(server, found)
	return nil
}

func (a surveyCommands) ignored(ctx context.Context, cmd *cli.Command, c *client.Client, server string) error {
	list, err := c.Ignored(ctx, server)
	if err != nil {
		return err
	}
	if cmd.Bool("json") {
		return a.printJSON(list)
	}
	if len(list) == 0 {
		fmt.Fprintf(a.Out, "Nothing is ignored on %s.\n", server)
		return nil
	}
	var lines [][]string
	for _, i := range list {
		lines = append(lines, []string{i.Pattern, i.Note, i.By, clock(i.At)})
	}
	a.rows([]string{"ignored", "why", "by", "since"}, lines)
	return nil
}

// proved tells how it is known of the files that are as recorded.
func proved(c api.SurveyCounts) string {
	switch byTime := c.Same - c.Read; {
	case c.Same == 0:
		return ""
	case c.Read == 0:
		return fmt.Sprintf("; %d as recorded by the host's times", byTime)
	case byTime == 0:
		return fmt.Sprintf("; %d as recorded by their bytes", c.Read)
	default:
		return fmt.Sprintf("; as recorded: %d by their bytes, %d by the host's times", c.Read, byTime)
	}
}

// surveyWords sums a survey up in a sentence.
func surveyWords(c api.SurveyCounts) string {
	if c.Changed+c.Missing == 0 {
		return fmt.Sprintf("all %s as recorded", words.Count(c.Same+c.Edited, "file"))
	}
	var said []string
	if c.Changed > 0 {
		said = append(said, fmt.Sprintf("%d changed", c.Changed))
	}
	if c.Missing > 0 {
		said = append(said, fmt.Sprintf("%d missing", c.Missing))
	}
	return fmt.Sprintf("%s outside, %d as recorded", strings.Join(said, " and "), c.Same+c.Edited)
}

func (a surveyCommands) printSurvey(server string, s api.Survey) {
	c := s.Counts
	fmt.Fprintf(a.Out, "%s, looked at %s: %s\n", server, clock(s.At), surveyWords(c))
	fmt.Fprintf(a.Out, "  %s in %s, %s, in %s%s\n", words.Count(c.Files, "file"), words.Count(c.Folders, "folder"), words.Size(c.Bytes), took(s.TookMS), proved(c))
	if c.Edited > 0 {
		fmt.Fprintf(a.Out, "  %s that the server writes to as well: what was deployed there holds\n", words.Count(c.Edited, "text"))
	}
	if c.Own > 0 {
		fmt.Fprintf(a.Out, "  %s, %s, that are the server's own, by its rulebook\n", words.Count(c.Own, "file"), words.Size(c.OwnSize))
	}
	if c.Unknown > 0 {
		fmt.Fprintf(a.Out, "  %s that nobody deployed\n", words.Count(c.Unknown, "file"))
	}
	if c.Ignored > 0 {
		fmt.Fprintf(a.Out, "  %s ignored, as you said\n", words.Count(c.Ignored, "file"))
	}
	items := slices.Clone(s.Items) // what was deployed first, then what nobody did
	slices.SortStableFunc(items, func(a, b api.SurveyItem) int { return cmp.Compare(order(a), order(b)) })
	var lines [][]string
	for _, i := range items {
		lines = append(lines, []string{"  " + i.Kind, pathOf(i), whose(i), sinceOf(i)})
	}
	if len(lines) == 0 {
		return
	}
	fmt.Fprintln(a.Out)
	a.rows([]string{"  what", "path", "", "found"}, lines)
	for _, i := range s.Items {
		if i.Why == "" && i.Diff == "" {
			continue
		}
		fmt.Fprintf(a.Out, "\n  %s\n", i.Path)
		if i.Why != "" {
			fmt.Fprintf(a.Out, "    %s\n", i.Why)
		}
		n := 0
		for line := range strings.Lines(i.Diff) {
			if strings.HasPrefix(line, "--- ") || strings.HasPrefix(line, "+++ ") {
				continue
			}
			if n++; n <= diffLines {
				fmt.Fprintf(a.Out, "    %s\n", strings.TrimRight(line, "\r\n"))
			}
		}
		if n > diffLines {
			fmt.Fprintf(a.Out, "    … %s more\n", words.Count(n-diffLines, "line"))
		}
	}
	a.printSettlings(server, s)
}

// printSettlings says what can be done about what differs.
func (a surveyCommands) printSettlings(server string, s api.Survey) {
	var known, unknown string
	for _, i := range s.Items {
		if i.Kind == "unknown" && unknown == "" {
			unknown = i.Path
		} else if i.Kind != "unknown" && known == "" {
			known = i.Path
		}
	}
	fmt.Fprintln(a.Out)
	if known != "" {
		fmt.Fprintf(a.Out, "  restless settle %s restore=%s    puts it back as recorded; accept= takes it as it is,\n", server, quoted(known))
		fmt.Fprintln(a.Out, "                  tweak= keeps a changed text over updates too; a glob takes several, * all")
	}
	if unknown != "" {
		fmt.Fprintf(a.Out, "  restless settle %s ignore=%s    tells of it no more; remove= takes it off the server, and keeps its bytes\n", server, quoted(unknown))
	}
}

// diffLines is how much of a diff is printed.
const diffLines = 24

// order is what comes first in a list of differences.
func order(i api.SurveyItem) int {
	switch {
	case i.Kind == "changed":
		return 0
	case i.Kind == "missing":
		return 1
	case i.In != "":
		return 2
	}
	return 3
}

func pathOf(i api.SurveyItem) string {
	if i.Files > 0 || i.Is.Being == "folder" || i.Was.Being == "folder" {
		return i.Path + "/"
	}
	return i.Path
}

// whose says what a difference is about.
func whose(i api.SurveyItem) string {
	var said []string
	switch {
	case i.Owner != "":
		said = append(said, i.Owner)
	case i.In != "":
		said = append(said, "in the folder of "+i.In)
	}
	switch {
	case i.Files > 0:
		said = append(said, fmt.Sprintf("%s, %s", words.Count(i.Files, "file"), words.Size(i.Bytes)))
	case i.Is.Being == "foreign":
		said = append(said, "a link or device now")
	case i.Kind == "changed" && i.Is.Size != i.Was.Size:
		said = append(said, fmt.Sprintf("%s, was %s", words.Size(i.Is.Size), words.Size(i.Was.Size)))
	case i.Is.Being == "content":
		said = append(said, words.Size(i.Is.Size))
	}
	return strings.Join(said, ", ")
}

func sinceOf(i api.SurveyItem) string {
	if i.New {
		return "new"
	}
	return "since " + clock(i.Since)
}

func took(ms int64) string {
	if ms < 1000 {
		return fmt.Sprintf("%d ms", ms)
	}
	return fmt.Sprintf("%.1f s", float64(ms)/1000)
}

func (a surveyCommands) settleCommand() *cli.Command {
	return &cli.Command{Name: "settle", Usage: "put right what a survey found to differ, in one deployment", UsageText: "restless settle SERVER restore=PATH|accept=PATH|tweak=PATH|remove=PATH|ignore=PATTERN...  [--draft] [--yes]\n\nA PATH may be a glob over what the last survey found; * takes all.",
		Flags: append([]cli.Flag{&cli.StringFlag{Name: "note", Usage: "with ignore: why, in `WORDS`"}}, runFlags()...), Action: a.settle}
}

func (a surveyCommands) settle(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 2, "a server and what is to be done, such as restore=PATH")
	if err != nil {
		return err
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	var wanted []api.Settling
	var ignore []string
	for _, word := range args[1:] {
		do, what, ok := strings.Cut(word, "=")
		switch {
		case !ok || what == "":
			return wrongUsage("%q is not restore=PATH, accept=PATH, tweak=PATH, remove=PATH or ignore=PATTERN", word)
		case do == "ignore":
			ignore = append(ignore, what)
		case slices.Contains([]string{"restore", "accept", "tweak", "remove"}, do):
			wanted = append(wanted, api.Settling{Path: strings.TrimSuffix(what, "/"), Do: do})
		default:
			return wrongUsage("%q is nothing that can be done about a difference: it is restore, accept, tweak, remove or ignore", do)
		}
	}
	for _, p := range ignore {
		if err := c.Ignore(ctx, args[0], api.Ignored{Pattern: strings.TrimSuffix(p, "/"), Note: cmd.String("note")}); err != nil {
			return err
		}
		if !cmd.Bool("json") {
			fmt.Fprintf(a.Out, "%s is ignored from now on. restless survey %s --unignore %s takes that back.\n", p, args[0], quoted(p))
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	if wanted, err = a.spread(ctx, c, args[0], wanted); err != nil {
		return err
	}
	return deployCommands(a).draftAndRun(ctx, cmd, args[0], api.NewDraft{Settle: wanted})
}

// spread writes out the globs among what is to be settled, over what the last survey found.
func (a surveyCommands) spread(ctx context.Context, c *client.Client, server string, wanted []api.Settling) (out []api.Settling, err error) {
	var last *api.Survey
	for _, w := range wanted {
		if !strings.ContainsAny(w.Path, "*?[{") {
			out = append(out, w)
			continue
		}
		if last == nil {
			found, err := c.LastSurvey(ctx, server)
			if err != nil {
				return nil, err
			}
			last = &found
		}
		n := len(out)
		for _, i := range last.Items {
			fits := w.Path == "*"
			if !fits {
				if fits, err = path.Match(w.Path, i.Path); err != nil {
					return nil, wrongUsage("%q is no glob", w.Path)
				}
			}
			if fits && (i.Kind == "unknown") == (w.Do == "remove") && (w.Do != "tweak" || i.Diff != "") {
				out = append(out, api.Settling{Path: i.Path, Do: w.Do})
			}
		}
		if len(out) == n {
			return nil, wrongUsage("the last survey of %s found nothing like %s that %s is for", server, w.Path, w.Do)
		}
	}
	return out, nil
}

// parseEvery reads how often something is to be done, in seconds; 0 is never.
func parseEvery(cmd *cli.Command) (int64, error) {
	text := cmd.String("every")
	if text == "never" {
		return 0, nil
	}
	age, err := parseAge(text)
	if err != nil {
		return 0, wrongUsage("--every %v; or never", err)
	}
	return int64(age.Seconds()), nil
}

// rhythmWords says how often a server is surveyed by itself.
func rhythmWords(server string, r api.Rhythm) string {
	if r.SurveyEvery == 0 {
		return server + " is not surveyed by itself"
	}
	return fmt.Sprintf("%s is surveyed by itself every %s, and after deployments that start it", server, ageWords(r.SurveyEvery))
}

// ageWords writes a length of time in seconds as parseAge reads it.
func ageWords(seconds int64) string {
	switch {
	case seconds%86400 == 0:
		return fmt.Sprintf("%dd", seconds/86400)
	case seconds%3600 == 0:
		return fmt.Sprintf("%dh", seconds/3600)
	case seconds%60 == 0:
		return fmt.Sprintf("%dm", seconds/60)
	}
	return (time.Duration(seconds) * time.Second).String()
}
