package game

import (
	"fmt"
	"os"
	"regexp"
	"strings"
	"time"
)

// fair is Lanternfall: stall folders that fair.order calls in its order.
type fair struct{ visitors int }

func (*fair) logFile() string { return "fair.log" }
func (*fair) rotate() string  { return "empty" }
func (*fair) ready() string   { return "the fair is open" }

func (*fair) edition(p *play) string {
	return "a fair of edition " + p.rule("edition", "2.1") + " comes to town"
}

func (*fair) begin(*play) (bool, error) { return false, nil }

var (
	lfVersion = regexp.MustCompile(`(?m)^version\s*=\s*"([^"]+)"`)
	lfNeeds   = regexp.MustCompile(`needs\s*=\s*\{([^}]*)\}`)
	lfWord    = regexp.MustCompile(`"([^"]+)"`)
)

func (f *fair) load(p *play) (out []addon) {
	conf := strings.Fields(strings.ReplaceAll(p.read("fair.conf"), " = ", "="))
	p.log.line("the fair is set up with %s", strings.Join(conf, ", "))
	for n, line := range strings.Split(p.read("fair.order"), "\n") {
		line = strings.TrimSpace(line)
		if line == "" || line[0] == '#' {
			continue
		}
		name, called := strings.CutPrefix(line, "call ")
		if !called {
			p.log.line("error: fair.order line %d is not understood: %s", n+1, line)
			continue
		}
		name, _, _ = strings.Cut(name, " #")
		f.stall(p, strings.TrimSpace(name), &out)
	}
	for _, line := range strings.Split(p.read("fair.troupes"), "\n") {
		if id, ok := strings.CutPrefix(strings.TrimSpace(line), "invite "); ok {
			p.log.line("stall %s opens, version 7", id)
			out = append(out, addon{id, "7"})
		}
	}
	return out
}

// stall opens one stall, or says why it stays shut.
func (f *fair) stall(p *play, name string, out *[]addon) {
	shut := func(why string) { p.log.line("stall %s stays shut: %s", name, why) }
	text := p.read("stalls", name, "stall.lf") + p.read("stalls", name, "booth.lf")
	version := lfVersion.FindStringSubmatch(text)
	_, twice := findAddon(*out, name)
	switch {
	case twice:
		shut("it is called twice")
		return
	case text == "":
		shut("there is no stalls/" + name + " with a manifest")
		return
	case version == nil || strings.Count(text, `"`)%2 != 0:
		shut("its manifest is not understood")
		return
	}
	if m := lfNeeds.FindStringSubmatch(text); m != nil {
		for _, need := range lfWord.FindAllStringSubmatch(m[1], -1) {
			if _, there := findAddon(*out, need[1]); !there {
				p.log.line("stall %s asks for %s", name, need[1])
				shut("it is called before what it asks for, or without it")
				return
			}
		}
	}
	p.log.line("stall %s opens, version %s", name, version[1])
	*out = append(*out, addon{name, version[1]})
	if err := p.make("penny = 1\n", "stalls", name, "prices.lf"); err != nil {
		p.log.line("error: %v", err)
	}
}

func (*fair) first(p *play) error { return p.make("lamps = 40\nmusic = \"soft\"\n", "fair.conf") }

// tick writes what it counts, while it runs.
func (f *fair) tick(p *play) error {
	f.visitors++
	return os.WriteFile(p.path("fair.state"), []byte(fmt.Sprintf("visitors = %d\n", f.visitors)), 0o644)
}

// leave writes its settings in its own way, in which comments are lost.
func (*fair) leave(p *play) error {
	var keep []string
	for _, line := range strings.Split(p.read("fair.conf"), "\n") {
		if name, value, ok := strings.Cut(line, "="); ok && !strings.HasPrefix(line, "#") {
			keep = append(keep, strings.TrimSpace(name)+" = "+strings.TrimSpace(value))
		}
	}
	return os.WriteFile(p.path("fair.conf"), []byte(strings.Join(keep, "\n")+"\n"), 0o644)
}

func (f *fair) answer(p *play, line string) (string, bool) {
	switch name, reopen := strings.CutPrefix(line, "reopen "); {
	case line == "stalls":
		var out strings.Builder
		for _, a := range p.loaded {
			fmt.Fprintf(&out, "* %s %s\n", a.name, a.version)
		}
		return out.String(), true
	case reopen:
		kept := p.loaded[:0:0]
		for _, a := range p.loaded {
			if a.name != name {
				kept = append(kept, a)
			}
		}
		p.loaded = kept
		f.stall(p, name, &p.loaded)
		return "reopened at " + time.Now().UTC().Format(time.TimeOnly) + "\n", true
	}
	return "", false
}
