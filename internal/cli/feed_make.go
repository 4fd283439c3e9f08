package cli

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"aead.dev/minisign"
	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/core/feed"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/words"
)

func (a feedCommands) makeCommand() *cli.Command {
	return &cli.Command{Name: "make", Usage: "write a feed of what you have staged, with its files, into a folder that a web server hands out", UsageText: "restless feed make FOLDER --for SERVER | --rulebook NAME [ADDON...] --title WORDS [--sign KEYFILE]",
		Flags: []cli.Flag{&cli.StringFlag{Name: "for", Usage: "of the game of this `SERVER`"}, &cli.StringFlag{Name: "rulebook", Usage: "or of this rulebook `NAME`"}, &cli.StringFlag{Name: "title", Usage: "what the feed is called, in `WORDS`"},
			&cli.BoolFlag{Name: "every-version", Usage: "all that is staged, not the newest of each add-on alone"}, &cli.StringFlag{Name: "sign", Usage: "sign it with the secret key in `KEYFILE`; feed key makes one"}}, Action: a.makeFeed}
}

func (a feedCommands) keyCommand() *cli.Command {
	return &cli.Command{Name: "key", Usage: "make a key with which you sign feeds, as minisign does: KEYFILE, which stays with you, and KEYFILE.pub for your readers", UsageText: "restless feed key KEYFILE", Action: a.makeKey}
}

// passwordOf asks for the password of a key file, or takes it from the environment.
func (a feedCommands) passwordOf(question string) (string, error) {
	if p, ok := os.LookupEnv("RESTLESS_FEED_PASSWORD"); ok {
		return p, nil
	}
	p, err := a.Ask(question, true)
	if err != nil {
		return "", fmt.Errorf("the key's password is asked on a terminal, or is in RESTLESS_FEED_PASSWORD: %w", err)
	}
	return p, nil
}

func (a feedCommands) makeKey(_ context.Context, cmd *cli.Command) error {
	file, err := onlyArg(cmd, "file that the key is written to")
	if err != nil {
		return err
	}
	password, err := a.passwordOf("A password for the key (empty for none): ")
	if err != nil {
		return err
	}
	pub, key, err := minisign.GenerateKey(rand.Reader)
	if err != nil {
		return err
	}
	raw, err := key.MarshalText()
	if password != "" {
		raw, err = minisign.EncryptKey(password, key)
	}
	if err != nil {
		return err
	}
	said, err := pub.MarshalText()
	if err != nil {
		return err
	}
	for _, f := range []struct {
		name string
		raw  []byte
		mode os.FileMode
	}{{file, raw, 0o600}, {file + ".pub", append(said, '\n'), 0o644}} {
		w, err := os.OpenFile(f.name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, f.mode)
		if errors.Is(err, os.ErrExist) {
			return fmt.Errorf("%s is there already, and is not written over", f.name)
		}
		if err != nil {
			return err
		}
		_, err = w.Write(f.raw)
		if err = errors.Join(err, w.Close()); err != nil {
			return err
		}
	}
	fmt.Fprintf(a.Out, "Made %s, which stays with you, and %s.pub for your readers:\n  %s\n", file, file, pub)
	return nil
}

func (a feedCommands) makeFeed(ctx context.Context, cmd *cli.Command) error {
	args, err := atLeast(cmd, 1, "a folder, and perhaps add-ons")
	if err != nil {
		return err
	}
	if cmd.String("title") == "" {
		return wrongUsage("give the feed a --title, by which its readers know it")
	}
	c, err := a.client(cmd)
	if err != nil {
		return err
	}
	book := cmd.String("rulebook")
	if server := cmd.String("for"); server != "" {
		srv, err := c.Server(ctx, server)
		if err != nil {
			return err
		}
		book = srv.Rulebook
	}
	if book == "" {
		return wrongUsage("give one of --for and --rulebook")
	}
	var key *minisign.PrivateKey
	if file := cmd.String("sign"); file != "" {
		if key, err = a.secretKey(file); err != nil {
			return err
		}
	}
	list, err := c.Crates(ctx, book, "")
	if err != nil {
		return err
	}
	chosen, err := chosenCrates(list, args[1:], cmd.Bool("every-version"))
	if err != nil {
		return err
	}
	f := feed.Feed{Title: cmd.String("title"), Made: time.Now().UTC().Format("2006-01-02T15:04:05Z")}
	if err := os.MkdirAll(args[0], 0o755); err != nil {
		return err
	}
	var left []string
	for _, cr := range chosen {
		if len(cr.Archives) != 1 {
			left = append(left, fmt.Sprintf("%s is left out: it comes from %s", cr.Label, words.Count(len(cr.Archives), "download")))
			continue
		}
		r, err := a.release(ctx, c, cr, args[0])
		if err != nil {
			return err
		}
		f.Releases = append(f.Releases, r)
	}
	if len(f.Releases) == 0 {
		return fmt.Errorf("nothing is staged that a feed could announce")
	}
	raw, err := f.Write()
	if err != nil {
		return err
	}
	file := filepath.Join(args[0], "feed.json")
	if err := whole(file, raw); err != nil {
		return err
	}
	if key != nil {
		if err := whole(file+feed.SignatureSuffix, minisign.Sign(*key, raw)); err != nil {
			return err
		}
	} else if err := os.Remove(file + feed.SignatureSuffix); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err // a signature of an earlier feed would make this one look forged
	}
	for _, l := range left {
		fmt.Fprintln(a.Out, l)
	}
	fmt.Fprintf(a.Out, "Wrote %s with %s, and the files beside it.\n", file, words.Count(len(f.Releases), "release"))
	return nil
}

