package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/words"
)

func (a serverCommands) learnCommand() *cli.Command {
	return &cli.Command{Name: "learn", Usage: "have a server that was added without a rulebook teach it: say what is believed, and ask", UsageText: "restless learn SERVER [--with ARCHIVE]... [--answer KEY=VALUE]...",
		Flags: []cli.Flag{&cli.StringSliceFlag{Name: "with", Usage: "learn from this download too (`ARCHIVE`)"}, &cli.StringSliceFlag{Name: "answer", Usage: "answer a question (`KEY=VALUE`)"},
			&cli.BoolFlag{Name: "text", Usage: "print the rulebook as it is now, and nothing else"}}, Action: a.learn}
}

func (a serverCommands) learn(ctx context.Context, cmd *cli.Command) error {
	server, c, err := a.about(cmd, "server")
	if err != nil {
		return err
	}
	var t api.Teach
	if t.Answers, err = pairs(cmd, "answer"); err != nil {
		return err
	}
	for _, file := range cmd.StringSlice("with") {
		digest, err := rulebookCommands(a).keepOnly(ctx, c, file)
		if err != nil {
			return err
		}
		t.Archives = append(t.Archives, digest)
	}
	if cmd.Bool("json") || cmd.Bool("text") {
		l, err := c.Teach(ctx, server, t)
		if err != nil {
			return err
		}
		if cmd.Bool("text") {
			fmt.Fprint(a.Out, l.Text)
			return nil
		}
		return a.printJSON(l)
	}
	return a.teach(ctx, c, server, t)
}

// teach says what is believed of a server, and asks what is open as long as there is a terminal
// to ask on; where there is none it says how each question is answered.
func (a *App) teach(ctx context.Context, c *client.Client, server string, t api.Teach) error {
	l, err := c.Teach(ctx, server, t)
	if err != nil {
		return err
	}
	_, err = a.lesson(ctx, c, server, l, true)
	return err
}

// lesson goes through a lesson and gives how many crates came of it.
func (a *App) lesson(ctx context.Context, c *client.Client, server string, l api.Lesson, beliefs bool) (crates int, err error) {
	for ; ; beliefs = false {
		a.printLesson(server, l, beliefs)
		crates += laid(&l)
		if len(l.Questions) == 0 {
			return crates, nil
		}
		q := l.Questions[0]
		a.printOptions(q)
		answer, err := a.pick(q)
		if err != nil { // there is no terminal
			a.printAnswers(server, l.Questions)
			return crates, nil
		}
		if answer == "" {
			fmt.Fprintf(a.Out, "It is not answered. restless learn %s asks again.\n", server)
			return crates, nil
		}
		about := ""
		if q.Key == "kind" {
			about = l.About
		}
		next, err := c.Teach(ctx, server, api.Teach{Answers: map[string]string{q.Key: answer}, About: about})
		if err != nil {
			var p *api.Problem
			if !errors.As(err, &p) || p.Code != "bad-answer" && p.Code != "answered-meanwhile" {
				return crates, err
			}
			a.explain(err) // and ask again
			if next, err = c.Teach(ctx, server, api.Teach{}); err != nil {
				return crates, err
			}
		}
		l = next
	}
}

// printLesson writes what is believed, and what was made of downloads.
func (a *App) printLesson(server string, l api.Lesson, beliefs bool) {
	if beliefs {
		if len(l.Beliefs) == 0 {
			fmt.Fprintf(a.Out, "Nothing on %s tells yet what its add-ons are.\n", server)
		}
		for _, b := range l.Beliefs {
			mark := "it seems"
			if b.Said {
				mark = "known"
			}
			fmt.Fprintf(a.Out, "  %-8s  %s (%s)\n", mark, b.What, b.Why)
		}
	}
	for _, b := range l.Laid {
		for _, x := range b.Crates {
			a.printCrateLine(x)
			for _, f := range x.Findings {
				printFinding(a.Out, f, subject{crate: x.Ref})
			}
		}
	}
	if len(l.Kept) > 0 {
		fmt.Fprintf(a.Out, "  Rulebook %s was edited by hand. %s of yours stay, where the answers would have others:\n", l.Rulebook, words.Count(len(l.Kept), "line"))
		for _, line := range l.Kept {
			fmt.Fprintf(a.Out, "    | %s\n", line)
		}
	}
	if l.Fresh {
		fmt.Fprintf(a.Out, "Rulebook %s has revision %d now.\n", l.Rulebook, l.Revision)
	}
	if beliefs && len(l.Questions) == 0 {
		fmt.Fprintf(a.Out, "Nothing is asked. What comes next is a download:\n  restless stage FILE --for %s\n", server)
	}
}

func (a *App) printOptions(q api.Question) {
	fmt.Fprintf(a.Out, "\n%s\n", q.Ask)
	for i, o := range q.Options {
		fmt.Fprintf(a.Out, "  %d  %s\n     because: %s\n", i+1, o.Says, o.Why)
	}
}

// pick asks for one of the options of a question, or another answer where there may be one.
func (a *App) pick(q api.Question) (string, error) {
	prompt := "Your answer"
	if len(q.Options) > 0 {
		prompt = fmt.Sprintf("1 to %d; Enter takes 1", len(q.Options))
	}
	if q.Free {
		prompt += "; or write another, such as " + q.Like
		if q.Like == "" {
			prompt = strings.TrimSuffix(prompt, "; or write another, such as ") + "; or write another"
		}
	}
	for {
		said, err := a.Ask(prompt+": ", false)
		if err != nil {
			return "", err
		}
		said = strings.TrimSpace(said)
		n, notNumber := strconv.Atoi(said)
		switch {
		case said == "" && len(q.Options) > 0:
			return q.Options[0].Value, nil
		case said == "":
			return "", nil
		case notNumber == nil && n >= 1 && n <= len(q.Options):
			return q.Options[n-1].Value, nil
		case notNumber == nil || !q.Free:
			fmt.Fprintf(a.Out, "%s is none of them.\n", said)
		default:
			return said, nil
		}
	}
}

// printAnswers says how questions are answered on the command line.
func (a *App) printAnswers(server string, list []api.Question) {
	fmt.Fprintln(a.Out, "\nThere is no terminal to ask on. Answer with one of these:")
	q := list[0]
	for _, o := range q.Options {
		fmt.Fprintf(a.Out, "  restless learn %s --answer %s\n", server, quoted(q.Key+"="+o.Value))
	}
	if q.Like != "" {
		fmt.Fprintf(a.Out, "  another answer looks like %s\n", quoted(q.Key+"="+q.Like))
	}
	if n := len(list) - 1; n > 0 {
		fmt.Fprintf(a.Out, "%s more after that.\n", words.Count(n, "question"))
	}
}
