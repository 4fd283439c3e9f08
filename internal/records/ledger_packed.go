package records

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
)

// What an event says of a path is kept packed: states by their bytes, claims by the
// number of who makes them. A server with many files has as many events for each of
// its deployments.

// beings in the order in which they are numbered; the numbers are on disk.
var beings = []tree.Being{tree.Absent, tree.Unknown, tree.Folder, tree.Content, tree.Foreign}

var roles = []draft.Role{draft.Owns, draft.Shares, draft.Overlays}

var errEvent = errors.New("an event of the ledger is damaged")

// claimant is who claims paths: one version of an add-on on one server.
type claimant struct {
	Addon string
	Label string
	Crate tree.Digest
}

func claimantOf(c draft.Claim) claimant { return claimant{c.Addon, c.Label, c.Crate} }

func (p *packer) state(s tree.State) {
	being := max(0, slices.Index(beings, s.Being))
	p.buf = append(p.buf, byte(being))
	if s.Being == tree.Content {
		p.digest(s.Digest)
		p.number(s.Size)
	}
	p.number(int64(s.Mode))
}

func (u *unpacker) state() (s tree.State) {
	b := u.next(1)
	if b == nil || int(b[0]) >= len(beings) {
		u.err = errEvent
		return s
	}
	if s.Being = beings[b[0]]; s.Being == tree.Content {
		s.Digest, s.Size = u.digest(), u.number()
	}
	s.Mode = uint32(u.number())
	return s
}

// claims writes claims beside the state of their path: most bring the bytes that stand
// there, and those are not written twice.
func (p *packer) claims(all []draft.Claim, beside tree.State, number func(claimant) int64) {
	p.number(int64(len(all)))
	for _, c := range all {
		p.number(number(claimantOf(c)))
		brings, same := !c.Brings.Digest.IsZero(), c.Brings == bytesOf(beside)
		p.flags(brings, brings && same)
		p.number(int64(max(0, slices.Index(roles, c.Role))))
		if brings && !same {
			p.digest(c.Brings.Digest)
			p.number(c.Brings.Size)
		}
	}
}

func bytesOf(s tree.State) draft.Bytes { return draft.Bytes{Digest: s.Digest, Size: s.Size} }

func (u *unpacker) claims(beside tree.State, who func(int64) (claimant, bool)) []draft.Claim {
	n := u.length()
	if n == 0 {
		return nil
	}
	out := make([]draft.Claim, n)
	for i := range out {
		id, role, brings := u.claim(beside)
		w, known := who(id)
		if u.err != nil || !known || role < 0 || int(role) >= len(roles) {
			u.err = errEvent
			return nil
		}
		out[i] = draft.Claim{Addon: w.Addon, Label: w.Label, Crate: w.Crate, Role: roles[role], Brings: brings}
	}
	return out
}

// claim reads one claim: the number of who makes it, that of its role, and what it brings.
func (u *unpacker) claim(beside tree.State) (id, role int64, bytes draft.Bytes) {
	id = u.number()
	var brings, same bool
	u.flags(&brings, &same)
	role = u.number()
	switch {
	case same:
		bytes = bytesOf(beside)
	case brings:
		bytes = draft.Bytes{Digest: u.digest(), Size: u.number()}
	}
	return id, role, bytes
}

// packChange packs a change without its path.
func packChange(c draft.Change, number func(claimant) int64) []byte {
	p := &packer{buf: make([]byte, 0, 96)}
	p.buf = append(p.buf, packedForm)
	p.state(c.Before)
	p.state(c.After)
	p.claims(c.ClaimsBefore, c.Before, number)
	p.claims(c.ClaimsAfter, c.After, number)
	if len(c.ListedBefore)+len(c.ListedAfter)+len(c.Edits)+len(c.TweaksBefore)+len(c.TweaksAfter) > 0 || c.Moved != tree.Root {
		p.text(text(textEdit{c.ListedBefore, c.ListedAfter, c.Edits, c.TweaksBefore, c.TweaksAfter, c.Moved}))
	}
	return p.buf
}

func unpackChange(raw []byte, who func(int64) (claimant, bool)) (c draft.Change, err error) {
	if len(raw) == 0 || raw[0] != packedForm {
		return c, errEvent
	}
	u := &unpacker{buf: raw[1:]}
	c.Before, c.After = u.state(), u.state()
	c.ClaimsBefore, c.ClaimsAfter = u.claims(c.Before, who), u.claims(c.After, who)
	if u.err == nil && len(u.buf) > 0 {
		var edit textEdit
		if err := json.Unmarshal([]byte(u.text()), &edit); err != nil || u.err != nil {
			return c, fmt.Errorf("%w: %w", errEvent, errors.Join(err, u.err))
		}
		c.ListedBefore, c.ListedAfter, c.Edits = edit.Before, edit.After, edit.Edits
		c.TweaksBefore, c.TweaksAfter, c.Moved = edit.TweaksBefore, edit.TweaksAfter, edit.Moved
	}
	return c, u.err
}

// mayTouch tells whether a packed change may be one that touches an add-on, without unpacking what
// it says of texts: one of its claimants is among some, or the add-on's name stands in the rest.
// Of what is damaged it says yes, so that whoever unpacks it is told.
func mayTouch(raw []byte, some func(id int64) bool, name []byte) bool {
	if len(raw) == 0 || raw[0] != packedForm {
		return true
	}
	u := &unpacker{buf: raw[1:]}
	for _, beside := range []tree.State{u.state(), u.state()} {
		for range u.length() {
			if id, _, _ := u.claim(beside); u.err != nil || some(id) {
				return true
			}
		}
	}
	return u.err != nil || bytes.Contains(u.buf, name)
}

// unpackBefore reads of a packed change what was there before.
func unpackBefore(raw []byte) (tree.State, error) {
	if len(raw) == 0 || raw[0] != packedForm {
		return tree.State{}, errEvent
	}
	u := &unpacker{buf: raw[1:]}
	s := u.state()
	return s, u.err
}

// textEdit is what an event says of a text that was edited.
type textEdit struct {
	Before []draft.Listing `json:"before,omitempty"`
	After  []draft.Listing `json:"after,omitempty"`
	Edits  []draft.Edit    `json:"edits,omitempty"`
	// Tweaks that hold on it.
	TweaksBefore []draft.Tweaked `json:"tweaksBefore,omitempty"`
	TweaksAfter  []draft.Tweaked `json:"tweaksAfter,omitempty"`
	Moved        tree.Path       `json:"moved,omitempty"`
}
