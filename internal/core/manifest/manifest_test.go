package manifest

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestEveryFormatGivesItsValuesAsWritten(t *testing.T) {
	for format, text := range map[Format]string{
		TOML:       "id = \"lamps\"\nversion = \"1.20\"\nneeds = [\"base\", \"keel\"]\n",
		YAML:       "id: lamps\nversion: 1.20\nneeds: [base, keel]\n",
		JSON:       "\ufeff{\"id\": \"lamps\", // ours\n \"version\": \"1.20\", \"needs\": [\"base\", \"keel\",],}",
		XML:        `<?xml version="1.0"?><mod id="lamps"><version>1.20</version><needs>base</needs><needs>keel</needs></mod>`,
		INI:        "; lamps\n[mod]\nid = lamps\nversion = \"1.20\"\n",
		Properties: "# lamps\nid=lamps\nversion: 1.20\nlong = one \\\n  two\n",
	} {
		v, err := Read(format, []byte(text))
		require.NoError(t, err, format)
		at := map[Format]struct{ id, version, second string }{
			XML: {"/mod/@id", "/mod/version", "/mod/needs/1"}, INI: {"/mod/id", "/mod/version", ""}, Properties: {"/id", "/version", ""},
		}[format]
		if at.id == "" {
			at.id, at.version, at.second = "/id", "/version", "/needs/1"
		}
		id, _ := At(v, at.id)
		require.Equal(t, "lamps", id, format)
		version, _ := At(v, at.version)
		require.Equal(t, "1.20", version, format)
		if at.second != "" {
			second, _ := At(v, at.second)
			require.Equal(t, "keel", second, format)
		}
	}
}

func TestPropertiesAreReadAsTheirLanguageSays(t *testing.T) {
	v, err := Read(Properties, []byte("! ours\r\nname\\ of\\:it = caf\\u00e9\r\npath ${home}/x\r\nlong = one \\\r\n   two\r\nbare\r\nname\\ of\\:it: last\r\n"))
	require.NoError(t, err)
	for pointer, want := range map[string]string{"/name of:it": "last", "/path": "${home}/x", "/long": "one two", "/bare": ""} {
		got, ok := At(v, pointer)
		require.True(t, ok, pointer)
		require.Equal(t, want, got, pointer)
	}
}

func TestPointers(t *testing.T) {
	v, err := Read(JSON, []byte(`{"a/b": {"c~d": [1.50, null, {"x": true}]}}`))
	require.NoError(t, err)
	for pointer, want := range map[string]Value{"/a~1b/c~0d/0": "1.50", "/a~1b/c~0d/1": "", "/a~1b/c~0d/2/x": "true"} {
		got, ok := At(v, pointer)
		require.True(t, ok, pointer)
		require.Equal(t, want, got, pointer)
	}
	for _, missing := range []string{"/a", "/a~1b/c~0d/3", "/a~1b/c~0d/-1", "/a~1b/c~0d/0/deeper"} {
		_, ok := At(v, missing)
		require.False(t, ok, missing)
	}
	require.NoError(t, CheckPointer("/a~1b"))
	require.ErrorContains(t, CheckPointer("a/b"), "begins with a slash")
	require.ErrorContains(t, CheckPointer("/a~2"), "~0")
}

func TestWhatIsBrokenSaysWhere(t *testing.T) {
	for format, c := range map[Format][2]string{
		YAML: {"a: [", "line 1"}, JSON: {`{"a": }`, "line 1"}, TOML: {"a = ", "toml"}, XML: {"<a><b></a>", "line 1"}, Properties: {`a = \u12`, "unicode"},
	} {
		_, err := Read(format, []byte(c[0]))
		require.ErrorContains(t, err, c[1], format)
	}
	_, err := Read(YAML, []byte("a: &x [1]\nb: *x\n"))
	require.ErrorContains(t, err, "alias", "an alias could unfold without end")
	_, err = Read("csv", nil)
	require.ErrorContains(t, err, `"csv" is no format of manifests; there are toml, yaml`)
}

func FuzzRead(f *testing.F) {
	for _, format := range Formats {
		f.Add(format, []byte("a: 1\n<a>[b]\nc = \"d\"{}"))
	}
	f.Fuzz(func(t *testing.T, format string, text []byte) {
		v, err := Read(Format(format), text)
		if err == nil {
			At(v, "/a/0/b")
		}
	})
}
