// Package demo plays the sample scenario: two made-up games of the made-up
// community Reedbank Commons on a stand-in host, deployed to, updated and
// rolled back through the public client, as a person would.
package demo

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/words"
)

//go:embed rulebooks/*.yaml
var rulebooks embed.FS

// Options are what the scenario needs: a service to talk to and a folder for
// the stand-in host and the downloads.
type Options struct {
	Client *client.Client
	Folder string
	Out    io.Writer
}

// play is the scenario while it runs.
type play struct {
	Options
	c     *client.Client
	line  int
	hosts []io.Closer
	games map[string]game // by server
}

// Run plays the scenario and gives what keeps the stand-in host up; Close it
// when the demo is over.
func Run(ctx context.Context, o Options) (io.Closer, error) {
	p := &play{Options: o, c: o.Client, games: map[string]game{}}
	if err := p.run(ctx); err != nil {
		return nil, errors.Join(err, p.Close())
	}
	return p, nil
}

// Close stops the stand-in hosts.
func (p *play) Close() error {
	var errs []error
	for _, h := range p.hosts {
		errs = append(errs, h.Close())
	}
	return errors.Join(errs...)
}

func (p *play) printf(format string, args ...any) {
	p.line++
	fmt.Fprintf(p.Out, "%2d. %s\n", p.line, fmt.Sprintf(format, args...))
}

func (p *play) run(ctx context.Context) error {
	if err := WriteSamples(p.path("downloads")); err != nil {
		return err
	}
	for _, act := range []func(context.Context) error{p.servers, p.stage, p.first, p.update, p.back, p.fromNothing, p.settings, p.cave, p.feed, p.leftOpen, p.leftWaiting} {
		if err := act(ctx); err != nil {
			return err
		}
	}
	return nil
}

func (p *play) path(parts ...string) string {
	return filepath.Join(append([]string{p.Folder}, parts...)...)
}

// games are the servers and what a person says of each.
var games = []struct{ server, game string }{{"saltpan", "tidewright"}, {"saltpan-test", "tidewright"}, {"lantern", "lanternfall"}, {"mossgrave", "mossgrave"}}

// neverRun is the server whose game has never run: what it makes at its first start
// is not there yet.
const neverRun = "saltpan-test"

func (p *play) servers(ctx context.Context) error {
	for _, g := range games {
		text, err := rulebooks.ReadFile("rulebooks/" + g.game + ".yaml")
		if err != nil {
			return err
		}
		if _, err := p.c.AddRulebook(ctx, string(text), false); err != nil {
			return err
		}
		if err := p.server(ctx, g.server, g.game); err != nil {
			return fmt.Errorf("server %s: %w", g.server, err)
		}
		if err := p.runGame(ctx, g.server, g.game); err != nil {
			return fmt.Errorf("the game on %s: %w", g.server, err)
		}
	}
	return nil
}

// server adds one server: the host's key is unknown at first, so the
// fingerprint is compared and confirmed.
func (p *play) server(ctx context.Context, name, game string) error {
	if err := standin.Furnish(p.path(name), game); err != nil {
		return err
	}
	if name == neverRun {
		if err := os.Remove(p.path(name, "tidewright.conf")); err != nil {
			return err
		}
	}
	if game == "mossgrave" {
		return p.ftpServer(ctx, name, game)
	}
	h, err := standin.StartHost(p.path(name), "keeper", "reed-and-tide")
	if err != nil {
		return err
	}
	p.hosts = append(p.hosts, h)
	_, err = p.c.AddServer(ctx, api.NewServer{Name: name, Rulebook: game, Secrets: api.Secrets{Password: h.Password},
		Transport: api.Transport{Kind: "sftp", Host: "127.0.0.1", Port: h.Port, User: h.User, Auth: "password", Root: "."}})
	if err != nil {
		return err
	}
	_, err = p.c.TestServer(ctx, name)
	var problem *api.Problem
	if !errors.As(err, &problem) || problem.Code != "host-key-unknown" {
		return fmt.Errorf("the host's key should be unknown at first, and it was: %v", err)
	}
	if _, err := p.c.TrustServer(ctx, name, h.Fingerprint()); err != nil {
		return err
	}
	s, err := p.c.TestServer(ctx, name)
	if err != nil {
		return err
	}
	p.printf("%s: a made-up %s server over SFTP on port %d; its key was confirmed. %s", name, title(game), h.Port, s.Abilities.Words[0])
	return nil
}

