//go:build linux

package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"github.com/jlaffaye/ftp"
)

const distance = 40 * time.Millisecond

// measures are what is measured, in order.
var measures = []struct {
	name string
	do   func(*bench) error
}{
	{"small-far", func(b *bench) error { return b.small(distance, "at 40 ms", "at most 2.5") }},
	{"slow-peers", (*bench).slowPeers},
	{"medium-limited", func(b *bench) error {
		return b.files("medium", distance, 200*mbit, "300 files of 1 MiB at 40 ms, 200 Mbit/s", "at most 1.1")
	}},
	{"medium-unlimited", func(b *bench) error {
		return b.files("medium", distance, 0, "300 files of 1 MiB at 40 ms, no limit", "below 1")
	}},
	{"large", (*bench).large},
	{"listing", (*bench).listing},
	{"finding", (*bench).finding},
	{"surveying", (*bench).surveying},
	{"ftp-survey", (*bench).surveyingFTP},
	{"ftp", (*bench).ftp},
	{"local", (*bench).local},
	{"small-near", func(b *bench) error { return b.small(0, "at 0 ms", "") }},
}

// fresh makes an empty root at the far end with a server of its own that is
// tested and whose connection is open.
func (b *bench) fresh(how string) (server, root string, err error) {
	server = fmt.Sprintf("s%d", time.Now().UnixNano()%1_000_000_000)
	root = filepath.Join(b.dir, "far", server)
	if err := os.MkdirAll(root, 0o755); err != nil {
		return "", "", err
	}
	return b.freshBy("bench", server, root, how)
}

// freshBy adds a server by a rulebook.
func (b *bench) freshBy(book, server, root, how string) (string, string, error) {
	args := []string{"server", "add", server, "--rulebook", book, "--root", root}
	if how == "folder" {
		args = []string{"server", "add", server, "--rulebook", book, "--folder", root}
	} else if how == "ftp" {
		args = append(args, "--ftp", fmt.Sprintf("anonymous@%s:%d", farAddr, ftpPort))
	} else if how == "ftp-one" {
		args = append(args, "--ftp", fmt.Sprintf("anonymous@%s:%d", farAddr, ftpOnePort))
	} else {
		args = append(args, "--sftp", fmt.Sprintf("root@%s:%d", farAddr, sshPort), "--key", filepath.Join(b.dir, "user_key"))
	}
	if _, err := b.s.Restless(args...); err != nil {
		return "", "", err
	}
	if how == "sftp" {
		_, _ = b.s.Restless("server", "test", server) // it shows the key
		raw, err := b.s.Restless("server", "show", server, "--json")
		if err != nil {
			return "", "", err
		}
		var srv struct{ OfferedKey string }
		if err := json.Unmarshal(raw, &srv); err != nil {
			return "", "", err
		}
		if _, err := b.s.Restless("server", "trust", server, srv.OfferedKey); err != nil {
			return "", "", err
		}
	}
	_, err := b.s.Restless("server", "test", server)
	return server, root, err
}

// local is beside unzip into a folder of the same file system, which is then synced: ours
// outlasts a loss of power too. Each begins on a disk that has nothing left to write.
func (b *bench) local() error {
	settle := func() error { return exec.Command("sync", "-f", b.dir).Run() }
	return b.turns("20,000 files of 100 bytes in 200 folders, a local folder", "unzip -q and sync -f", "at most 4", func(int) (time.Duration, error) {
		server, _, err := b.fresh("folder")
		if err = errors.Join(err, settle()); err != nil {
			return 0, err
		}
		return b.deploy(server, "many@1")
	}, func(round int) (time.Duration, error) {
		to := filepath.Join(b.dir, "far", fmt.Sprintf("unzipped-%d", round))
		if err := settle(); err != nil {
			return 0, err
		}
		begun := time.Now()
		err := exec.Command("unzip", "-q", filepath.Join(b.dir, "many-1.zip"), "-d", to).Run()
		if err == nil {
			err = exec.Command("sync", "-f", to).Run()
		}
		return time.Since(begun), err
	})
}

func (b *bench) deploy(server, crate string) (time.Duration, error) {
	begun := time.Now()
	_, err := b.s.Restless("deploy", server, crate, "--yes")
	took := time.Since(begun)
	if err == nil && b.verbose {
		err = b.figures(server, took)
	}
	return took, err
}

