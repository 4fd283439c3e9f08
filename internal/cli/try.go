package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

// tryCommand tunes one value: set, have it count, read what the server says, and the next.
func (a textCommands) tryCommand() *cli.Command {
	return &cli.Command{Name: "try", Usage: "tune one value: set it, have it count, read the lines that come, and the next", UsageText: "restless try SERVER FILE PATH [VALUE...]",
		Flags: []cli.Flag{&cli.StringFlag{Name: "note", Usage: "what was seen of the value that is there now, in `WORDS`"}, &cli.BoolFlag{Name: "give-up", Usage: "put it back as it was before the first try"},
			&cli.DurationFlag{Name: "listen", Value: 3 * time.Second, Usage: "for how long lines of the log are waited for"}},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			args, err := atLeast(cmd, 3, "a server, the path of a text and the path of a value")
			if err != nil {
				return err
			}
			c, err := a.client(cmd)
			if err != nil {
				return err
			}
			t := &trial{textCommands: a, c: c, server: args[0], file: args[1], at: args[2], note: cmd.String("note"), listen: cmd.Duration("listen")}
			if err := t.read(ctx); err != nil {
				return err
			}
			if cmd.Bool("give-up") {
				return t.giveUp(ctx)
			}
			if len(args) > 3 {
				for _, v := range args[3:] {
					if err := t.try(ctx, v); err != nil {
						return err
					}
				}
				fmt.Fprintf(a.Out, "It stays so. restless try %s %s %s --give-up puts %s back.\n", quoted(t.server), quoted(t.file), quoted(t.at), t.first)
				return nil
			}
			return t.loop(ctx)
		}}
}

// trial is a value that is being tuned.
type trial struct {
	textCommands
	c                *client.Client
	server, file, at string
	note             string // of the value that is there now
	listen           time.Duration
	first, now       string
	number           bool
	tries            []try
}

// try is a value that was tried, with what a person said of it.
type try struct{ value, note string }

// read finds the value.
func (t *trial) read(ctx context.Context) error {
	shown, err := t.c.Text(ctx, t.server, t.file, false)
	if err != nil {
		return err
	}
	var all []string
	for _, v := range shown.Values {
		if v.Path == t.at || v.Path == "/"+t.at {
			t.at, t.now, t.first, t.number = v.Path, v.Value, v.Value, v.Type == "number"
			if _, err := strconv.ParseFloat(v.Value, 64); err == nil {
				t.number = true
			}
			if v.Secret {
				return fmt.Errorf("%s is a secret, which is not shown, so it cannot be tuned", t.at)
			}
			return nil
		}
		all = append(all, v.Path)
	}
	return fmt.Errorf("%s has no value at %s%s", t.file, t.at, meantPath(t.at, all))
}

// try sets a value, has it count, and writes the lines that came.
func (t *trial) try(ctx context.Context, value string) error {
	from := ""
	if piece, err := t.c.Log(ctx, t.server, ""); err == nil {
		from = piece.Next
	}
	note := "tried"
	if len(t.tries) > 0 || t.note != "" {
		note = "tried after " + t.now + t.said()
	}
	d, err := t.c.Draft(ctx, t.server, api.NewDraft{Tweaks: []api.TweakWish{{Path: t.file, Note: note, Tweak: api.Tweak{Do: "set", At: t.at, Value: value}}}}, nil)
	if err != nil {
		return err
	}
	if err := t.run(ctx, d); err != nil {
		return err
	}
	t.tries, t.now, t.note = append(t.tries, try{value: value}), value, ""
	fmt.Fprintf(t.Out, "%s is %s (%s)\n", t.at, value, d.Name)
	return t.lines(ctx, from)
}

// said is the note of the value that is there, as it goes behind it.
func (t *trial) said() string {
	if t.note == "" {
		return ""
	}
	return ": " + t.note
}

func (t *trial) run(ctx context.Context, d api.Deployment) error {
	if d.Blocks > 0 {
		for _, f := range d.Findings {
			printFinding(t.Out, f, subjectOf(d))
		}
		if err := t.c.Discard(ctx, d.Server, d.Number); err != nil { // a value that does not fit leaves no draft behind
			return err
		}
		return cli.Exit("nothing was done", ExitBlocked)
	}
	ran, err := t.c.Run(ctx, d.Server, d.Number, api.RunDraft{Digest: d.Digest}, nil)
	if err != nil {
		return err
	}
	if ran.State != "done" {
		t.printDeployment(ran)
		return cli.Exit(ran.Name+" is "+ran.State, ExitHalted)
	}
	for _, f := range ran.Aftermath {
		printFinding(t.Out, f, subjectOf(ran))
	}
	return nil
}

