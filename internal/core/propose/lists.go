package propose

import (
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"restlesscrate/internal/core/manifest"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/core/version"
	"restlesscrate/internal/words"
)

// listed is a text that names add-ons, and how it does.
type listed struct {
	path  tree.Path
	of    int    // the form whose add-ons it names
	entry string // as a rulebook writes it
	form  string // line, json, yaml or joined
	// With line: how an entry that does not count looks. With json and yaml: where the list is.
	// With joined: the expression for the value, and what is between the items.
	disabled, at, match, separator string
	names                          []string // that it names
	among                          int      // of so many
}

// words says how the text names add-ons.
func (l listed) words() string {
	names := map[string]string{"{name}": "names", "{folder}": "names of folders", "{file}": "names of files", groupWord: "groups"}[l.entry]
	switch l.form {
	case "line":
		return fmt.Sprintf("%s, a line %q for each", l.path, l.entry)
	case "joined":
		return fmt.Sprintf("%s, one value with the %s and %q between them", l.path, names, l.separator)
	}
	return fmt.Sprintf("%s, a list of the %s", l.path, names)
}

// lists finds the texts that name at least two add-ons of a form, each in the same way.
func lists(e Evidence, forms []form) (out []listed) {
	for _, p := range slices.Sorted(maps.Keys(e.Texts)) {
		for i, f := range forms {
			if IsLog(p) || inAddon(f, e.Tree, p) { // what a server writes is no list that it reads
				continue
			}
			if l, ok := listedIn(p, e.Texts[p], f, e.Tree); ok {
				l.of = i
				out = append(out, l)
			}
		}
	}
	return out
}

func inAddon(f form, entries []tree.Entry, p tree.Path) bool {
	return slices.ContainsFunc(f.addons(entries), p.Within)
}

// listedIn looks for add-ons of one form in a text, by each way to name them in turn.
func listedIn(p tree.Path, text string, f form, entries []tree.Entry) (listed, bool) {
	for _, by := range namings(f, f.addons(entries)) {
		for _, look := range []func(string, naming) (listed, bool){inTree(p), inLines, inJoined} {
			if l, ok := look(text, by); ok {
				l.path, l.among = p, len(by.names)
				slices.Sort(l.names)
				l.names = slices.Compact(l.names)
				if len(l.names) > 1 {
					return l, true
				}
			}
		}
	}
	return listed{}, false
}

// naming is one way in which a server may name its add-ons.
type naming struct {
	word  string // the placeholder
	names []string
}

func (n naming) has(name string) bool { return slices.Contains(n.names, name) }

func namings(f form, addons []tree.Path) []naming {
	base, stem, groups := naming{word: "{folder}"}, naming{word: "{name}"}, naming{word: groupWord}
	if f.shape == Single {
		base.word = "{file}"
	}
	for _, a := range addons {
		base.names = append(base.names, a.Base())
		if f.shape == Single {
			name, _ := version.Split(strings.TrimSuffix(a.Base(), path.Ext(a.Base())))
			stem.names = append(stem.names, name)
		}
		if strings.Contains(f.place, groupWord) {
			groups.names = append(groups.names, f.group(a))
		}
	}
	return []naming{base, stem, groups}
}

// inTree looks for a list in a JSON or YAML text.
func inTree(p tree.Path) func(string, naming) (listed, bool) {
	return func(text string, by naming) (l listed, ok bool) {
		format := manifest.FormatOf(p.Base())
		if format != manifest.JSON && format != manifest.YAML {
			return l, false
		}
		v, err := manifest.Read(format, []byte(text))
		if err != nil {
			return l, false
		}
		at, names := listIn(v, "", by)
		return listed{form: string(format), at: at, entry: by.word, names: names}, len(names) > 1
	}
}

// listIn gives the pointer of the list with the most names in it.
func listIn(v manifest.Value, at string, by naming) (where string, names []string) {
	best := func(p string, n []string) {
		if len(n) > len(names) {
			where, names = p, n
		}
	}
	switch v := v.(type) {
	case []manifest.Value:
		var here []string
		for i, x := range v {
			if s, ok := x.(string); ok && by.has(s) {
				here = append(here, s)
			}
			best(listIn(x, fmt.Sprintf("%s/%d", at, i), by))
		}
		best(at, here)
	case map[string]manifest.Value:
		for _, key := range slices.Sorted(maps.Keys(v)) {
			best(listIn(v[key], at+"/"+strings.NewReplacer("~", "~0", "/", "~1").Replace(key), by))
		}
	}
	return where, names
}

// comments are the prefixes that put a line out of use in most texts; offSign is how another one
// may look, of an entry that counts without it. What a list's items begin with is none.
var (
	comments = []string{"# ", "#", "// ", "//", "; ", ";", "-- "}
	offSign  = regexp.MustCompile(`^[!~^%&?$@]{1,2} ?$`)
)

