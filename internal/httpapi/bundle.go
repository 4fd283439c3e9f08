package httpapi

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"restlesscrate/internal/core/scrub"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/texts"
)

// bundle collects what somebody needs who helps with a server, as a person may send it: a zip of
// texts.
type bundle struct {
	*Server
	server string
	files  map[string][]byte
	notes  []string // what is not in it, and why
	scrub  *scrub.Scrubber
}

// The parts of a bundle, which a person may leave out.
var bundleParts = []string{"server", "rulebook", "status", "deployments", "rollcall", "survey", "log", "settings"}

// lastDeployments is how many deployments a bundle tells of; mostTexts how many settings texts.
const (
	lastDeployments = 10
	mostTexts       = 200
)

// support gives a bundle. What a person leaves out is not read.
func (s streams) support(c *echo.Context) error {
	ctx := c.Request().Context()
	srv, err := s.Hosts.Find(ctx, c.Param("server"))
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	b := &bundle{Server: s.Server, server: srv.Name, files: map[string][]byte{}}
	without := strings.FieldsFunc(c.QueryParam("without"), func(r rune) bool { return r == ',' })
	for _, w := range without {
		if !slices.Contains(bundleParts, w) {
			return writeProblem(c, refusal(http.StatusBadRequest, "bad-part", fmt.Sprintf("%q is no part of a bundle", w), "The parts are "+strings.Join(bundleParts, ", ")+"."))
		}
	}
	if err := b.collect(ctx, srv, without); err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	raw, err := b.zipped(s.Now(), without)
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	h := c.Response().Header()
	h.Set("Content-Type", "application/zip")
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": srv.Name + "-support.zip"}))
	_, err = c.Response().Write(raw)
	return err
}

func (b *bundle) collect(ctx context.Context, srv model.Server, without []string) error {
	secrets, shown := b.settings(ctx)
	b.scrub = scrub.New(append(secrets, hidden(srv)...))
	for _, part := range bundleParts {
		if slices.Contains(without, part) {
			continue
		}
		var err error
		switch part {
		case "server":
			err = b.facts(srv)
		case "rulebook":
			var rev model.Revision
			if _, rev, err = b.Catalog.Book(ctx, srv.Rulebook); err == nil {
				b.text("rulebook.yaml", string(rev.Text))
			}
		case "status":
			err = b.status(ctx)
		case "deployments":
			err = b.deployments(ctx)
		case "rollcall":
			call, e := b.controlling().lastRollCall(ctx, b.server)
			err = errors.Join(e, b.json("rollcall.json", call, e))
		case "survey":
			found, e := b.Surveys.Last(ctx, b.server)
			err = errors.Join(e, b.json("survey.json", wireSurvey(found), e))
		case "log":
			err = b.log(ctx)
		case "settings":
			for p, text := range shown {
				b.text(path.Join("settings", string(p)), text)
			}
		}
		if err != nil { // the rest helps all the same
			b.notes = append(b.notes, fmt.Sprintf("%s: %s", part, ProblemOf(err).Detail))
		}
	}
	return ctx.Err()
}

// hidden is what of the way in is nobody's business, wherever it stands. A host that is one plain
// word is not: such words stand everywhere.
func hidden(srv model.Server) []string {
	if strings.ContainsAny(srv.Transport.Host, ".:") {
		return []string{srv.Transport.Host}
	}
	return nil
}

