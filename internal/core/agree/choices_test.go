package agree_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

func TestChoicesAreWhatThereIs(t *testing.T) {
	b, err := rulebook.Parse([]byte("format: 1\nname: x\ntitle: X\nplaces: {root: {path: .}}\nkinds: {k: {recognise: {single: \"*.x\"}, put: [{take: \"*\", place: root}]}}\nagreements:\n" +
		"  - {value: {file: a.yaml, at: /tide}, bound: one-of, values: [mild, wild]}\n" +
		"  - {value: {file: a.yaml, match: 'home: (\\w+)'}, bound: folder, in: ports}\n" +
		"  - {value: {file: a.yaml, at: /base}, bound: add-on}\n" +
		"  - {value: {file: a.yaml, at: /lamp}, with: {file: b.toml, at: /lamps}, bound: in-list}\n" +
		"  - {value: {file: a.yaml, at: /gone}, bound: one-of, values: [x]}\n" +
		"  - {value: {file: b.toml, at: /port}, with: {file: a.yaml, at: /port}}\n"))
	require.NoError(t, err)
	s := seen(map[tree.Path]string{"a.yaml": "tide: mild\nhome: saltpan\nbase: tide-base\nlamp: red\nport: 7\n", "b.toml": "lamps = [\"red\", \"green\"]\nport = 7\n"})
	require.Equal(t, map[string][]string{"/tide": {"mild", "wild"}, "/home": {"reedbank", "saltpan"}, "/base": {"tide-base", "tide-lamps"}, "/lamp": {"red", "green"}}, agree.Choices(b, nil, s, "a.yaml"))
	require.Empty(t, agree.Choices(b, nil, s, "b.toml"))
}
