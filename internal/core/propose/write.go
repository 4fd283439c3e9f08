package propose

import (
	"fmt"
	"path"
	"strings"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// Write gives the text of the rulebook that the answers make, with what is
// believed where nothing was answered. The text says what to look at again.
func Write(name, title string, e Evidence, a Answers) ([]byte, error) {
	if !rulebook.IsName(name) {
		return nil, fmt.Errorf("%q cannot be a rulebook's name: small letters, digits and dashes, at most 31, not a dash first", name)
	}
	if err := Check(a); err != nil {
		return nil, err
	}
	said := map[string]string{}
	for _, q := range Questions(e, a) {
		said[q.Key] = a.orBelieved(q)
		if said[q.Key] == "" {
			return nil, fmt.Errorf("%s There is nothing to learn that from yet: answer %s", q.Ask, q.Key)
		}
	}
	place := placeName(said[Place])
	var b strings.Builder
	fmt.Fprintf(&b, "# Made from answers to questions. Read it, try it with a download, change what is wrong.\n")
	fmt.Fprintf(&b, "format: 1\nname: %s\ntitle: %q\n\n", name, title)
	if p := said[Protected]; p != "none" {
		fmt.Fprintf(&b, "protected:\n")
		for part := range strings.SplitSeq(p, ",") {
			fmt.Fprintf(&b, "  - %q\n", strings.TrimSpace(part))
		}
		fmt.Fprintln(&b)
	}
	fmt.Fprintf(&b, "places:\n  %s:\n    path: %q\n    about: where add-ons lie\n\nkinds:\n  add-on:\n", place, said[Place])
	kind(&b, said, place)
	text := []byte(b.String())
	if _, err := rulebook.Parse(text); err != nil {
		return nil, fmt.Errorf("the answers do not make a rulebook: %w", err)
	}
	return text, nil
}

func kind(b *strings.Builder, said map[string]string, place string) {
	const leave = `["*.md", "*.txt", "*.png", "*.jpg", "*.psd", "LICENSE*"]`
	sign := said[Sign]
	switch said[Shape] {
	case Folder:
		fmt.Fprintf(b, "    about: a folder with %s, under any wrappers\n    recognise:\n      marker: %q\n    several: true\n", sign, sign)
		fmt.Fprintf(b, "    name:\n      trim: [\"-main\", \"-master\", \"-trunk\"]\n")
		version(b, sign)
		fmt.Fprintf(b, "    put:\n      - leave: [\"*.md\", \"*.psd\", \".*\", \"**/.*\"]\n        because: notes and hidden files are not for the server\n")
		fmt.Fprintf(b, "      - take: \"**\"\n        place: %s\n        as: \"{name}/{path}\"\n", place)
	case Loose:
		fmt.Fprintf(b, "    about: loose files; a folder is made around them\n    recognise:\n      loose: %q\n", sign)
		fmt.Fprintf(b, "    put:\n      - leave: %s\n        because: notes and pictures are for people\n      - take: \"**\"\n        place: %s\n        as: \"{name}/{path}\"\n", leave, place)
	default:
		fmt.Fprintf(b, "    about: one file that is the add-on\n    recognise:\n      single: %q\n    several: true\n", sign)
		fmt.Fprintf(b, "    put:\n      - leave: %s\n        because: notes and pictures are for people\n      - take: %q\n        place: %s\n        as: \"{file}\"\n", leave, sign, place)
	}
}

// version reads a version out of the marker where its suffix tells how it is
// written; otherwise by the word.
func version(b *strings.Builder, marker string) {
	switch path.Ext(marker) {
	case ".toml", ".yaml", ".yml", ".json", ".properties":
		fmt.Fprintf(b, "    version:\n      read: {file: %q, at: /version}\n", marker)
	default:
		fmt.Fprintf(b, "    version:\n      read: {file: %q, match: '(?i)version\\s*[=:]?\\s*[\"'']?([0-9][^\"''\\s]*)'}\n", marker)
	}
}

// placeName makes a name for a place out of its path.
func placeName(p string) string {
	if p == "." {
		return "root"
	}
	var out strings.Builder
	for _, r := range strings.ToLower(tree.Path(p).Base()) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			out.WriteRune(r)
		case out.Len() > 0:
			out.WriteByte('-')
		}
	}
	if name := strings.Trim(out.String(), "-"); rulebook.IsName(name) {
		return name
	}
	return "add-ons"
}
