package draft

import (
	"fmt"
	"regexp"
	"strings"

	"restlesscrate/internal/core/tree"
)

// Hand is something that no file reaches: a person does it, with the exact text
// to copy, and ticks it off.
type Hand struct {
	What string `json:"what"`
	Text string `json:"text,omitempty"`
	Why  string `json:"why,omitempty"`
	// Back is what a person does where this is taken back: its words, and the text to copy
	// in a second line. It stays done where Back is empty.
	Back string `json:"back,omitempty"`
	// What is recorded of it: Rule are the rulebook's words, Addon the key of the add-on
	// for which it is done, empty where it is once for all; Was are the words of what had
	// been done for the same before. Undoes says that it takes that back. All are empty
	// where it sets a variable.
	Rule   string `json:"rule,omitempty"`
	Addon  string `json:"addon,omitempty"`
	Was    string `json:"was,omitempty"`
	Undoes bool   `json:"undoes,omitempty"`
	// For is the key of the add-on that only loads where a variable was set by hand.
	For string `json:"for,omitempty"`
	HandCheck
}

// HandCheck is how it is told whether something was done by hand: File is there when it is
// ticked, and holds something like Match; a line like Log is in the log since the start.
// Where Value is set, the first group of either must have found it.
type HandCheck struct {
	File  tree.Path `json:"file,omitempty"`
	Match string    `json:"match,omitempty"`
	Log   string    `json:"log,omitempty"`
	Value string    `json:"value,omitempty"`
}

// Words are what a person is told; the text to copy is the second line.
func (h Hand) Words() string {
	if h.Text == "" {
		return h.What
	}
	return h.What + "\n" + h.Text
}

// Shows tells whether a text, of which each line counts, shows by an expression that it was
// done; otherwise says what it shows instead, empty where it is nothing.
func (c HandCheck) Shows(expr, text string) (ok bool, otherwise string, err error) {
	re, err := regexp.Compile("(?m)" + expr)
	if err != nil {
		return false, "", fmt.Errorf("the check %s: %w", expr, err)
	}
	all := re.FindAllStringSubmatch(strings.ReplaceAll(text, "\r\n", "\n"), -1)
	if len(all) == 0 {
		return false, "", nil
	}
	last := all[len(all)-1] // what was said last counts
	if c.Value == "" || len(last) < 2 || strings.TrimSpace(last[1]) == c.Value {
		return true, "", nil
	}
	return false, last[1], nil
}

// askHands emits what a person has to do, in one of two phases: before the server is stopped
// wherever that can be, since a person may take their time; else before it is started.
func (m *emitting) askHands(e *emitter, phase Phase) {
	for _, h := range m.hands() {
		if (phase == Prepare) != m.canAskFirst(h) {
			continue
		}
		e.group++
		s := e.step(Step{Phase: phase, Verb: ByHand, What: strings.Replace(h.Words(), "\n", " Copy: ", 1), Reason: h.Why})
		e.motion(s, Motion{Kind: WaitMotion, Do: UntilTicked, Subject: h.Words(), Back: h.Back})
		m.d.Checked = append(m.d.Checked, h)
	}
}

// hands are what a person has to do in this leg: all of it in the first one, but for the
// program by which the server is started next.
func (m *emitting) hands() (out []Hand) {
	for _, s := range m.d.Sets {
		if s.Hand == "" || m.d.Legs > 1 && (s.Variable != Program || m.launch == nil) {
			continue
		}
		h := Hand{What: s.Hand, Text: m.value(s), Why: s.Why, For: s.Addon, HandCheck: s.Check}
		h.Value = h.Text
		h.Back = Hand{What: s.Hand, Text: s.Before}.Words()
		out = append(out, h)
	}
	if len(m.changes)+len(m.edits)+len(m.d.Deferred)+len(m.all) == 0 || m.d.Legs > 1 {
		return out
	}
	return append(out, m.req.Hands...)
}

// canAskFirst tells whether a thing can be done before the server is stopped. It cannot where
// it is looked for in a text that this deployment only brings, and what is set for the start
// of a later leg must not be set for an earlier one.
func (m *emitting) canAskFirst(h Hand) bool {
	return m.d.Legs <= 1 && (h.File == "" || m.obs.At(h.File).State.Being == tree.Content && !m.comes(h.File))
}

// comes tells whether a path is put as a whole by this draft.
func (m *emitting) comes(p tree.Path) bool {
	for _, c := range m.changes {
		if c.Path == p {
			return true
		}
	}
	return false
}