// ftpServer adds a server whose host gives nothing better than FTP.
func (p *play) ftpServer(ctx context.Context, name, game string) error {
	h, err := standin.StartFTP(p.path(name), "keeper", "reed-and-tide", standin.FTPOptions{})
	if err != nil {
		return err
	}
	p.hosts = append(p.hosts, h)
	_, err = p.c.AddServer(ctx, api.NewServer{Name: name, Rulebook: game, Secrets: api.Secrets{Password: h.Password},
		Transport: api.Transport{Kind: "ftp", Host: "127.0.0.1", Port: h.Port, User: h.User, Auth: "password", Root: "/"}})
	if err != nil {
		return err
	}
	s, err := p.c.TestServer(ctx, name)
	if err != nil {
		return err
	}
	p.printf("%s: a made-up %s server over FTP on port %d, as a rented host gives it. %s", name, title(game), h.Port, s.Abilities.Words[0])
	return nil
}

func title(game string) string { return strings.ToUpper(game[:1]) + game[1:] }

func (p *play) stage(ctx context.Context) error {
	var labels []string
	staged := append(samples(), shapeNamed("echo-shaft.zip"), shapeNamed("rope-lore-1.3.zip"), shapeNamed("lantern-gallery-main.zip"), shapeNamed("gull-flocks-9.3-keel-0.8-beta.2.tdx"))
	for _, s := range staged {
		f, err := os.Open(p.path("downloads", s.Name))
		if err != nil {
			return err
		}
		info, err := f.Stat()
		if err != nil {
			return errors.Join(err, f.Close())
		}
		st, err := p.c.Stage(ctx, client.Staging{Filename: s.Name, Source: "the Reedbank Commons board"}, f, info.Size(), nil)
		if err = errors.Join(err, f.Close()); err != nil {
			return err
		}
		for _, b := range st.Rulebooks {
			for _, c := range b.Crates {
				labels = append(labels, c.Label)
			}
		}
	}
	p.printf("staged %d downloads: %s", len(staged), strings.Join(labels, ", "))
	return nil
}

// shapeNamed gives one of the samples of shapes.
func shapeNamed(name string) sample {
	for _, s := range shapes() {
		if s.Name == name {
			return s
		}
	}
	panic("there is no sample called " + name) // only names of this package are asked for
}

// deploy drafts and runs in one go, and says what came of it.
func (p *play) deploy(ctx context.Context, server, what string, n api.NewDraft) error {
	d, err := p.c.Draft(ctx, server, n, nil)
	if err != nil {
		return err
	}
	d, err = p.c.Run(ctx, server, d.Number, api.RunDraft{Digest: d.Digest, Accept: n.Accept}, nil)
	if err != nil {
		return fmt.Errorf("%s: %w", d.Name, err)
	}
	if d, err = p.byHand(ctx, d); err != nil {
		return fmt.Errorf("%s: %w", d.Name, err)
	}
	c := d.Counts
	texts := ""
	if c.Edited > 0 {
		texts = ", " + words.Count(c.Edited, "text") + " edited"
	}
	p.printf("%s %s: %s. %d in, %d changed, %d out%s; swapped in %d ms%s", d.Name, d.State, what, c.In, c.Changed, c.Out, texts, d.Figures.SwapMS, rolled(d))
	return nil
}

func (p *play) first(ctx context.Context) error {
	err := p.deploy(ctx, "saltpan", "a single file that is the add-on, and a data pack that stays packed",
		api.NewDraft{Crates: []string{"tide-base@3.2.1", "tide-lamps@2.1.0", "reedbank-shores@12"}})
	if err != nil {
		return err
	}
	return p.deploy(ctx, "lantern", "a folder out of two wrappers, and loose tunes with a folder made around them",
		api.NewDraft{Crates: []string{"drum-tent@0.4.0", "harvest-songs@1.2"}})
}

