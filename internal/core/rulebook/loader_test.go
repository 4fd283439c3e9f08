package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
)

// loaderBook is a rulebook whose loader is installed by two starts.
const loaderBook = `format: 1
name: quay
title: Quay
variables:
  program: {ask: what is started, default: quay, set-by-hand: Set the program file in your host's panel.}
  port: {ask: which port, default: north, set-in: {file: quay.conf, match: '(?m)^port = (.*)$'}}
places:
  root: {path: "."}
kinds:
  keel:
    recognise: {marker: keel.toml}
    starts:
      - {program: "{name}-setup", ends: true}
      - program: "{name}"
    put: [{take: "**", place: root}]
by-hand:
  - what: Put your key beside the program.
    check: {file: "{port}/quay.key", match: "^key ", log: '^key accepted$'}
`

func TestStartsAndWhatHoldsAVariableAreRead(t *testing.T) {
	b, err := rulebook.Parse([]byte(loaderBook))
	require.NoError(t, err)
	require.Equal(t, []rulebook.Launch{{Program: "{name}-setup", Ends: true}, {Program: "{name}"}}, b.Kinds[0].Starts)
	program, _ := b.Variable("program")
	require.Equal(t, "Set the program file in your host's panel.", program.ByHand)
	port, _ := b.Variable("port")
	require.Equal(t, &rulebook.Setting{File: "quay.conf", Match: "(?m)^port = (.*)$"}, port.SetIn)
	require.Equal(t, []rulebook.ByHand{{What: "Put your key beside the program.", Check: rulebook.Check{File: "{port}/quay.key", Match: "^key ", Log: "^key accepted$"}}}, b.ByHand)
	require.NoError(t, bySchema(t, schema(t), loaderBook))

	for wrong, why := range map[[2]string]string{
		{"  program: {ask: what is started, default: quay, set-by-hand: Set the program file in your host's panel.}\n", ""}: `line 12, column 7: starts needs a variable "program"`,
		{"- program: \"{name}\"\n", "- {program: \"{name}\", ends: true}\n"}:                                                "line 14, column 9: the last start is how the server is started from then on; it cannot end by itself",
		{"{name}-setup", "{nme}-setup"}: `line 13, column 19: program holds {nme}; did you mean "name"?`,
		{"set-in: {file: quay.conf, match: '(?m)^port = (.*)$'}", "set-in: {file: quay.yaml, at: /port}"}: "set-in needs match",
		{"set-by-hand: Set", "set-in: {file: a.conf, match: '(.*)'}, set-by-hand: Set"}:                   "variable program is set either in a text or by hand, not both",
		{`file: "{port}/quay.key", `, ""}:                        "match goes with file",
		{`{file: "{port}/quay.key", match: "^key ", log`, "{lo"}: "check",
	} {
		require.Contains(t, loaderBook, wrong[0])
		_, err := rulebook.Parse([]byte(strings.Replace(loaderBook, wrong[0], wrong[1], 1)))
		require.ErrorContains(t, err, why)
	}
}
