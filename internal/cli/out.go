package cli

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

// printJSON writes the API's own object.
func (a *App) printJSON(v any) error {
	enc := json.NewEncoder(a.Out)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

func millis(ms int64) string {
	if ms < 1000 {
		return fmt.Sprintf("%d ms", ms)
	}
	return fmt.Sprintf("%.1f s", float64(ms)/1e3)
}

func clock(t time.Time) string { return t.Local().Format("2006-01-02 15:04") }

// told is a time that a feed tells of itself, as clock shows it.
func told(rfc3339 string) string {
	t, err := time.Parse(time.RFC3339, rfc3339)
	if err != nil {
		return rfc3339
	}
	return clock(t)
}

func state(s api.State) string {
	if s.Being == "content" {
		return fmt.Sprintf("%s, %s", short(s.Digest), words.Size(s.Size))
	}
	return s.Being
}

func short(digest string) string {
	if len(digest) > 12 {
		return digest[:12]
	}
	return digest
}

// phases are what a person reads for the phases of a deployment.
var phaseNames = map[string]string{"prepare": "While it runs", "swap": "Swap", "proof": "Proof"}

// printDeployment writes a draft or a run as a person reads it: what it is,
// what hinders it, what it does, how it went.
func (a *App) printDeployment(d api.Deployment) {
	fmt.Fprintf(a.Out, "%s  %s  %s\n", d.Name, strings.ToUpper(d.State), d.Title)
	if r := d.Remark; r != nil {
		fmt.Fprintf(a.Out, "%s (%s, %s)\n", remarkOf(r), r.By, clock(*r.At))
	}
	c := d.Counts
	line := fmt.Sprintf("%s in, %d changed, %d out", words.Count(c.In, "file"), c.Changed, c.Out)
	if c.Accepted > 0 && c.In+c.Changed+c.Out == 0 {
		line = words.Count(c.Accepted, "file") + " taken in as they are"
	} else if c.Accepted > 0 {
		line += fmt.Sprintf(", %d taken in as they are", c.Accepted)
	}
	if c.Same > 0 {
		line += fmt.Sprintf(", %d as they are", c.Same)
	}
	if c.Edited > 0 {
		line += "; " + words.Count(c.Edited, "text") + " edited"
	}
	if c.Send > 0 {
		line += "; " + words.Size(c.Send) + " to send"
	}
	if c.Keep > 0 {
		line += "; " + words.Size(c.Keep) + " to keep first"
	}
	fmt.Fprintf(a.Out, "%s; way back: %s\n", line, d.WayBack)
	if len(d.Findings) > 0 {
		fmt.Fprintln(a.Out)
	}
	folded := foldNotes(d.Findings)
	for _, f := range d.Findings {
		folded.print(a.Out, f, subjectOf(d))
		if d.State == "draft" {
			printAccept(a.Out, f, d.Accepted)
		}
	}
	folded.rest(a.Out)
	for _, acc := range d.Accepted {
		fmt.Fprintf(a.Out, "  accepted by %s: %s\n", acc.By, strings.TrimSuffix(acc.Code+"="+acc.Path, "="))
	}
	a.printSteps(d)
	a.printOutcome(d)
}

func subjectOf(d api.Deployment) subject { return subject{server: d.Server, deployment: d.Name} }

// printFigures tells what a run took, phase by phase.
func (a *App) printFigures(f api.Figures) {
	rate := ""
	if f.PrepareMS > 0 && f.Sent > 1e6 {
		rate = fmt.Sprintf(" (%.1f MB/s)", float64(f.Sent)/1e3/float64(f.PrepareMS))
	}
	fmt.Fprintf(a.Out, "\nDone in %s: looked in %s, sent %s in %s%s, swapped in %s, looked again in %s, tidied in %s.\n",
		millis(f.LookMS+f.PrepareMS+f.SwapMS+f.ProofMS+f.TidyMS), millis(f.LookMS), words.Size(f.Sent), millis(f.PrepareMS), rate, millis(f.SwapMS), millis(f.ProofMS), millis(f.TidyMS))
	if f.AwayMS > 0 {
		waited := ""
		if f.HandMS > 0 {
			waited = fmt.Sprintf(" and %s waiting for a person", millis(f.HandMS))
		}
		fmt.Fprintf(a.Out, "The server was away for %s, of which %s ours%s.\n", millis(f.AwayMS), millis(f.SwapMS), waited)
	}
	fmt.Fprintf(a.Out, "Every size was checked, and the bytes of %s.\n", words.Count(f.Proved, "file"))
	if f.LostLines > 0 {
		fmt.Fprintf(a.Out, "The line to the host was lost on the way %s; that was ridden out.\n", times(f.LostLines))
	}
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

func (a *App) printOutcome(d api.Deployment) {
	for _, n := range d.Notes {
		fmt.Fprintf(a.Out, "  NOTE  %s\n", n)
	}
	switch d.State {
	case "halted":
		fmt.Fprintf(a.Out, "\nHalted while %s\n  restless deployment resume %s   finishes it\n  restless deployment undo %s     takes it back\n", d.Trouble, d.Name, d.Name)
	case "waiting":
		if d.GoesBack {
			fmt.Fprintf(a.Out, "\nIt is being taken back, and waits for a person: %s\n  restless deployment tick %s   says that it is done; the rest is taken back then\n", strings.Replace(d.Trouble, "\n", "\n  Copy: ", 1), d.Name)
			break
		}
		fmt.Fprintf(a.Out, "\nWaits for a person: %s\n  restless deployment tick %s   says that it is done; it goes on then\n  restless deployment undo %s   takes it back\n", strings.Replace(d.Trouble, "\n", "\n  Copy: ", 1), d.Name, d.Name)
	case "done":
		f := d.Figures
		a.printFigures(f)
		if d.RollCall != nil {
			fmt.Fprintln(a.Out)
			a.printRoll(*d.RollCall)
		}
		for _, x := range d.Aftermath {
			printFinding(a.Out, x, subjectOf(d))
		}
		if d.Untidy {
			fmt.Fprintln(a.Out, "Set-aside files are still on the server; they are cleared before the next deployment runs.")
			fmt.Fprintf(a.Out, "  restless deployment tidy %s   clears them now\n", d.Name)
		}
	case "undone":
		fmt.Fprintln(a.Out, "\nUndone: every path it names is as before.")
	}
}
