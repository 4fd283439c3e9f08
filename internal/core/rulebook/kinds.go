package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/manifest"
)

// asWords are the placeholders that a rule's "as" may hold; "base" only where
// the kind overlays another add-on.
var asWords = []string{"name", "version", "id", "path", "below", "file", "root", "around", "base"}

// ownWords are all placeholders of an add-on that mean the same in every rulebook.
var ownWords = []string{"name", "version", "id", "path", "below", "file", "root", "around", "base", "folder"}

// intoWords are those of its "into".
var intoWords = []string{"name", "version", "base"}

func (r *reader) kinds(n *yaml.Node, b *Book) {
	r.named(n, "kinds", func(key, value *yaml.Node) {
		k := Kind{Name: key.Value, Line: key.Line, Facts: map[FactKind][]Reading{}}
		fields := []field{
			{"about", false, r.text("about", &k.About)},
			{"recognise", true, func(v *yaml.Node) { r.recognise(v, &k) }},
			{"several", false, r.yes("several", &k.Several)},
			{"installer", false, r.text("installer", &k.Installer)},
			{"called", false, func(v *yaml.Node) {
				r.mapping(v, "called", field{"read", true, func(v *yaml.Node) { k.Called = r.readings(v, false) }})
			}},
			{"id", false, func(v *yaml.Node) {
				r.mapping(v, "id", field{"read", true, func(v *yaml.Node) { k.ID = r.readings(v, false) }})
			}},
			{"name", false, func(v *yaml.Node) {
				r.mapping(v, "name",
					field{"trim", false, r.texts("trim", &k.Trim, checkAny)},
					field{"read", false, func(v *yaml.Node) { k.NameIn = r.readings(v, false) }})
			}},
			{"version", false, func(v *yaml.Node) {
				r.mapping(v, "version", field{"read", true, func(v *yaml.Node) { k.VerIn = r.readings(v, false) }})
			}},
			{"disabled-by", false, func(v *yaml.Node) { r.renaming(v, &k, b) }},
			{"tweaks", false, func(v *yaml.Node) { r.server().kindTweaks(v, b, &k) }},
			{"tells", false, func(v *yaml.Node) { k.Tells = r.tells(v, b) }},
			{"takes-effect", false, r.server().oneOf("takes-effect", &k.TakesEffect, Effects)},
			{"says-nothing", false, r.yes("says-nothing", &k.Mute)},
			{"reload", false, func(v *yaml.Node) {
				r.server().maybeHolding("reload", &k.Reload, append(slices.Clone(handWords), "file"))(v)
			}},
			{"changes-data", false, func(v *yaml.Node) {
				r.texts("changes-data", &k.ChangesData, func(name string) error {
					if p, ok := b.Place(name); !ok || !p.Data {
						return fmt.Errorf("%q is no place with data: true", name)
					}
					return nil
				})(v)
			}},
			{"risky", false, r.text("risky", &k.Risky)},
			{"oddities", false, r.texts("oddities", &k.Oddities, checkAny)},
			{"starts", false, func(v *yaml.Node) { k.Starts = r.starts(v, b) }},
			{"overlays", false, func(v *yaml.Node) {
				k.Overlays = &Overlay{}
				r.mapping(v, "overlays", field{"read", false, func(v *yaml.Node) { k.Overlays.Base = r.readings(v, false) }})
			}},
			{"put", false, func(v *yaml.Node) { k.Rules = r.rules(v, b, &k) }},
		}
		for _, f := range FactKinds {
			fields = append(fields, field{string(f), false, func(v *yaml.Node) { k.Facts[f] = r.readings(v, true) }})
		}
		before := len(r.faults)
		r.mapping(value, "kind "+key.Value, fields...)
		switch {
		case len(r.faults) > before || value.Kind != yaml.MappingNode:
		case (k.TakesEffect == "reload") != (k.Reload != ""):
			r.fault(key, "kind %s needs both takes-effect: reload and reload, the line for the console, or neither", k.Name)
		case k.Risky != "" && k.Reload == "":
			r.fault(key, "risky goes with reload, which kind %s has not", k.Name)
		case k.Listed != "" && (len(k.Rules) > 0 || k.Installer != "" || k.Overlays != nil):
			r.fault(key, "kind %s is only listed: it has no files, so it cannot put, overlay or install any", k.Name)
		case k.Listed != "":
		case k.Installer == "" && len(k.Rules) == 0:
			r.fault(key, "kind %s needs the key %q", k.Name, "put")
		case k.Installer != "" && len(k.Rules) > 0:
			r.fault(key, "kind %s is an installer, which is run elsewhere; it cannot put files too", k.Name)
		}
		if i := slices.IndexFunc(k.Rules, Rule.NeedsBase); i >= 0 && k.Overlays == nil {
			r.faults = append(r.faults, Fault{Line: k.Rules[i].Line, Column: 1, What: fmt.Sprintf("{base} and into go with overlays, which kind %s has not", k.Name)})
		}
		b.Kinds = append(b.Kinds, k)
	})
	// One that grows with a server has none at first, and says so: kinds: {}.
	if len(b.Kinds) == 0 && n.Kind == yaml.MappingNode && n.Style != yaml.FlowStyle {
		r.fault(n, "a rulebook needs at least one kind; one that knows none yet says so: kinds: {}")
	}
}