// lines writes what the server's log says since, once something is there and nothing more
// comes for a moment.
func (t *trial) lines(ctx context.Context, from string) error {
	if from == "" {
		return nil
	}
	end, heard := time.Now().Add(t.listen), false
	for time.Now().Before(end) {
		piece, err := t.c.Log(ctx, t.server, from)
		if err != nil {
			return nil //nolint:nilerr // the value is set; a log that cannot be read says nothing of it
		}
		from = piece.Next
		for _, l := range piece.Lines {
			fmt.Fprintf(t.Out, "  %-18s %s\n", about(l), l.Text)
		}
		if len(piece.Lines) == 0 && heard {
			return nil
		}
		heard = heard || len(piece.Lines) > 0
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(300 * time.Millisecond):
		}
	}
	if !heard {
		fmt.Fprintln(t.Out, "  The log says nothing since.")
	}
	return nil
}

// giveUp puts the value back as it was before the first try.
func (t *trial) giveUp(ctx context.Context) error {
	held, err := t.c.Tweaks(ctx, t.server)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(held, func(k api.TweakOn) bool { return k.Path == t.file && k.At == t.at })
	if i < 0 {
		fmt.Fprintf(t.Out, "%s was not tried; it is %s.\n", t.at, t.now)
		return nil
	}
	d, err := t.c.Draft(ctx, t.server, api.NewDraft{Untweak: []string{held[i].ID}}, nil)
	if err != nil {
		return err
	}
	if err := t.run(ctx, d); err != nil {
		return err
	}
	if err := t.read(ctx); err != nil {
		return err
	}
	fmt.Fprintf(t.Out, "%s is %s again, as before the first try (%s)\n", t.at, t.now, d.Name)
	return nil
}

const tryHelp = `  VALUE      set it and read what the server says
  + or -     a step up or down, half of the last one when it turns
  : WORDS    note what was seen of the value that is there now
  back       to the value before
  between    the middle of the last two numbers
  list       what was tried
  done       leave it as it is: one tweak in the record
  give up    exactly as before`

// loop asks for one value after the other.
func (t *trial) loop(ctx context.Context) error {
	fmt.Fprintf(t.Out, "%s in %s is %s. What next? ? tells what can be said.\n", t.at, t.file, t.first)
	step, up := 0.0, true
	for {
		line, err := t.Ask("> ", false)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return wrongUsage("there is no terminal to ask on; give the values behind PATH")
		}
		word := strings.TrimSpace(line)
		switch {
		case word == "":
			continue
		case word == "?":
			fmt.Fprintln(t.Out, tryHelp)
			continue
		case word == "done":
			fmt.Fprintf(t.Out, "%s stays %s.\n", t.at, t.now)
			return nil
		case word == "give up":
			return t.giveUp(ctx)
		case word == "list":
			for _, o := range t.tries {
				fmt.Fprintf(t.Out, "  %s  %s\n", o.value, o.note)
			}
			continue
		case strings.HasPrefix(word, ":"):
			t.note = strings.TrimSpace(word[1:])
			if n := len(t.tries); n > 0 {
				t.tries[n-1].note = t.note
			}
			continue
		case word == "back":
			word = t.before()
		case word == "between":
			word = t.between()
		case word == "+" || word == "-":
			word, step, up = t.stepped(word == "+", step, up)
		}
		if word == "" {
			fmt.Fprintln(t.Out, "  That goes with numbers of which one was tried before.")
			continue
		}
		if err := t.try(ctx, word); err != nil {
			var exit cli.ExitCoder
			if errors.As(err, &exit) && exit.ExitCode() != ExitBlocked {
				return err
			}
			t.explain(err) // a value that does not fit is said, and another can be tried
		}
	}
}

// before is the value that was there before the one that is.
func (t *trial) before() string {
	if n := len(t.tries); n > 1 {
		return t.tries[n-2].value
	}
	return t.first
}

// between is the middle of the value that is there and the one before.
func (t *trial) between() string {
	a, err1 := strconv.ParseFloat(t.now, 64)
	b, err2 := strconv.ParseFloat(t.before(), 64)
	if err1 != nil || err2 != nil || len(t.tries) == 0 {
		return ""
	}
	return plainNumber((a + b) / 2)
}

// stepped is a step up or down; where it turns, the step is halved.
func (t *trial) stepped(want bool, step float64, up bool) (string, float64, bool) {
	v, err := strconv.ParseFloat(t.now, 64)
	if err != nil || !t.number {
		return "", step, up
	}
	switch {
	case step == 0:
		if step = 1; strings.Contains(t.now, ".") {
			step = 0.1
		}
	case want != up && (step/2 >= 1 || strings.Contains(t.first, ".")):
		step /= 2
	}
	if !want {
		return plainNumber(v - step), step, want
	}
	return plainNumber(v + step), step, want
}

func plainNumber(v float64) string { return strconv.FormatFloat(v, 'g', 10, 64) }
