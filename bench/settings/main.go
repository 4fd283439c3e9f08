// Command settings counts how often every other byte of a text stays when one value of it is
// set: by us, by the format's usual library, and by Augeas, whose augtool it needs (Debian
// package augeas-tools). The texts are the corpus of core/text; every value in it is set once.
package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"github.com/magiconair/properties"
	"github.com/pelletier/go-toml/v2"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/text"
)

func main() {
	if err := run("internal/core/text/testdata/corpus"); err != nil {
		log.Fatal(err)
	}
}

// kept counts how often a tool kept the bytes, of how many it was asked for and could.
type kept struct{ bytes, refused, asked int }

func (k kept) String() string {
	if k.asked == 0 {
		return "-"
	}
	s := fmt.Sprintf("%d of %d", k.bytes, k.asked)
	if k.refused > 0 {
		s += fmt.Sprintf(" (%d refused)", k.refused)
	}
	return s
}

func run(corpus string) error {
	files, err := filepath.Glob(filepath.Join(corpus, "*"))
	if err != nil || len(files) == 0 {
		return fmt.Errorf("no corpus in %s: %w", corpus, err)
	}
	table := map[text.Format][3]kept{}
	for _, file := range files {
		raw, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		f := text.Guess(filepath.Base(file), raw)
		d, err := text.Parse(raw, f)
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		row := table[f]
		d.Root.Walk(func(n *text.Node) bool {
			if n.Kind == text.Scalar && n.Up != nil && n.Value != "" {
				one(d, n, raw, &row)
			}
			return true
		})
		table[f] = row
	}
	fmt.Printf("| format | ours | its usual library | augeas |\n|---|---|---|---|\n")
	for _, f := range text.Formats() {
		if row, ok := table[f]; ok {
			fmt.Printf("| %s | %v | %v | %v |\n", f, row[0], row[1], row[2])
		}
	}
	return nil
}

// one sets a value with each tool. What is right is the text with other bytes for that value
// alone.
func one(d *text.Doc, n *text.Node, raw []byte, row *[3]kept) {
	value := map[text.Type]string{text.Number: "77", text.Bool: "false"}[n.Type]
	if value == "" {
		value = "seventy"
	}
	if n.Value == value {
		return
	}
	right := func(out []byte) bool {
		head, tail := raw[:n.At.From], raw[n.At.To:]
		return bytes.HasPrefix(out, head) && bytes.HasSuffix(out, tail) && len(out) >= len(head)+len(tail) && !bytes.Equal(out, raw) &&
			bytes.Contains(out[len(head):len(out)-len(tail)], []byte(value))
	}
	count := func(k *kept, out []byte, err error) {
		k.asked++
		switch {
		case err != nil:
			k.refused++
		case right(out):
			k.bytes++
		}
	}
	out, err := d.Set(n, text.Value{Text: value})
	count(&row[0], out, err)
	if set := library(d.Format); set != nil {
		out, err := set(raw, text.Steps(d.Path(n)), value, n.Type)
		count(&row[1], out, err)
	}
	if lens := lenses[d.Format]; lens != "" && strings.Count(string(raw), n.Value) == 1 && !strings.ContainsAny(n.Value, "'\n") {
		out, err := augeas(lens, raw, n.Value, value)
		count(&row[2], out, err)
	}
}

var lenses = map[text.Format]string{text.YAML: "Yaml.lns", text.JSON: "Json.lns", text.Tolerant: "Json.lns", text.TOML: "Toml.lns", text.INI: "Puppet.lns", text.Properties: "Properties.lns", text.XML: "Xml.lns"}

// augeas sets the one node that has a value.
func augeas(lens string, raw []byte, was, value string) ([]byte, error) {
	dir, err := os.MkdirTemp("", "restless-augeas-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	file := filepath.Join(dir, "text")
	if err := os.WriteFile(file, raw, 0o600); err != nil {
		return nil, err
	}
	script := fmt.Sprintf("set /augeas/load/X/lens %s\nset /augeas/load/X/incl %s\nload\nset \"/files%s//*[. = '%s']\" \"%s\"\nsave\n", lens, file, file, was, value)
	cmd := exec.Command("augtool", "--noautoload")
	cmd.Stdin = strings.NewReader(script)
	if said, err := cmd.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("augtool: %w: %s", err, said)
	}
	out, err := os.ReadFile(file)
	if err == nil && bytes.Equal(out, raw) {
		err = fmt.Errorf("augtool changed nothing")
	}
	return out, err
}

type setter func(raw []byte, steps []string, value string, as text.Type) ([]byte, error)

// library is how people set a value with the format's usual library: read all, change, write
// all.
func library(f text.Format) setter {
	switch f {
	case text.YAML:
		return setYAML
	case text.JSON, text.Tolerant:
		return setJSON
	case text.TOML:
		return setTOML
	case text.Properties:
		return setProperties
	}
	return nil
}

func setYAML(raw []byte, steps []string, value string, _ text.Type) ([]byte, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal(raw, &doc); err != nil {
		return nil, err
	}
	n := doc.Content[0]
	for _, s := range steps {
		next := -1
		if n.Kind == yaml.MappingNode {
			for i := 0; i+1 < len(n.Content); i += 2 {
				if n.Content[i].Value == s {
					next = i + 1
				}
			}
		} else if i := slices.Index([]string{"0", "1", "2", "3", "4", "5"}, s); i >= 0 && i < len(n.Content) {
			next = i
		}
		if next < 0 {
			return nil, fmt.Errorf("no %s", s)
		}
		n = n.Content[next]
	}
	n.Value = value
	return yaml.Marshal(&doc)
}

func setJSON(raw []byte, steps []string, value string, as text.Type) ([]byte, error) {
	var doc any
	if err := json.Unmarshal(raw, &doc); err != nil {
		return nil, err
	}
	if !put(doc, steps, typed(value, as)) {
		return nil, fmt.Errorf("no such value")
	}
	return json.MarshalIndent(doc, "", "  ")
}

func setTOML(raw []byte, steps []string, value string, as text.Type) ([]byte, error) {
	var doc map[string]any
	if err := toml.Unmarshal(raw, &doc); err != nil {
		return nil, err
	}
	if !put(doc, steps, typed(value, as)) {
		return nil, fmt.Errorf("no such value")
	}
	return toml.Marshal(doc)
}

func setProperties(raw []byte, steps []string, value string, _ text.Type) ([]byte, error) {
	p, err := (&properties.Loader{Encoding: properties.UTF8, DisableExpansion: true}).LoadBytes(raw)
	if err != nil {
		return nil, err
	}
	if _, _, err := p.Set(strings.SplitN(steps[0], "#", 2)[0], value); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	_, err = p.WriteComment(&out, "# ", properties.UTF8)
	return out.Bytes(), err
}

func typed(value string, as text.Type) any {
	switch as {
	case text.Number:
		return 77
	case text.Bool:
		return false
	}
	return value
}

// put sets a value in what a library has read.
func put(doc any, steps []string, value any) bool {
	for i, s := range steps {
		last := i == len(steps)-1
		switch at := doc.(type) {
		case map[string]any:
			if _, there := at[s]; !there {
				return false
			}
			if last {
				at[s] = value
				return true
			}
			doc = at[s]
		case []any:
			n := slices.Index([]string{"0", "1", "2", "3", "4", "5"}, s)
			if n < 0 || n >= len(at) {
				return false
			}
			if last {
				at[n] = value
				return true
			}
			doc = at[n]
		default:
			return false
		}
	}
	return false
}
