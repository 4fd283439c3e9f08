package draft

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

// What a power motion waits for, besides the acts that it can do.
const (
	UntilStopped power.Act = "stopped"
	UntilReady   power.Act = "ready"
	UntilEnded   power.Act = "ended"  // it has run and stopped by itself
	UntilTicked  power.Act = "ticked" // a person says that it is done
	// UntilKnown waits for a server that is started to see whether it comes up; that it does not
	// is an answer, and no trouble.
	UntilKnown power.Act = "known"
)

// Effect is when a change of an add-on counts.
type Effect struct {
	Kind   string // of the add-on, for the reason
	When   string // "start", "reload" or "placed", as in a rulebook; empty is "start"
	Reload string // the line that reloads it
	Risky  string // why a person may rather not
}

// Touched is an add-on that is taken away or comes back, with when that counts.
type Touched struct {
	Addon  string      // its key; empty for a text whose entries go back
	Crate  tree.Digest // of which it is then, or was where it goes
	Label  string
	Effect Effect
	Gone   bool // nothing of it stays
}

// Power is what is known of stopping and starting a server.
type Power struct {
	Condition power.Condition // when the draft is made
	// How stopping and starting are done: "hand" where a person does it, and
	// empty where there is no way. Words are what a person is told.
	Stop, Start           string
	StopWords, StartWords string
	Takes                 []string // variables whose values the start takes
	Reload                bool     // whether a line can be sent to its console
	Rolls                 bool     // whether its log or console tells what loaded
	// Away is how long it was away the last time without our own part,
	// milliseconds; 0 where that is not known.
	Away int64
	// Leave is a person's wish that the server is not stopped.
	Leave bool
	// Trial has the server started, whether it ran before or not, to see whether it comes up.
	Trial bool
	Warns int // seconds for which players are warned first
}

const byHand = "hand"

// powerPlan says how a draft stops, starts and reloads the server.
type powerPlan struct {
	stop, start bool
	why         string
	reloads     []reload
}

// reload is an add-on that is reloaded while the server runs.
//
// back is the line that is sent where it is taken back, so that what was there before runs
// again; empty where nothing was.
type reload struct{ label, line, risky, back string }

// add adds a reload. A line that reloads several add-ons is sent once.
func (p *powerPlan) add(r reload) {
	for i := range p.reloads {
		if p.reloads[i].line == r.line {
			p.reloads[i].label += ", " + r.label
			p.reloads[i].risky = cmp.Or(p.reloads[i].risky, r.risky)
			p.reloads[i].back = cmp.Or(p.reloads[i].back, r.back)
			return
		}
	}
	p.reloads = append(p.reloads, r)
}

// plan decides whether the server is stopped, and what is reloaded instead.
func (m *running) plan() {
	p := m.req.Power
	if p == nil || len(m.changes)+len(m.edits)+len(m.deferred)+len(m.req.Returns)+len(m.req.Renew)+len(m.req.Moves)+len(m.sets) == 0 && m.launch == nil {
		return
	}
	if m.more() || m.legs > 1 || m.launch != nil { // it must run, whatever it did before
		m.power = powerPlan{stop: p.Condition != power.Stopped, start: true, why: "it is to be started anew"}
		return
	}
	if p.Trial && p.Start != "" && (p.Stop != "" || p.Condition == power.Stopped) {
		m.power = powerPlan{stop: p.Condition != power.Stopped, start: true, why: "whether it comes up is tried"}
		return
	}
	if p.Condition == power.Stopped || p.Leave {
		return
	}
	needs, why := m.needsStart()
	switch {
	case needs && p.Stop != "":
		m.power = powerPlan{stop: true, start: p.Start != "", why: why}
	case !needs:
		for _, w := range m.req.Wanted {
			if w.Effect.When == "reload" {
				back := ""
				if m.req.Present[w.Addon] {
					back = w.Effect.Reload
				}
				m.power.add(reload{w.Label(), w.Effect.Reload, w.Effect.Risky, back})
			}
		}
		for _, t := range m.req.Touched {
			if t.Effect.When == "reload" {
				m.power.add(reload{t.Label, t.Effect.Reload, t.Effect.Risky, t.Effect.Reload})
			}
		}
	}
}

// stoppedFor counts the add-ons that one stop serves. A text whose entries go back is none.
func (m *running) stoppedFor() int {
	addons := map[string]bool{}
	for _, w := range m.req.Wanted {
		addons[w.Addon] = true
	}
	for _, t := range m.req.Touched {
		if t.Addon != "" {
			addons[t.Addon] = true
		}
	}
	return len(addons)
}

