package propose

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"restlesscrate/internal/core/tree"
)

// IsLog tells whether a file is a log by its name or its folder's.
func IsLog(p tree.Path) bool {
	base := strings.ToLower(p.Base())
	return path.Ext(base) == ".log" || slices.Contains([]string{"log", "logs"}, strings.ToLower(p.Dir().Base())) && slices.Contains([]string{"", ".txt"}, path.Ext(base))
}

// loadLine is a way in which lines of a log name add-ons.
type loadLine struct {
	file   tree.Path
	match  string
	sample string
	names  map[string]bool
}

// Words in a line that say that an add-on was not loaded.
var unloaded = regexp.MustCompile(`(?i)fail|error|could not|cannot|can't|missing|unload|skip|refus|disabl|crash|warn|invalid|unknown|stopp`)

// logQuestion asks which line of a log says that an add-on was loaded.
func logQuestion(e Evidence, kinds []form) (Question, bool) {
	q := Question{Key: Log, Ask: "Which line of its log says that an add-on was loaded?", Free: true, Like: `server.log: loaded (?P<name>\S+)`}
	var found []loadLine
	among := 0
	for _, f := range kinds {
		addons := f.addons(e.Tree)
		among += len(addons)
		for _, p := range slices.Sorted(maps.Keys(e.Texts)) {
			if !IsLog(p) || inAddon(f, e.Tree, p) {
				continue
			}
			for _, by := range namings(f, addons) {
				if by.word != groupWord {
					found = append(found, loadLines(p, e.Texts[p], by.names)...)
				}
			}
		}
	}
	slices.SortStableFunc(found, func(a, b loadLine) int { return cmp.Compare(len(b.names), len(a.names)) })
	for _, l := range found[:min(len(found), 4)] {
		value := string(l.file) + ": " + l.match
		if !slices.ContainsFunc(q.Options, func(o Option) bool { return o.Value == value }) {
			q.Options = append(q.Options, Option{Value: value, Says: l.sample, Why: fmt.Sprintf("%s has such a line for %d of the %d add-ons that lie there", l.file, len(l.names), among)})
		}
	}
	ok := len(q.Options) > 0
	return append1(q, Option{Value: none, Says: "no line says so", Why: "then a roll call cannot tell from the log"}), ok
}

// The words around a name in a line, without what differs from line to line.
var (
	leftOf  = regexp.MustCompile(`[^0-9]{0,30}$`)
	rightOf = regexp.MustCompile(`^(\s*$|[^\sA-Za-z0-9._-]+|\s+[A-Za-z]+\b|\s+)`)
)

var versionAhead = regexp.MustCompile(`^\s+v?\d`)

// loadLines finds the lines that name at least two add-ons in the same way and do not say
// that something went wrong.
func loadLines(file tree.Path, text string, names []string) []loadLine {
	by := map[string]*loadLine{}
	var order []string
	spaced := slices.ContainsFunc(names, func(n string) bool { return strings.ContainsAny(n, " \t") })
	for line := range strings.SplitSeq(text, "\n") {
		line = strings.TrimRight(line, "\r")
		if len(line) > 400 || unloaded.MatchString(line) {
			continue
		}
		for _, name := range names {
			at := strings.Index(line, name)
			if at < 0 || within(line, at, len(name)) {
				continue
			}
			match, ok := around(line[:at], name, line[at+len(name):], spaced)
			if !ok {
				continue
			}
			if by[match] == nil {
				by[match] = &loadLine{file: file, match: match, sample: line, names: map[string]bool{}}
				order = append(order, match)
			}
			by[match].names[name] = true
		}
	}
	var out []loadLine
	for _, match := range order {
		if len(by[match].names) > 1 {
			out = append(out, *by[match])
		}
	}
	return out
}

// around makes an expression of what stands around a name. A line that is nothing but the name
// says nothing. spaced is set where names may hold spaces: what stands behind one has to tell then
// where it ends.
func around(before, name, after string, spaced bool) (string, bool) {
	left := leftOf.FindString(before)
	if cut := len(before) - len(left); cut > 0 && left != "" && wordAt(before[cut-1]) && wordAt(left[0]) {
		i := strings.IndexFunc(left, func(r rune) bool { return r > 127 || !wordAt(byte(r)) })
		if i < 0 {
			return "", false
		}
		left = left[i:]
	}
	// What stands before a bracket or the like is the time or the thread more often than not.
	if i := strings.LastIndexAny(left, "]|"); i >= 0 && i+1 < len(left) {
		left = left[i+1:]
	}
	if !strings.ContainsFunc(left, func(r rune) bool { return r > 127 || wordAt(byte(r)) }) {
		return "", false
	}
	anchor := ""
	if len(left) == len(before) {
		anchor = "^"
	}
	right := rightOf.FindString(after)
	switch {
	case strings.TrimSpace(after) == "":
		right = `\s*$`
	case strings.TrimSpace(right) == "" && spaced && versionAhead.MatchString(after):
		right = `\s+v?\d`
	case strings.TrimSpace(right) == "" && spaced:
		return "", false
	case strings.TrimSpace(right) == "":
		right = `\s`
	default:
		right = regexp.QuoteMeta(right)
	}
	group := `(?P<name>\S+?)`
	if spaced {
		group = `(?P<name>.+?)`
	}
	match := anchor + regexp.QuoteMeta(left) + group + right
	m := regexp.MustCompile(match).FindStringSubmatch(before + name + after)
	return match, m != nil && m[1] == name // what stands before it may stand in front of something else too
}

func wordAt(b byte) bool {
	return b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= '0' && b <= '9' || b == '_'
}

// parseLog reads an answer to the question [Log].
func parseLog(said string) (file, match string, err error) {
	if said == "" || said == none {
		return "", "", nil
	}
	file, match, ok := strings.Cut(said, ": ")
	if _, e := tree.ParsePath(file); !ok || e != nil {
		return "", "", fmt.Errorf(`%q names no log and line; write FILE: EXPRESSION, such as "server.log: loaded (?P<name>\S+)"`, said)
	}
	x, e := regexp.Compile(match)
	if e != nil {
		return "", "", fmt.Errorf("%q is no regular expression: %w", match, e)
	}
	if x.SubexpIndex("name") < 0 {
		return "", "", fmt.Errorf("%q has no group (?P<name>…), which is the add-on", match)
	}
	return file, match, nil
}

// log writes which line of which log says that an add-on was loaded.
func (w *writer) log(said string) error {
	file, match, err := parseLog(said)
	if err == nil && match != "" {
		w.line("\nlog:\n  file: %q\n  loaded: '%s'", file, strings.ReplaceAll(match, "'", "''"))
	}
	return err
}
