package cli

import (
	"fmt"
	"time"

	"github.com/schollz/progressbar/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

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
		p := e.Data
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

// fewest is the number of motions from which on progress gets lines of its own.
const fewest = 50

// watchLines writes a line per phase and a few in between.
func (a *App) watchLines() client.Each {
	next := 0
	return func(e api.JobEvent) {
		p := e.Data
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