// needsStart tells whether what changes takes effect only at a start, and why.
func (m *running) needsStart() (bool, string) {
	var first []string
	for _, w := range m.req.Wanted {
		switch w.Effect.When {
		case "placed":
		case "reload":
			if !m.req.Power.Reload {
				first = append(first, w.Label()+" could be reloaded, but there is no way to this server's console")
			}
		default:
			first = append(first, fmt.Sprintf("%s takes effect at a start", w.Label()))
		}
	}
	for _, t := range m.req.Touched {
		switch {
		case t.Effect.When == "placed":
		case t.Effect.When == "reload" && t.Gone:
			first = append(first, "the server keeps "+t.Label+" until a start")
		case t.Effect.When == "reload" && m.req.Power.Reload:
		case t.Addon == "" && len(m.req.Back) == 0:
			first = append(first, "a change of "+t.Label+" counts at a start")
		default:
			first = append(first, "what goes or comes back takes effect at a start")
		}
	}
	for _, s := range m.sets {
		first = append(first, s.Variable+" takes effect at a start")
	}
	if len(m.req.Returns)+len(m.req.Renew) > 0 {
		first = append(first, "what the server writes is put back or begun anew while it is stopped")
	}
	switch {
	case len(first) > 1:
		why := first[0]
		if n := m.stoppedFor(); n > 1 {
			why += "; one stop for " + words.Count(n, "add-on")
		}
		return true, why
	case len(first) == 1:
		return true, first[0]
	case len(m.req.Wanted)+len(m.req.Touched) == 0:
		return true, "what goes or comes back takes effect at a start"
	}
	return false, ""
}

// stopIt emits what comes before the swap of a server that is stopped for it.
func (m *emitting) stopIt(e *emitter) {
	if !m.power.stop {
		return
	}
	p := m.req.Power
	e.group++
	verb, what := StopIt, "the server"
	if p.Stop == byHand {
		verb, what = ByHand, p.StopWords
	}
	reason := m.power.why
	if p.Warns > 0 {
		reason += fmt.Sprintf("; players are told %d s before", p.Warns)
	}
	s := e.step(Step{Phase: Swap, Verb: verb, What: what, Reason: reason})
	e.motion(s, Motion{Kind: PowerMotion, Do: power.Stop, Subject: subjectOf(p.Stop, p.StopWords), Back: subjectOf(p.Start, p.StartWords), Ran: p.Condition != power.Stopped && m.d.Legs < 2}) // in a later leg it is this deployment that had started it
	e.group++
	e.motion(s, Motion{Kind: WaitMotion, Do: UntilStopped})
}

// startIt emits what comes after the swap: the start, the wait, and reloads.
func (m *emitting) startIt(e *emitter) {
	p := m.req.Power
	for _, r := range m.power.reloads {
		e.group++
		s := e.step(Step{Phase: Proof, Verb: ReloadIt, What: r.label, Reason: "it is taken anew without a stop: " + r.line})
		e.motion(s, Motion{Kind: PowerMotion, Do: power.Reload, Subject: r.line, Back: r.back})
	}
	m.askHands(e, Proof)
	if m.power.start {
		e.group++
		verb, what := StartIt, "the server"
		if p.Start == byHand {
			verb, what = ByHand, p.StartWords
		}
		reason := "it ran before; ready is proved by its log or its state"
		if p.Trial {
			reason = "whether it becomes ready is told, and halts nothing"
		}
		if len(m.d.Deferred) > 0 {
			reason = "so that it makes what is changed in the next leg"
		}
		with := m.with()
		for _, v := range slices.Sorted(maps.Keys(with)) {
			what += ", with " + with[v]
		}
		if m.launch != nil {
			reason = m.launch.Label + " is installed by it"
		}
		s := e.step(Step{Phase: Proof, Verb: verb, What: what, Reason: reason})
		e.motion(s, Motion{Kind: PowerMotion, Do: power.Start, Subject: subjectOf(p.Start, p.StartWords), With: with})
		e.group++
		wait := UntilReady
		if p.Trial {
			wait = UntilKnown
		}
		if m.launch != nil && m.launch.Ends {
			wait = UntilEnded
		}
		e.motion(s, Motion{Kind: WaitMotion, Do: wait})
	}
	m.nextLegs(e)
	if p == nil || !p.Rolls || m.d.more() || len(m.changes)+len(m.edits)+len(m.req.Moves) == 0 && !m.power.start && len(m.power.reloads) == 0 {
		return // nothing of the server has changed
	}
	reason := ""
	switch {
	case m.power.start:
		reason = "from the log since the start, and the console where it tells"
	case len(m.power.reloads) > 0 && m.textsAlone():
		return // nothing that loads has changed
	case len(m.power.reloads) > 0:
		reason = "from the log since the reload, and the console where it tells"
	case m.placedAlone() && !m.textsAlone():
		reason = "from the log since the change, and the console where it tells"
	default:
		return // nothing of this deployment shows before a start
	}
	e.step(Step{Phase: Proof, Verb: CallRoll, What: "what has loaded", Reason: reason})
}

