package demo

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"restlesscrate/internal/api"
	"restlesscrate/internal/client"
)

// stallOf is a small stall whose texts name a row of the fair.
func stallOf(name, version, prices string) sample {
	return sample{Name: name + "-" + version + ".zip", Zip: []file{
		{name + "/stall.lf", fmt.Sprintf("title = %q\nversion = %q\nneeds = { \"ticket-gate\" }\n", name, version)},
		{name + "/place.lf", "-- where it stands\nplace = { row = \"row-main\", at = vec(1.0, 0.0, 2.5) }\n"},
		{name + "/prices.lf", prices}}}
}

// tuned are the downloads of the part about settings.
func tuned() []sample {
	return []sample{
		stallOf("honey-stall", "1.0", "-- in pennies\nhoney = 3\nwax = 2\n"),
		stallOf("honey-stall", "1.1", "-- in pennies\nhoney = 5\nwax = 2\nmead = 9\n"),
		stallOf("lamp-stall", "1.0", "lamp = 4\n"),
		stallOf("rope-stall", "1.0", "rope = 1\n"),
		{Name: "reedbank-shores-13.zip", Zip: []file{{"table.toml", "table = \"reedbank-shores\"\nedition = 13\n# for all who come by boat\ntide = \"mild\"\n"}, {"shores/rocks.toml", filler("rock", 81)}}},
	}
}

// settings goes through what is done to texts, on the servers whose games run: what they say of it
// is in their own logs.
func (p *play) settings(ctx context.Context) error {
	if p.games[neverRun].name == "" {
		return nil
	}
	for _, act := range []func(context.Context) error{p.stageTuned, p.values, p.ports, p.tune, p.conflict, p.rename, p.insidePacked} {
		if err := act(ctx); err != nil {
			return err
		}
	}
	return nil
}

func (p *play) stageTuned(ctx context.Context) error {
	for _, s := range tuned() {
		f, err := os.Open(p.path("downloads", s.Name))
		if err != nil {
			return err
		}
		info, err := f.Stat()
		if err == nil {
			_, err = p.c.Stage(ctx, client.Staging{Filename: s.Name, Source: "the Reedbank Commons board"}, f, info.Size(), nil)
		}
		if err = errors.Join(err, f.Close()); err != nil {
			return err
		}
	}
	return nil
}

const piers = "fittings/piers.yaml"

// says gives the last line of a server's log that holds some words.
func (p *play) says(server, log, words string) string {
	raw, err := os.ReadFile(p.path(server, log))
	if err != nil {
		return ""
	}
	last := ""
	for line := range strings.Lines(string(raw)) {
		if strings.Contains(line, words) {
			last = strings.TrimSpace(line)
		}
	}
	return last
}

func set(path, at, value string, more ...func(*api.TweakWish)) api.TweakWish {
	w := api.TweakWish{Path: path, Tweak: api.Tweak{Do: "set", At: at, Value: value}}
	for _, m := range more {
		m(&w)
	}
	return w
}

// values are drawn from elsewhere, and depend on add-ons.
func (p *play) values(ctx context.Context) error {
	from := func(from string) func(*api.TweakWish) {
		return func(w *api.TweakWish) { w.From, w.Tweak.Make = from, true }
	}
	beacon := api.TweakWish{Path: piers, If: "tide-lamps", Tweak: api.Tweak{Do: "uncomment", Text: "beacon: lit"}}
	err := p.deploy(ctx, neverRun, "three values at once: berths as many as tidewright.conf lets boats in, the game's version, and a beacon once tide-lamps is there",
		api.NewDraft{Tweaks: []api.TweakWish{set(piers, "/berths", "", from("{tidewright.conf:/max-boats}")), set(piers, "/built-for", "", from("{game}")), beacon}})
	if err != nil {
		return err
	}
	if err := p.deploy(ctx, neverRun, "tide-lamps comes, and with it the line that waited for it", api.NewDraft{Crates: []string{"tide-lamps@2.2.0"}}); err != nil {
		return err
	}
	p.printf("%s says: %s", neverRun, p.says(neverRun, "tidewright.log", "fitting piers"))
	return nil
}

