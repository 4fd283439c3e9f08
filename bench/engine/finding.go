//go:build linux

package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// finding looks for a word in 20,000 texts: beside grep over a mount of the same host, which
// fetches every text as we do, and beside grep on the host itself, which need not.
func (b *bench) finding() error {
	b.link.set(distance, 200*mbit)
	server, root, err := b.fresh("sftp")
	if err != nil {
		return err
	}
	err = plant(root, "f%02d.yaml", func(i, j int) string {
		text := fmt.Sprintf("# gate %d\nrows: %d\nkeeper: none\nnotes:\n  - the tide is low\n  - lamps at night\n", i, j)
		if j == 7 && i%50 == 0 {
			text += "motto: needle-in-hay\n"
		}
		return text
	})
	if err != nil {
		return err
	}
	ours := func(int) (time.Duration, error) {
		begun := time.Now()
		said, err := b.s.Restless("find", server, "needle-in-hay")
		if err == nil && !strings.Contains(string(said), "10 lines in 20000 texts searched") {
			err = fmt.Errorf("find did not find what is there: %s", said)
		}
		return time.Since(begun), err
	}
	what := "a word in 20,000 texts at 40 ms"
	if err := b.turns(what, "`ssh grep -r`, on the host itself", "", ours, func(int) (time.Duration, error) {
		return b.far.sh(`ssh -F $C far "grep -rn needle-in-hay %s" >/dev/null`, root)
	}); err != nil {
		return err
	}
	// A mount takes minutes for it: once, on a tenth of the folders.
	mount := filepath.Join(b.dir, "mount")
	if err := os.Mkdir(mount, 0o755); err != nil {
		return err
	}
	if _, err := b.far.sh(`sshfs -F $C far:%s %s`, root, mount); err != nil {
		return fmt.Errorf("sshfs (Debian package sshfs): %w", err)
	}
	d, err := b.far.sh(`grep -rn needle-in-hay %[1]s/d0[0-4]* >/dev/null; umount %[1]s`, mount)
	if err != nil {
		return err
	}
	b.rows = append(b.rows, row{what: what, peer: "`grep -r` over sshfs", ours: b.rows[len(b.rows)-1].ours, theirs: d * tenth, target: "at most 2", scaled: true})
	return nil
}
