package layout

import (
	"fmt"
	"path"
	"strconv"
	"strings"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

// placing is one file of a crate while a rule says where it goes.
type placing struct {
	*Crate
	rule *rulebook.Rule
	rel  tree.Path // of the file, below the root
	root root
}

func (p placing) fill(text string) (tree.Path, error) {
	filled, err := rulebook.Fill(text, p.value)
	if err != nil {
		return "", err
	}
	return tree.ParsePath(filled)
}

// value gives the value of a placeholder in a rule.
func (p placing) value(word string) (string, bool) {
	switch word {
	case "name":
		return p.Name, true
	case "version":
		return p.Version, true
	case "id":
		return strings.Map(noSlash, orElse(p.ID, p.Name)), true
	case "path":
		return string(p.rel), true
	case "below":
		return rulebook.Below(p.taken(), string(p.rel)), true
	case "file":
		return cleanBase(p.rel), true
	case "root":
		return p.root.folder.Base(), p.root.folder != tree.Root
	case "around":
		return p.root.folder.Dir().Base(), p.root.folder.Depth() > 1
	case "base":
		return p.Base, true
	}
	if n, err := strconv.Atoi(word); err == nil {
		found := rulebook.Captures(p.taken(), string(p.rel))
		if n < 1 || n > len(found) {
			return "", false
		}
		return found[n-1], true
	}
	if told := p.Tells[word]; len(told) > 0 {
		return strings.Map(noSlash, told[0]), true
	}
	return "", false
}

// taken is the glob by which the rule takes the file.
func (p placing) taken() string {
	for _, glob := range p.rule.Take {
		if globbed([]string{glob}, p.rel) {
			return glob
		}
	}
	return ""
}

// Rival is a part of a crate that excludes the others of its group.
type Rival struct {
	Of  string       `json:"of"` // the name for all of them
	For rulebook.For `json:"for,omitzero"`
}

// String says for which servers it is, for people.
func (r Rival) String() string {
	var out []string
	if r.For.Game != "" {
		out = append(out, "game version "+r.For.Game)
	}
	if r.For.Loader != "" {
		out = append(out, "loader "+r.For.Loader)
	}
	if len(out) == 0 {
		return "any server"
	}
	return fmt.Sprintf("for %s", strings.Join(out, " and "))
}

// sideCars are the files that go with a single file: beside it, called like it with a suffix.
func (l *laying) sideCars(k *rulebook.Kind, file tree.Entry) (out []part) {
	if len(k.Beside) == 0 {
		return nil
	}
	base := file.Path.Base()
	stem := strings.TrimSuffix(base, path.Ext(base))
	for _, e := range l.files {
		if e.Path.Dir() != file.Path.Dir() || e.Path == file.Path {
			continue
		}
		for _, suffix := range k.Beside {
			if name := e.Path.Base(); name == stem+suffix || name == base+suffix {
				out = append(out, part{Entry: e, rel: tree.Path(name)})
				break
			}
		}
	}
	return out
}
