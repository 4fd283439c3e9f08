// Command steady has the service work and the console watch it for a long time, and tells what they hold
// all the while: a server's log grows, a deployment follows on the other, and three pages are open. The
// peer is each one's own first figure: what is steady stays near it.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"restlesscrate/bench/program"
	"restlesscrate/internal/testbed/browser"
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
log: {file: fair.log, ready: '^open$'}
`

// watched are the pages that stay open, each in a tab of its own.
var watched = []string{"/", "/servers/crowded/timeline", "/servers/crowded/running"}

const pace = 3 * time.Second // between two deployments

func main() {
	bin := flag.String("program", "bin/restless", "the built program, with its console")
	long := flag.Duration("for", time.Hour, "how long")
	every := flag.Duration("every", 5*time.Minute, "how often it is looked at")
	out := flag.String("out", "", "the file to write the table to as well")
	flag.Parse()
	ctx := context.Background()
	err := program.Within(ctx, *bin, "steady", func(s *program.Service, dir string) error {
		return run(ctx, s, dir, *out, *long, *every)
	})
	if err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, s *program.Service, dir, out string, long, every time.Duration) error {
	root := filepath.Join(dir, "server")
	if err := furnish(s, dir, root); err != nil {
		return err
	}
	tabs, end, err := open(ctx, s)
	if err != nil {
		return err
	}
	defer end()

	var page strings.Builder
	fmt.Fprintf(&page, "# Steady\n\nMade by bench/steady on %s: %s of deployments of 300 files, %s between them, while a log grows and three pages\nof the console are open. What a page holds is told once its garbage was collected.\n\n| minutes | deployments | service, MB |", time.Now().Format(time.DateOnly), long, pace)
	for _, w := range watched {
		fmt.Fprintf(&page, " %s, MB | nodes |", w)
	}
	page.WriteString("\n|---|---|---|" + strings.Repeat("---|---|", len(watched)) + "\n")
	began, next := time.Now(), time.Now().Add(time.Minute) // what is loaded once is loaded by then
	for n := 1; time.Since(began) < long; n++ {
		if err := grow(filepath.Join(root, "fair.log"), n); err != nil {
			return err
		}
		if _, err := s.Restless("deploy", "crowded", fmt.Sprintf("crowd@%d", n%2+1), "--yes"); err != nil {
			return err
		}
		if time.Now().After(next) || time.Since(began)+pace >= long {
			next = time.Now().Add(every)
			row, err := look(s, tabs, time.Since(began), n)
			if err != nil {
				return err
			}
			fmt.Print(row)
			page.WriteString(row)
		}
		time.Sleep(pace)
	}
	return program.Publish(page.String(), out)
}

// furnish adds a server, and two versions of an add-on.
func furnish(s *program.Service, dir, root string) error {
	if err := os.MkdirAll(root, 0o755); err != nil {
		return err
	}
	if _, err := s.AddBook(book); err != nil {
		return err
	}
	for _, version := range []string{"1", "2"} {
		folder := filepath.Join(dir, version, "crowd")
		if err := os.MkdirAll(filepath.Join(folder, "people"), 0o755); err != nil {
			return err
		}
		err := os.WriteFile(filepath.Join(folder, "stall.lf"), []byte("version = "+version+"\n"), 0o644)
		for i := range 300 {
			err = errors.Join(err, os.WriteFile(filepath.Join(folder, "people", fmt.Sprintf("n%03d.txt", i)), []byte(version), 0o644))
		}
		if err != nil {
			return err
		}
		if _, err := s.Restless("stage", folder, "--rulebook", "crowds"); err != nil {
			return err
		}
	}
	for _, args := range [][]string{{"server", "add", "crowded", "--rulebook", "crowds", "--folder", root}, {"server", "test", "crowded"}} {
		if _, err := s.Restless(args...); err != nil {
			return err
		}
	}
	return nil
}

// open signs a browser in and opens each page that is watched.
func open(ctx context.Context, s *program.Service) (tabs []*browser.Page, end func(), err error) {
	p, end, err := browser.Open(ctx, 1280, 800)
	if err != nil {
		return nil, nil, err
	}
	link, err := s.Restless("sign-in")
	if err == nil {
		_, address, _ := strings.Cut(string(link), "http")
		err = p.Go("http" + strings.Fields(address)[0])
	}
	if err == nil {
		err = p.See("Servers")
	}
	for i, w := range watched {
		tab := p
		if i > 0 && err == nil {
			tab, _, err = p.Another(1280, 800)
		}
		if err == nil {
			err = tab.Go(s.URL + w)
		}
		tabs = append(tabs, tab)
	}
	if err != nil {
		end()
	}
	return tabs, end, err
}

// grow adds a hundred lines to a log.
func grow(file string, n int) error {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	for i := range 100 {
		_, err = fmt.Fprintf(f, "round %d: somebody says the %dth thing of the day\n", n, i)
		if err != nil {
			break
		}
	}
	return errors.Join(err, f.Close())
}

// look tells what the service and each page hold.
func look(s *program.Service, tabs []*browser.Page, at time.Duration, n int) (string, error) {
	status, err := os.ReadFile("/proc/" + strconv.Itoa(s.Cmd.Process.Pid) + "/status")
	if err != nil {
		return "", err
	}
	_, after, _ := strings.Cut(string(status), "VmRSS:")
	kb, err := strconv.Atoi(strings.Fields(after)[0])
	if err != nil {
		return "", err
	}
	row := fmt.Sprintf("| %.0f | %d | %d |", at.Minutes(), n, kb/1024)
	for _, tab := range tabs {
		heap, nodes, err := tab.Held()
		if err != nil {
			return "", err
		}
		row += fmt.Sprintf(" %.1f | %d |", heap/(1<<20), nodes)
	}
	return row + "\n", nil
}