// figures says where the time of a server's last deployment went.
func (b *bench) figures(server string, took time.Duration) error {
	raw, err := b.s.Restless("deployment", "list", server, "--json")
	if err != nil {
		return err
	}
	var list []struct{ Figures json.RawMessage }
	if err := json.Unmarshal(raw, &list); err != nil {
		return err
	}
	var line bytes.Buffer
	if err := json.Compact(&line, list[0].Figures); err != nil {
		return err
	}
	fmt.Fprintf(os.Stderr, "%s in all: %s\n", took.Round(time.Millisecond), &line)
	return nil
}

// ours deploys a set to a fresh root and checks that it arrived.
func (b *bench) ours(set string) func(int) (time.Duration, error) {
	return func(int) (time.Duration, error) {
		server, root, err := b.fresh("sftp")
		if err != nil {
			return 0, err
		}
		d, err := b.deploy(server, set+"@1")
		if err == nil {
			err = same(filepath.Join(b.dir, "from", set), root)
		}
		return d, errJoin(err, os.RemoveAll(root))
	}
}

func (b *bench) tar(set string) func(int) (time.Duration, error) {
	return func(int) (time.Duration, error) {
		root := filepath.Join(b.dir, "far", "tar")
		if err := os.MkdirAll(root, 0o755); err != nil {
			return 0, err
		}
		d, err := b.far.sh("tar -C %s/from/%s -cf - . | ssh -F $C far tar -C %s -xf -", b.dir, set, root)
		return d, errJoin(err, os.RemoveAll(root))
	}
}

func (b *bench) files(set string, rtt time.Duration, rate int64, what, target string) error {
	b.link.set(rtt, rate)
	return b.turns(what, "`tar \\| ssh tar x`", target, b.ours(set), b.tar(set))
}

// small is the set of many small files: deployed, deployed again without a
// change, and rolled back.
func (b *bench) small(rtt time.Duration, where, target string) error {
	b.link.set(rtt, 200*mbit)
	var again, back []time.Duration
	ours := func(int) (time.Duration, error) {
		server, root, err := b.fresh("sftp")
		if err != nil {
			return 0, err
		}
		d, err := b.deploy(server, "small@1")
		if err == nil {
			err = same(filepath.Join(b.dir, "from", "small"), root)
		}
		if err != nil {
			return 0, err
		}
		// Files that were changed within the last tick of the host's clock are
		// read again to be sure: that is the first time. The second is measured.
		if _, err := b.deploy(server, "small@1"); err != nil {
			return 0, err
		}
		nothing, err := b.deploy(server, "small@1")
		if err != nil {
			return 0, err
		}
		begun := time.Now()
		if _, err := b.s.Restless("rollback", server, "--deployment", "1", "--yes"); err != nil {
			return 0, err
		}
		again, back = append(again, nothing), append(back, time.Since(begun))
		return d, os.RemoveAll(root)
	}
	if err := b.turns("2,000 files of 4 KiB "+where, "`tar \\| ssh tar x`", target, ours, b.tar("small")); err != nil {
		return err
	}
	deployed := b.rows[len(b.rows)-1].ours
	b.rows = append(b.rows, row{what: "the same again, nothing changed, " + where, peer: "-", ours: median(again), target: "under 1 s"},
		row{what: "rolled back " + where, peer: "its deployment", ours: median(back), theirs: deployed, target: "at most 1"})
	return nil
}

// slowPeers are measured once on a tenth of the files.
func (b *bench) slowPeers() error {
	b.link.set(distance, 200*mbit)
	ours, err := b.ours("small")(0)
	if err != nil {
		return err
	}
	root := filepath.Join(b.dir, "far", "peer")
	for _, peer := range []struct{ name, target, line string }{
		{"`sftp -b`", "at most 1/60", "mkdir -p %[2]s; printf 'put -r %[1]s/from/tenth %[2]s/\\n' | sftp -F $C -b - far >/dev/null"},
		{"`scp -r`", "", "mkdir -p %[2]s; scp -q -F $C -r %[1]s/from/tenth far:%[2]s/"},
	} {
		d, err := b.far.sh(peer.line, b.dir, root)
		if err = errJoin(err, os.RemoveAll(root)); err != nil {
			return err
		}
		b.rows = append(b.rows, row{what: "2,000 files of 4 KiB at 40 ms", peer: peer.name, ours: ours, theirs: d * tenth, target: peer.target, scaled: true})
	}
	return nil
}

