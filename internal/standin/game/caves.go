package game

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
)

// caves is Mossgrave: cave folders that the start script names in a launch value,
// with seals that must be among the trusted ones.
type caves struct{}

func (caves) logFile() string { return "logs/survey.log" }
func (caves) rotate() string  { return "keep" }
func (caves) ready() string   { return "survey open" }

// edition is in a text of the tree; the log says nothing of it.
func (caves) edition(*play) string { return "" }

var caveEdition = regexp.MustCompile(`edition (\d+\.\d+)`)

func (caves) survey(p *play) string {
	if m := caveEdition.FindStringSubmatch(p.read("survey.edition")); m != nil {
		return m[1]
	}
	return "7.2"
}

func (caves) begin(*play) (bool, error) { return false, nil }

var (
	launchValue = regexp.MustCompile(`--caves="([^"]*)"`)
	caveValue   = regexp.MustCompile(`(?m)^(id|version|for|side)\s*=\s*"([^"]*)"`)
	caveNeeds   = regexp.MustCompile(`id = "([^"]+)", version`)
	caveClash   = regexp.MustCompile(`(?m)^conflicts = \[(.*)\]$`)
)

func (c caves) load(p *play) (out []addon) {
	m := launchValue.FindStringSubmatch(p.read("start-survey.sh"))
	if m == nil {
		p.log.line("error: start-survey.sh names no caves")
		return nil
	}
	var named []string
	for _, n := range strings.Split(m[1], "|") {
		if n = strings.TrimSpace(n); n != "" {
			named = append(named, n)
		}
	}
	for _, name := range named {
		shut := func(why string, args ...any) { p.log.line("cave %s shut: "+why, append([]any{name}, args...)...) }
		text := p.read("caves", name, "cave.toml")
		if text == "" {
			shut("there is no caves/%s/cave.toml", name)
			continue
		}
		said := map[string]string{}
		for _, v := range caveValue.FindAllStringSubmatch(text, -1) {
			said[v[1]] = v[2]
		}
		if why := c.unfit(p, name, text, said, out, named); why != "" {
			shut("%s", why)
			continue
		}
		p.log.line("cave %s %s open", name, said["version"])
		out = append(out, addon{name, said["version"]})
	}
	return out
}

// unfit says why a cave stays shut, empty where it does not.
func (c caves) unfit(p *play, name, text string, said map[string]string, open []addon, named []string) string {
	seals, _ := filepath.Glob(p.path("caves", name, "seals", "*.seal")) // the pattern is right
	for _, s := range seals {
		if p.read("trusted-seals", filepath.Base(s)) == "" {
			return fmt.Sprintf("its seal %s is not among the trusted ones", filepath.Base(s))
		}
	}
	for _, need := range caveNeeds.FindAllStringSubmatch(text, -1) {
		if _, there := findAddon(open, need[1]); !there {
			p.log.line("cave %s wants %s", name, need[1])
			return "what it wants is not open before it"
		}
	}
	if m := caveClash.FindStringSubmatch(text); m != nil {
		for _, other := range lfWord.FindAllStringSubmatch(m[1], -1) {
			for _, n := range named {
				if n == other[1] {
					return "it cannot be open together with " + n
				}
			}
		}
	}
	if fits := said["for"]; fits != "" && !strings.Contains(fits, c.survey(p)) {
		return fmt.Sprintf("it is for %s, and this is %s", fits, c.survey(p))
	}
	if said["side"] == "player" {
		return "it is for players only"
	}
	return ""
}

func (caves) first(p *play) error {
	if err := p.make("depth = 300\n", "survey.conf"); err != nil {
		return err
	}
	return p.make("nobody yet\n", "expeditions", "book.txt")
}

func (caves) tick(p *play) error {
	return os.WriteFile(p.path("expeditions", "now.txt"), []byte("two are below\n"), 0o644)
}

func (caves) leave(*play) error { return nil }

func (caves) answer(p *play, line string) (string, bool) {
	if line != "caves" {
		return "", false
	}
	var out strings.Builder
	for _, a := range p.loaded {
		fmt.Fprintf(&out, "- %s %s\n", a.name, a.version)
	}
	return out.String(), true
}
