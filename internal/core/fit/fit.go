// Package fit judges whether a crate fits a server: by what its author tells of the game's
// versions, the loader and the side it is for, and by what is known of the server. It says
// nothing that these two do not tell.
package fit

import (
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/version"
)

// The facts of a server that crates are judged by, as rulebooks and people name them.
const (
	Game          = "game"           // the version of the game that it runs
	Loader        = "loader"         // what loads its add-ons, by name
	LoaderVersion = "loader-version" // and the version of that
)

// State is what was found, in a word.
type State string

// The states, from the best to the worst.
const (
	Fits        State = "fits"         // all that the crate tells holds for the server
	Unknown     State = "unknown"      // the crate tells nothing, or the server's fact is not known
	Outside     State = "outside"      // it is for another version of the game or of the loader
	OtherLoader State = "other-loader" // it is for another loader
	PlayersOnly State = "players-only" // it is for players and not for servers
)

// Verdict is a state with its reasons, each a sentence's end: "it is for game version 7.1, and
// the server runs 7.2".
type Verdict struct {
	State State
	Why   []string
}

// String joins the reasons; empty where there are none.
func (v Verdict) String() string { return strings.Join(v.Why, "; ") }

// Bad tells whether the crate should not be on the server.
func (s State) Bad() bool { return s == Outside || s == OtherLoader || s == PlayersOnly }

// rank orders states, the best first.
func (s State) rank() int {
	return slices.Index([]State{Fits, Unknown, Outside, OtherLoader, PlayersOnly}, s)
}

// Better tells whether s is better than o.
func (s State) Better(o State) bool { return s.rank() < o.rank() }

// Told gives what a crate tells with its needs of the game and of a loader as what they are:
// authors write "needs: keel >=4" where they mean that it is for that loader.
func Told(b *rulebook.Book, facts []layout.Fact) []layout.Fact {
	out := slices.Clone(facts)
	for i, f := range out {
		switch {
		case f.Kind != rulebook.Needs:
		case b.IsGame(f.Name):
			out[i] = layout.Fact{Kind: rulebook.Game, Range: f.Range, From: f.From}
		case b.IsLoader(f.Name):
			out[i].Kind = rulebook.Loader
		}
	}
	return out
}

// Judge judges what a crate tells by the facts of a server.
func Judge(told []layout.Fact, server map[string]string) Verdict {
	var v Verdict
	j := judging{told: told, server: server}
	for _, look := range []func() (State, string){j.side, j.loader, j.game} {
		s, why := look()
		if why != "" {
			v.Why = append(v.Why, why)
		}
		switch {
		case s == "": // not spoken of
		case v.State == "" || s == Unknown && v.State == Fits || s.Bad() && v.State.Better(s):
			v.State = s
		}
	}
	if v.State == "" {
		v.State, v.Why = Unknown, []string{"it does not tell what it is for"}
	}
	return v
}

type judging struct {
	told   []layout.Fact
	server map[string]string
}

// side says nothing where a crate is for servers too: that alone makes it fit nothing.
func (j judging) side() (State, string) {
	if f, only := layout.ForPlayersOnly(j.told); only {
		return PlayersOnly, fmt.Sprintf("it is for players, not for servers (%s says: %s)", f.From, f.Name)
	}
	return "", ""
}

// loader looks whether the server's loader is one of those that the crate is for.
func (j judging) loader() (State, string) {
	var names []string
	state, why := State(""), ""
	name, ver := j.server[Loader], j.server[LoaderVersion]
	for _, f := range j.told {
		if f.Kind != rulebook.Loader || f.Name == "" {
			continue
		}
		names = append(names, strings.TrimSpace(f.Name+" "+f.Range))
		if name == "" || !strings.EqualFold(f.Name, name) || state == Fits {
			continue
		}
		state, why = Fits, ""
		r, err := version.ParseRange(f.Range)
		switch {
		case f.Range == "" || err != nil: // what cannot be read says nothing
		case ver == "":
			state, why = Unknown, fmt.Sprintf("it asks for %s %s, and which version of it the server has is not known", f.Name, f.Range)
		case !r.Contains(ver):
			state, why = Outside, fmt.Sprintf("it asks for %s %s, and the server has %s %s", f.Name, f.Range, name, ver)
		}
	}
	switch {
	case len(names) == 0 || state != "":
		return state, why
	case name == "":
		return Unknown, fmt.Sprintf("it is for %s, and which loader the server has is not known", strings.Join(names, " or "))
	}
	return OtherLoader, fmt.Sprintf("it is for %s, and the loader of the server is %s", strings.Join(names, " or "), name)
}

// game looks whether the server's game version is in one of the ranges that the crate tells.
func (j judging) game() (State, string) {
	var ranges []string
	game, in := j.server[Game], false
	for _, f := range j.told {
		if f.Kind != rulebook.Game {
			continue
		}
		if r, err := version.ParseRange(f.Range); err == nil {
			ranges = append(ranges, f.Range)
			in = in || game != "" && r.Contains(game)
		}
	}
	switch {
	case len(ranges) == 0:
		return "", ""
	case game == "":
		return Unknown, fmt.Sprintf("it is for game version %s, and which one the server runs is not known", strings.Join(ranges, " or "))
	case in:
		return Fits, ""
	}
	return Outside, fmt.Sprintf("it says that it is for game version %s, and the server runs %s", strings.Join(ranges, " or "), game)
}
