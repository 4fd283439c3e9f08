package draft

import (
	"fmt"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// A draft is made in passes. Each is a function from what the pass before has found out to
// what it finds out itself, so that none can be done before its turn:
//
//	gather   goals, from the request alone
//	decide   what is to become of every path, by goals and by what was seen
//	fold     which folders go, now that it is known what does
//	run      whether and how the server is stopped and started
//	emit     steps and motions
//	tell     what concerns the draft as a whole
//
// All of them add findings.

// ground is what a draft is made from.
type ground struct {
	req      *Request
	obs      Observations
	legs     int     // of which this is one; 0 is the first of one
	launch   *Launch // by which this leg's start is done, where an add-on says so
	findings *[]finding.Finding
	copies   []older // copies of wanted add-ons that nobody deployed
}

// decider finds out what is to become of every path.
type decider struct {
	ground
	changes    []change              // content changes that need motions, by path
	all        []Change              // every change, in no order
	edits      []edit                // texts that are edited, by path
	accepts    []accepted            // what the ledger takes as it is
	taken      map[string]*takenIn   // add-ons that the ledger takes in, by key
	deferred   []Deferral            // texts that the next leg edits
	same       int                   // files that are as they shall be
	folders    map[tree.Path]bool    // to be made
	going      map[tree.Path]bool    // paths that will be absent
	coming     map[tree.Path]bool    // paths that will hold something new
	gone       map[tree.Path]*unseen // what the ledger owns and cannot be seen, by the outermost thing that hides it
	theirs     map[tree.Path]bool    // folders that were there before us, out of which something of ours goes
	maybe      map[tree.Path]string  // folders of ours that go if they become empty, and why
	claimed    map[tree.Path][]Claim // whose the folders are that were decided
	folderMode map[tree.Path]uint32  // of folders that come back with other permission bits than new ones get
}

// folding has found out which folders go.
type folding struct {
	decider
	dropped map[tree.Path]bool
}

// running has found out what happens to the server meanwhile.
type running struct {
	folding
	power powerPlan
	later []Launch // of later legs
	sets  []Set    // variables that have another value afterwards
}

// emitting writes the steps and motions.
type emitting struct {
	running
	d *Draft
	// Folders that are moved with all that is in them, with their temporary names.
	wholeIn, wholeOut map[tree.Path]string
	dataMS            int64 // what fetching data folders takes while the server is stopped
}

// telling says what concerns the draft as a whole.
type telling struct {
	emitting
	labels    map[string]map[string]bool // under which a wanted add-on's files were claimed so far
	strangers map[string]string          // where something unknown has the name of what is missing
	left      map[string][]tree.Path     // what nobody deployed, in the folders of wanted add-ons, by their keys
}

// change is a content change with its reason. It is the draft's own entry: where that
// lies is known once no more are added.
type change struct {
	*Change
	at     int   // its place among the draft's changes
	seen   int64 // the time of the file that stands there
	reason string
	keep   string // why the old bytes must be fetched first, empty where they need not
}

// Make turns a request and what was observed into a draft. It never fails:
// what stands in the way becomes a finding.
func Make(req *Request, obs Observations) *Draft { return makeFrom(gather(req), req, obs) }

func makeFrom(g *goals, req *Request, obs Observations) *Draft {
	found := g.findings
	from := ground{req: req, obs: obs, findings: &found}
	from.copies = from.olderCopies(g)
	labels, strangers, left := from.labelsOf(), from.strangersCalled(), from.leftOvers(g)
	r := run(fold(decide(from, g)))
	d := &Draft{Outline: Outline{WayBack: BackFiles, Beside: req.Host.Tested && !req.Host.RenameFromWork}}
	t := telling{emitting: emit(r, d), labels: labels, strangers: strangers, left: left}
	t.about()
	d.Findings = found
	finding.Sort(d.Findings)
	return d
}

// run finds out what happens to the server meanwhile.
func run(f folding) running {
	r := running{folding: f}
	r.launches()
	r.sets = r.keptSets()
	r.newNames()
	r.plan()
	return r
}

// lookedUp are paths about which later passes ask, besides those that change.
func (m *emitting) lookedUp() (out []tree.Path) {
	for _, f := range m.req.Renew {
		out = append(out, f.From)
	}
	for _, h := range m.req.Hands {
		out = append(out, h.File)
	}
	for _, s := range m.req.Sets {
		out = append(out, s.Check.File)
	}
	for _, mv := range m.req.Moves {
		out = append(out, m.req.Moves.after(mv))
	}
	return out
}

// spare frees what only the earlier passes needed: a long draft and everything that it was
// made from would not fit into memory together.
func (m *emitting) spare() {
	req := *m.req
	req.Ledger, req.Wanted = nil, slices.Clone(req.Wanted)
	for i := range req.Wanted {
		req.Wanted[i].Files = nil
	}
	m.req = &req
	if len(req.Data)+len(req.Returns) > 0 {
		return // what these folders hold is weighed with the steps
	}
	few := map[tree.Path]Seen{}
	for f := range m.dropped {
		few[f] = m.obs.At(f)
	}
	for _, e := range m.edits {
		few[e.Path] = m.obs.At(e.Path)
	}
	for _, p := range m.lookedUp() {
		if seen, ok := m.obs.Paths[p]; ok {
			few[p] = seen
		}
	}
	m.obs.Paths = few
}

// report adds a finding. What it gives may be added to until the next one is said.
func (m *ground) report(l finding.Level, code string, p tree.Path, mend, format string, args ...any) *finding.Finding {
	*m.findings = append(*m.findings, finding.Finding{Level: l, Code: code, Path: p, What: fmt.Sprintf(format, args...), Mend: mend})
	return &(*m.findings)[len(*m.findings)-1]
}

// refuse adds a block that nobody can accept.
func (m *ground) refuse(code string, p tree.Path, mend, format string, args ...any) *finding.Finding {
	f := m.report(finding.Block, code, p, mend, format, args...)
	f.Final = true
	return f
}

// longest is the limit for one name on the file systems of hosts, in bytes.
const longest = 255

// mayTouch checks the path itself: protected paths and our own work folder.
func (m *ground) mayTouch(p tree.Path) bool {
	if p.Within(Work) {
		m.refuse("protected", p, "", "%s is inside the work folder of Restless Crate.", p)
		return false
	}
	for _, part := range p.Parts() {
		if len(part) > longest {
			m.refuse("name-too-long", p, "Lay it out under a shorter name.", "%q in %s is %d bytes long; hosts take at most %d for one name.", strings.ToValidUTF8(part[:20], "")+"…", p.Dir(), len(part), longest).
				By(finding.PlaceFiles.With(), finding.NameCrate.With("name"))
			return false
		}
	}
	for _, glob := range m.req.Protected {
		if doublestar.MatchUnvalidated(glob, string(p)) {
			m.refuse("protected", p, "", "%s is protected by the rulebook (%s) and is never touched.", p, glob)
			return false
		}
	}
	return true
}

// newFolder is the permission bits of a new folder: the usual ones.
const newFolder = 0o755

func (m *ground) modes(s tree.State) tree.State {
	if !m.req.Host.Modes {
		s.Mode = 0
	}
	return s
}
