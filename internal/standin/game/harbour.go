package game

import (
	"archive/zip"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
)

// harbour is Tidewright: single-file fixtures that tidewright.conf names, data
// packs that are found by lying there.
type harbour struct{}

func (harbour) logFile() string { return "tidewright.log" }
func (harbour) rotate() string  { return "aside" }
func (harbour) ready() string   { return "gates open" }

// fixture is the head of a .tdx file: lines of a word and a value, up to the
// first other one.
type fixture struct {
	file, name, version, needs, side, fits, loader, shuns string
	reshapes, breaks                                      bool
}

func readFixture(file string) (fixture, error) {
	raw, err := os.ReadFile(file)
	if err != nil {
		return fixture{}, err
	}
	f := fixture{file: filepath.Base(file)}
	if !strings.HasPrefix(string(raw), "tdx 1\n") {
		return f, fmt.Errorf("%s is no fixture", f.file)
	}
	for line := range strings.Lines(string(raw)) {
		word, value, _ := strings.Cut(strings.TrimSpace(line), " ")
		switch word {
		case "name":
			f.name = value
		case "version":
			f.version = value
		case "needs": // a range behind the name is for people
			f.needs, _, _ = strings.Cut(value, " ")
		case "side":
			f.side = value
		case "for":
			f.fits = value
		case "loader":
			f.loader, _, _ = strings.Cut(value, " ")
		case "shuns":
			f.shuns = value
		case "reshapes":
			f.reshapes = true
		case "breaks":
			f.breaks = true
		}
	}
	return f, nil
}

var confLine = regexp.MustCompile(`(?m)^([a-z-]+) = (.*)$`)

// conf reads one value of tidewright.conf.
func (p *play) conf(name string) string {
	for _, m := range confLine.FindAllStringSubmatch(p.read("tidewright.conf"), -1) {
		if m[1] == name {
			return strings.TrimSpace(m[2])
		}
	}
	return ""
}

func (harbour) tide(p *play) string { return p.rule("edition", "9.3") }

func (h harbour) edition(p *play) string {
	return "this harbour was dug for the tide of " + h.tide(p) + ", mind the step"
}

func (harbour) port(p *play) string {
	if port := p.conf("port-name"); port != "" {
		return port
	}
	return "reedbank"
}

// runs is the loader that the harbour was started with; empty for none.
func (harbour) runs(p *play) string {
	if p.Program == "keel" {
		return "keel"
	}
	return ""
}

// begin knows the keel, a loader: keel-setup cuts its gear and ends, keel needs that
// gear.
func (harbour) begin(p *play) (ended bool, err error) {
	const gear = "keelworks/gear.lib"
	switch p.Program {
	case "", "harbour":
		return false, nil
	case "keel-setup":
		if p.read("keelworks", "pattern.txt") == "" {
			p.log.line("fatal: there is no keelworks/pattern.txt to cut the gear by")
			return false, ErrCrashed
		}
		p.log.line("the gear of the keel is cut")
		return true, p.make("cut by "+p.read("keelworks", "pattern.txt"), gear)
	case "keel":
		if p.read("keelworks", "gear.lib") == "" {
			p.log.line("fatal: the keel has no gear; keel-setup cuts it")
			return false, ErrCrashed
		}
		_, version, _ := strings.Cut(strings.TrimSpace(p.read("keelworks", "pattern.txt")), "version ")
		p.log.line("loader keel %s in place", version)
		return false, nil
	}
	p.log.line("fatal: there is no program %s", p.Program)
	return false, ErrCrashed
}

func (h harbour) load(p *play) (out []addon) {
	files, _ := filepath.Glob(p.path("fixtures", "*.tdx")) // the pattern is right
	all := map[string][]fixture{}
	for _, file := range files {
		f, err := readFixture(file)
		if err != nil {
			p.log.line("error: %v", err)
			continue
		}
		all[f.name] = append(all[f.name], f)
	}
	for _, name := range strings.Split(p.conf("load-fixtures"), ",") {
		if name == "" {
			continue
		}
		refuse := func(why string, args ...any) { p.log.line("fixture %s refused: "+why, append([]any{name}, args...)...) }
		found := all[name]
		switch {
		case len(found) == 0:
			refuse("there is no such fixture")
			continue
		case len(found) > 1:
			refuse("it is there twice, as %s and %s", found[0].file, found[1].file)
			continue
		}
		f := found[0]
		switch _, there := findAddon(out, f.needs); {
		case f.needs != "" && !there:
			p.log.line("fixture %s needs %s", name, f.needs)
			refuse("something that it needs is not there")
		case f.side == "player":
			refuse("it is for players' own machines, and there is no screen here")
		case f.fits != "" && f.fits != h.tide(p):
			refuse("it is built for %s, and this is %s", f.fits, h.tide(p))
		case f.loader != "" && f.loader != p.rule("loader", h.runs(p)):
			refuse("it wants the loader %s", f.loader)
		case f.shuns != "" && strings.Contains(","+p.conf("load-fixtures")+",", ","+f.shuns+","):
			refuse("it does not stand beside %s", f.shuns)
		case p.rules["refuse"] == f.name:
			refuse("the harbour master does not like it")
		case f.breaks:
			p.log.line("fatal: fixture %s broke the floor", f.name)
			p.crashed = true
		default:
			p.log.line("fixture %s %s in place", f.name, f.version)
			out = append(out, addon{f.name, f.version})
			if f.reshapes {
				h.reshape(p, f.name)
			}
		}
	}
	h.tables(p)
	p.log.line("%s takes %s boats", p.conf("harbour-name"), p.conf("max-boats"))
	h.fit(p)
	return out
}

