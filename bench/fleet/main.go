// Command fleet measures what one service with many servers costs: a hundred add-ons on each, deployed
// to all of them as a group, and four schedules each. It prints a table with a column for each number
// of servers.
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
	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

const addons = 100

const book = `format: 1
name: fleet
title: Fleet
places: {stalls: {path: stalls}}
kinds:
  stall:
    recognise: {marker: stall.lf}
    several: true
    version: {read: {file: stall.lf, match: '^version = (.*)'}}
    put: [{take: "**", place: stalls, as: "{name}/{path}"}]
`

type row struct {
	what  string
	cells []string
}

type table []*row

func (t *table) put(what, cell string) {
	for _, r := range *t {
		if r.what == what {
			r.cells = append(r.cells, cell)
			return
		}
	}
	*t = append(*t, &row{what, []string{cell}})
}

func main() {
	bin := flag.String("program", "bin/restless", "the built program")
	sizes := flag.String("servers", "5,50", "how many servers, one column each")
	out := flag.String("out", "", "the file to write the table to as well")
	flag.Parse()
	var t table
	columns := strings.Split(*sizes, ",")
	for _, word := range columns {
		n, err := strconv.Atoi(word)
		if err == nil {
			ctx := context.Background()
			err = program.Within(ctx, *bin, "fleet", func(s *program.Service, dir string) error {
				return measure(ctx, s, dir, n, &t)
			})
		}
		if err != nil {
			log.Fatal(err)
		}
	}
	var page strings.Builder
	fmt.Fprintf(&page, "# Many servers\n\nMade by bench/fleet on %s: %d add-ons of 3 files on each server, in local folders, and four\nschedules each. Times are medians of 9 calls over the API.\n\n| what | %s servers |\n|---|%s\n", time.Now().Format(time.DateOnly), addons, strings.Join(columns, " servers | "), strings.Repeat("---|", len(columns)))
	for _, r := range t {
		fmt.Fprintf(&page, "| %s | %s |\n", r.what, strings.Join(r.cells, " | "))
	}
	if err := program.Publish(page.String(), *out); err != nil {
		log.Fatal(err)
	}
}

// pack is a download with every add-on in it.
func pack() ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := range addons {
		name := "stall-" + strings.Map(func(r rune) rune { return r - '0' + 'a' }, fmt.Sprintf("%03d", i))
		for file, text := range map[string]string{"stall.lf": "version = 1.0\n", "a.txt": name, "b.txt": strings.Repeat(name, 100)} {
			w, err := z.Create(name + "/" + file)
			if err != nil {
				return nil, err
			}
			if _, err := w.Write([]byte(text)); err != nil {
				return nil, err
			}
		}
	}
	err := z.Close()
	return b.Bytes(), err
}

func measure(ctx context.Context, s *program.Service, dir string, n int, t *table) error {
	if _, err := s.AddBook(book); err != nil {
		return err
	}
	c := client.New(s.URL, s.Token)
	raw, err := pack()
	if err != nil {
		return err
	}
	staged, err := c.Stage(ctx, client.Staging{Filename: "stalls-1.0.zip", Rulebook: "fleet"}, bytes.NewReader(raw), int64(len(raw)), nil)
	if err != nil {
		return err
	}
	var crates, names []string
	for _, b := range staged.Rulebooks {
		for _, x := range b.Crates {
			crates = append(crates, x.Digest)
		}
	}
	if len(crates) != addons {
		return fmt.Errorf("%d crates came of it", len(crates))
	}
	for i := range n {
		name := fmt.Sprintf("quay-%d", i)
		names = append(names, name)
		root := filepath.Join(dir, name)
		if err := os.Mkdir(root, 0o755); err != nil {
			return err
		}
		if _, err := c.AddServer(ctx, api.NewServer{Name: name, Rulebook: "fleet", Transport: api.Transport{Kind: "folder", Root: root}}); err != nil {
			return err
		}
		if _, err := c.TestServer(ctx, name); err != nil {
			return err
		}
		for j := range 4 {
			if _, err := c.AddSchedule(ctx, api.NewSchedule{Name: fmt.Sprintf("%s-%d", name, j), Server: name, Does: "survey", Cron: fmt.Sprintf("%d 3 1 1 *", j)}); err != nil {
				return err
			}
		}
	}
	if _, err := c.AddGroup(ctx, api.NewGroup{Name: "all", Servers: names}); err != nil {
		return err
	}
	begun := time.Now()
	r, err := c.DraftGroup(ctx, "all", api.NewDraft{Crates: crates, Accept: []string{"no-load-list"}}, nil)
	if err != nil {
		return err
	}
	if r, err = c.RunGroup(ctx, "all", api.RunGroup{ID: r.ID, SideBySide: 4}, nil); err != nil {
		return err
	}
	if r.State != "done" {
		return fmt.Errorf("the group is %s: %+v", r.State, r.Parts[0])
	}
	t.put("the group deployed to, four at a time", time.Since(begun).Round(time.Millisecond).String())
	median := func(what string, call func() error) error {
		var took []time.Duration
		for range 9 {
			begun := time.Now()
			if err := call(); err != nil {
				return fmt.Errorf("%s: %w", what, err)
			}
			took = append(took, time.Since(begun))
		}
		slices.Sort(took)
		t.put(what, took[len(took)/2].Round(100*time.Microsecond).String())
		return nil
	}
	for _, m := range []struct {
		what string
		call func() error
	}{
		{"status of all servers, with every add-on", func() error { _, err := c.Statuses(ctx); return err }},
		{"the desk: what needs a person, over all", func() error { _, err := c.Desk(ctx); return err }},
		{"status of one", func() error { _, err := c.Status(ctx, names[0]); return err }},
		{"the servers", func() error { _, err := c.Servers(ctx); return err }},
		{"the schedules", func() error { _, err := c.Schedules(ctx); return err }},
		{"updates of one", func() error { _, err := c.Updates(ctx, names[0]); return err }},
		{"the packing list of one", func() error { _, err := c.Packlist(ctx, names[0]); return err }},
	} {
		if err := median(m.what, m.call); err != nil {
			return err
		}
	}
	before, err := spent(s)
	if err != nil {
		return err
	}
	time.Sleep(10 * time.Second) // what it does by itself
	after, err := spent(s)
	if err != nil {
		return err
	}
	t.put("processor time of ten seconds in which nobody asks anything", (after - before).String())
	peak, err := s.Peak()
	if err != nil {
		return err
	}
	t.put("resident memory at most", fmt.Sprintf("%d MiB", peak>>20))
	return nil
}

// spent is the processor time of a service so far.
func spent(s *program.Service) (time.Duration, error) {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", s.Cmd.Process.Pid))
	if err != nil {
		return 0, err
	}
	fields := strings.Fields(string(raw[bytes.LastIndexByte(raw, ')')+1:]))
	user, err1 := strconv.ParseInt(fields[11], 10, 64)
	system, err2 := strconv.ParseInt(fields[12], 10, 64)
	return time.Duration(user+system) * 10 * time.Millisecond, errors.Join(err1, err2)
}
