package draft

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Whole tells whether a motion moves a folder with everything in it at once: a
// new one that was built in the work folder, or one that goes.
func (m Motion) Whole() bool {
	if m.Temp == "" {
		return false
	}
	return m.Kind == InMotion && m.After.Being == tree.Folder || m.Kind == AsideMotion && m.Before.Being == tree.Folder
}

// Inside gives what this deployment knows to be in the folder that a motion
// moves whole: paths below the folder, with their states. What a server made in
// there since is not among them.
func (d *Draft) Inside(m Motion) map[tree.Path]tree.State {
	out := map[tree.Path]tree.State{}
	// Changes are sorted by path, so those below a folder stand together.
	first, _ := slices.BinarySearchFunc(d.Changes, string(m.Path)+"/", func(c Change, below string) int { return strings.Compare(string(c.Path), below) })
	for _, c := range d.Changes[first:] {
		rel, below := c.Path.Below(m.Path)
		if !below {
			break
		}
		s := c.After
		if m.Kind == AsideMotion {
			s = c.Before
		}
		if s.Being != tree.Absent {
			out[rel] = s
		}
	}
	return out
}

// WorkFolders are the folders that a draft's temporary names need, below the
// deployment's own work folder and without it, outermost first. gone tells of
// a motion that moves a whole folder in whether it may have begun: its folder
// is not made a second time then, since it may stand in the tree already.
func (d *Draft) WorkFolders(n Names, gone func(Motion) bool) []tree.Path {
	need := map[tree.Path]bool{}
	add := func(p tree.Path) {
		for ; p != n.Folder() && p.Within(n.Folder()); p = p.Dir() {
			need[p] = true
		}
	}
	var left []tree.Path
	for m := range d.Motions.All() {
		switch {
		case m.Temp == "" || n.Beside:
		case m.Kind == InMotion && m.Whole():
			if gone(m) {
				left = append(left, n.Temp(m))
				continue
			}
			add(n.Temp(m))
			for rel, s := range d.Inside(m) {
				if s.Being == tree.Folder {
					add(n.Temp(m).Join(rel))
				}
			}
		case m.Kind == SendMotion || m.Kind == AsideMotion || m.Kind == EditMotion:
			add(n.Temp(m).Dir())
		}
	}
	for p := range need {
		if slices.ContainsFunc(left, p.Within) {
			delete(need, p)
		}
	}
	return slices.SortedFunc(maps.Keys(need), byDepth)
}

// Outgoing tells of a name below a deployment's work folder whether it is a
// server's own file that was set aside, of which there may be no other copy.
func Outgoing(rel tree.Path) bool {
	first := rel.Parts()[0]
	return strings.HasPrefix(first, outgoing) || strings.HasSuffix(first, ".out")
}

// The names below a deployment's work folder: what comes in and what goes out.
const (
	incoming = "in-"
	outgoing = "out-"
)

// perFolder is how many temporary files share one folder, so that a look at
// what a few of them have become is a short listing.
const perFolder = 256

// tempName gives a single file's temporary name.
func (m *emitting) tempName(id int, kind MotionKind, p tree.Path) string {
	if m.d.Beside { // in the nearest folder that is there now and stays
		folder := p.Dir()
		for folder != tree.Root && (m.folders[folder] || m.dropped[folder]) {
			folder = folder.Dir()
		}
		name := strconv.Itoa(id) + ".in"
		if kind == AsideMotion {
			name = strconv.Itoa(id) + ".out"
		}
		if folder == tree.Root {
			return "./" + name
		}
		return string(folder) + "/" + name
	}
	if kind == AsideMotion {
		return temporary(asOutgoing, id)
	}
	return temporary(asIncoming, id)
}

// wholes finds the folders that are moved with everything in them: new ones
// that hold a file, and those that go with all that is in them. Each is the
// outermost of its kind.
func (m *emitting) wholes() {
	m.wholeIn, m.wholeOut = map[tree.Path]string{}, map[tree.Path]string{}
	if m.d.Beside || !m.req.Host.Tested || !m.req.Host.RenameFolders {
		return
	}
	for _, c := range m.changes {
		in := c.After.Being == tree.Content
		among, names, prefix := m.dropped, m.wholeOut, outgoing
		if in {
			among, names, prefix = m.folders, m.wholeIn, incoming
		}
		for _, up := range c.Path.Ancestors() {
			if among[up] {
				if names[up] == "" && !(in && m.oddFolders(up)) {
					names[up] = fmt.Sprintf("%sf%d", prefix, len(names)+1)
				}
				break
			}
		}
	}
}

// oddFolders tells whether a folder or one below it comes back with other
// permission bits than new ones get: such are made one by one.
func (m *emitting) oddFolders(folder tree.Path) bool {
	for p := range m.folderMode {
		if p.Within(folder) {
			return true
		}
	}
	return false
}

