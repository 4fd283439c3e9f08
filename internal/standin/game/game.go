// Package game is the made-up games of the demo as a server would run them: a
// process that reads its own folder by its own rules, refuses what a real one
// would, writes a log, answers a console, and rewrites its own settings. It knows
// nothing of the product and of rulebooks.
//
// How it misbehaves is told by a file named [RulesFile] in its folder, one word
// and perhaps a value a line; the file is read at each start.
package game

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"
)

// RulesFile tells a game how to misbehave:
//
//	start-takes 2s     before it is ready; 200ms if it is not said
//	stop-takes 2s      after it was told to stop; 100ms if it is not said
//	crash-on-start     it ends with an error before it is ready
//	never-ready        it runs, and the gates stay shut
//	hang-on-stop       it takes no notice of being told to stop
//	slow-log 500ms     its log reaches the disk so much later
//	panel-list a,b     a panel writes its own list over the settings at each start
//	bad-key            its licence is refused, which concerns no add-on
const RulesFile = "standin.rules"

// Options are how a game is run.
type Options struct {
	Folder   string
	Game     string // "tidewright", "lanternfall" or "mossgrave"
	Console  string // address for RCON; empty: none
	Password string // for it
	// Program is by which of its program files it is started; empty for the
	// game's own.
	Program string
}

// ErrCrashed is returned by a game that was told to crash.
var ErrCrashed = errors.New("it crashed")

// play is a game while it runs.
type play struct {
	Options
	rules map[string]string
	log   *log
	kind  kind

	mu     sync.Mutex
	loaded []addon
	// crashed is set by an add-on that brings the whole game down.
	crashed bool
}

// addon is something that was loaded.
type addon struct{ name, version string }

// kind is what one game does otherwise than the others.
type kind interface {
	logFile() string
	rotate() string // what becomes of an older log: "keep", "empty" or "aside"
	// load reads what is named and refuses what does not fit.
	load(p *play) []addon
	// begin is what the program file does that it is started by; ended tells that
	// this was all.
	begin(p *play) (ended bool, err error)
	// ready is the line that says that people may come in.
	ready() string
	// edition says which version of the game this is: the log shows it after the start.
	edition(p *play) string
	// first makes what is there only once it has run.
	first(p *play) error
	// tick is done now and then while it runs, leave at the end.
	tick(p *play) error
	leave(p *play) error
	// answer gives the console's answer to a line; ok is false for one it does
	// not know.
	answer(p *play, line string) (text string, ok bool)
}

func kindOf(game string) (kind, error) {
	switch game {
	case "tidewright":
		return harbour{}, nil
	case "lanternfall":
		return &fair{}, nil
	case "mossgrave":
		return caves{}, nil
	}
	return nil, fmt.Errorf("there is no stand-in for a game called %q", game)
}

// PIDFile is where a running game notes its process, below its folder.
const PIDFile = "standin.pid"

// Run runs a game until the context ends, which is how it is told to stop.
func Run(ctx context.Context, o Options) (err error) {
	k, err := kindOf(o.Game)
	if err != nil {
		return err
	}
	p := &play{Options: o, kind: k, rules: readRules(filepath.Join(o.Folder, RulesFile))}
	if p.log, err = openLog(filepath.Join(o.Folder, filepath.FromSlash(k.logFile())), k.rotate(), p.span("slow-log", 0)); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, p.log.Close()) }()
	pid := filepath.Join(o.Folder, PIDFile)
	if err := os.WriteFile(pid, []byte(strconv.Itoa(os.Getpid())+"\n"), 0o644); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.Remove(pid)) }()
	p.log.line("starting")
	if !p.wait(ctx, p.span("start-takes", 200*time.Millisecond)) {
		return nil
	}
	if p.hasRule("crash-on-start") {
		p.log.line("fatal: the floor gave way")
		return ErrCrashed
	}
	if p.hasRule("bad-key") {
		p.log.line("error: the licence key was refused; nobody outside can see this server")
	}
	if ended, err := k.begin(p); err != nil || ended {
		return err
	}
	if said := k.edition(p); said != "" {
		p.log.line("%s", said)
	}
	if err := k.first(p); err != nil {
		return err
	}
	p.mu.Lock()
	p.loaded = k.load(p)
	p.mu.Unlock()
	if p.crashed {
		return ErrCrashed
	}
	if o.Console != "" {
		c, err := listenConsole(o.Console, o.Password, p.answer)
		if err != nil {
			p.log.line("fatal: the console: %v", err)
			return err
		}
		defer c.Close()
	}
	if !p.hasRule("never-ready") {
		p.log.line("%s", k.ready())
	}
	for p.wait(ctx, 200*time.Millisecond) {
		if err := k.tick(p); err != nil {
			return err
		}
	}
	if p.hasRule("hang-on-stop") {
		p.log.line("stopping, as soon as everybody has gone home")
		select {}
	}
	time.Sleep(p.span("stop-takes", 100*time.Millisecond))
	err = k.leave(p)
	p.log.line("stopped")
	return err
}

func (p *play) hasRule(word string) bool { _, ok := p.rules[word]; return ok }

// rule is what a rule says, or else something usual.
func (p *play) rule(word, otherwise string) string {
	if v := p.rules[word]; v != "" {
		return v
	}
	return otherwise
}

func (p *play) span(word string, otherwise time.Duration) time.Duration {
	if d, err := time.ParseDuration(p.rules[word]); err == nil {
		return d
	}
	return otherwise
}

// wait tells whether the game goes on after some time.
func (p *play) wait(ctx context.Context, d time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(d):
		return true
	}
}

func (p *play) path(parts ...string) string {
	return filepath.Join(append([]string{p.Folder}, parts...)...)
}

// read gives a text of the folder, empty where there is none.
func (p *play) read(parts ...string) string {
	raw, err := os.ReadFile(p.path(parts...))
	if err != nil {
		return ""
	}
	return string(raw)
}

// make writes a text that is not there yet.
func (p *play) make(text string, parts ...string) error {
	at := p.path(parts...)
	if _, err := os.Lstat(at); err == nil {
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
		return err
	}
	return os.WriteFile(at, []byte(text), 0o644)
}

// answer is the console's.
func (p *play) answer(line string) string {
	p.mu.Lock()
	defer p.mu.Unlock()
	if said, ok := strings.CutPrefix(line, "say "); ok {
		p.log.line("everybody hears: %s", said)
		return ""
	}
	if text, ok := p.kind.answer(p, line); ok {
		return text
	}
	return "unknown command: " + line + "\n"
}

// findAddon tells whether something of that name was loaded.
func findAddon(loaded []addon, name string) (addon, bool) {
	for _, a := range loaded {
		if a.name == name {
			return a, true
		}
	}
	return addon{}, false
}

func readRules(file string) map[string]string {
	out := map[string]string{}
	raw, err := os.ReadFile(file)
	if err != nil {
		return out // it behaves
	}
	for line := range strings.Lines(string(raw)) {
		if word, value, _ := strings.Cut(strings.TrimSpace(line), " "); word != "" {
			out[word] = strings.TrimSpace(value)
		}
	}
	return out
}
