package rulebook

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
)

// Asked gives what of a server's recorded values the rulebook still asks for: a revision may
// have dropped a variable.
func (b *Book) Asked(recorded map[string]string) map[string]string {
	out := maps.Clone(recorded)
	maps.DeleteFunc(out, func(name, _ string) bool { _, asked := b.Variable(name); return !asked })
	return out
}

// CheckValue checks one value: a plain folder name of visible characters.
func (b *Book) CheckValue(name, value string) error {
	if !b.names(name) { // it is no part of a path
		if bad, ok := tree.Unseen(value); !ok {
			return fmt.Errorf("%s: it holds U+%04X, which nobody sees", name, bad)
		}
		if value == "" || strings.ContainsAny(value, "\r\n\x00") {
			return fmt.Errorf("%s: %q is not one line of text", name, value)
		}
		return nil
	}
	if p, err := tree.ParsePath(value); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	} else if bad, ok := tree.Unseen(value); !ok {
		return fmt.Errorf("%s: it holds U+%04X, which nobody sees", name, bad)
	} else if p.Depth() != 1 {
		return fmt.Errorf("%s: %q is more than one folder name", name, value)
	}
	return nil
}

// names tells whether a variable is a part of paths.
func (b *Book) names(variable string) bool {
	paths := []string{b.Log.File}
	for _, p := range b.Places {
		paths = append(paths, p.Path)
	}
	for _, l := range b.Lists {
		paths = append(paths, l.File)
	}
	for _, h := range b.ByHand {
		paths = append(paths, h.File)
	}
	for _, v := range b.Variables {
		if v.SetIn != nil {
			paths = append(paths, v.SetIn.File)
		}
		paths = append(paths, v.HandCheck.File)
	}
	return slices.ContainsFunc(paths, func(p string) bool { return slices.Contains(Placeholders(p), variable) })
}

// Values checks what a server says against the variables that the rulebook
// asks for and fills in the defaults. The error names every variable that is
// missing, unknown or not one plain folder name.
func (b *Book) Values(said map[string]string) (map[string]string, error) {
	out := map[string]string{}
	var wrong, lacks []string
	for _, v := range b.Variables {
		value := said[v.Name]
		if value == "" {
			value = v.Default
		}
		if value == "" && v.Maybe {
			out[v.Name] = ""
			continue
		}
		if value == "" {
			wrong = append(wrong, fmt.Sprintf("%s is not set (%s)", v.Name, v.Ask))
			lacks = append(lacks, v.Name)
			continue
		}
		if err := b.CheckValue(v.Name, value); err != nil {
			wrong = append(wrong, err.Error())
		}
		out[v.Name] = value
	}
	for name := range said {
		if _, ok := b.Variable(name); !ok {
			wrong = append(wrong, b.UnknownVariable(name))
		}
	}
	if wrong != nil {
		slices.Sort(wrong)
		return nil, &ValueError{Wrong: wrong, Lacks: lacks}
	}
	return out, nil
}

// UnknownVariable says that there is no variable of that name, and which there are.
func (b *Book) UnknownVariable(name string) string {
	return fmt.Sprintf("rulebook %s knows no variable %q%s", b.Name, name, b.knownVariables())
}

func (b *Book) knownVariables() string {
	if len(b.Variables) == 0 {
		return "; it asks for none"
	}
	names := make([]string, len(b.Variables))
	for i, v := range b.Variables {
		names[i] = v.Name
	}
	return "; it asks for " + strings.Join(names, ", ")
}

// ValueError lists what is wrong with the values that a server gives.
type ValueError struct {
	Wrong []string
	Lacks []string // the variables that have no value
}

// Remedies are the values that are to be given.
func (e *ValueError) Remedies() (out []finding.Remedy) {
	for _, name := range e.Lacks {
		out = append(out, finding.GiveVariable.With(name))
	}
	return out
}

func (e *ValueError) Error() string { return strings.Join(e.Wrong, "; ") }

// Resolve gives the real folder of a place on a server whose values came from
// [Book.Values].
func (b *Book) Resolve(place string, values map[string]string) (tree.Path, error) {
	p, ok := b.Place(place)
	if !ok {
		return tree.Root, fmt.Errorf("rulebook %s has no place %q any more", b.Name, place)
	}
	if p.Path == "." {
		return tree.Root, nil
	}
	text, err := fillPath(p.Path, values)
	if err != nil {
		return tree.Root, fmt.Errorf("place %s: %w", place, err)
	}
	if text == "" {
		return tree.Root, nil
	}
	path, err := tree.ParsePath(text)
	if err != nil {
		return tree.Root, fmt.Errorf("place %s: %w", place, err)
	}
	return path, nil
}

// fillPath fills a path. A folder that is named after empty values alone, such as a group
// that an add-on is in none of, is left out.
func fillPath(path string, values map[string]string) (string, error) {
	var steps []string
	for _, step := range strings.Split(path, "/") {
		held, empty := Placeholders(step), 0
		for _, word := range held {
			if v, ok := values[word]; ok && v == "" {
				empty++
			}
		}
		if len(held) > 0 && empty == len(held) {
			continue
		}
		text, err := Fill(step, func(name string) (string, bool) { v, ok := values[name]; return v, ok })
		if err != nil {
			return "", err
		}
		steps = append(steps, text)
	}
	return strings.Join(steps, "/"), nil
}

// Fill replaces every {name} in text by what value gives for it.
func Fill(text string, value func(name string) (string, bool)) (string, error) {
	var out strings.Builder
	for rest := text; rest != ""; {
		before, after, open := strings.Cut(rest, "{")
		out.WriteString(before)
		if !open {
			break
		}
		name, tail, closed := strings.Cut(after, "}")
		if !closed {
			return "", fmt.Errorf("%q has a { without its }", text)
		}
		v, ok := value(name)
		if !ok {
			return "", fmt.Errorf("%q holds {%s}, which has no value", text, name)
		}
		out.WriteString(v)
		rest = tail
	}
	return out.String(), nil
}

// Placeholders lists the {name}s in text, in order.
func Placeholders(text string) []string {
	var names []string
	_, _ = Fill(text, func(name string) (string, bool) { names = append(names, name); return "", true })
	return names
}
