package cli

import (
	"fmt"
	"io"
	"strings"

	"restlesscrate/internal/api"
)

// subject is what findings are about, as far as the one who prints them knows. An
// empty part is printed as a word in capitals, to be filled in.
type subject struct{ server, crate, deployment string }

// commands are the command lines of each deed. ON stands for what it is done to and
// WITH for its parameter.
var commands = map[string]string{
	"show-servers":  "restless server list",
	"show-server":   "restless server show SERVER",
	"edit-server":   "restless server edit SERVER --WITH VALUE",
	"test-server":   "restless server test SERVER",
	"learn-server":  "restless learn SERVER",
	"unlock-server": "restless server test SERVER --unlock",
	"trust-key":     "restless server trust SERVER WITH",
	"forget-key":    "restless server edit SERVER --forget-key",
	"set-control":   "restless server control SERVER --file FILE",
	"set-secret":    "restless server control SERVER --secret WITH",
	"show-addons":   "restless status SERVER",
	"show-files":    "restless files SERVER",
	"show-history":  "restless history SERVER",
	"read-log":      "restless log SERVER",
	"call-roll":     "restless rollcall SERVER",
	"survey":        "restless survey SERVER",
	"restart":       "restless restart SERVER",
	"start":         "restless start SERVER",
	"show-updates":  "restless update SERVER",
	"narrow":        "restless narrow SERVER",
	"show-text":     "restless text SERVER WITH",
	"set-text":      "restless tweak set SERVER WITH",
	"show-texts":    "restless text SERVER",
	"show-tweaks":   "restless tweak list SERVER",
	"untweak":       "restless tweak undo SERVER WITH",

	"show-deployments":  "restless deployment list SERVER",
	"show-deployment":   "restless deployment show DEPLOYMENT",
	"run-deployment":    "restless deployment run DEPLOYMENT",
	"resume-deployment": "restless deployment resume DEPLOYMENT",
	"undo-deployment":   "restless deployment undo DEPLOYMENT",
	"halt-deployment":   "restless deployment halt DEPLOYMENT",
	"tick-deployment":   "restless deployment tick DEPLOYMENT",
	"tick-unchecked":    "restless deployment tick DEPLOYMENT --unchecked",
	"call-good":         "restless deployment remark SERVER#NUMBER --good",
	"roll-back":         "restless rollback SERVER --deployment NUMBER",

	"give-variable":   "--set WITH=VALUE",
	"deploy":          "restless deploy SERVER WITH",
	"restart-instead": "restless deploy SERVER CRATE… --restart",
	"set-variable":    "restless deploy SERVER CRATE… --set WITH=VALUE",
	"set-value":       "restless deploy SERVER --set WITH",
	"take-part":       "restless deploy SERVER CRATE… --with WITH",
	"renew":           "restless deploy SERVER CRATE… --renew WITH",
	"leave-data":      "restless deploy SERVER CRATE… --no-copy-data",
	"keep-mine":       "restless deployment decide DEPLOYMENT mine=WITH",
	"take-needs":      "restless deployment decide DEPLOYMENT take-needs",
	"instead-of":      "restless deployment decide DEPLOYMENT instead-of=WITH",
	"leave-out":       "restless deployment decide DEPLOYMENT without=WITH",
	"replace-copy":    "restless deployment decide DEPLOYMENT replace=WITH",
	"rewrite-name":    "restless rewrite SERVER WITH --draft",
	"rewrite-along":   "restless deployment decide DEPLOYMENT rewrite=WITH",
	"set-aside":       "restless deployment decide DEPLOYMENT set-aside=WITH",
	"take-in":         "restless adopt SERVER WITH",
	"remove-copy":     "restless settle SERVER remove=WITH",
	"enable-addon":    "restless enable SERVER WITH",
	"keep-theirs":     "restless deployment decide DEPLOYMENT theirs=WITH",

	"stage-archive":  "restless stage ARCHIVE",
	"show-archives":  "restless archive list",
	"choose-root":    "restless archive again ARCHIVE --root FOLDER",
	"show-crates":    "restless crate list",
	"name-crate":     "restless crate set CRATE --WITH VALUE",
	"tell-apart":     "restless crate set CRATE --apart",
	"place-files":    "restless crate place CRATE GLOB --in PLACE",
	"compare-crates": "restless crate compare CRATE WITH",
	"show-rulebooks": "restless rulebook list",
	"show-rulebook":  "restless rulebook show NAME",
	"add-over":       "restless rulebook add FILE --over",
	"add-rulebook":   "restless rulebook add FILE",

	"show-jobs":      "restless job list",
	"show-schedules": "restless schedule show WITH",
	"show-tokens":    "restless token list",
	"show-sessions":  "restless session list",
	"start-service":  "restless serve --WITH VALUE",
	"new-link":       "restless sign-in",
}

