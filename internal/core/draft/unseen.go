package draft

import (
	"fmt"
	"maps"
	"slices"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// unseen is what the ledger owns and a look did not find, behind one path.
type unseen struct {
	files int
	label string // of the add-on that owns the first of them
}

// unseen notes a file that shall go and is not seen. The ledger would forget it
// though nothing shows that it is gone: what is missing may stand behind a link, or
// on a disk that is not mounted. A single old file that an update would take away is
// only told of: somebody did by hand what the update does.
func (m *decider) unseen(p tree.Path, row Row) {
	at := p
	for _, up := range p.Ancestors() {
		if m.obs.At(up).State.Being != tree.Folder {
			at = up
			break
		}
	}
	if at == p && replaces(m.req, row.Claims[0].Addon) {
		m.report(finding.Warn, "missing-file", p, "The ledger forgets it.", "%s belongs to %s and is gone from the server; the new version has no such file.", p, row.Claims[0].Label)
		return
	}
	if m.gone[at] == nil {
		m.gone[at] = &unseen{label: row.Claims[0].Label}
	}
	m.gone[at].files++
}

// sayUnseen blocks on what cannot be seen, once for each path that hides it.
func (m *decider) sayUnseen() {
	for _, at := range slices.Sorted(maps.Keys(m.gone)) {
		u := m.gone[at]
		what := fmt.Sprintf("%s of %s", words.Count(u.files, "file"), u.label)
		switch m.obs.At(at).State.Being {
		case tree.Foreign:
			m.report(finding.Block, "behind-link", at, "Put the folder back in the link's place; or accept this to have the ledger forget them, and what is behind the link left alone.",
				"%s is a link on the server now; links are not followed, so %s below it cannot be seen or taken away.", at, what)
		case tree.Content:
			m.report(finding.Block, "missing-file", at, "Accept this to have the ledger forget them.",
				"%s is a file on the server now, and %s stood below it.", at, what)
		default:
			m.report(finding.Block, "missing-file", at, "If that is as it should be, accept this to have the ledger forget it; if a disk or folder is only missing for now, bring it back first.",
				"%s is not on the server, and %s should be there: nothing of it can be taken away.", at, what)
		}
	}
}
