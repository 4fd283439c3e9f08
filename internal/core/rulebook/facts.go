package rulebook

import (
	"slices"

	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/manifest"
)

// ServerFact is something that is true of a server and that its own tree, log or console
// tells: the version of its game, its loader. The first of Read that finds something counts.
type ServerFact struct {
	Name string
	Read []FactReading
	Line int
}

// FactReading says where a server tells a fact. Exactly one of File, Named, Log and Console
// is set.
type FactReading struct {
	File    string // a text of the server, with {variable} placeholders
	Named   string // a glob: what the name of a file that is there tells
	Log     bool   // the server's log; its last word counts
	Console string // a line for the console; its answer tells
	At      string // with File: a JSON Pointer
	Match   string // an expression whose first group is the value
	Format  manifest.Format
	Is      string // with Named: the value where such a file is there
}

// FactNames are the facts that the program itself reads; a rulebook may tell others besides.
var FactNames = []string{"game", "loader", "loader-version", "address", "port"}

func (r serverReader) facts(n *yaml.Node, b *Book) {
	r.named(n, "facts", func(key, value *yaml.Node) {
		f := ServerFact{Name: key.Value, Line: key.Line}
		items := []*yaml.Node{value}
		if value.Kind == yaml.SequenceNode {
			items = value.Content
		}
		for _, item := range items {
			f.Read = append(f.Read, r.factReading(item, b))
		}
		if len(f.Read) == 0 {
			r.fault(value, "fact %s says nowhere where it is read", key.Value)
		}
		if _, is := b.Variable(key.Value); is {
			r.fault(key, "%q is a variable of this rulebook already; a fact needs another name", key.Value)
		}
		b.Facts = append(b.Facts, f)
	})
}

func (r serverReader) factReading(n *yaml.Node, b *Book) (rd FactReading) {
	before := len(r.faults)
	var format string
	r.mapping(n, "the reading of a fact",
		field{"file", false, r.serverFile(&rd.File, b)},
		field{"named", false, func(v *yaml.Node) {
			r.text("named", &rd.Named)(v)
			if err := checkGlob(rd.Named); err != nil {
				r.fault(v, "named: %v", err)
			}
		}},
		field{"log", false, r.yes("log", &rd.Log)},
		field{"console", false, r.text("console", &rd.Console)},
		field{"at", false, r.pointer("at", &rd.At)},
		field{"match", false, r.expression("match", &rd.Match, "")},
		field{"is", false, r.text("is", &rd.Is)},
		field{"format", false, func(v *yaml.Node) {
			r.text("format", &format)(v)
			if !slices.Contains(manifest.Formats, format) {
				r.fault(v, "there is no format %q; %s", format, suggest(format, manifest.Formats))
			}
			rd.Format = manifest.Format(format)
		}})
	if len(r.faults) > before {
		return rd
	}
	ways := 0
	for _, set := range []bool{rd.File != "", rd.Named != "", rd.Log, rd.Console != ""} {
		if set {
			ways++
		}
	}
	switch {
	case ways != 1:
		r.fault(n, "the reading of a fact needs exactly one of file, named, log and console")
	case rd.At != "" && rd.File == "":
		r.fault(n, "at is a place in a file; with named, log and console, match tells the value")
	case rd.Is != "" && rd.Named == "":
		r.fault(n, "is goes with named: the value where such a file is there")
	case rd.Is != "" && rd.Match != "":
		r.fault(n, "the value is told by is or by match, not by both")
	case (rd.At == "") == (rd.Match == "" && rd.Is == ""):
		r.fault(n, "the reading of a fact needs exactly one of at, match and is: how the value is told")
	case rd.At != "" && rd.Format == "":
		if rd.Format = manifest.FormatOf(rd.File); rd.Format == "" {
			r.fault(n, "the suffix of %q does not tell how it is written; add format: one of the formats of manifests", rd.File)
		}
	}
	if rd.Log {
		r.later = append(r.later, func() {
			if b.Log.File == "" {
				r.fault(n, "there is no log: the rulebook does not say where it is")
			}
		})
	}
	return rd
}

// tellsFact tells whether a fact of that name can be known of a server: the rulebook says where it is
// read, or people may set it.
func (b *Book) tellsFact(name string) bool {
	return slices.ContainsFunc(b.Facts, func(f ServerFact) bool { return f.Name == name }) || slices.Contains(FactNames, name)
}
