package cli

import (
	"cmp"
	"fmt"
	"strings"

	"restlesscrate/internal/api"
	"restlesscrate/internal/words"
)

func (a *App) printSteps(d api.Deployment) {
	legs := 1
	for _, s := range d.Steps {
		legs = max(legs, s.Leg)
	}
	for leg := 1; leg <= legs; leg++ {
		if legs > 1 {
			fmt.Fprintf(a.Out, "\nLeg %d\n", leg)
		}
		a.printLeg(d, leg)
	}
}

func (a *App) printLeg(d api.Deployment, leg int) {
	for _, phase := range []string{"prepare", "swap", "proof"} {
		var steps []api.Step
		for _, s := range d.Steps {
			if s.Phase == phase && s.Leg == leg {
				steps = append(steps, s)
			}
		}
		if len(steps) == 0 {
			continue
		}
		lines := [][]string{}
		folds := folded(steps)
		if a.everyStep {
			folds = nil
			for _, s := range steps {
				folds = append(folds, fold{steps: []api.Step{s}})
			}
		}
		for _, f := range folds {
			lines = append(lines, f.line())
		}
		left := 0
		if !a.everyStep {
			left = max(0, len(lines)-manyLines)
		}
		fmt.Fprintf(a.Out, "\n%s\n", phaseName(d, phase, leg))
		a.rows(nil, lines[:len(lines)-left])
		a.printDiffs(d, phase, leg)
		switch {
		case left > 0:
			fmt.Fprintf(a.Out, "  ... and %d more; restless deployment show %s --steps shows all\n", left, d.Name)
		case len(lines) < len(steps):
			fmt.Fprintf(a.Out, "  restless deployment show %s --steps shows each of %s\n", d.Name, words.Count(len(steps), "step"))
		}
	}
}

// manyLines is the number of lines of one phase that are written out; the rest is counted.
const manyLines = 40

// fold is one step, or many that are told in one line: what is done to files for one
// reason and in one folder. The console folds in the same way.
type fold struct {
	steps  []api.Step
	folder string // that all of them are in, with a slash behind it; of one step there is none
}

// foldFrom is from how many steps on a line says more than they do.
const foldFrom = 8

// folded folds the steps of one phase. A fold stands where its first step stood.
func folded(steps []api.Step) (out []fold) {
	type key struct{ verb, reason, top string }
	keyOf := func(s api.Step) (key, bool) {
		top := s.Path[:strings.Index(s.Path, "/")+1]
		return key{s.Verb, s.Reason, top}, s.Path != "" && s.What == "" && s.Diff == ""
	}
	groups := map[key][]api.Step{}
	for _, s := range steps {
		if k, ok := keyOf(s); ok {
			groups[k] = append(groups[k], s)
		}
	}
	for _, s := range steps {
		k, ok := keyOf(s)
		switch group := groups[k]; {
		case !ok || len(group) < foldFrom:
			out = append(out, fold{steps: []api.Step{s}})
		case group[0].ID == s.ID:
			out = append(out, fold{group, commonFolder(group)})
		}
	}
	return out
}

// commonFolder is the folder that the paths of all steps are in.
func commonFolder(steps []api.Step) string {
	folder := steps[0].Path[:strings.LastIndex(steps[0].Path, "/")+1]
	for _, s := range steps {
		for !strings.HasPrefix(s.Path, folder) {
			folder = folder[:strings.LastIndex(folder[:len(folder)-1], "/")+1]
		}
	}
	return folder
}

// line is what a person reads of a fold.
func (f fold) line() []string {
	s, bytes := f.steps[0], int64(0)
	for _, x := range f.steps {
		bytes += x.Bytes
	}
	what, cost := strings.TrimSpace(s.Path+" "+s.What), ""
	if len(f.steps) > 1 {
		what = fmt.Sprintf("%s in %s", words.Count(len(f.steps), "file"), cmp.Or(f.folder, "./"))
	}
	if bytes > 0 {
		cost = words.Size(bytes)
	}
	return []string{"  " + s.Verb, what, s.Reason, cost}
}

// phaseName is what a person reads for a phase: more where the server is stopped
// or started in it.
func phaseName(d api.Deployment, phase string, leg int) string {
	for _, s := range d.Steps {
		if s.Phase == phase && s.Leg == leg {
			switch {
			case phase == "swap" && (s.Verb == "stop" || s.Verb == "by hand"):
				return "Server stopped"
			case phase == "proof" && (s.Verb == "start" || s.Verb == "by hand"):
				return "Start and proof"
			}
		}
	}
	return phaseNames[phase]
}

// printDiffs shows what is edited in the texts of a phase.
func (a *App) printDiffs(d api.Deployment, phase string, leg int) {
	for _, s := range d.Steps {
		if s.Phase != phase || s.Leg != leg || s.Diff == "" {
			continue
		}
		fmt.Fprintf(a.Out, "\n  in %s\n", s.Path)
		for _, line := range strings.Split(strings.TrimSuffix(s.Diff, "\n"), "\n")[2:] { // behind the two file names
			fmt.Fprintf(a.Out, "    %s\n", strings.TrimSuffix(line, "\r"))
		}
	}
}
