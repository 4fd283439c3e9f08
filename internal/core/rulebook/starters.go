package rulebook

import (
	"bytes"
	"embed"
	"fmt"
	"slices"
	"strings"
)

// Schema is the JSON Schema of the language, for editors.
//
//go:embed schema.json
var Schema []byte

//go:embed starters/*.yaml
var starters embed.FS

// Starter is a rulebook that is named for a shape instead of a game, for a
// person to adapt.
type Starter struct {
	Name, About string
	Text        []byte
}

// Starters lists them by name.
func Starters() []Starter {
	files, err := starters.ReadDir("starters")
	if err != nil {
		panic(err) // they are part of the program
	}
	var out []Starter
	for _, f := range files {
		text, err := starters.ReadFile("starters/" + f.Name())
		if err != nil {
			panic(err)
		}
		first, _, _ := strings.Cut(string(text), "\n")
		out = append(out, Starter{Name: strings.TrimSuffix(f.Name(), ".yaml"), About: strings.TrimPrefix(first, "# "), Text: text})
	}
	return out
}

// Start gives a starter's text for a game: with its own name and title.
func Start(starter, name, title string) ([]byte, error) {
	all := Starters()
	i := slices.IndexFunc(all, func(s Starter) bool { return s.Name == starter })
	if i < 0 {
		names := make([]string, len(all))
		for i, s := range all {
			names[i] = s.Name
		}
		return nil, fmt.Errorf("there is no starter %q; %s", starter, suggest(starter, names))
	}
	text := bytes.Replace(all[i].Text, []byte("name: "+starter+"\n"), []byte("name: "+name+"\n"), 1)
	return bytes.Replace(text, []byte("title: Your game\n"), []byte(fmt.Sprintf("title: %q\n", title)), 1), nil
}
