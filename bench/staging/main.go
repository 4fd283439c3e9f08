// Command staging measures how long staging takes beside what people use today
// to look into a download: unzip, and sha256sum for its checksum. All of it
// runs in one go on the same machine, one after the other, so only the ratios
// mean something.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"restlesscrate/bench/program"
)

func main() {
	program := flag.String("program", "bin/restless", "the built program")
	mib := flag.Int64("mib", 1024, "size of the large zip, MiB")
	small := flag.Int("small", 200_000, "entries of the zip of many small files")
	folder := flag.String("folder", "", "where to work; a temporary folder if empty")
	flag.Parse()
	ctx := context.Background()
	if err := run(ctx, *program, *folder, *mib, *small); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, program, folder string, mib int64, small int) error {
	dir, err := os.MkdirTemp(folder, "restless-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	program, err = filepath.Abs(program)
	if err != nil {
		return err
	}
	fmt.Printf("%-28s %10s %10s %10s %8s %10s\n", "zip", "size", "staging", "unzip -q", "ratio", "sha256sum")
	for _, c := range []struct {
		name string
		make func(string) error
	}{
		{"large-1.0.zip", func(f string) error { return makeLarge(f, mib<<20) }},
		{"small-1.0.zip", func(f string) error { return makeSmall(f, small) }},
	} {
		file := filepath.Join(dir, c.name)
		if err := c.make(file); err != nil {
			return fmt.Errorf("make %s: %w", c.name, err)
		}
		if err := compare(ctx, program, dir, file); err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
		if err := os.Remove(file); err != nil {
			return err
		}
	}
	return nil
}

// compare stages a file with a service of its own and runs the peers on it.
func compare(ctx context.Context, program, dir, file string) error {
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	unzip, err := timed(ctx, dir, "unzip", "-q", file, "-d", filepath.Join(dir, "out"))
	if err != nil {
		return err
	}
	if err := os.RemoveAll(filepath.Join(dir, "out")); err != nil {
		return err
	}
	sum, err := timed(ctx, dir, "sha256sum", file)
	if err != nil {
		return err
	}
	s, err := serve(ctx, program, filepath.Join(dir, "data"))
	if err != nil {
		return err
	}
	defer func() { _ = s.End() }()
	begun := time.Now()
	out, err := s.Restless("stage", file, "--json")
	if err != nil {
		return err
	}
	took := time.Since(begun)
	crates, err := placed(out)
	if err != nil {
		return err
	}
	peak, err := s.Peak()
	if err != nil {
		return err
	}
	fmt.Printf("%-28s %9dM %9.1fs %9.1fs %8.2f %9.1fs\n", filepath.Base(file), info.Size()>>20, took.Seconds(), unzip.Seconds(), took.Seconds()/unzip.Seconds(), sum.Seconds())
	fmt.Printf("  %s; service at most %d MiB resident\n", crates, peak>>20)
	return nil
}

func timed(ctx context.Context, dir, name string, args ...string) (time.Duration, error) {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Dir = dir
	cmd.Stderr = os.Stderr
	begun := time.Now()
	err := cmd.Run()
	if err != nil {
		err = fmt.Errorf("%s: %w", name, err)
	}
	return time.Since(begun), err
}

// placed says what staging made, from its JSON.
func placed(raw []byte) (string, error) {
	var staged []struct {
		Rulebooks []struct {
			Crates []struct {
				Label     string
				FileCount int
			}
		}
	}
	if err := json.Unmarshal(raw, &staged); err != nil {
		return "", err
	}
	var out []string
	for _, s := range staged {
		for _, b := range s.Rulebooks {
			for _, c := range b.Crates {
				out = append(out, fmt.Sprintf("%s, %d files hashed and placed", c.Label, c.FileCount))
			}
		}
	}
	return strings.Join(out, "; "), nil
}

const book = `format: 1
name: bench
title: Bench
places: {all: {path: .}}
kinds:
  tree:
    recognise: {folders: [content]}
    put: [{take: "**", place: all}]
`

func serve(ctx context.Context, exe, data string) (*program.Service, error) {
	s, err := program.Start(ctx, exe, data)
	if err != nil {
		return nil, err
	}
	_, err = s.AddBook(book)
	return s, err
}