// command is the command line of a remedy; empty for a deed that this version of the
// command line does not know.
func command(r api.Remedy, about subject) string {
	line := commands[r.Do]
	on := func(placeholder, known string) {
		if r.On != "" {
			known = r.On
		}
		if known != "" {
			line = strings.Replace(line, placeholder, quoted(known), 1)
		}
	}
	if r.Do == "roll-back" {
		server, number, _ := strings.Cut(r.On, "#")
		return strings.NewReplacer("SERVER", server, "NUMBER", number).Replace(line)
	}
	switch {
	case strings.Contains(line, "DEPLOYMENT"):
		on("DEPLOYMENT", about.deployment)
	case strings.Contains(line, "SERVER"):
		on("SERVER", about.server)
	case strings.Contains(line, "CRATE"):
		on("CRATE", about.crate)
	case strings.Contains(line, "ARCHIVE"):
		on("ARCHIVE", "")
	case strings.Contains(line, "NAME"):
		on("NAME", "")
	}
	if r.With == "" {
		return strings.Replace(line, " --WITH VALUE", "", 1)
	}
	if r.Do == "set-text" || r.Do == "rewrite-name" { // several words
		return strings.Replace(line, "WITH", r.With, 1)
	}
	with := r.With
	if r.Do == "rewrite-along" {
		with = strings.Replace(with, " ", ":", 1)
	}
	return strings.Replace(line, "WITH", quoted(with), 1)
}

// printMend writes what would mend something, and below it the commands that do.
func printMend(w io.Writer, indent, mend string, remedies []api.Remedy, about subject) {
	if mend != "" {
		fmt.Fprintf(w, "%s%s\n", indent, mend)
	}
	for _, r := range remedies {
		if line := command(r, about); line != "" {
			fmt.Fprintf(w, "%s  %s\n", indent, line)
		}
	}
}

// printFinding writes one finding and what would mend it.
func printFinding(w io.Writer, f api.Finding, about subject) {
	fmt.Fprintf(w, "  %-5s %s: %s\n", strings.ToUpper(f.Level), f.Code, f.What)
	printSides(w, f.Sides)
	printMend(w, "        ", f.Mend, f.Remedies, about)
}

// printSides writes what each side of a conflict has, where that is more than a line.
func printSides(w io.Writer, s *api.Sides) {
	if s == nil || !strings.Contains(strings.TrimSuffix(s.Mine, "\n")+strings.TrimSuffix(s.Theirs, "\n"), "\n") {
		return
	}
	for _, side := range []struct{ name, text string }{{"before", s.Base}, {"mine", s.Mine}, {"theirs", s.Theirs}} {
		fmt.Fprintf(w, "        %s:\n", side.name)
		for line := range strings.Lines(side.text) {
			fmt.Fprintf(w, "          | %s\n", strings.TrimRight(line, "\r\n"))
		}
	}
}

// manyNotes is from how many notes of one code on only the first is written in full.
const manyNotes = 5

// folding writes findings so that many notes of one code do not hide the rest: of those the
// first, and at the end how many more there are.
type folding struct {
	notes map[string]int
	order []string
	most  map[string]int // of each code, how many there are in all
}

// foldNotes counts findings before they are written.
func foldNotes(lists ...[]api.Finding) *folding {
	f := &folding{notes: map[string]int{}, most: map[string]int{}}
	for _, list := range lists {
		for _, x := range list {
			if x.Level == "note" {
				f.most[x.Code]++
			}
		}
	}
	return f
}

// print writes a finding, unless it is one of many.
func (f *folding) print(w io.Writer, x api.Finding, about subject) {
	if f.most[x.Code] >= manyNotes && x.Level == "note" {
		if f.notes[x.Code]++; f.notes[x.Code] > 1 {
			if f.notes[x.Code] == 2 {
				f.order = append(f.order, x.Code)
			}
			return
		}
	}
	printFinding(w, x, about)
}

// rest writes how many notes were not written.
func (f *folding) rest(w io.Writer) {
	for _, code := range f.order {
		fmt.Fprintf(w, "  NOTE  %s: %d more like that; --json gives them all\n", code, f.notes[code]-1)
	}
}

// printAccept writes the option that accepts a finding, where a person can.
func printAccept(w io.Writer, f api.Finding, accepted []api.Accepted) {
	key := strings.TrimSuffix(f.Code+"="+f.Path, "=")
	for _, a := range accepted {
		if a.Code == f.Code && (a.Path == "" || a.Path == f.Path) {
			return
		}
	}
	if f.Level == "block" && !f.Final || f.Code == "author-says" {
		fmt.Fprintf(w, "          --accept %s\n", key)
	}
}
