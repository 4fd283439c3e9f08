package desk

import (
	"fmt"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/words"
)

// needs are what waits on one server.
func (s Server) needs() (out []Need) {
	put := func(k Kind, since int64, what, more, line string, deeds ...finding.Remedy) {
		out = append(out, Need{Kind: k, Server: s.Name, What: what, More: more, Line: line, Since: since, Deeds: deeds})
	}
	if n, is := s.reach(); is {
		out = append(out, n)
	}
	if d := s.Open; d != nil {
		switch d.State {
		case "halted":
			put(Halted, d.Since, d.Name+" stopped half-way", d.Title, d.Trouble, finding.ShowDeployment.On(d.Name))
		case "waiting":
			put(ByHand, d.Since, d.Name+" waits for you: "+bare(d.Trouble), d.Title, "", finding.TickDeployment.On(d.Name), finding.ShowDeployment.On(d.Name))
		}
	}
	if n := s.Search; n != nil && s.Open == nil {
		put(Search, n.At, "a search for what does something wrong on "+s.Name+" is not over", "off for it: "+words.Few(n.Off)+"; begun by "+n.By, "", finding.Narrow.On(s.Name))
	}
	if s.Stopped && s.Open == nil {
		put(Down, s.StoppedAt, s.Name+" is stopped", "it was told to run, and nobody stopped it from here", s.StoppedBy, finding.Start.On(s.Name), finding.ReadLog.On(s.Name))
	}
	var silent, newer []string
	for _, a := range s.Addons {
		if a.Trouble != "" {
			put(Failed, s.RolledAt, fmt.Sprintf("%s did not load on %s", a.Name, s.Name), a.Trouble, a.Line, s.afterFailure()...)
		}
		if a.Silent {
			silent = append(silent, a.Name)
		}
		if a.Newer != "" {
			newer = append(newer, a.Name+" "+a.Newer)
		}
	}
	if len(silent) > 0 {
		put(Silent, s.RolledAt, fmt.Sprintf("nothing was heard of %s on %s", words.Few(silent), s.Name),
			"load lists name it, and neither the log nor the console does", "", finding.CallRoll.On(s.Name))
	}
	for _, f := range s.Company {
		if f.Level != finding.Note {
			put(Unsuited, 0, s.Name+": "+bare(f.What), f.Mend, "", finding.ShowAddons.On(s.Name))
		}
	}
	for _, d := range s.Drafts {
		if d.Blocks > 0 {
			put(Blocked, d.Since, fmt.Sprintf("%s is drafted, and %s it", d.Name, blocks(d.Blocks)), d.Title, "", finding.ShowDeployment.On(d.Name))
		} else {
			put(Drafted, d.Since, d.Name+" is drafted and was not run", d.Title, "", finding.ShowDeployment.On(d.Name))
		}
	}
	if c := s.Changed; c != nil && c.Changed+c.Missing+c.Unknown > 0 {
		out = append(out, s.changed(*c))
	}
	for _, f := range s.Apart {
		put(Apart, s.ApartAt, s.Name+": "+bare(f.What), f.Mend, "", finding.ShowTexts.On(s.Name))
	}
	if len(newer) > 0 {
		put(Update, 0, fmt.Sprintf("%s for %s", words.Count(len(newer), "update"), s.Name), words.Few(newer)+"; staged, and not known to be wrong for it", "", finding.ShowUpdates.On(s.Name))
	}
	if len(s.Released) > 0 {
		put(Released, 0, fmt.Sprintf("feeds announce %s for %s", words.Count(len(s.Released), "newer version"), s.Name), words.Few(s.Released), "", finding.ShowUpdates.On(s.Name))
	}
	return out
}

// reach tells why a host could not be worked on at the last try.
func (s Server) reach() (Need, bool) {
	f := s.Reach
	if f == nil {
		return Need{}, false
	}
	n := Need{Kind: NoReach, Server: s.Name, What: s.Name + " could not be reached at the last try", More: bare(f.What), Since: s.TriedAt,
		Deeds: []finding.Remedy{finding.TestServer.On(s.Name), finding.EditServer.On(s.Name)}}
	switch f.Code {
	case "host-key-changed":
		n.Kind, n.What = HostKey, "the host of "+s.Name+" shows another key than the one that was confirmed"
		n.Deeds = []finding.Remedy{finding.EditServer.On(s.Name)}
	case "host-key-unknown":
		n.Kind, n.What = HostKey, "nobody has confirmed the key of the host of "+s.Name
		n.Deeds = []finding.Remedy{finding.EditServer.On(s.Name)}
	case "sign-in-refused":
		n.What = "signing in to " + s.Name + " did not work at the last try"
		n.Deeds = []finding.Remedy{finding.EditServer.On(s.Name)}
	}
	return n, true
}

// afterFailure are the deeds that help where an add-on did not load: to see what the log says,
// and to look at the deployment whose start that was.
func (s Server) afterFailure() []finding.Remedy {
	deeds := []finding.Remedy{finding.CallRoll.On(s.Name)}
	if s.RolledBy != "" {
		deeds = append(deeds, finding.ShowDeployment.On(s.RolledBy))
	}
	return deeds
}

// changed tells what was changed outside.
func (s Server) changed(c Change) Need {
	var parts []string
	for _, p := range []struct {
		n    int
		word string
	}{{c.Changed, "changed"}, {c.Missing, "missing"}, {c.Unknown, "unknown"}} {
		if p.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", p.n, p.word))
		}
	}
	n := Need{Kind: Changed, Server: s.Name, What: fmt.Sprintf("%s on %s", strings.Join(parts, ", "), s.Name), Since: c.At, Deeds: []finding.Remedy{finding.Survey.On(s.Name)}}
	if c.Changed+c.Missing > 0 {
		n.What = fmt.Sprintf("%s on %s %s changed outside", words.Count(c.Changed+c.Missing+c.Unknown, "file"), s.Name, be(c.Changed+c.Missing+c.Unknown))
		if len(parts) > 1 {
			n.More = strings.Join(parts, ", ") + "; "
		}
	} else {
		n.What = fmt.Sprintf("%s on %s that nobody deployed", words.Count(c.Unknown, "file"), s.Name)
	}
	n.More += "found by " + c.By
	if len(c.Paths) > 0 {
		n.More += ": " + words.Few(c.Paths)
	}
	return n
}

func (b Beside) needs() (out []Need) {
	for _, m := range b.Missed {
		out = append(out, Need{Kind: Missed, Server: m.Server, What: "schedule " + m.Schedule + " did not do what it was to do", More: m.Words, Since: m.At, Deeds: []finding.Remedy{finding.ShowSchedules.With(m.Schedule)}})
	}
	for _, f := range b.Unread {
		out = append(out, Need{Kind: Unread, What: "feed " + f.Feed + " could not be read at the last try", More: f.Trouble, Since: f.Since, Deeds: []finding.Remedy{finding.ShowCrates.With()}})
	}
	for _, d := range b.Untaken {
		out = append(out, Need{Kind: Untaken, What: "no crate came of " + d.Name, More: d.Why, Since: d.At, Deeds: []finding.Remedy{finding.ShowCrates.With()}})
	}
	return out
}

// bare is a sentence as it stands within another.
func bare(text string) string { return strings.TrimSuffix(strings.TrimSpace(text), ".") }

func blocks(n int) string {
	if n == 1 {
		return "a finding blocks"
	}
	return words.Count(n, "finding") + " block"
}

func be(n int) string {
	if n == 1 {
		return "was"
	}
	return "were"
}