// inLines looks for lines that differ only in the name.
func inLines(text string, by naming) (l listed, ok bool) {
	found := map[string][]string{} // the names, by how their lines are written
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		lines[i] = strings.TrimSpace(line)
		for _, name := range by.names {
			at := strings.Index(lines[i], name)
			if at < 0 || strings.ContainsAny(lines[i], "{}") || within(lines[i], at, len(name)) {
				continue
			}
			entry := lines[i][:at] + by.word + lines[i][at+len(name):]
			found[entry] = append(found[entry], name)
		}
	}
	comment := func(entry string) bool {
		return slices.ContainsFunc(comments, func(c string) bool { return strings.HasPrefix(entry, c) })
	}
	for _, entry := range slices.Sorted(maps.Keys(found)) {
		if len(found[entry]) > len(l.names) && !comment(entry) {
			l = listed{form: "line", entry: entry, names: found[entry]}
		}
	}
	for _, c := range comments {
		if off := found[c+l.entry]; len(off) > 0 && l.disabled == "" {
			l.disabled, l.names = c+"{entry}", append(l.names, off...)
		}
	}
	for _, entry := range slices.Sorted(maps.Keys(found)) {
		sign, plain := strings.CutSuffix(entry, l.entry)
		if plain && len(l.names) > 0 && l.disabled == "" && offSign.MatchString(sign) {
			l.disabled, l.names = sign+"{entry}", append(l.names, found[entry]...)
		}
	}
	return l, len(l.names) > 1
}

// within tells whether a name at a place in a line is only a part of a longer word.
func within(line string, at, n int) bool {
	word := func(i int) bool {
		return i >= 0 && i < len(line) && (line[i] == '-' || line[i] == '_' || line[i] == '.' || line[i] >= '0' && line[i] <= '9' || line[i]|0x20 >= 'a' && line[i]|0x20 <= 'z')
	}
	return word(at-1) || word(at+n)
}

var quotedValue = regexp.MustCompile(`([A-Za-z][\w.-]*\s*=\s*)"([^"]*)"`)
var quotedFlag = regexp.MustCompile(`(--?[A-Za-z][\w.-]*\s+)"([^"]*)"`)
var bareFlag = regexp.MustCompile(`(--?[A-Za-z][\w.-]*[ =])([^\s"'=]+)`)
var bareValue = regexp.MustCompile(`^([A-Za-z][\w.-]*\s*=\s*)([^"]*)$`)

// separators are the texts between the items of one value, the longest first.
var separators = []string{" | ", ", ", "; ", "|", ",", ";", ":", " "}

// inJoined looks for a value that is several names with something between them.
func inJoined(text string, by naming) (l listed, ok bool) {
	for line := range strings.SplitSeq(text, "\n") {
		line = strings.TrimSpace(line)
		for _, way := range []struct {
			find        *regexp.Regexp
			begin, ends string
		}{{quotedValue, "", `"([^"]*)"`}, {quotedFlag, "", `"([^"]*)"`}, {bareFlag, "", `([^\s"]*)`}, {bareValue, "(?m)^", `([^\r\n]*)`}} {
			for _, m := range way.find.FindAllStringSubmatch(line, -1) {
				for _, sep := range separators {
					var names []string
					items := strings.Split(m[2], sep)
					for _, item := range items {
						if by.has(item) {
							names = append(names, item)
						}
					}
					if len(names) > 1 && len(names)*2 > len(items) && len(names) > len(l.names) {
						l = listed{form: "joined", entry: by.word, match: way.begin + regexp.QuoteMeta(m[1]) + way.ends, separator: sep, names: names}
					}
				}
			}
		}
	}
	return l, len(l.names) > 1
}

// listsQuestion asks which texts name what is loaded.
func listsQuestion(e Evidence, forms []form) Question {
	q := Question{Key: Lists, Ask: "Which texts of the server name what it loads?", Free: true}
	found := lists(e, forms)
	var paths, says []string
	for _, l := range found {
		if !slices.Contains(paths, string(l.path)) {
			paths = append(paths, string(l.path))
		}
		says = append(says, l.words())
		o := Option{Value: string(l.path), Says: l.words(), Why: fmt.Sprintf("it names %d of the %s: %s", len(l.names), words.Count(l.among, "add-on"), words.Few(l.names))}
		if i := slices.IndexFunc(q.Options, func(x Option) bool { return x.Value == o.Value }); i >= 0 {
			q.Options[i].Says, q.Options[i].Why = q.Options[i].Says+"; "+o.Says, q.Options[i].Why+"; "+o.Why
			continue
		}
		q.Options = append(q.Options, o)
	}
	if len(paths) > 1 {
		q.Options = slices.Insert(q.Options, 0, Option{Value: list(paths), Says: "all of these", Why: strings.Join(says, "; ")})
	}
	return append1(q, Option{Value: none, Says: "none", Why: "nothing else names two add-ons or more"})
}