// tells reads the values that an add-on's files tell under words of the rulebook's own.
func (r *reader) tells(n *yaml.Node, b *Book) (out []Tell) {
	r.named(n, "tells", func(key, value *yaml.Node) {
		_, variable := b.Variable(key.Value)
		if variable || slices.Contains(ownWords, key.Value) {
			r.fault(key, "{%s} means something else already; call it otherwise", key.Value)
		}
		out = append(out, Tell{key.Value, r.readings(value, false)})
	})
	return out
}

// starts reads the starts by which a loader is installed.
func (r *reader) starts(n *yaml.Node, b *Book) (out []Launch) {
	if !r.expect(n, yaml.SequenceNode, "starts") {
		return nil
	}
	if _, ok := b.Variable(Program); !ok {
		r.fault(n, "starts needs a variable %q, which holds the name of the program file", Program)
	}
	for i, item := range n.Content {
		var s Launch
		r.mapping(item, "a start",
			field{"program", true, func(v *yaml.Node) {
				r.text("program", &s.Program)(v)
				for _, word := range Placeholders(s.Program) {
					if _, variable := b.Variable(word); word == Program || !variable && !slices.Contains([]string{"name", "version"}, word) {
						r.fault(v, "program holds {%s}; %s", word, suggest(word, []string{"name", "version"}))
					}
				}
			}},
			field{"ends", false, r.yes("ends", &s.Ends)})
		if s.Ends && i == len(n.Content)-1 {
			r.fault(item, "the last start is how the server is started from then on; it cannot end by itself")
		}
		out = append(out, s)
	}
	if len(out) == 0 {
		r.fault(n, "starts needs at least one")
	}
	return out
}

func (r *reader) recognise(n *yaml.Node, k *Kind) {
	before := len(r.faults)
	r.mapping(n, "recognise",
		field{"single", false, r.texts("single", &k.Single, checkGlob)},
		field{"rest", false, r.texts("rest", &k.Rest, checkGlob)},
		field{"holds", false, r.texts("holds", &k.Holds, checkGlob)},
		field{"repack", false, r.yes("repack", &k.Repack)},
		field{"marker", false, r.texts("marker", &k.Marker, checkNameGlob)},
		field{"loose", false, r.texts("loose", &k.Loose, checkGlob)},
		field{"folders", false, r.texts("folders", &k.Folders, checkNameGlob)},
		field{"beside", false, r.texts("beside", &k.Beside, checkSuffix)},
		field{"listed", false, func(v *yaml.Node) {
			r.text("listed", &k.Listed)(v)
			var err error
			if k.listed, err = compiled(k.Listed); err != nil {
				r.fault(v, "listed: %v", err)
			}
		}})
	ways := 0
	for _, way := range [][]string{k.Single, k.Marker, k.Loose, k.Folders, k.Rest} {
		if len(way) > 0 {
			ways++
		}
	}
	if k.Listed != "" {
		ways++
	}
	if len(r.faults) > before {
		return
	}
	if ways != 1 {
		r.fault(n, "recognise needs exactly one of single, marker, loose, folders, rest and listed; it has %d", ways)
	}
	if k.Repack && len(k.Holds) == 0 {
		r.fault(n, "repack goes with holds")
	}
	if len(k.Holds)+len(k.Beside) > 0 && len(k.Single) == 0 {
		r.fault(n, "holds and beside go with single")
	}
}

