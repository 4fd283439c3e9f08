package cli

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/schollz/progressbar/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

// progress is the part of an event's data that the command line shows.
type progress struct {
	Phase string `json:"phase"`
	Text  string `json:"text"`
	Done  int    `json:"done"`
	Total int    `json:"total"`
}

// watch shows a job's events: a bar on a terminal, lines elsewhere. The
// returned function ends it.
func (a *App) watch(quiet bool) (client.Each, func()) {
	if quiet {
		return nil, func() {}
	}
	if !a.Terminal {
		return a.watchLines(), func() {}
	}
	var bar *progressbar.ProgressBar
	end := func() {
		if bar != nil {
			_ = bar.Clear()
		}
	}
	return func(e api.JobEvent) {
		p := read(e)
		if e.Kind == "look" || p.Total == 0 {
			return
		}
		if bar == nil {
			bar = progressbar.NewOptions(p.Total, progressbar.OptionSetWriter(a.bars), progressbar.OptionSetWidth(30),
				progressbar.OptionThrottle(100*time.Millisecond), progressbar.OptionClearOnFinish())
		}
		if p.Phase != "" {
			bar.Describe(phaseNames[p.Phase])
		}
		_ = bar.Set(p.Done)
	}, end
}

// fewest is how many motions are worth a line of their own.
const fewest = 50

// watchLines writes a line per phase and a few in between.
func (a *App) watchLines() client.Each {
	next := 0
	return func(e api.JobEvent) {
		p := read(e)
		switch {
		case e.Kind == "look" || e.Kind == "note":
			fmt.Fprintf(a.Err, "%s\n", p.Text)
		case e.Kind == "phase":
			fmt.Fprintf(a.Err, "%s: %d of %d motions done\n", phaseNames[p.Phase], p.Done, p.Total)
			next = p.Done + max(fewest, p.Total/4)
		case p.Done >= next && p.Total > 0:
			fmt.Fprintf(a.Err, "  %d of %d\n", p.Done, p.Total)
			next = p.Done + max(fewest, p.Total/4)
		}
	}
}

func read(e api.JobEvent) (p progress) {
	if err := json.Unmarshal(e.Data, &p); err != nil {
		p.Text = string(e.Data)
	}
	return p
}
