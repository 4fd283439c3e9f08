package draft

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/words"
)

// drifts tells what a server's texts say otherwise than the record.
func (m *telling) drifts() {
	for _, d := range m.req.Drifts {
		what := fmt.Sprintf("The record says that %s is %s, and %s says %s.", d.Variable, d.Recorded, d.Path, d.Found)
		if d.Unfit {
			m.report(finding.Warn, "value-drift", d.Path, "A draft cannot go by that value; it goes by the record. Correct the text or the record.", "%s", what).By(finding.EditServer.With())
			continue
		}
		m.report(finding.Warn, "value-drift", d.Path, "The draft goes by the text, which the server uses. Correct the record if that is to stay.", "%s", what).By(finding.SetValue.With(d.Variable + "=" + d.Found))
	}
}

// agreements tells of values that do not go together once all is done.
func (m *telling) agreements() {
	if m.req.Agree == nil {
		return
	}
	after := map[tree.Path][]byte{}
	for p, raw := range m.obs.Texts {
		after[p] = raw
	}
	for _, c := range m.changes {
		delete(after, c.Path)
		if raw, known := m.req.Shipped[c.After.Digest]; known && c.After.Being == tree.Content {
			after[c.Path] = raw
		}
	}
	for _, x := range m.edits {
		after[x.Path] = x.after
	}
	for _, b := range m.req.Agree(agree.Seen{Text: func(p tree.Path) ([]byte, bool) { raw, ok := after[p]; return raw, ok }}) {
		*m.findings = append(*m.findings, b.Finding)
	}
}

// parts tells which parts by choice are taken and which are left.
func (m *telling) parts() {
	for _, w := range m.req.Wanted {
		for _, v := range w.Values {
			m.report(finding.Note, "value", tree.Root, "Another can be chosen; the choice is kept for later versions.",
				"%s: %s is %s.", w.Label(), v.Name, cmp.Or(v.Value, "not set")).By(finding.SetVariable.With(v.Name))
		}
		for _, p := range w.Parts {
			if p.Taken {
				m.report(finding.Note, "part-taken", tree.Root, "", "%s: the part %s by choice is taken (%s).", w.Label(), p.Name, words.Count(p.Files, "file"))
			} else {
				m.report(finding.Note, "part-left", tree.Root, "It can be taken; the choice is kept for later versions.",
					"%s: the part %s by choice is left out (%s).", w.Label(), p.Name, words.Count(p.Files, "file")).By(finding.TakePart.With(p.Name))
			}
		}
	}
}

// members tells which members of a pallet are not deployed, and why.
func (m *telling) members() {
	for _, kept := range m.req.Kept {
		m.report(finding.Note, "member-kept", tree.Root, "", "%s", kept)
	}
}

// otherwise tells of changes to add-ons that are not there, and of add-ons of another kind.
func (m *telling) otherwise() {
	for _, w := range m.req.Wanted {
		if w.Lacks != "" {
			m.report(finding.Warn, "base-missing", tree.Root, "Deploy that one too, or first.", "%s changes %s, which is not on this server.", w.Label(), w.Lacks)
		}
		if w.OtherKind != "" {
			m.report(finding.Block, "other-kind", tree.Path(w.Name), "Accept this if it is the same add-on in another form: it takes the other one's place. If it is another add-on, say so of the crate, and draft again.",
				"%s is a %s, and the %s on the server is a %s.", w.Label(), w.Effect.Kind, w.Name, w.OtherKind).By(finding.TellApart.On(w.Label()))
		}
	}
}

// says reads the author's notes out. They are prose, so they are never more
// than a warning; a person ticks them off.
func (m *telling) says() {
	for _, w := range m.req.Wanted {
		for _, s := range w.Says {
			m.report(finding.Warn, "author-says", s.From, "Tick it off when it is done or does not concern you.", "The author of %s says: %s", w.Label(), s.Text)
		}
	}
}

