package layout

import (
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// droppings are what desktops leave in archives: no server needs them, under any rulebook. So are
// names that begin with ._.
var droppings = []string{"__MACOSX", ".DS_Store", ".AppleDouble", ".Spotlight-V100", ".Trashes", ".fseventsd", "Thumbs.db", "ehthumbs.db", "desktop.ini", "$RECYCLE.BIN"}

// isDropping tells whether a file, or a folder that it is in, was left by a desktop.
func isDropping(p tree.Path) bool {
	for rest, more := string(p), true; more; { // every file of every archive and server is asked for
		var part string
		part, rest, more = strings.Cut(rest, "/")
		if strings.HasPrefix(part, "._") || slices.ContainsFunc(droppings, func(name string) bool { return strings.EqualFold(name, part) }) {
			return true
		}
	}
	return false
}

// leaveDroppings tells of them once, and lists them with the first crate as left out.
func (l *laying) leaveDroppings() {
	if len(l.dropped) == 0 || len(l.res.Crates) == 0 {
		return
	}
	c := l.res.Crates[0]
	for _, e := range l.dropped {
		c.Left = append(c.Left, Left{Source: e.Path, Size: e.Size, Settled: true, Reason: "left in the archive by a desktop; no server needs it"})
	}
	slices.SortFunc(c.Left, bySource)
	l.report(finding.Note, "desktop-files", l.dropped[0].Path, "", "%s that a desktop has left in the archive stay out, such as %s", words.Count(len(l.dropped), "file"), l.dropped[0].Path)
}

// ForPlayersOnly tells whether facts say that an add-on is for players and not for servers, and
// which one says so.
func ForPlayersOnly(facts []Fact) (says Fact, only bool) {
	for _, f := range facts {
		if f.Kind != rulebook.Side {
			continue
		}
		side := strings.ToLower(f.Name)
		if !strings.HasPrefix(side, "client") && !strings.HasPrefix(side, "player") || strings.Contains(side, "server") {
			return Fact{}, false // it says that it is for servers too, or for both
		}
		if !only {
			says, only = f, true
		}
	}
	return says, only
}

// clientOnly tells of what only players need.
func (l *laying) clientOnly(c *Crate) {
	if f, only := ForPlayersOnly(c.Facts); only {
		c.find(finding.Finding{Level: finding.Warn, Code: "client-only", What: fmt.Sprintf("%s says that %s is for players, not for servers (side: %s)", f.From, c.Name, f.Name),
			Mend: "Ask its author before you deploy it; it may keep the server from starting."})
		return
	}
	var last tree.Path // whose folders were looked at
	for _, f := range c.Files {
		folder := f.Source.Dir()
		if folder == last {
			continue
		}
		last = folder
		for _, up := range f.Source.Ancestors() {
			if name := strings.ToLower(up.Base()); name == "client" || name == "client-only" || name == "clientside" {
				c.find(finding.Finding{Level: finding.Note, Code: "client-folder", Path: up, What: fmt.Sprintf("%s would be placed, and by its name only players need it", up),
					Mend: "Leave it out if that is so.", Remedies: []finding.Remedy{finding.PlaceFiles.With()}})
				return
			}
		}
	}
}
