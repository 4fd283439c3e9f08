// Command growth measures what the service's questions and drafts cost as one server
// holds more: add-ons of 201 files each in a local folder, all deployed at once, an
// update of every one staged. It prints a table with a column for each number of
// add-ons; a row whose figures grow as the columns do is linear.
package main

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"math"
	"net/http"
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

// files is how many files an add-on has beside its manifest.
const files = 200

const book = `format: 1
name: growth
title: Growth
places: {stalls: {path: stalls}}
kinds:
  stall:
    recognise: {folders: [wares]}
    version: {read: {file: stall.lf, match: '^version\s*=\s*"([^"]+)"'}}
    put: [{take: "**", place: stalls, as: "{name}/{path}"}]
`

func main() {
	bin := flag.String("program", "bin/restless", "the built program")
	sizes := flag.String("addons", "10,100,500", "how many add-ons, one column each")
	keep := flag.String("folder", "", "where to work; a temporary folder if empty")
	out := flag.String("out", "", "the file to write the table to as well")
	flag.Parse()
	text, err := run(context.Background(), *bin, *sizes, *keep)
	if err == nil {
		err = program.Publish(text, *out)
	}
	if err != nil {
		log.Fatal(err)
	}
}

// figure is one row: what was measured, for each size.
type figure struct {
	what string
	unit string
	each []float64
}

// run measures each size and gives the page.
func run(ctx context.Context, program, sizes, folder string) (string, error) {
	program, err := filepath.Abs(program)
	if err != nil {
		return "", err
	}
	var rows []*figure
	put := func(what, unit string, v float64) {
		i := slices.IndexFunc(rows, func(f *figure) bool { return f.what == what })
		if i < 0 {
			rows, i = append(rows, &figure{what: what, unit: unit}), len(rows)
		}
		rows[i].each = append(rows[i].each, v)
	}
	var columns []string
	var counts []float64
	for word := range strings.SplitSeq(sizes, ",") {
		n, err := strconv.Atoi(word)
		if err != nil {
			return "", err
		}
		columns, counts = append(columns, fmt.Sprintf("%d add-ons", n)), append(counts, float64(n))
		dir, err := os.MkdirTemp(folder, "restless-growth-")
		if err != nil {
			return "", err
		}
		err = measure(ctx, program, dir, n, put)
		if err = errors.Join(err, os.RemoveAll(dir)); err != nil {
			return "", fmt.Errorf("%d add-ons: %w", n, err)
		}
	}
	var page strings.Builder
	fmt.Fprintf(&page, `# As it grows

Made by bench/growth on %s: one server on a local folder, add-ons of %d files each,
all deployed at once, then an update of every one. Beside how many times the last figure is
the first stands how that grows with the number of files.

| what | %s | grows |
|---|%s---|
`, time.Now().Format(time.DateOnly), files+1, strings.Join(columns, " | "), strings.Repeat("---|", len(columns)))
	times := counts[len(counts)-1] / counts[0]
	for _, r := range rows {
		cells := make([]string, len(columns))
		for i, v := range r.each {
			cells[i] = fmt.Sprintf("%s %s", strconv.FormatFloat(v, 'f', max(0, 2-int(math.Log10(max(v, 1)))), 64), r.unit)
		}
		fmt.Fprintf(&page, "| %s | %s | %s |\n", r.what, strings.Join(cells, " | "), growth(r.each, times))
	}
	return page.String(), nil
}

// growth says how many times the last figure is the first, and how that grows where there
// are so many times the files.
func growth(each []float64, files float64) string {
	if len(each) < 2 || each[0] == 0 {
		return ""
	}
	times := each[len(each)-1] / each[0]
	how := "linear"
	switch {
	case times < 2:
		how = "constant"
	case times < files/3:
		how = "slower than linear"
	case times > files*2:
		how = "faster than linear"
	}
	return fmt.Sprintf("%.1f times, %s", times, how)
}

type service struct {
	*client.Client
	*program.Service
}

func serve(exe, data string) (*service, error) {
	s, err := program.Start(context.Background(), exe, data)
	if err != nil {
		return nil, err
	}
	return &service{client.New(s.URL, s.Token), s}, nil
}

// get makes a call and gives how many bytes came.
// page reads a page of a list, and gives where the next one begins.
func (s *service) page(path string) (next string, err error) {
	raw, err := s.read(path)
	if err != nil {
		return "", err
	}
	var p struct{ Next string }
	err = json.Unmarshal(raw, &p)
	return p.Next, err
}

func (s *service) get(path string) (int64, error) {
	raw, err := s.read(path)
	return int64(len(raw)), err
}

func (s *service) read(path string) ([]byte, error) {
	req, err := http.NewRequest(http.MethodGet, s.URL+api.Prefix+path, nil)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+s.Token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s: %s", path, res.Status)
	}
	return raw, err
}

// name is what an add-on is called, in letters: figures would be taken for a version.
func name(n int) string {
	return fmt.Sprintf("stall-%c%c%c", 'a'+n/676%26, 'a'+n/26%26, 'a'+n%26)
}

// addon makes a zip of one version of one add-on.
func addon(n int, version string) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(name, text string) error {
		w, err := z.Create(name)
		if err == nil {
			_, err = io.WriteString(w, text)
		}
		return err
	}
	err := put(name(n)+"/stall.lf", fmt.Sprintf("version = %q\n", version))
	for i := 0; i < files && err == nil; i++ {
		err = put(fmt.Sprintf("%s/wares/%02d/ware-%03d.txt", name(n), i%20, i), strings.Repeat(fmt.Sprintf("%d %d %s\n", n, i, version), 10))
	}
	err = errors.Join(err, z.Close())
	return b.Bytes(), err
}