// reshape changes the port for good: what a fixture asks for at its first start.
func (h harbour) reshape(p *play, by string) {
	file := p.path("ports", h.port(p), "ledger", "shape.txt")
	old, _ := os.ReadFile(file) // none yet
	if strings.Contains(string(old), by+"\n") {
		return
	}
	if err := os.WriteFile(file, append(old, by+"\n"...), 0o644); err != nil {
		p.log.line("error: %v", err)
		return
	}
	p.log.line("the port is reshaped by %s", by)
}

var fittingLine = regexp.MustCompile(`(?m)^([a-z-]+): *(?:"([^"]*)"|([^ #\r\n]+))`)

// fit reads the fittings, and says what it has read. A number that is none it leaves as it was.
func (harbour) fit(p *play) {
	listens := p.conf("pilot-port")
	files, _ := filepath.Glob(p.path("fittings", "*.yaml")) // the pattern is right
	for _, file := range files {
		raw, err := os.ReadFile(file)
		if err != nil {
			p.log.line("error: %v", err)
			continue
		}
		var said []string
		for _, m := range fittingLine.FindAllStringSubmatch(string(raw), -1) {
			value := m[2] + m[3]
			if _, err := strconv.Atoi(value); m[1] == "berths" && err != nil {
				p.log.line("error: %s has berths %q, which is no number; the fitting stays out", filepath.Base(file), value)
				continue
			}
			if m[1] == "pilots-call" && listens != "" && value != listens {
				p.log.line("error: pilots call %s, and the harbour listens at %s; none of them is heard", value, listens)
			}
			said = append(said, m[1]+" "+value)
		}
		p.log.line("fitting %s: %s", strings.TrimSuffix(filepath.Base(file), ".yaml"), strings.Join(said, ", "))
	}
}

// tables reads the data packs.
func (h harbour) tables(p *play) {
	files, _ := filepath.Glob(p.path("ports", h.port(p), "tables", "*.zip")) // the pattern is right
	for _, file := range files {
		z, err := zip.OpenReader(file)
		if err != nil {
			p.log.line("error: table %s cannot be read", filepath.Base(file))
			continue
		}
		if _, err := z.Open("table.toml"); err != nil {
			p.log.line("error: table %s has no table.toml at its root", filepath.Base(file))
		} else {
			p.log.line("table %s laid out", strings.TrimSuffix(filepath.Base(file), ".zip"))
		}
		_ = z.Close()
	}
}

func (h harbour) first(p *play) error {
	if err := p.make("# Tidewright, made at its first start\nharbour-name = nameless\nmax-boats = 24\nport-name = reedbank\npilot-port = 7610\nload-fixtures = \n", "tidewright.conf"); err != nil {
		return err
	}
	piers := "# The piers. Ask the harbour master before you change them.\nberths: 24          # boats that may lie here, 1-60\ntide: mild          # one of mild, wild, still\nlights: true\nlamp-colour: \"#ffcc00\"\nswell: 0.30         # 0 is a pond, 1 is a storm\npilots-call: 7610   # the pilot-port of tidewright.conf\n# beacon: lit\n"
	if err := p.make(piers, "fittings", "piers.yaml"); err != nil {
		return err
	}
	if err := p.make("day 1\n", "ports", h.port(p), "ledger", "days.txt"); err != nil {
		return err
	}
	if list, ok := p.rules["panel-list"]; ok {
		over := regexp.MustCompile(`(?m)^load-fixtures = .*$`).ReplaceAllString(p.read("tidewright.conf"), "load-fixtures = "+list)
		if err := os.WriteFile(p.path("tidewright.conf"), []byte(over), 0o644); err != nil {
			return err
		}
	}
	// A value that it does not like it changes without a word.
	text := p.read("tidewright.conf")
	if boats := regexp.MustCompile(`(?m)^max-boats = (\d{3,})$`); boats.MatchString(text) {
		return os.WriteFile(p.path("tidewright.conf"), []byte(boats.ReplaceAllString(text, "max-boats = 99")), 0o644)
	}
	return nil
}

func (h harbour) tick(p *play) error {
	return os.WriteFile(p.path("ports", h.port(p), "ledger", "now.txt"), []byte("the tide turns\n"), 0o644)
}

// leave rewrites the settings, as servers do: how long it ran is in there.
func (harbour) leave(p *play) error {
	text := p.read("tidewright.conf")
	days := regexp.MustCompile(`(?m)^days-open = (\d+)$`)
	if !days.MatchString(text) {
		return os.WriteFile(p.path("tidewright.conf"), []byte(text+"days-open = 1\n"), 0o644)
	}
	n := 0
	_, _ = fmt.Sscan(days.FindStringSubmatch(text)[1], &n) // digits
	return os.WriteFile(p.path("tidewright.conf"), []byte(days.ReplaceAllString(text, fmt.Sprintf("days-open = %d", n+1))), 0o644)
}

func (h harbour) answer(p *play, line string) (string, bool) {
	if line == "refit" {
		h.fit(p)
		return "refitted\n", true
	}
	if line == "hands" { // who is aboard stands in a file, one to a line: nobody really plays
		raw, _ := os.ReadFile(p.path("aboard.txt")) // nobody, where there is none
		names := strings.Fields(string(raw))
		return strings.TrimSpace(fmt.Sprintf("%d hands aboard %s", len(names), strings.Join(names, ", "))) + "\n", true
	}
	if line != "fixtures" {
		return "", false
	}
	var out strings.Builder
	for _, a := range p.loaded {
		fmt.Fprintf(&out, "* %s %s\n", a.name, a.version)
	}
	return out.String(), true
}
