package rulebook_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"restlesscrate/internal/core/rulebook"
)

func schema(t *testing.T) *jsonschema.Schema {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(rulebook.Schema))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("rulebook.json", doc))
	s, err := c.Compile("rulebook.json")
	require.NoError(t, err)
	return s
}

// bySchema gives what an editor says of a rulebook.
func bySchema(t *testing.T, s *jsonschema.Schema, text string) error {
	var v any
	require.NoError(t, yaml.Unmarshal([]byte(text), &v))
	raw, err := json.Marshal(v)
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	return s.Validate(doc)
}

// all gives the text of every rulebook that comes with the program.
func all(t *testing.T) map[string]string {
	out := map[string]string{}
	demos, err := filepath.Glob("../../demo/rulebooks/*.yaml")
	require.NoError(t, err)
	require.Len(t, demos, 3)
	for _, f := range demos {
		raw, err := os.ReadFile(f)
		require.NoError(t, err)
		out[filepath.Base(f)] = string(raw)
	}
	for _, s := range rulebook.Starters() {
		out[s.Name] = string(s.Text)
	}
	return out
}

func TestEditorsAndTheProgramAgreeOnRulebooks(t *testing.T) {
	s := schema(t)
	for name, text := range all(t) {
		_, err := rulebook.Parse([]byte(text))
		require.NoError(t, err, name)
		require.NoError(t, bySchema(t, s, text), name)
	}
	good := all(t)["mossgrave.yaml"]
	for old, bad := range map[string]string{
		"recognise:\n      marker: cave.toml": "recognise: {}",
		"several: true":                       "severel: true",
		"form: joined":                        "form: joint",
		"place: charts":                       "palce: charts",
		"ready:":                              "raedy:",
		"format: 1":                           "format: 2",
		"name: mossgrave":                     "name: Moss Grave",
		"{file: cave.toml, at: /conflicts}":   "{file: cave.toml}",
		"at: /conflicts}":                     "at: conflicts}",
		"data: true":                          "data: maybe",
		"what: Open the port":                 "who: The port",
	} {
		text := strings.Replace(good, old, bad, 1)
		require.NotEqual(t, good, text, old)
		_, err := rulebook.Parse([]byte(text))
		require.Error(t, err, bad)
		require.Error(t, bySchema(t, s, text), bad)
	}
}

func TestAStarterBecomesAGamesOwnRulebook(t *testing.T) {
	for _, s := range rulebook.Starters() {
		text, err := rulebook.Start(s.Name, "kite-hill", "Kite Hill: the \"new\" one")
		require.NoError(t, err)
		b, err := rulebook.Parse(text)
		require.NoError(t, err, s.Name)
		require.Equal(t, "kite-hill", b.Name)
		require.Equal(t, "Kite Hill: the \"new\" one", b.Title)
		require.NotEmpty(t, s.About)
	}
	_, err := rulebook.Start("single-file", "x", "X")
	require.EqualError(t, err, `there is no starter "single-file"; did you mean "single-files"?`)
}