// ports are two values that agree: one is changed alone first, in a draft that does not run.
func (p *play) ports(ctx context.Context) error {
	listen := set("tidewright.conf", "/pilot-port", "7612")
	d, err := p.c.Draft(ctx, neverRun, api.NewDraft{Tweaks: []api.TweakWish{listen}}, nil)
	if err != nil {
		return err
	}
	told := false
	for _, f := range d.Findings {
		if f.Code == "agreement-broken" {
			told = true
			p.printf("%s: %s", d.Name, f.What)
		}
	}
	if !told {
		return fmt.Errorf("%s should say that two ports no longer agree", d.Name)
	}
	calls := set(piers, "/pilots-call", "", func(w *api.TweakWish) { w.From = "{tidewright.conf:/pilot-port}" })
	if err := p.deploy(ctx, neverRun, "both ports at once; from now on the one follows the other", api.NewDraft{Tweaks: []api.TweakWish{listen, calls}}); err != nil {
		return err
	}
	p.printf("%s says: %s", neverRun, p.says(neverRun, "tidewright.log", "fitting piers"))
	return nil
}

// tune finds a number in six tries, over reloads.
func (p *play) tune(ctx context.Context) error {
	var heard []string
	for _, swell := range []string{"0.9", "0.1", "0.5", "0.35", "0.45", "0.4"} {
		d, err := p.c.Draft(ctx, neverRun, api.NewDraft{Tweaks: []api.TweakWish{set(piers, "/swell", swell)}}, nil)
		if err != nil {
			return err
		}
		if _, err = p.c.Run(ctx, neverRun, d.Number, api.RunDraft{Digest: d.Digest}, nil); err != nil {
			return err
		}
		if said := p.says(neverRun, "tidewright.log", "swell "+swell+","); said != "" {
			heard = append(heard, swell)
		}
	}
	p.printf("%s tried six swells, one after the other, by a reload each; its log told of %s. One tweak is left of it", neverRun, strings.Join(heard, ", "))
	return nil
}

// conflict updates an add-on whose author and a person changed the same value.
func (p *play) conflict(ctx context.Context) error {
	if err := p.deploy(ctx, "lantern", "three stalls", api.NewDraft{Crates: []string{"honey-stall@1.0", "lamp-stall@1.0", "rope-stall@1.0"}}); err != nil {
		return err
	}
	prices := p.path("lantern", "stalls", "honey-stall", "prices.lf")
	if err := os.WriteFile(prices, []byte("-- in pennies\nhoney = 4\nwax = 2\n"), 0o644); err != nil {
		return err
	}
	d, err := p.c.Draft(ctx, "lantern", api.NewDraft{Crates: []string{"honey-stall@1.1"}}, nil)
	if err != nil {
		return err
	}
	at := ""
	for _, f := range d.Findings {
		if f.Code == "settings-conflict" {
			at = f.What
		}
	}
	if at == "" {
		return fmt.Errorf("%s should have a conflict to decide", d.Name)
	}
	p.printf("%s: %s", d.Name, at)
	return p.deploy(ctx, "lantern", "decided: the server's price stays, and what else is new comes",
		api.NewDraft{Crates: []string{"honey-stall@1.1"}, Keep: map[string]api.Side{"stalls/honey-stall/prices.lf:/honey": api.Mine}})
}

// rename changes a name in the texts of all three.
func (p *play) rename(ctx context.Context) error {
	found, err := p.c.Named(ctx, "lantern", "row-main", "lamp-street", nil, false)
	if err != nil {
		return err
	}
	n := api.NewDraft{Tweaks: found.Tweaks}
	return p.deploy(ctx, "lantern", fmt.Sprintf("row-main is lamp-street now, in %d texts of three add-ons", len(n.Tweaks)), n)
}

// insidePacked changes a text inside a data pack, and then the pack is updated.
func (p *play) insidePacked(ctx context.Context) error {
	if err := p.deploy(ctx, neverRun, "a data pack", api.NewDraft{Crates: []string{"reedbank-shores@12"}}); err != nil {
		return err
	}
	packed := filepath.ToSlash(filepath.Join("ports", "reedbank", "tables", "reedbank-shores.zip")) + "!/table.toml"
	err := p.deploy(ctx, neverRun, "a value inside it", api.NewDraft{Tweaks: []api.TweakWish{set(packed, "/tide", "wild", func(w *api.TweakWish) { w.Tweak.Make = true })}})
	if err != nil {
		return err
	}
	if err := p.deploy(ctx, neverRun, "its next edition, merged with that", api.NewDraft{Crates: []string{"reedbank-shores@13"}}); err != nil {
		return err
	}
	t, err := p.c.Text(ctx, neverRun, packed, false)
	if err != nil {
		return err
	}
	p.printf("%s holds now: %s", packed, strings.ReplaceAll(strings.TrimSpace(t.Body), "\n", "; "))
	return nil
}
