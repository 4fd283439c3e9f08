package layout

import (
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
)

// root is where in an archive an add-on begins.
type root struct {
	folder tree.Path
	whole  bool         // the archive itself is the one file
	files  []tree.Entry // every file of the archive, or the archive itself
	stems  []string     // where a name may be read, the best first, without suffix
	why    string       // for the crate
	reason string       // for each of its files
}

// recognise finds the root for a kind; nil means that the kind does not fit.
// The finding is set instead where more than one root is possible.
func recognise(k *rulebook.Kind, a Archive) (*root, *finding.Finding) {
	switch {
	case len(k.Single) > 0:
		return single(k, a)
	case len(k.Marker) > 0:
		return marked(k, a)
	default:
		return loose(k, a)
	}
}

func single(k *rulebook.Kind, a Archive) (*root, *finding.Finding) {
	if globbed(k.Single, tree.Path(a.Filename)) && holds(k, a) {
		whole := a.Whole
		whole.Path = tree.Path(a.Filename)
		return &root{whole: true, files: []tree.Entry{whole}, stems: []string{stem(a.Filename)},
			why: "the downloaded file is the add-on", reason: "a single file that is the add-on"}, nil
	}
	if len(k.Holds) > 0 {
		return nil, nil
	}
	var hits []tree.Entry
	for _, e := range files(a) {
		if globbed(k.Single, tree.Path(e.Path.Base())) {
			hits = append(hits, e)
		}
	}
	if len(hits) > 1 {
		return nil, unsure(k, hits)
	}
	if len(hits) == 0 {
		return nil, nil
	}
	at := hits[0].Path
	return &root{folder: at.Dir(), files: files(a), stems: []string{stem(at.Base()), stem(a.Filename)},
		why: fmt.Sprintf("%s is the add-on", at), reason: "a single file that is the add-on"}, nil
}

// holds tells whether a file that is itself an archive has what the kind asks
// for at its root.
func holds(k *rulebook.Kind, a Archive) bool {
	for _, glob := range k.Holds {
		if !slices.ContainsFunc(a.Entries, func(e tree.Entry) bool { return !e.Dir && globbed([]string{glob}, e.Path) }) {
			return false
		}
	}
	return true
}

func marked(k *rulebook.Kind, a Archive) (*root, *finding.Finding) {
	var hits []tree.Entry
	for _, e := range files(a) {
		if slices.Contains(k.Marker, e.Path.Base()) {
			hits = append(hits, e)
		}
	}
	slices.SortFunc(hits, func(x, y tree.Entry) int { return x.Path.Depth() - y.Path.Depth() })
	// A marker below another marker's folder belongs to that add-on.
	var outer []tree.Entry
	for _, h := range hits {
		if !slices.ContainsFunc(outer, func(o tree.Entry) bool { return h.Path.Dir().Within(o.Path.Dir()) }) {
			outer = append(outer, h)
		}
	}
	switch len(outer) {
	case 0:
		return nil, nil
	case 1:
	default:
		return nil, unsure(k, outer)
	}
	r := &root{folder: outer[0].Path.Dir(), files: files(a)}
	r.stems = stemsOf(r.folder, a)
	r.why = fmt.Sprintf("%s marks the root", outer[0].Path)
	r.reason = outer[0].Path.Base() + " marks the root"
	if r.folder.Depth() > 1 {
		r.reason += "; wrapper " + string(r.folder.Dir()) + " dropped"
	}
	return r, nil
}

func loose(k *rulebook.Kind, a Archive) (*root, *finding.Finding) {
	var hits []tree.Entry
	for _, e := range files(a) {
		if globbed(k.Loose, tree.Path(e.Path.Base())) {
			hits = append(hits, e)
		}
	}
	if len(hits) == 0 {
		return nil, nil
	}
	top := slices.MinFunc(hits, func(x, y tree.Entry) int { return x.Path.Depth() - y.Path.Depth() }).Path.Dir()
	for _, h := range hits {
		if h.Path.Depth() == top.Depth()+1 && h.Path.Dir() != top {
			return nil, unsure(k, []tree.Entry{{Path: top}, {Path: h.Path.Dir()}})
		}
	}
	r := &root{folder: top, files: files(a), why: "loose files in the folder " + top.String()}
	if top == tree.Root {
		r.why = "loose files without a folder"
	}
	r.stems = stemsOf(top, a)
	r.reason = "loose files; a folder is made around them"
	return r, nil
}