// settings reads the settings texts, with secrets masked, and gives the secrets that stand in them:
// they may stand in a log too.
func (b *bundle) settings(ctx context.Context) (secrets []string, shown map[tree.Path]string) {
	shown = map[tree.Path]string{}
	list, err := b.Texts.List(ctx, b.server, false)
	if err != nil {
		b.notes = append(b.notes, "settings: "+ProblemOf(err).Detail)
		return nil, shown
	}
	for _, t := range list[:min(len(list), mostTexts)] {
		masked, err := b.Texts.Show(ctx, b.server, t.Path, false)
		if err != nil {
			b.notes = append(b.notes, fmt.Sprintf("settings/%s: %s", t.Path, ProblemOf(err).Detail))
			continue
		}
		shown[t.Path] = masked.Body
		if masked.Masked == 0 {
			continue
		}
		open, err := b.Texts.Show(ctx, b.server, t.Path, true)
		if err != nil { // then nothing of it is told
			delete(shown, t.Path)
			continue
		}
		for _, v := range open.Values {
			if slices.ContainsFunc(masked.Values, func(m texts.Value) bool { return m.Path == v.Path && m.Secret }) {
				secrets = append(secrets, v.Value)
			}
		}
	}
	return secrets, shown
}

func (b *bundle) text(name, text string) { b.files[name] = []byte(b.scrub.Text(text)) }

func (b *bundle) json(name string, v any, err error) error {
	if err != nil {
		return nil //nolint:nilerr // it is told by who asked
	}
	raw, err := json.MarshalIndent(v, "", "  ")
	if err == nil {
		b.text(name, string(raw)+"\n")
	}
	return err
}

func (b *bundle) facts(srv model.Server) error {
	b.text("versions.txt", fmt.Sprintf("Restless Crate %s\n%s on %s/%s\n", b.Version, runtime.Version(), runtime.GOOS, runtime.GOARCH))
	w := wireServer(srv)
	for _, field := range []*string{&w.Transport.Host, &w.Transport.User, &w.HostKey} {
		if *field != "" {
			*field = scrub.Masked
		}
	}
	return b.json("server.json", w, nil)
}

func (b *bundle) status(ctx context.Context) error {
	st, err := b.Insight.Status(ctx, b.server)
	if err != nil {
		return err
	}
	return b.json("status.json", b.wireStatus(st), nil)
}

func (b *bundle) deployments(ctx context.Context) error {
	list, err := b.Changes.List(ctx, b.server, 0, lastDeployments)
	if err != nil {
		return err
	}
	for _, d := range list {
		w, err := b.changing().withSteps(ctx, d.ID, "", nil)
		if err != nil {
			return err
		}
		if err := b.json(fmt.Sprintf("deployments/%04d.json", d.Number), w, nil); err != nil {
			return err
		}
	}
	return nil
}

func (b *bundle) log(ctx context.Context) error {
	lines, _, err := b.Hosts.Log(ctx, b.server, "")
	if err != nil {
		return err
	}
	var text strings.Builder
	for _, l := range lines {
		text.WriteString(l.Text + "\n")
	}
	b.text("log-end.txt", text.String())
	return nil
}

// zipped packs what was collected, with a page that says what is in it.
func (b *bundle) zipped(now time.Time, without []string) ([]byte, error) {
	names := slices.Sorted(func(yield func(string) bool) {
		for name := range b.files {
			if !yield(name) {
				return
			}
		}
	})
	var about strings.Builder
	fmt.Fprintf(&about, "What helps to find out what is wrong with the server %s, as of %s.\n\nRead it before you send it, and take out what is nobody's business.\n", b.server, now.UTC().Format(time.RFC3339))
	fmt.Fprintf(&about, "Values that are secret, the host and who signs in there are masked.\n%d other addresses have names such as address-1. The names of players are as they are in the log.\n\n", b.scrub.Addresses())
	for _, name := range names {
		fmt.Fprintf(&about, "%8d  %s\n", len(b.files[name]), name)
	}
	for _, w := range without {
		fmt.Fprintf(&about, "\nLeft out: %s", w)
	}
	for _, n := range b.notes {
		fmt.Fprintf(&about, "\nNot in it: %s", b.scrub.Text(n))
	}
	about.WriteString("\n")
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, name := range append([]string{"READ-ME-FIRST.txt"}, names...) {
		text := b.files[name]
		if text == nil {
			text = []byte(about.String())
		}
		if !fs.ValidPath(name) {
			continue
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: now})
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(text); err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return out.Bytes(), err
}