func (a feedCommands) secretKey(file string) (*minisign.PrivateKey, error) {
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	var key minisign.PrivateKey
	if !minisign.IsEncrypted(raw) {
		if err := key.UnmarshalText(raw); err != nil {
			return nil, fmt.Errorf("%s is no secret key of minisign", file)
		}
		return &key, nil
	}
	password, err := a.passwordOf("The password of " + file + ": ")
	if err != nil {
		return nil, err
	}
	if key, err = minisign.DecryptKey(password, raw); err != nil {
		return nil, fmt.Errorf("%s is not opened by that password", file)
	}
	return &key, nil
}

// chosenCrates are the crates of the add-ons that are named, or of all; the newest of each alone, or
// every version.
func chosenCrates(list []api.Crate, addons []string, every bool) ([]api.Crate, error) {
	out := map[string]api.Crate{}
	var order []string
	for _, name := range addons {
		if !slices.ContainsFunc(list, func(c api.Crate) bool { return strings.EqualFold(c.Name, name) }) {
			return nil, fmt.Errorf("nothing of %s is staged", name)
		}
	}
	for _, c := range list {
		if len(addons) > 0 && !slices.ContainsFunc(addons, func(n string) bool { return strings.EqualFold(c.Name, n) }) {
			continue
		}
		if !every && slices.ContainsFunc(list, func(o api.Crate) bool { return strings.EqualFold(o.Name, c.Name) && newer(o, c) }) {
			continue
		}
		id := strings.ToLower(c.Label)
		if _, there := out[id]; !there {
			order = append(order, id)
			out[id] = c
		}
	}
	slices.Sort(order)
	var crates []api.Crate
	for _, id := range order {
		crates = append(crates, out[id])
	}
	return crates, nil
}

func newer(a, b api.Crate) bool { return feed.Newer(a.Version, b.Version) }

// release makes a release of a crate, and writes its download beside the feed.
func (a feedCommands) release(ctx context.Context, c *client.Client, cr api.Crate, folder string) (feed.Release, error) {
	ar := cr.Archives[0]
	d, err := tree.ParseDigest(ar.Digest)
	if err != nil {
		return feed.Release{}, err
	}
	r := feed.Release{Addon: cr.Name, Version: cr.Version, Size: ar.Size, SHA256: d, Date: cr.StagedAt.UTC().Format("2006-01-02"), Notes: ar.Note}
	full, err := c.Crate(ctx, cr.Ref, cr.Rulebook)
	if err != nil {
		return r, err
	}
	for _, f := range full.Facts {
		switch f.Kind {
		case "game":
			r.Game = cmp.Or(r.Game, f.Range)
		case "loader":
			if r.Loaders == nil {
				r.Loaders = map[string]string{}
			}
			r.Loaders[f.Name] = f.Range
		case "side":
			if r.Side = ""; slices.Contains([]string{"server", "players", "both"}, strings.ToLower(f.Name)) {
				r.Side = strings.ToLower(f.Name)
			}
		}
	}
	// Two downloads may have one name: the digits of its bytes keep them apart.
	name := d.Short() + "-" + ar.Filename
	r.URL = "./" + url.PathEscape(name)
	file := filepath.Join(folder, name)
	if i, err := os.Stat(file); err == nil && i.Size() == ar.Size {
		return r, nil
	}
	w, err := os.CreateTemp(folder, ".coming-*")
	if err != nil {
		return r, err
	}
	err = c.ArchiveBytes(ctx, ar.Digest, w)
	if err = errors.Join(err, w.Chmod(0o644), w.Close()); err == nil {
		err = os.Rename(w.Name(), file)
	}
	if err != nil {
		err = errors.Join(err, os.Remove(w.Name()))
	}
	return r, err
}

// whole writes a file so that who reads it has all of it, or what was there before.
func whole(file string, raw []byte) error {
	part := file + ".part"
	if err := os.WriteFile(part, raw, 0o644); err != nil {
		return err
	}
	return os.Rename(part, file)
}