// stemsOf lists where the name of a folder's add-on may be read: the folder,
// the wrappers from the inside out, the file name.
func stemsOf(folder tree.Path, a Archive) []string {
	parts := folder.Parts()
	slices.Reverse(parts)
	return append(parts, stem(a.Filename))
}

func unsure(k *rulebook.Kind, candidates []tree.Entry) *finding.Finding {
	names := make([]string, 0, len(candidates))
	for i, c := range candidates {
		if i == 4 {
			names = append(names, fmt.Sprintf("and %d more", len(candidates)-i))
			break
		}
		names = append(names, c.Path.String())
	}
	return &finding.Finding{Level: finding.Warn, Code: "two-roots", Path: candidates[0].Path,
		What: fmt.Sprintf("kind %s fits, but which of these is the add-on is not clear: %s", k.Name, strings.Join(names, ", ")),
		Mend: "Nothing was laid out. Unpack it and stage the folder or file that you want."}
}

// named tells the add-on's name and version, from the text that the rulebook
// names, then from the folder, the wrappers and the file name.
func named(k *rulebook.Kind, a Archive, r *root, c *Crate, res *Result) {
	for _, s := range r.stems {
		name, ver := split(k, s)
		if c.Name == "" {
			c.Name = name
		}
		if c.Version == "" {
			c.Version = ver
		}
	}
	if v := read(k.NameIn, a, r, res); v != "" {
		c.Name = v
	}
	if v := read(k.VerIn, a, r, res); v != "" {
		c.Version = v
	}
	if c.Version == "" {
		c.Version = Unmarked
		res.note("no-version", fmt.Sprintf("nothing in the archive tells the version of %s; it is called %s", c.Name, Unmarked))
	}
}

// split is [version.Split] with the kind's suffixes trimmed before and after.
func split(k *rulebook.Kind, s string) (name, ver string) {
	name, ver = version.Split(trim(k, version.DropCounter(s)))
	return trim(k, name), ver
}

func trim(k *rulebook.Kind, s string) string {
	for _, suffix := range k.Trim {
		if cut, ok := strings.CutSuffix(s, suffix); ok && cut != "" {
			return cut
		}
	}
	return s
}

// maxManifest is how much of a text is searched for a name or a version, in bytes.
const maxManifest = 1 << 20

func read(rd *rulebook.Reading, a Archive, r *root, res *Result) string {
	if rd == nil || a.Texts == nil {
		return ""
	}
	for _, e := range files(a) {
		rel, ok := e.Path.Below(r.folder)
		if !ok || !globbed([]string{rd.File}, rel) {
			continue
		}
		f, err := a.Texts.Open(string(e.Path))
		if err != nil {
			res.note("unread", fmt.Sprintf("%s could not be read: %v", e.Path, err))
			return ""
		}
		text, err := io.ReadAll(io.LimitReader(f, maxManifest))
		f.Close()
		if err != nil {
			res.note("unread", fmt.Sprintf("%s could not be read: %v", e.Path, err))
			return ""
		}
		if m := regexp.MustCompile("(?m)" + rd.Match).FindSubmatch(text); m != nil {
			return strings.TrimSpace(string(m[1]))
		}
	}
	return ""
}

func files(a Archive) []tree.Entry {
	return slices.DeleteFunc(slices.Clone(a.Entries), func(e tree.Entry) bool { return e.Dir })
}

func globbed(globs []string, p tree.Path) bool {
	return slices.ContainsFunc(globs, func(g string) bool { return doublestar.MatchUnvalidated(g, string(p)) })
}

func stem(file string) string { return strings.TrimSuffix(file, path.Ext(file)) }

// cleanBase is a file's name without a browser's copy counter.
func cleanBase(p tree.Path) string {
	ext := path.Ext(p.Base())
	return version.DropCounter(strings.TrimSuffix(p.Base(), ext)) + ext
}