// wholeOf gives the whole folder that a path is moved with, and the path's
// temporary name in it. ok is false where it is moved by itself.
func wholeOf(p tree.Path, names map[tree.Path]string) (folder tree.Path, temp string, ok bool) {
	if len(names) == 0 {
		return tree.Root, "", false
	}
	for _, up := range p.Ancestors() {
		if name, found := names[up]; found {
			rel, _ := p.Below(up)
			return up, name + "/" + string(rel), true
		}
	}
	return tree.Root, "", false
}

// MoveTree plans how what is in the folder from comes to stand below to: by one
// rename where nothing is there and everything goes along, else piece by piece,
// folders made on the way and those that have become empty removed. Both trees
// are given by paths below them, the folder itself as [tree.Root]; target is
// empty where to does not exist. move chooses what goes along. It can be
// planned anew and gone on with after a stop anywhere.
func MoveTree(from, to tree.Path, source, target map[tree.Path]tree.State, move func(tree.Path) bool) []Act {
	var going []tree.Path
	for _, rel := range slices.SortedFunc(maps.Keys(source), byDepth) {
		if rel != tree.Root && move(rel) {
			going = append(going, rel)
		}
	}
	if len(target) == 0 && len(going) == max(0, len(source)-1) {
		return []Act{{Op: Rename, From: from, To: to, Whole: true}}
	}
	var acts []Act
	made := map[tree.Path]bool{}
	need := func(folder tree.Path) {
		for _, up := range append(append([]tree.Path{tree.Root}, folder.Ancestors()...), folder) {
			if _, there := target[up]; !there && !made[up] {
				made[up] = true
				acts = append(acts, Act{Op: MakeFolder, To: to.Join(up), Mode: source[up].Mode})
			}
		}
	}
	var empty []tree.Path
	for _, rel := range going {
		if source[rel].Being == tree.Folder {
			need(rel)
			empty = append(empty, rel)
			continue
		}
		need(rel.Dir())
		acts = append(acts, Act{Op: Rename, From: from.Join(rel), To: to.Join(rel)})
	}
	slices.Reverse(empty)
	for _, rel := range empty {
		acts = append(acts, Act{Op: RemoveFolder, From: from.Join(rel)})
	}
	return acts
}

// WholeBack plans how a motion that moved a whole folder is taken back, given
// what stands at and below its two names. What the server made in a folder that
// was put there stays where it is; what it made where one was set aside is not
// replaced, so the way back stops there with an error.
func WholeBack(d *Draft, m Motion, n Names, temp, final map[tree.Path]tree.State) []Act {
	at := n.Temp(m)
	switch {
	case m.Kind == AsideMotion && len(temp) > 0:
		return withRoot(at, MoveTree(at, m.Path, temp, final, func(tree.Path) bool { return true }))
	case m.Kind == InMotion && len(final) > 0:
		ours := d.Inside(m)
		return withRoot(m.Path, MoveTree(m.Path, at, final, temp, func(rel tree.Path) bool {
			o, known := ours[rel]
			_, there := temp[rel]
			return known && o.Being == final[rel].Being && (o.Being == tree.Folder || !there)
		}))
	}
	return nil
}

// withRoot removes the emptied folder itself where it was not renamed.
func withRoot(folder tree.Path, acts []Act) []Act {
	if len(acts) == 1 && acts[0].Whole {
		return acts
	}
	return append(acts, Act{Op: RemoveFolder, From: folder})
}

// Concerned are the folders that are on the server already and in which names
// come or go, in order.
func (d *Draft) Concerned() []tree.Path {
	made, out := map[tree.Path]bool{}, map[tree.Path]bool{}
	for _, c := range d.Changes {
		if c.Before.Being == tree.Absent && c.After.Being == tree.Folder {
			made[c.Path] = true
		}
	}
	for m := range d.Motions.All() {
		if m.Kind != InMotion && m.Kind != AsideMotion && m.Kind != DropMotion {
			continue
		}
		if !made[m.Path.Dir()] {
			out[m.Path.Dir()] = true
		}
		if m.Whole() && m.Kind == AsideMotion {
			out[m.Path] = true // a folder that moves is written to itself
		}
	}
	then := map[tree.Path]bool{} // by the names that they have before
	for p := range out {
		then[d.Moves.Old(p)] = true
	}
	return slices.Sorted(maps.Keys(then))
}

// Ahead is what a run needs to know of its draft before the draft is made anew: it is
// short where the draft is long.
type Ahead struct {
	Concerned []tree.Path `json:"concerned"` // see [Draft.Concerned]
	Folders   []tree.Path `json:"folders"`   // [Draft.WorkFolders], below the deployment's own folder
	Passing   uint64      `json:"passing"`   // see [Draft.Passing]
}

// Ahead gives what of the draft a run needs to know ahead.
func (d *Draft) Ahead() Ahead {
	n := Names{Beside: d.Beside}
	a := Ahead{Concerned: d.Concerned(), Passing: d.Passing()}
	for _, p := range d.WorkFolders(n, func(Motion) bool { return false }) {
		rel, _ := p.Below(n.Folder())
		a.Folders = append(a.Folders, rel)
	}
	return a
}
