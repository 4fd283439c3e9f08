// Command screenshots makes the pictures in docs/screenshots: it starts the
// built program's demo, signs in with the link that it prints, and looks at
// every page.
package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"time"

	"restlesscrate/internal/testbed/browser"
)

func main() {
	program := flag.String("program", "bin/restless", "the built program")
	folder := flag.String("to", "docs/screenshots", "where the pictures go")
	flag.Parse()
	ctx, stop := context.WithTimeout(context.Background(), 5*time.Minute)
	defer stop()
	if err := run(ctx, *program, *folder); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, program, folder string) error {
	link, data, end, err := startDemo(ctx, program)
	if err != nil {
		return err
	}
	defer end()
	p, closeIt, err := browser.Open(ctx, 1280, 800)
	if err != nil {
		return err
	}
	defer closeIt()
	t := tour{Page: p, folder: folder, base: link.Scheme + "://" + link.Host}
	if err := p.Go(link.String()); err != nil {
		return err
	}
	if err := p.See("Last change"); err != nil {
		return err
	}
	for _, s := range shots {
		if err := t.shoot(s); err != nil {
			return fmt.Errorf("%s: %w", s.file, err)
		}
	}
	for _, c := range commands {
		if err := t.terminal(ctx, program, data, c.file, c.args); err != nil {
			return err
		}
	}
	return nil
}

var (
	signIn     = regexp.MustCompile(`http://\S+/sign-in\?code=\S+`)
	dataFolder = regexp.MustCompile(`RESTLESS_DATA=(\S+)`)
)

// startDemo gives the sign-in link and the data folder once the demo has printed them.
func startDemo(ctx context.Context, program string) (link *url.URL, data string, end func(), err error) {
	cmd := exec.CommandContext(ctx, program, "demo")
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, "", nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, "", nil, err
	}
	end = func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if found := signIn.FindString(lines.Text()); found != "" {
			if link, err = url.Parse(found); err != nil {
				break
			}
		}
		if found := dataFolder.FindStringSubmatch(lines.Text()); found != nil && link != nil {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return link, found[1], end, nil
		}
	}
	end()
	return nil, "", nil, fmt.Errorf("the demo printed no sign-in link and data folder: %w", errors.Join(err, lines.Err()))
}

// shot is one picture: where, what to wait for, what to do first.
type shot struct {
	file, path, see string
	first           func(tour) error
	width           int
	dark            bool
}

var shots = []shot{
	{file: "desk", path: "/", see: "changed outside"},
	{file: "server-dark", path: "/servers/saltpan", see: "tide-lamps", dark: true},
	{file: "files", path: "/servers/saltpan-test/files?open=tidewright.conf", see: "What happened to it", first: click("What it changed", "pilot-port")},
	{file: "survey", path: "/servers/saltpan/survey", see: "Survey", first: click("Look at the whole server", "tide-base-3.2.1")},
	{file: "running", path: "/servers/lantern/running", see: "Roll call"},
	{file: "by-hand", path: "/servers/mossgrave/deployments/2", see: "It is done"},
	{file: "text", path: "/servers/saltpan/texts?text=fittings/piers.yaml", see: "# one of mild", first: func(t tour) error { return t.SeeIn(".cm-content", "one of mild") }},
	{file: "timeline", path: "/servers/lantern/timeline", see: "Take back"},
	{file: "updates", path: "/servers/lantern/updates", see: "Draft 2 updates"},
	{file: "staging", path: "/staging", see: "drum-tent"},
	{file: "crate", path: "/staging", see: "drum-tent", first: func(t tour) error { return t.clickThrough("drum-tent", "As downloaded") }},
	{file: "draft", path: "/servers/lantern", see: "drum-tent", first: click("Update to 0.5.0", "Run it")},
	{file: "deployment-done", path: "/servers/lantern/deployments/2", see: "every size checked"},
	{file: "packing-list", path: "/servers/saltpan/players", see: "What players need", first: playersPage, width: 390},
	{file: "learn", path: "/", see: "Last change", first: learning},
	{file: "rulebook", path: "/rulebooks/lanternfall?at=edit", see: "It reads as a rulebook."},
	{file: "draft-narrow", path: "/servers/lantern/deployments/2", see: "every size checked", width: 390},
}

// learning adds a server of a game that no rulebook knows.
func learning(t tour) error {
	root := filepath.Join(os.TempDir(), "meadow")
	defer os.RemoveAll(root)
	for p, text := range map[string]string{
		"meadow.pem": "a key", "graze.sh": "exec ./meadow\n", "herd.order": "herd clover\nherd thistle\n", "meadow.toml": "dew = 3\n",
		"beds/clover/bed.toml": "version = \"1.0\"\n", "beds/thistle/bed.toml": "version = \"2.1\"\n",
		"logs/meadow.log": "06:00 bed wakes: clover\n06:00 bed wakes: thistle\n",
	} {
		at := filepath.Join(root, filepath.FromSlash(p))
		if err := errors.Join(os.MkdirAll(filepath.Dir(at), 0o755), os.WriteFile(at, []byte(text), 0o644)); err != nil {
			return err
		}
	}
	return errors.Join(
		t.Click("Add a server…"), t.Fill("Name", "meadow"), t.Select("Rulebook", "\n"),
		t.Click("in a folder on the service's machine"), t.Fill("The server's root folder", root),
		t.Click("Add it"), t.See("What is an add-on of this server?"))
}

// playersPage opens the page that players see, by its unlisted address.
func playersPage(t tour) error {
	at, err := browser.Eval[string](t.Page, "document.querySelector('a[href*=\"/pack/\"]').href")
	if err != nil {
		return err
	}
	return errors.Join(t.Go(at), t.SeeIn("main", "You must have"))
}

func click(words, then string) func(tour) error {
	return func(t tour) error { return t.clickThrough(words, then) }
}

// tour is the way through the pages.
type tour struct {
	*browser.Page
	folder, base string
}

func (t tour) clickThrough(words, then string) error {
	if err := t.ClickIn("main", words); err != nil {
		return err
	}
	return t.See(then)
}

func (t tour) shoot(s shot) error {
	width, height := 1280, 800
	if s.width != 0 {
		width, height = s.width, 844
	}
	if err := t.Size(width, height); err != nil {
		return err
	}
	if err := t.Dark(s.dark); err != nil {
		return err
	}
	if err := t.Go(t.base + s.path); err != nil {
		return err
	}
	if err := t.SeeIn("main", s.see); err != nil {
		return err
	}
	if s.first != nil {
		if err := s.first(t); err != nil {
			return err
		}
	}
	return t.PNG(filepath.Join(t.folder, s.file+".png"))
}
