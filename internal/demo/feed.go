package demo

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"os"
	"path/filepath"

	"restlesscrate/internal/api"
	"restlesscrate/internal/standin"
)

// announced are what the community's board announces and nobody has staged.
func announced() []sample {
	return []sample{
		{Name: "tide-lamps-2.3.0.tdx", Plain: fixture("tide-lamps", "2.3.0")},
		{Name: "pier-signs-1.5.0.tdx", Plain: fixture("pier-signs", "1.5.0", "needs tide-base")},
	}
}

// feed follows the feed of the community's board.
func (p *play) feed(ctx context.Context) error {
	folder := p.path("board")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	type release map[string]any
	notes := map[string]string{"tide-lamps-2.3.0.tdx": "Lamps keep their colour after a restart.", "pier-signs-1.5.0.tdx": "Signs with two lines."}
	var releases []release
	for i, s := range announced() {
		if err := os.WriteFile(filepath.Join(folder, s.Name), []byte(s.Plain), 0o644); err != nil {
			return err
		}
		sum := sha256.Sum256([]byte(s.Plain))
		releases = append(releases, release{"addon": s.Name[:10], "version": []string{"2.3.0", "1.5.0"}[i], "url": s.Name, "size": len(s.Plain), "sha256": hex.EncodeToString(sum[:]),
			"date": "2026-11-20", "side": "both", "notes": notes[s.Name]})
	}
	raw, err := json.MarshalIndent(map[string]any{"feed": 1, "title": "Reedbank Commons: the board", "made": "2026-11-21T18:00:00Z", "releases": releases}, "", "  ")
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(folder, "feed.json"), raw, 0o644); err != nil {
		return err
	}
	b, err := standin.StartBoard(folder)
	if err != nil {
		return err
	}
	p.hosts = append(p.hosts, b)
	f, err := p.c.FollowFeed(ctx, api.NewFeed{Name: "reedbank", URL: b.URL + "/feed.json", For: "saltpan"}, nil)
	if err != nil {
		return err
	}
	p.printf("follows the feed of the community's board: %d releases, none of them staged yet. restless feed show reedbank shows them", f.Count)
	return p.players(ctx)
}

// players tells the players of the harbour what they need.
func (p *play) players(ctx context.Context) error {
	if _, err := p.c.EditServer(ctx, "saltpan", api.ServerEdit{Facts: map[string]string{"address": "saltpan.reedbank.example", "port": "7610"}}); err != nil {
		return err
	}
	title, text := "Reedbank Commons: the harbour", "Two harbours, one tide. Ask ada for a berth."
	_, err := p.c.SayPacklist(ctx, "saltpan", api.SayPacklist{Title: &title, Words: &text, Addons: []api.PackingSaid{
		{Addon: "tide-lamps", Need: "must", Note: "Without it the harbour is dark.", Share: true}, {Addon: "reedbank-shores", Need: "must"}, {Addon: "tide-base", Need: "may", Share: true},
		{Addon: "ghost-pier", Need: "must-not", Note: "It crashes everybody near you."}}})
	if err != nil {
		return err
	}
	l, err := p.c.LinkPacklist(ctx, "saltpan", false)
	if err != nil {
		return err
	}
	p.printf("a packing list for the players of saltpan, with a page that nobody can guess: %s", l.URL)
	return nil
}
