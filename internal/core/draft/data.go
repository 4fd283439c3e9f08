package draft

import (
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// DataFolder is a folder that a server writes and that is copied while it is
// stopped, so that the way back covers it.
type DataFolder struct {
	Path tree.Path
	Why  string
	// From, of a folder that is renewed, is where an earlier one was set aside that comes
	// back.
	From tree.Path
}

// DataReturn is the wish that a folder holds again what an earlier copy of it
// held: files by path below it.
type DataReturn struct {
	Folder tree.Path                `json:"folder"`
	Files  map[tree.Path]tree.State `json:"files"`
	Why    string                   `json:"why"`
	Copy   tree.Path                `json:"copy,omitempty"` // on the host, where that has made it itself
}

// Ways back.
const (
	BackFiles = "files"
	BackData  = "files and data"
)

// CopyData is the verb of a step that copies a data folder, ReturnData of one that
// puts an earlier copy back.
const (
	CopyData   Verb = "copy data"
	ReturnData Verb = "put data back"
)

// KeepsFolder tells whether a motion copies a whole folder.
func (m Motion) KeepsFolder() bool { return m.Kind == KeepMotion && m.Before.Being == tree.Folder }

// stopped tells whether the server is stopped while names change.
func (m *running) stopped() bool {
	p := m.req.Power
	return m.power.stop || p != nil && p.Condition == power.Stopped
}

// data emits the copies of data folders, and what is put back of earlier ones.
func (m *emitting) data(e *emitter) {
	copies := slices.Clone(m.req.Data)
	for _, r := range m.req.Returns {
		if !slices.ContainsFunc(copies, func(f DataFolder) bool { return f.Path == r.Folder }) {
			copies = append(copies, DataFolder{Path: r.Folder, Why: "it is put back, and that can be taken back too"})
		}
	}
	if len(copies) == 0 || len(m.changes)+len(m.edits)+len(m.req.Returns) == 0 || m.d.Legs > 1 {
		return
	}
	if !m.stopped() {
		for _, f := range copies {
			level, mend := finding.Warn, "Tell how the server is stopped, or copy the folder yourself."
			if len(m.req.Returns) > 0 {
				level, mend = finding.Block, "Stop it first, or tell how it is stopped."
			}
			m.report(level, "data-not-copied", f.Path, mend, "%s is written by the server, which is not stopped for this: it cannot be copied, and the way back does not cover it.", f.Path).By(finding.SetControl.With())
		}
		if len(m.req.Returns) == 0 {
			return
		}
	}
	m.d.WayBack = BackData
	e.group++
	onHost := m.req.Host.Copies && m.req.Host.RenameFolders
	for _, f := range copies {
		n, size := m.measured(f.Path)
		step := Step{Phase: Swap, Verb: CopyData, Path: f.Path, What: words.Count(n, "file"), Reason: f.Why, Bytes: size}
		if onHost {
			step.What, step.Bytes = fmt.Sprintf("%s, %d MB, on the host itself", words.Count(n, "file"), (size+999_999)/1_000_000), 0
			m.d.Counts.Copied += size
		} else {
			m.d.Counts.Keep += size
			ms := m.fetchMS(n, size)
			if m.dataMS += ms; ms >= worthTelling {
				step.What += fmt.Sprintf(", about %d s to fetch", (ms+500)/1000)
			} else if m.req.Host.Rate == 0 && size >= large {
				step.What += ", fetched while the server is stopped"
			}
		}
		s := e.step(step)
		e.motion(s, Motion{Kind: KeepMotion, Path: f.Path, Before: tree.State{Being: tree.Folder}, OnHost: onHost})
	}
	if len(m.req.Returns) == 0 {
		return
	}
	e.group++
	for _, r := range m.req.Returns {
		size := int64(0)
		for _, p := range slices.Sorted(maps.Keys(r.Files)) {
			if s := r.Files[p]; s.Being == tree.Content {
				size += s.Size
				if r.Copy == "" && !m.req.Held(s.Digest) {
					m.refuse("bytes-gone", r.Folder.Join(p), "", "The copy of %s is no longer in the stockroom.", r.Folder.Join(p))
				}
			}
		}
		s := e.step(Step{Phase: Swap, Verb: ReturnData, Path: r.Folder, What: words.Count(len(r.Files), "file"), Reason: r.Why, Bytes: size})
		e.motion(s, Motion{Kind: RestoreMotion, Path: r.Folder, Before: tree.State{Being: tree.Folder}, After: tree.State{Being: tree.Folder}})
	}
	m.d.Returns = m.req.Returns
}

const (
	worthTelling = 1000     // milliseconds of fetching that are worth telling
	large        = 10 << 20 // bytes of which that is told where the rate is not known
)

// fetchMS estimates the time for fetching files, in milliseconds.
func (m *ground) fetchMS(files int, size int64) int64 {
	h := m.req.Host
	ms := int64(files) * 2 * h.RenameMS / int64(max(1, h.SideBySide)) // opened and closed, a round trip each
	if h.Rate > 0 {
		ms += size * 1000 / h.Rate
	}
	return ms
}

// measured gives the number and the size of a folder's files at the last look.
func (m *ground) measured(folder tree.Path) (files int, size int64) {
	for p, s := range m.obs.Paths {
		if p.Within(folder) && s.State.Being == tree.Content {
			files++
			size += s.State.Size
		}
	}
	return files, size
}

// Returned gives what a folder shall hold again by this draft.
func (d *Draft) Returned(folder tree.Path) (DataReturn, error) {
	for _, r := range d.Returns {
		if r.Folder == folder {
			return r, nil
		}
	}
	return DataReturn{}, fmt.Errorf("the draft does not say what %s held", folder)
}

// renew emits the motions that set data folders aside, so that the server makes new ones.
func (m *emitting) renew(e *emitter) {
	if len(m.req.Renew) == 0 || m.d.Legs > 1 {
		return
	}
	e.group++
	for _, f := range m.req.Renew {
		switch {
		case !m.stopped():
			m.refuse("renew-running", f.Path, "Stop it first, or tell how it is stopped.", "%s is to be renewed, and the server is not stopped for it.", f.Path).By(finding.SetControl.With())
		case m.req.Host.Tested && !m.req.Host.RenameFolders:
			m.refuse("renew-by-hand", f.Path, "Rename it by hand while the server is stopped.", "%s is to be renewed, and this host does not rename folders.", f.Path)
		case !m.mayTouch(f.Path):
		case f.From != tree.Root && m.obs.At(f.From).State.Being != tree.Folder:
			m.report(finding.Block, "renewed-gone", f.Path, "Accept this to leave it as it is now, and to take the rest back.", "%s, which was set aside as %s, is not there any more, so it cannot be put back.", f.Path, f.From)
		case f.From != tree.Root:
			s := e.step(Step{Phase: Swap, Verb: ReturnData, Path: f.Path, What: "from " + string(f.From), Reason: f.Why + "; the one of now is set aside and stays"})
			e.motion(s, Motion{Kind: RenewMotion, Path: f.Path, Subject: string(f.From), Before: tree.State{Being: tree.Folder}})
			m.report(finding.Note, "data-back", f.Path, "", "%s is put back from %s; the one of now is set aside under a name of its own and stays on the server.", f.Path, f.From)
		default:
			s := e.step(Step{Phase: Swap, Verb: SetAside, Path: f.Path, Reason: f.Why + "; it is never deleted, and the server makes a new one"})
			e.motion(s, Motion{Kind: RenewMotion, Path: f.Path, Before: tree.State{Being: tree.Folder}})
			m.report(finding.Warn, "renewed", f.Path, "", "%s is set aside under a name of its own and stays on the server; players begin in a new one.", f.Path)
		}
	}
}