// about adds the findings that concern the draft as a whole.
func (m *telling) about() {
	h := m.req.Host
	if m.d.Motions.Len() == 0 {
		if len(m.d.Changes) == 0 && len(*m.findings) == 0 {
			m.report(finding.Note, "nothing-to-do", tree.Root, "", "The server holds all of this already; nothing changes.")
		}
		return
	}
	m.drifts()
	m.agreements()
	if slices.ContainsFunc(m.req.Wanted, func(w Wanted) bool { return w.Adopt }) {
		return // nothing is done to the server
	}
	m.parts()
	m.members()
	m.otherwise()
	m.suits()
	m.company()
	m.named()
	m.sayOlder()
	m.sayLeftOvers()
	m.says()
	m.aboutPower()
	if !h.Tested {
		m.report(finding.Warn, "host-untested", tree.Root, "Have it tested.", "Nobody has tested what this host can do.").By(finding.TestServer.With())
	} else if !h.RenameFromWork {
		m.report(finding.Note, "no-work-folder", tree.Root, "", "This host does not rename out of a work folder; temporary files stand beside their targets.")
	}
	if h.NoWork {
		m.report(finding.Warn, "no-lock", tree.Root, "See to it that nobody else changes this server with Restless Crate from another machine.",
			"This host lets nobody make a folder at its root, so no lock there keeps another service away.")
	}
	if h.Tested && h.Free >= 0 && m.d.Counts.Send+m.d.Counts.Copied > h.Free {
		also := ""
		if m.d.Counts.Copied > 0 {
			also = fmt.Sprintf(" and %d to be copied there", m.d.Counts.Copied)
		}
		m.refuse("no-room", tree.Root, "Make room on the host.", "The host has %d bytes free and %d are to be sent%s.", h.Free, m.d.Counts.Send, also)
	}
	if m.req.Own > 0 && m.d.Counts.Keep > m.req.Own {
		m.refuse(OwnDisk, tree.Root, "Make room on the service's machine.", "The service's own disk has %d bytes free, and %d are to be kept there first.", m.req.Own, m.d.Counts.Keep)
	}
	m.swapTakes()
	m.older()
}

// OwnDisk is the code of a finding about the service's own disk, which fills and
// empties by itself. It is no part of a draft's digest.
const OwnDisk = "own-disk"

// swapTime is the code of a finding that tells what this host needs. It is no
// part of a draft's digest.
const swapTime = "swap-time"

// worthSaying is the least swap that is worth telling, in milliseconds.
const worthSaying = 2000

// swapTakes tells how long names are changed on the server, where that is more
// than a moment.
func (m *telling) swapTakes() {
	if ms := m.swapMS(); ms >= worthSaying {
		n := 0
		for mo := range m.d.Motions.All() {
			if mo.Phase == Swap && !mo.OfServer() {
				n++
			}
		}
		m.report(finding.Note, swapTime, tree.Root, "", "The swap changes %s, which takes about %d s on this host; everything else is done before it.", words.Count(n, "name"), (ms+500)/1000)
	}
}

// swapMS estimates the duration of the swap on the server, in milliseconds.
func (m *telling) swapMS() int64 {
	side := max(1, m.req.Host.SideBySide)
	ms, inGroup, group := int64(0), 0, 0
	for mo := range m.d.Motions.All() {
		if mo.Phase != Swap || mo.OfServer() {
			continue
		}
		if mo.Group != group {
			group, inGroup = mo.Group, 0
		}
		if inGroup%side == 0 {
			ms += m.req.Host.RenameMS
		}
		inGroup++
	}
	return ms
}

// labelsOf gives the labels that the files of wanted add-ons are claimed under so far.
func (m *ground) labelsOf() map[string]map[string]bool {
	there := map[string]map[string]bool{}
	for _, w := range m.req.Wanted {
		there[w.Addon] = map[string]bool{}
	}
	for _, row := range m.req.Ledger {
		for _, c := range row.Claims {
			if labels := there[c.Addon]; labels != nil {
				labels[c.Label] = true
			}
		}
	}
	return there
}

// older notes where a version goes back.
func (m *telling) older() {
	there := m.labels
	for _, w := range m.req.Wanted {
		for _, label := range slices.Sorted(maps.Keys(there[w.Addon])) {
			was := strings.TrimPrefix(label, w.Name+"@")
			if was != label && version.Compare(w.Version, was) < 0 {
				m.report(finding.Note, "older-version", tree.Root, "", "%s is older than the %s that is there.", w.Label(), was)
				break
			}
		}
	}
}