func (b *bench) large() error {
	b.link.set(distance, 0)
	return b.turns("one file of 300 MiB at 40 ms, no limit", "`sftp -b`", "at most 1.1", b.ours("large"), func(int) (time.Duration, error) {
		root := filepath.Join(b.dir, "far", "peer")
		d, err := b.far.sh("mkdir -p %[2]s; printf 'put %[1]s/from/large/d00/file-0000.bin %[2]s/\\n' | sftp -F $C -b - far >/dev/null", b.dir, root)
		return d, errJoin(err, os.RemoveAll(root))
	})
}

// plant makes 500 folders of 40 files each, which are called by their number.
func plant(root, name string, text func(folder, file int) string) error {
	for i := range 500 {
		folder := filepath.Join(root, fmt.Sprintf("d%03d", i))
		if err := os.Mkdir(folder, 0o755); err != nil {
			return err
		}
		for j := range 40 {
			if err := os.WriteFile(filepath.Join(folder, fmt.Sprintf(name, j)), []byte(text(i, j)), 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}

func (b *bench) listing() error {
	b.link.set(distance, 200*mbit)
	server, root, err := b.fresh("sftp")
	if err != nil {
		return err
	}
	if err := plant(root, "f%02d", func(int, int) string { return "x" }); err != nil {
		return err
	}
	return b.turns("listing 20,000 files in 500 folders at 40 ms", "`ssh find -printf`", "at most 2", func(int) (time.Duration, error) {
		begun := time.Now()
		_, err := b.s.Restless("rulebook", "check", b.s.book, "--with-tree", server)
		return time.Since(begun), err
	}, func(int) (time.Duration, error) {
		return b.far.sh(`ssh -F $C far "find %s -printf '%%%%p %%%%s %%%%T@\n'" >/dev/null`, root)
	})
}

// ftp deploys the small set over FTP with the four connections that the host
// allows. Beside it, on a tenth of the files: the same deployment on a host that
// allows one, and one connection that stores one file after the other as people's
// programs do, without temporary names and without reading anything back.
func (b *bench) ftp() error {
	b.link.set(distance, 200*mbit)
	deploy := func(how, set string) (time.Duration, error) {
		server, root, err := b.fresh(how)
		if err != nil {
			return 0, err
		}
		d, err := b.deploy(server, set+"@1")
		if err == nil {
			err = same(filepath.Join(b.dir, "from", set), root)
		}
		return d, errJoin(err, os.RemoveAll(root))
	}
	ours, err := deploy("ftp", "small")
	if err != nil {
		return err
	}
	one, err := deploy("ftp-one", "tenth")
	if err != nil {
		return err
	}
	peer := filepath.Join(b.dir, "far", "one")
	if err := os.MkdirAll(peer, 0o755); err != nil {
		return err
	}
	begun := time.Now()
	if err := oneByOne(filepath.Join(b.dir, "from", "tenth"), peer); err != nil {
		return err
	}
	plain := time.Since(begun)
	what := "2,000 files of 4 KiB over FTP at 40 ms, 4 connections"
	b.rows = append(b.rows, row{what: what, peer: "the same where the host allows 1", ours: ours, theirs: one * tenth, target: "at most 1/3.6", scaled: true},
		row{what: what + ", one in twenty read back", peer: "FTP, one connection, stored only", ours: ours, theirs: plain * tenth, target: "at most 1/4", scaled: true})
	return nil
}

func oneByOne(from, to string) error {
	c, err := ftp.Dial(fmt.Sprintf("%s:%d", farAddr, ftpPort))
	if err != nil {
		return err
	}
	defer c.Quit()
	if err := c.Login("anonymous", "x"); err != nil {
		return err
	}
	return filepath.WalkDir(from, func(at string, d os.DirEntry, err error) error {
		rel, _ := filepath.Rel(from, at)
		if err != nil || rel == "." {
			return err
		}
		if d.IsDir() {
			return c.MakeDir(filepath.Join(to, rel))
		}
		raw, err := os.ReadFile(at)
		if err != nil {
			return err
		}
		return c.Stor(filepath.Join(to, rel), bytes.NewReader(raw))
	})
}