func (s *service) stageOne(ctx context.Context, n int, version string) error {
	raw, err := addon(n, version)
	if err != nil {
		return err
	}
	_, err = s.Stage(ctx, client.Staging{Filename: fmt.Sprintf("%s-%s.zip", name(n), version), For: "fair"}, bytes.NewReader(raw), int64(len(raw)), nil)
	return err
}

// median of some runs, in milliseconds.
func median(runs int, do func() error) (float64, error) {
	var all []float64
	for range runs {
		begun := time.Now()
		if err := do(); err != nil {
			return 0, err
		}
		all = append(all, float64(time.Since(begun).Microseconds())/1000)
	}
	slices.Sort(all)
	return all[len(all)/2], nil
}

func measure(ctx context.Context, program, dir string, addons int, put func(what, unit string, v float64)) error {
	data, root := filepath.Join(dir, "data"), filepath.Join(dir, "fair")
	if err := os.Mkdir(root, 0o755); err != nil {
		return err
	}
	s, err := serve(program, data)
	if err != nil {
		return err
	}
	defer func() { _ = s.Service.End() }()
	if _, err := s.AddRulebook(ctx, book, false); err != nil {
		return err
	}
	if _, err := s.AddServer(ctx, api.NewServer{Name: "fair", Rulebook: "growth", Transport: api.Transport{Kind: "folder", Root: root}}); err != nil {
		return err
	}
	if _, err := s.TestServer(ctx, "fair"); err != nil {
		return err
	}
	var crates []string
	for n := range addons {
		if err := s.stageOne(ctx, n, "1.0"); err != nil {
			return err
		}
		crates = append(crates, name(n)+"@1.0")
	}
	timed := func(what string, runs int, do func() error) error {
		ms, err := median(runs, do)
		if err != nil {
			return fmt.Errorf("%s: %w", what, err)
		}
		put(what, "ms", ms)
		fmt.Fprintf(os.Stderr, "%d add-ons: %s: %.1f ms\n", addons, what, ms)
		return nil
	}
	var whole api.Deployment
	if err := timed("draft of all", 1, func() (err error) {
		whole, err = s.Draft(ctx, "fair", api.NewDraft{Crates: crates}, nil)
		return err
	}); err != nil {
		return err
	}
	run := func() (err error) {
		whole, err = s.Run(ctx, "fair", whole.Number, api.RunDraft{Digest: whole.Digest}, nil)
		return err
	}
	if err := timed("run of all", 1, run); err != nil {
		return err
	}
	for n := range addons {
		if err := s.stageOne(ctx, n, "2.0"); err != nil {
			return err
		}
	}
	size := func(what string) error {
		info, err := os.Stat(filepath.Join(data, "records.db"))
		if err == nil {
			put(what, "MB", float64(info.Size())/1e6)
		}
		return err
	}
	if err := size("database, one deployment and an update staged"); err != nil {
		return err
	}
	for _, q := range []struct {
		what, path string
	}{{"status", "/servers/fair/status"}, {"files, whole", "/servers/fair/files"}, {"files, first page", "/servers/fair/files?limit=100"}, {"deployments, first page", "/servers/fair/deployments"}, {"crates, first page", "/crates"}} {
		if err := timed(q.what, 5, func() error { _, err := s.get(q.path); return err }); err != nil {
			return err
		}
	}
	if err := timed("draft of one update", 3, func() error {
		_, err := s.Draft(ctx, "fair", api.NewDraft{Crates: []string{name(0) + "@2.0"}}, nil)
		return err
	}); err != nil {
		return err
	}
	var updates []string
	for n := range addons {
		updates = append(updates, name(n)+"@2.0")
	}
	if err := timed("draft of all updates", 1, func() (err error) {
		whole, err = s.Draft(ctx, "fair", api.NewDraft{Crates: updates}, nil)
		return err
	}); err != nil {
		return err
	}
	if err := timed("run of all updates", 1, run); err != nil {
		return err
	}
	put("of it looking again, before anything is sent", "ms", float64(whole.Figures.LookMS))
	if err := timed("history of one file", 3, func() error {
		_, err := s.get("/servers/fair/history?path=stalls/" + name(0) + "/stall.lf")
		return err
	}); err != nil {
		return err
	}
	if addons <= 10 {
		if err := s.timeline(ctx, name(0), put); err != nil {
			return err
		}
	}
	if addons <= 10 { // an add-on with ever more versions
		for i := range 400 {
			if err := s.stageOne(ctx, 999, fmt.Sprintf("3.%d", i)); err != nil {
				return err
			}
		}
		first := 0
		if err := timed("staging version 401 of an add-on", 3, func() error { first++; return s.stageOne(ctx, 999, fmt.Sprintf("4.%d", first)) }); err != nil {
			return err
		}
		if err := timed("staging version 1 of an add-on", 3, func() error { first++; return s.stageOne(ctx, 900+first, "1.0") }); err != nil {
			return err
		}
	}
	peak, err := s.Peak()
	if err != nil {
		return err
	}
	put("peak memory", "MiB", float64(peak)/(1<<20))
	if err := s.Service.End(); err != nil {
		return err
	}
	return size("database, both deployments")
}