func (p *play) update(ctx context.Context) error {
	if err := p.deploy(ctx, "saltpan", "the newer lamps replace the older file", api.NewDraft{Crates: []string{"tide-lamps@2.2.0"}}); err != nil {
		return err
	}
	if err := os.WriteFile(p.path("lantern", "stalls", "drum-tent", "takings.log"), []byte("12 pennies\n"), 0o644); err != nil {
		return err
	}
	p.printf("the fair writes stalls/drum-tent/takings.log by itself; updates leave it alone")
	return p.deploy(ctx, "lantern", "both updated; what is no longer part of them goes",
		api.NewDraft{Crates: []string{"drum-tent@0.5.0", "harvest-songs@1.3"}})
}

func (p *play) back(ctx context.Context) error {
	if err := p.deploy(ctx, "lantern", "one file back", api.NewDraft{Rollback: &api.Rollback{Path: "songbooks/harvest-songs/reel.tune"}}); err != nil {
		return err
	}
	if err := p.deploy(ctx, "lantern", "the whole update back; that file is there already", api.NewDraft{Rollback: &api.Rollback{Deployment: 2}}); err != nil {
		return err
	}
	return p.deploy(ctx, "saltpan", "the lamps back to 2.1.0", api.NewDraft{Rollback: &api.Rollback{Addon: "tide-lamps"}})
}

// fromNothing deploys to a server that has never run, and then something that
// wants a new world.
func (p *play) fromNothing(ctx context.Context) error {
	if p.games[neverRun].name == "" {
		return nil
	}
	err := p.deploy(ctx, neverRun, "a loader and a fixture to a server that has never run: the loader's first start cuts its gear, the second makes the settings that name the fixture, so it takes three legs",
		api.NewDraft{Crates: []string{"keel@4.1", "tide-base@3.2.1"}})
	if err != nil {
		return err
	}
	return p.deploy(ctx, neverRun, "new terrain in a new world; the old one is set aside and stays",
		api.NewDraft{Crates: []string{"gull-flocks@0.8-beta.2"}, Renew: []string{"ledger"}})
}

// cave brings a cave to a host that gives only FTP: of two versions in one
// download, the one for the server's game version.
func (p *play) cave(ctx context.Context) error {
	return p.deploy(ctx, "mossgrave", "two caves over FTP, one in the version for this server's game, in the order in which they need each other",
		api.NewDraft{Crates: []string{"rope-lore@1.3", "echo-shaft@1.5"}})
}

// leftWaiting leaves a deployment that waits for a person.
func (p *play) leftWaiting(ctx context.Context) error {
	if p.games["mossgrave"].name == "" {
		return nil
	}
	d, err := p.c.Draft(ctx, "mossgrave", api.NewDraft{Crates: []string{"lantern-gallery@0.7.2"}, With: []string{"wet-season"}, Accept: []string{"author-says"}}, nil)
	if err != nil {
		return err
	}
	if d, err = p.c.Run(ctx, "mossgrave", d.Number, api.RunDraft{Digest: d.Digest, Accept: []string{"author-says"}}, nil); err != nil {
		return fmt.Errorf("%s: %w", d.Name, err)
	}
	p.printf("%s is left waiting for a person: %s restless deployment tick %s says that it is done.", d.Name, d.Trouble, d.Name)
	return nil
}

// leftOpen leaves a draft with something to decide for whoever looks around.
func (p *play) leftOpen(ctx context.Context) error {
	for name, text := range map[string]string{"tide-base-3.2.1.tdx": "edited by hand at midnight\n", "pier-signs-1.4.0.tdx": "an older copy that somebody uploaded\n"} {
		if err := os.WriteFile(p.path("saltpan", "fixtures", name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	d, err := p.c.Draft(ctx, "saltpan", api.NewDraft{Crates: []string{"tide-base@3.2.1", "tide-lamps@2.2.0", "pier-signs@1.4.0"}}, nil)
	if err != nil {
		return err
	}
	p.printf("%s is left as a draft: %d findings block it, because somebody changed files by hand. restless deployment show %s reads it.", d.Name, d.Blocks, d.Name)
	return nil
}
