// Command pages measures what the main pages of the console cost: bytes and requests over the line, the
// time until what they are for is seen, over a line of 40 ms and 10 Mbit/s with nothing kept by the
// browser, and how many nodes they draw. The peer, in the same run, is the sign-in page, which holds
// nothing but a field.
package main

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"restlesscrate/bench/program"
	"restlesscrate/internal/client"
	"restlesscrate/internal/testbed/browser"
)

const (
	latency = 40               // milliseconds there and back
	rate    = 10_000_000 / 8   // bytes a second
	rounds  = 3                // of which the median counts
	settle  = time.Second / 20 // between looks at whether a page is there
)

const book = `format: 1
name: crowds
title: Crowds
places: {stalls: {path: stalls}}
kinds:
  stall:
    recognise: {marker: stall.lf}
    version: {read: {file: stall.lf, match: '^version = (.*)'}}
    put: [{take: "**", place: stalls, as: "{name}/{path}"}]
`

// asked is a page, and what tells that it is there.
type asked struct{ name, path, there string }

// cost is what a page took.
type cost struct {
	KB, Requests, Nodes float64
	Millis              float64
}

func main() {
	bin := flag.String("program", "bin/restless", "the built program, with its console")
	sizes := flag.String("files", "5000,20000", "how many files the server's add-on has, one part of the table each")
	out := flag.String("out", "", "the file to write the table to as well")
	flag.Parse()
	var page strings.Builder
	fmt.Fprintf(&page, "# Pages\n\nMade by bench/pages on %s: each page of the console opened with nothing kept by the browser, over a line\nof %d ms and %d Mbit/s; the median of %d. Time is until what the page is for is seen.\n", time.Now().Format(time.DateOnly), latency, rate*8/1_000_000, rounds)
	ctx := context.Background()
	for _, word := range strings.Split(*sizes, ",") {
		n, err := strconv.Atoi(word)
		if err == nil {
			err = program.Within(ctx, *bin, "pages", func(s *program.Service, dir string) error {
				return measure(ctx, s, dir, n, &page)
			})
		}
		if err != nil {
			log.Fatal(err)
		}
	}
	if err := program.Publish(page.String(), *out); err != nil {
		log.Fatal(err)
	}
}

// pack is a download of one add-on with so many files.
func pack(n int) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(file, text string) error {
		w, err := z.Create(file)
		if err != nil {
			return err
		}
		_, err = w.Write([]byte(text))
		return err
	}
	err := put("crowd-main/stall.lf", "version = 1.0\n")
	for i := range n - 1 {
		err = errors.Join(err, put(fmt.Sprintf("crowd-main/people/p%03d/n%05d.txt", i%100, i), fmt.Sprint(i)))
	}
	err = errors.Join(err, z.Close())
	return b.Bytes(), err
}

func measure(ctx context.Context, s *program.Service, dir string, files int, page *strings.Builder) error {
	crate, err := furnish(ctx, s, filepath.Join(dir, "server"), files)
	if err != nil {
		return err
	}
	p, end, err := browser.Open(ctx, 1280, 800)
	if err != nil {
		return err
	}
	defer end()
	if err := signIn(ctx, p, s); err != nil {
		return err
	}
	pages := []asked{
		{"sign-in (the peer)", "/sign-in?stay", "form"},
		{"desk", "/", "[data-desk]"},
		{"server", "/servers/crowded", "[data-addon]"},
		{"files", "/servers/crowded/files", "[role=treeitem]"},
		{"deployment", "/servers/crowded/deployments/1", "[data-fold]"},
		{"crate", "/crates/" + crate, "[data-map] .line"},
		{"staging", "/staging", "[data-row]"},
	}
	near := map[string]float64{}
	for _, a := range pages {
		c, err := costOf(p, s.URL+a.path, a.there)
		if err != nil {
			return fmt.Errorf("%s: %w", a.name, err)
		}
		near[a.name] = c.Millis
	}
	moved, err := scrolled(p, s.URL+"/crates/"+crate, files)
	if err != nil {
		return err
	}
	if err := p.Line(latency, rate); err != nil {
		return err
	}
	fmt.Fprintf(page, "\n## %d files\n\n| page | kB | requests | ms | ms on this machine | nodes | times the sign-in page |\n|---|---|---|---|---|---|---|\n", files)
	peer := 0.0
	for _, a := range pages {
		c, err := costOf(p, s.URL+a.path, a.there)
		if err != nil {
			return fmt.Errorf("%s: %w", a.name, err)
		}
		if peer == 0 {
			peer = c.Millis
		}
		fmt.Fprintf(page, "| %s | %.0f | %.0f | %.0f | %.0f | %.0f | %.1f |\n", a.name, c.KB, c.Requests, c.Millis, near[a.name], c.Nodes, c.Millis/peer)
	}
	page.WriteString(moved)
	if err := p.Line(0, -1); err != nil { // as near as it was
		return err
	}
	run, err := reported(p, s)
	if err != nil {
		return err
	}
	page.WriteString(run)
	return nil
}

// furnish has a server with one add-on of so many files, and gives the crate.
func furnish(ctx context.Context, s *program.Service, root string, files int) (crate string, err error) {
	if err := os.MkdirAll(root, 0o755); err != nil {
		return "", err
	}
	if _, err := s.AddBook(book); err != nil {
		return "", err
	}
	raw, err := pack(files)
	if err != nil {
		return "", err
	}
	var label string
	c := client.New(s.URL, s.Token)
	staged, err := c.Stage(ctx, client.Staging{Filename: "crowd-main.zip", Rulebook: "crowds"}, bytes.NewReader(raw), int64(len(raw)), nil)
	if err != nil {
		return "", err
	}
	for _, b := range staged.Rulebooks {
		for _, x := range b.Crates {
			crate, label = x.Digest, x.Label
		}
	}
	for _, args := range [][]string{{"server", "add", "crowded", "--rulebook", "crowds", "--folder", root}, {"server", "test", "crowded"}, {"deploy", "crowded", label, "--yes"}} {
		if _, err := s.Restless(args...); err != nil {
			return "", err
		}
	}
	return crate, nil
}

func signIn(ctx context.Context, p *browser.Page, s *program.Service) error {
	c := client.New(s.URL, s.Token)
	link, err := c.SignInLink(ctx)
	if err != nil {
		return err
	}
	if err := p.Go(link.URL); err != nil {
		return err
	}
	return p.See("Servers")
}

// costOf opens a page some times and gives what it took in the middle.
func costOf(p *browser.Page, url, there string) (cost, error) {
	var all []cost
	for range rounds {
		if err := p.Go(url); err != nil {
			return cost{}, err
		}
		millis, err := browser.Until[float64](p, there, fmt.Sprintf("document.querySelector(%q) ? performance.now() : null", there))
		if err != nil {
			return cost{}, err
		}
		time.Sleep(settle)
		c, err := browser.Eval[cost](p, `(() => { const all = [...performance.getEntriesByType('navigation'), ...performance.getEntriesByType('resource')];
			return {KB: all.reduce((n, e) => n + e.transferSize, 0) / 1000, Requests: all.length, Nodes: document.querySelectorAll('*').length, Millis: 0}; })()`)
		if err != nil {
			return cost{}, err
		}
		c.Millis = millis
		all = append(all, c)
	}
	slices.SortFunc(all, func(a, b cost) int { return int(a.Millis - b.Millis) })
	return all[len(all)/2], nil
}
