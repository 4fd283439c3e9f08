//go:build linux

package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// beds is a rulebook whose add-ons are folders with a marker.
const beds = `format: 1
name: beds
title: Beds
places: {beds: {path: beds}}
kinds:
  bed:
    recognise: {marker: bed.toml}
    several: true
    version: {read: {file: bed.toml, match: 'version = (.*)'}}
    put: [{take: "**", place: beds, as: "{name}/{path}"}]
`

// plantBeds makes so many add-ons of 20 files each, put there by hand.
func plantBeds(root string, folders int) error {
	for i := range folders {
		folder := filepath.Join(root, "beds", bed(i))
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return err
		}
		for j := range 20 {
			name, text := fmt.Sprintf("f%02d.bin", j), "x"
			if j == 0 {
				name, text = "bed.toml", fmt.Sprintf("version = 1.%d\n", i)
			}
			if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}

// bed names an add-on by letters: digits behind a name would be its version.
func bed(i int) string {
	return "bed-" + strings.Map(func(r rune) rune { return r - '0' + 'a' }, fmt.Sprintf("%04d", i))
}

// planted makes a server with add-ons that nobody deployed.
func (b *bench) planted(how string, folders int) (server, root string, err error) {
	file := filepath.Join(b.dir, "beds.yaml")
	if err := os.WriteFile(file, []byte(beds), 0o644); err != nil {
		return "", "", err
	}
	if _, err := b.s.Restless("rulebook", "add", file); err != nil {
		return "", "", err
	}
	server = fmt.Sprintf("s%d", time.Now().UnixNano()%1_000_000_000)
	root = filepath.Join(b.dir, "far", server)
	if err := plantBeds(root, folders); err != nil {
		return "", "", err
	}
	return b.freshBy("beds", server, root, how)
}

// timed runs a command of ours, whose words have to hold some.
func (b *bench) timed(words string, args ...string) (time.Duration, error) {
	begun := time.Now()
	said, err := b.s.Restless(args...)
	took := time.Since(begun)
	if err == nil && !strings.Contains(string(said), words) {
		err = fmt.Errorf("%s did not say %q: %.300s", args[0], words, said)
	}
	return took, err
}

// surveying compares a large tree that was filled by hand with the ledger, for the first time
// and again, and looks for the add-ons in it; each beside a bare listing of it over the same line.
func (b *bench) surveying() error {
	b.link.set(distance, 200*mbit)
	server, root, err := b.planted("sftp", 5000)
	if err != nil {
		return err
	}
	find := func(int) (time.Duration, error) {
		return b.far.sh(`ssh -F $C far "find %s -printf '%%%%p %%%%s %%%%T@\n'" >/dev/null`, root)
	}
	const tree = "100,000 files in 5,000 folders at 40 ms"
	return errors.Join(
		b.turns("survey of "+tree, "`ssh find -printf`", "at most 1.5", func(int) (time.Duration, error) {
			return b.timed("100000 files that nobody deployed", "survey", server)
		}, find),
		b.turns("adopt finds 5,000 add-ons in "+tree, "`ssh find -printf`", "at most 1.5", func(int) (time.Duration, error) {
			return b.timed(bed(4999), "adopt", server)
		}, find))
}

// surveyingFTP is the same over FTP, on fewer files, and beside nothing: no other program lists
// a tree over FTP as a whole.
func (b *bench) surveyingFTP() error {
	b.link.set(distance, 200*mbit)
	server, _, err := b.planted("ftp", 1000)
	if err != nil {
		return err
	}
	survey, err := b.timed("20000 files that nobody deployed", "survey", server)
	if err != nil {
		return err
	}
	adopt, err := b.timed(bed(999), "adopt", server)
	b.rows = append(b.rows, row{what: "survey of 20,000 files in 1,000 folders over FTP at 40 ms, 4 connections", peer: "-", ours: survey},
		row{what: "adopt of them", peer: "-", ours: adopt})
	return err
}