// textsAlone tells whether nothing changes but values of texts.
func (m *emitting) textsAlone() bool {
	return len(m.req.Tweaks)+len(m.req.Puts)+len(m.req.Untweak) > 0 && len(m.req.Wanted)+len(m.req.Remove)+len(m.req.Toggles)+len(m.req.Back) == 0
}

// placedAlone tells whether a server that runs takes everything as it is placed.
func (m *emitting) placedAlone() bool {
	p := m.req.Power
	if p.Condition != power.Running || p.Leave || m.power.stop || len(m.req.Wanted)+len(m.req.Touched) == 0 {
		return false
	}
	needs, _ := m.needsStart()
	return !needs
}

// subjectOf gives the words of a motion that a person does.
func subjectOf(way, words string) string {
	if way == byHand {
		return words
	}
	return ""
}

// aboutPower says what becomes of a server that may be running.
func (m *telling) aboutPower() {
	p := m.req.Power
	switch {
	case p == nil || p.Stop == "" && p.Condition != power.Stopped && len(m.power.reloads) == 0:
		m.report(finding.Warn, "may-be-running", tree.Root, "Stop it yourself first if it does not like that, or tell how it is stopped.",
			"Restless Crate cannot stop this server: it may be running while its files change.").By(finding.SetControl.With())
	case p.Condition == power.Stopped && m.power.start:
		m.report(finding.Note, "is-started", tree.Root, "", "The server is stopped; it is started for this and runs afterwards.")
	case p.Condition == power.Stopped:
		m.report(finding.Note, "is-stopped", tree.Root, "", "The server is stopped, and stays so.")
	case p.Leave:
		m.report(finding.Warn, "left-running", tree.Root, "", "The server is not stopped, as you wish: its files change while it may be running.")
	case m.power.stop && !m.power.start:
		m.report(finding.Warn, "not-started", tree.Root, "Start it yourself afterwards, or tell how it is started.", "The server is stopped, and there is no way to start it again.").By(finding.SetControl.With())
	case m.power.stop:
		m.report(finding.Note, "away", tree.Root, "", "The server is away %s. Everything that can be done before is done before.", m.awayWords())
	case len(m.power.reloads) == 0:
		m.report(finding.Note, "placed-alone", tree.Root, "", "The server is not stopped: what is placed takes effect by being there.")
	}
	for _, r := range m.power.reloads {
		if r.risky != "" {
			m.report(finding.Warn, "risky-reload", tree.Root, "Have the server stopped and started instead.", "Reloading %s: %s", r.label, r.risky).By(finding.RestartInstead.With())
		}
	}
}

// awayWords says for how long the server is away, as far as is known.
func (m *telling) awayWords() string {
	ours := (m.swapMS() + m.dataMS + 999) / 1000
	if m.req.Power.Away == 0 {
		return fmt.Sprintf("for as long as it takes to stop and start, and %d s of ours", max(1, ours))
	}
	return fmt.Sprintf("about %d s, of which %d s ours", m.req.Power.Away/1000+max(1, ours), max(1, ours))
}

// Powered tells whether a draft has motions of the server as a whole.
func (d *Draft) Powered() bool { return d.Motions.Contains(Motion.OfServer) }

// CallsRoll tells whether a draft ends with a roll call.
func (d *Draft) CallsRoll() bool {
	return slices.ContainsFunc(d.Steps, callsRoll)
}

// OfServer tells whether a motion is about the server as a whole and not about a
// path.
func (m Motion) OfServer() bool { return m.Kind == PowerMotion || m.Kind == WaitMotion }

// Words say what a motion of the server does.
func (m Motion) Words() string {
	words := map[power.Act]string{power.Stop: "stopping the server", power.Start: "starting the server", power.Reload: "reloading",
		UntilStopped: "waiting until the server has stopped", UntilReady: "waiting until the server is ready", UntilKnown: "waiting to see whether the server comes up", UntilEnded: "waiting until what was started has ended by itself", UntilTicked: "waiting for a person"}[m.Do]
	return strings.TrimSpace(words + " " + m.Subject)
}

func callsRoll(s Step) bool { return s.Verb == CallRoll }

// Spare lets go of the steps that a run does not need: they are recorded by then, and as
// many as the files. A draft of which a leg is still to be drafted keeps them.
func (d *Draft) Spare() {
	if !d.More() {
		var kept []Step
		for _, s := range d.Steps {
			if callsRoll(s) {
				kept = append(kept, s)
			}
		}
		d.Steps = kept
	}
}