// readings reads one reading or a list of them, the first that tells wins.
func (r *reader) readings(n *yaml.Node, list bool) []Reading {
	items := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		items = n.Content
	}
	out := make([]Reading, len(items))
	for i, item := range items {
		out[i] = r.reading(item, list)
	}
	return out
}

func (r *reader) reading(n *yaml.Node, list bool) Reading {
	rd := Reading{Line: n.Line}
	var format string
	fields := []field{
		{"file", true, func(v *yaml.Node) {
			r.text("file", &rd.File)(v)
			if err := checkGlob(rd.File); err != nil {
				r.fault(v, "%v", err)
			}
		}},
		{"match", false, func(v *yaml.Node) {
			r.text("match", &rd.Match)(v)
			err := checkMatch(rd.Match)
			if err == nil {
				rd.match, err = compiled("(?m)" + rd.Match)
			}
			if err != nil {
				r.fault(v, "match: %v", err)
			}
		}},
		{"at", false, r.pointer("at", &rd.At)},
		{"format", false, func(v *yaml.Node) {
			r.text("format", &format)(v)
			if !slices.Contains(manifest.Formats, format) {
				r.fault(v, "there is no format %q; %s", format, suggest(format, manifest.Formats))
			}
			rd.Format = manifest.Format(format)
		}},
	}
	if list {
		fields = append(fields, field{"item", false, r.pointer("item", &rd.Item)}, field{"range", false, r.pointer("range", &rd.Range)})
	}
	before := len(r.faults)
	r.mapping(n, "read", fields...)
	if len(r.faults) > before {
		return rd
	}
	switch {
	case (rd.At == "") == (rd.Match == ""):
		r.fault(n, "a reading needs exactly one of at (a JSON Pointer into a manifest) and match (a regular expression)")
	case rd.At != "" && rd.Format == "":
		if rd.Format = manifest.FormatOf(rd.File); rd.Format == "" {
			r.fault(n, "the suffix of %q does not tell how it is written; add format: one of %s", rd.File, strings.Join(manifest.Formats, ", "))
		}
	}
	return rd
}

func (r *reader) pointer(what string, dst *string) func(*yaml.Node) {
	return func(v *yaml.Node) {
		r.text(what, dst)(v)
		if err := manifest.CheckPointer(*dst); err != nil {
			r.fault(v, "%s: %v", what, err)
		}
	}
}

// yes reads true or false.
func (r *reader) yes(what string, dst *bool) func(*yaml.Node) {
	return func(v *yaml.Node) {
		if v.Tag != "!!bool" {
			r.fault(v, "%s is %q; it is true or false", what, v.Value)
			return
		}
		*dst = v.Value == "true"
	}
}

// helpers reads the programs for packed formats of the game's own.
func (r *reader) helpers(n *yaml.Node, b *Book) {
	r.named(n, "helpers", func(key, value *yaml.Node) {
		h := Helper{Name: key.Value}
		r.mapping(value, "helper "+key.Value,
			field{"files", true, r.texts("files", &h.Files, checkGlob)},
			field{"program", true, func(v *yaml.Node) {
				r.text("program", &h.Program)(v)
				if err := checkFileName(h.Program); err != nil {
					r.fault(v, "program: %v; it stands in the service's folder of helper programs", err)
				}
			}})
		b.Helpers = append(b.Helpers, h)
	})
}

// Recognised says in words how a kind is told.
func (k *Kind) Recognised() string {
	list := func(words []string) string { return strings.Join(words, " or ") }
	var s string
	switch {
	case len(k.Single) > 0 && len(k.Holds) > 0:
		s = fmt.Sprintf("one file %s that holds %s", list(k.Single), strings.Join(k.Holds, " and "))
	case len(k.Single) > 0:
		s = "one file " + list(k.Single)
	case len(k.Marker) > 0:
		s = "a folder with " + list(k.Marker)
	case len(k.Folders) > 0:
		s = "a folder that holds the folders " + list(k.Folders)
	case k.Listed != "":
		s = "no download: an id like " + k.Listed
	case len(k.Rest) > 0:
		s = "what is beside the add-ons of a pack: " + list(k.Rest)
	default:
		s = "loose files like " + list(k.Loose)
	}
	switch {
	case k.Installer != "":
		s += "; an installer that is run elsewhere"
	case k.Several:
		s += "; each one is an add-on"
	case k.Overlays != nil:
		s += "; laid over another add-on"
	}
	return s
}
