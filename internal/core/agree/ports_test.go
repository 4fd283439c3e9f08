package agree_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/agree"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
)

const portBook = `format: 1
name: x
title: X
places: {root: {path: .}}
kinds: {k: {recognise: {single: "*.x"}, put: [{take: "*", place: root}]}}
settings:
  - {files: [a.yaml], ports: [/listen, /remote/port]}
  - {files: ["berths/*.ini"], ports: ["/*/port"]}
  - {files: [shop.yaml]}
`

func TestAPortThatIsListenedOnTwiceIsTold(t *testing.T) {
	b, err := rulebook.Parse([]byte(portBook))
	require.NoError(t, err)
	require.True(t, b.Agreeing())
	require.Equal(t, []tree.Path{"a.yaml"}, agree.Files(b, nil))
	look := func(a, berth, shop string) []agree.Broken {
		s := seen(map[tree.Path]string{"a.yaml": a, "berths/one.ini": berth, "shop.yaml": shop})
		s.Others = []tree.Path{"shop.yaml", "berths/one.ini", "a.yaml"}
		return agree.Check(b, nil, s)
	}
	found := look("listen: 7100\nremote:\n  port: 7101\n", "[gate]\n; a berth\nport = 7101\n", "")
	require.Len(t, found, 1)
	require.Equal(t, agree.PortCode, found[0].Code)
	require.Equal(t, "port (a.yaml, line 3) and port (berths/one.ini, line 3) are both 7101: where both speak TCP, or both UDP, only one of them can listen on it.", found[0].What)

	for name, near := range map[string][3]string{
		"all differ":                       {"listen: 7100\nremote:\n  port: 7101\n", "[gate]\nport = 7102\n", ""},
		"a text that names another's port": {"listen: 7100\n", "[gate]\nport = 7102\n", "port: 7100\n"},
		"none is listened on":              {"listen: 0\nremote:\n  port: 0\n", "[gate]\nport = -1\n", ""},
		"no number":                        {"listen: any\nremote:\n  port: any\n", "[gate]\nport = any\n", ""},
		"one that a later line takes away": {"listen: 7100\n", "[gate]\nport = 7100\nport = 7109\n", ""},
		"in a comment":                     {"listen: 7100\n", "[gate]\n;port = 7100\nport = 7109\n", ""},
		"a text that cannot be read":       {"listen: [7100\n", "[gate]\nport = 7100\n", ""},
	} {
		require.Empty(t, look(near[0], near[1], near[2]), name)
	}
}

func TestTwoValuesCanHaveToDiffer(t *testing.T) {
	b, err := rulebook.Parse([]byte("format: 1\nname: x\ntitle: X\nplaces: {root: {path: .}}\nkinds: {k: {recognise: {single: \"*.x\"}, put: [{take: \"*\", place: root}]}}\nagreements:\n  - {value: {file: a.yaml, at: /port}, with: {file: b.toml, at: /port}, bound: different}\n"))
	require.NoError(t, err)
	found := agree.Check(b, nil, seen(map[tree.Path]string{"a.yaml": "port: 7\n", "b.toml": "port = 7\n"}))
	require.Len(t, found, 1)
	require.Contains(t, found[0].What, "port is 7 (a.yaml, line 1), and port is 7 (b.toml, line 1); the two must differ.")
	require.Nil(t, found[0].Tweak, "nobody knows which other value is meant")
	require.Empty(t, agree.Check(b, nil, seen(map[tree.Path]string{"a.yaml": "port: 8\n", "b.toml": "port = 7\n"})))
}
