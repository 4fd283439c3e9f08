//go:build linux

// Command engine measures deploying over a distance beside what people use
// today, in one run on the same machine, one after the other and in turns: only
// the ratios mean something. It builds a line with a delay and a rate to a
// network namespace with a real sshd and a real vsftpd, for which it needs root
// and TUN.
package main

import (
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"
)

func main() {
	program := flag.String("program", "bin/restless", "the built program")
	folder := flag.String("folder", "", "where to work; a temporary folder if empty")
	rounds := flag.Int("rounds", 5, "how often each is measured; the median counts")
	only := flag.String("only", "", "only the measures whose name holds this")
	out := flag.String("out", "", "write the table to this file too")
	verbose := flag.Bool("v", false, "say on standard error where the time of each deployment went")
	flag.Parse()
	b := &bench{verbose: *verbose, rounds: *rounds, only: *only}
	failed := b.run(*program, *folder)
	text := b.table() // also of what was measured before a failure
	fmt.Print(text)
	if *out != "" && failed == nil {
		if err := os.WriteFile(*out, []byte(text), 0o644); err != nil {
			log.Fatal(err)
		}
	}
	if failed != nil {
		log.Fatal(failed)
	}
}

// bench is one run.
type bench struct {
	verbose bool
	rounds  int
	only    string
	dir     string
	link    *link
	far     *far
	s       *service
	rows    []row
	peak    int64
}

// row is one line of the table: the median of ours and of a peer's.
type row struct {
	what, peer   string
	ours, theirs time.Duration
	target       string
	scaled       bool
}

const mbit = 1_000_000

func (b *bench) run(program, folder string) (err error) {
	if b.dir, err = os.MkdirTemp(folder, "restless-bench-"); err != nil {
		return err
	}
	defer os.RemoveAll(b.dir)
	if program, err = filepath.Abs(program); err != nil {
		return err
	}
	if b.link, err = openLink(); err != nil {
		return err
	}
	defer b.link.Close()
	if b.far, err = startFar(b.link, b.dir); err != nil {
		return err
	}
	defer b.far.Close()
	if b.s, err = serve(program, filepath.Join(b.dir, "data")); err != nil {
		return err
	}
	defer func() { _ = b.s.End() }()
	for _, set := range sets {
		if err := set.make(b.dir); err != nil {
			return err
		}
		if _, err := b.s.Restless("stage", filepath.Join(b.dir, set.name+"-1.zip"), "--rulebook", "bench"); err != nil {
			return err
		}
	}
	for _, m := range measures {
		if b.only != "" && !strings.Contains(m.name, b.only) {
			continue
		}
		begun := time.Now()
		if err := m.do(b); err != nil {
			return fmt.Errorf("%s: %w", m.name, err)
		}
		log.Printf("%s: %s", m.name, time.Since(begun).Round(time.Second))
	}
	b.peak, err = b.s.Peak()
	return err
}

// turns measures ours and theirs in turns and keeps the medians.
func (b *bench) turns(what, peer, target string, ours, theirs func(round int) (time.Duration, error)) error {
	var a, t []time.Duration
	for round := range b.rounds {
		d, err := ours(round)
		if err != nil {
			return err
		}
		a = append(a, d)
		if d, err = theirs(round); err != nil {
			return err
		}
		t = append(t, d)
	}
	b.rows = append(b.rows, row{what: what, peer: peer, target: target, ours: median(a), theirs: median(t)})
	return nil
}

func median(d []time.Duration) time.Duration {
	slices.Sort(d)
	return d[len(d)/2]
}

func (b *bench) table() string {
	var t strings.Builder
	fmt.Fprintf(&t, "# Benchmarks\n\nMade by `make bench` on %s: %s, %d cores, %s. Medians of %d rounds in turns, with\nreal OpenSSH and vsftpd; draft, kept copies, journal, verification and ledger are\nin our figures. Only ratios mean something.\n\n",
		time.Now().UTC().Format("2006-01-02"), cpu(), runtime.NumCPU(), kernel(), b.rounds)
	t.WriteString("| work | ours | peer | theirs | ours / theirs | target |\n|---|---|---|---|---|---|\n")
	for _, r := range b.rows {
		theirs := fmt.Sprintf("%.2f s", r.theirs.Seconds())
		if r.scaled {
			theirs += " (scaled)"
		}
		ratio := "-"
		if r.theirs > 0 {
			ratio = fmt.Sprintf("%.3g", r.ours.Seconds()/r.theirs.Seconds())
		}
		fmt.Fprintf(&t, "| %s | %.2f s | %s | %s | %s | %s |\n", r.what, r.ours.Seconds(), r.peer, theirs, ratio, r.target)
	}
	fmt.Fprintf(&t, "\nThe service held at most %d MiB resident. \"Scaled\": measured once on fewer files\nand multiplied, since it would take minutes.\n", b.peak>>20)
	return t.String()
}

func cpu() string {
	raw, _ := os.ReadFile("/proc/cpuinfo")
	for line := range strings.Lines(string(raw)) {
		if name, value, ok := strings.Cut(line, ":"); ok && strings.TrimSpace(name) == "model name" {
			return strings.TrimSpace(value)
		}
	}
	return "an unknown processor"
}

func kernel() string {
	raw, _ := os.ReadFile("/proc/sys/kernel/osrelease")
	return "Linux " + strings.TrimSpace(string(raw))
}
