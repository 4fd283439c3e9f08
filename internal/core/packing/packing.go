// Package packing makes packing lists: what the players of a server must have, may have and must not
// have, out of what is deployed there and what a person says of it.
package packing

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/layout"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Need is what a player needs of an add-on.
type Need string

// The needs, in the order in which a list has them.
const (
	Must    Need = "must"
	May     Need = "may"
	MustNot Need = "must-not"
	None    Need = "none"    // the server alone has it
	Unknown Need = "unknown" // neither its manifest nor a person says so
)

// Said is what a person says of an add-on.
type Said struct {
	Addon string `json:"addon"` // its key; of one that must not be there, any name
	Name  string `json:"name"`  // as it is shown
	Need  Need   `json:"need"`  // empty leaves it to the manifest
	Note  string `json:"note"`
	Share bool   `json:"share"` // its licence allows that we hand it out
}

// File is a file that players have.
type File struct {
	Path   string      `json:"path"` // in a player's own folder
	Size   int64       `json:"size"` // bytes
	Digest tree.Digest `json:"sha256"`
}

// Addon is an add-on that players have, as a server has it.
type Addon struct {
	Key     string
	Name    string
	Version string
	Facts   []layout.Fact
	Files   []File
	Source  string // where it was downloaded
	Archive tree.Digest
	Old     []File // of earlier versions, by which they are known
}

// Entry is an add-on of a list.
type Entry struct {
	Name    string      `json:"name"`
	Version string      `json:"version,omitempty"`
	Need    Need        `json:"need"`
	Because string      `json:"because,omitempty"` // what says so
	Note    string      `json:"note,omitempty"`
	Source  string      `json:"source,omitempty"`
	Archive tree.Digest `json:"archive,omitzero"` // the download's SHA-256
	Share   bool        `json:"share,omitempty"`
	Files   []File      `json:"files,omitempty"`
	Old     []File      `json:"old,omitempty"`
}

// Size is how many bytes its files are.
func (e Entry) Size() (n int64) {
	for _, f := range e.Files {
		n += f.Size
	}
	return n
}

// Build makes the entries of a list: what must be there first, by name.
func Build(addons []Addon, said []Said) []Entry {
	by := map[string]Said{}
	for _, s := range said {
		by[s.Addon] = s
	}
	var out []Entry
	seen := map[string]bool{}
	for _, a := range addons {
		seen[a.Key] = true
		e := Entry{Name: a.Name, Version: a.Version, Source: a.Source, Archive: a.Archive, Files: a.Files, Old: a.Old}
		e.Need, e.Because = Told(a.Facts)
		if s, ok := by[a.Key]; ok {
			e.Note, e.Share = s.Note, s.Share
			if s.Need != "" {
				e.Need, e.Because = s.Need, ""
			}
		}
		if e.Need == MustNot { // it is on the server, and no player may have it
			e.Files = nil
		}
		out = append(out, e)
	}
	for _, s := range said {
		if !seen[s.Addon] && s.Need == MustNot {
			out = append(out, Entry{Name: cmp.Or(s.Name, s.Addon), Need: MustNot, Note: s.Note})
		}
	}
	order := []Need{Must, May, MustNot, Unknown, None}
	slices.SortStableFunc(out, func(a, b Entry) int {
		return cmp.Or(slices.Index(order, a.Need)-slices.Index(order, b.Need), strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name)))
	})
	return out
}

// Told is what a manifest tells of who needs an add-on.
func Told(facts []layout.Fact) (Need, string) {
	for _, f := range facts {
		if f.Kind != rulebook.Side {
			continue
		}
		side := strings.ToLower(f.Name)
		players := strings.Contains(side, "client") || strings.Contains(side, "player")
		server := strings.Contains(side, "server")
		switch {
		case side == "both", side == "all", players && server:
			return Must, f.From + " says that it is for both sides"
		case players:
			return Must, f.From + " says that it is for players"
		case server:
			return None, f.From + " says that it is for servers"
		}
	}
	return Unknown, ""
}

// Change is how a list differs from an earlier one.
type Change struct {
	Name string `json:"name"`
	Was  string `json:"was,omitempty"` // its version, or what players needed of it
	Is   string `json:"is,omitempty"`
	What string `json:"what"` // add, replace, drop or need
}

// Changes tells what a player has to do who had everything of an earlier list.
func Changes(old, now []Entry) (out []Change) {
	was := map[string]Entry{}
	for _, e := range old {
		was[layout.Key(e.Name)] = e
	}
	wanted := func(e Entry) bool { return e.Need == Must || e.Need == May }
	is := map[string]bool{}
	for _, e := range now {
		key := layout.Key(e.Name)
		is[key] = true
		o, had := was[key]
		switch {
		case wanted(e) && !(had && wanted(o)):
			out = append(out, Change{Name: e.Name, Is: e.Version, What: "add"})
		case wanted(e) && o.Version != e.Version:
			out = append(out, Change{Name: e.Name, Was: o.Version, Is: e.Version, What: "replace"})
		case had && wanted(o) && !wanted(e):
			out = append(out, Change{Name: e.Name, Was: o.Version, What: "drop"})
		case had && o.Need != e.Need && (wanted(e) || e.Need == MustNot):
			out = append(out, Change{Name: e.Name, Was: string(o.Need), Is: string(e.Need), What: "need"})
		case !had && e.Need == MustNot:
			out = append(out, Change{Name: e.Name, Is: string(MustNot), What: "need"})
		}
	}
	for _, e := range old {
		if wanted(e) && !is[layout.Key(e.Name)] {
			out = append(out, Change{Name: e.Name, Was: e.Version, What: "drop"})
		}
	}
	return out
}

// Text writes a list as it is pasted into a chat.
func Text(title, join, words string, entries []Entry, sizes func(int64) string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n", title)
	if join != "" {
		fmt.Fprintf(&b, "Join at %s\n", join)
	}
	if words != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimSpace(words))
	}
	for _, part := range []struct {
		need Need
		head string
	}{{Must, "You must have"}, {May, "You may have"}, {MustNot, "You must not have"}} {
		first := true
		for _, e := range entries {
			if e.Need != part.need {
				continue
			}
			if first {
				fmt.Fprintf(&b, "\n%s\n", part.head)
				first = false
			}
			line := "- " + strings.TrimSpace(e.Name+" "+e.Version)
			if n := e.Size(); n > 0 {
				line += " (" + sizes(n) + ")"
			}
			if e.Source != "" && strings.Contains(e.Source, "://") {
				line += ", " + e.Source
			}
			if e.Note != "" {
				line += ": " + e.Note
			}
			fmt.Fprintln(&b, line)
		}
	}
	return b.String()
}
