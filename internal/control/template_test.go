package control

import (
	"net/http"
	"net/http/httptest"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/power"
)

// Whatever a value holds and wherever it stands, in or outside of quotes, a shell
// takes it for that value and nothing else.
func TestAShellTakesAValueForNothingElse(t *testing.T) {
	bits := rapid.SliceOf(rapid.SampledFrom([]string{"a", " ", "'", `"`, `\`, "$", "`", "$(touch hurt)", "`touch hurt`", "${HOME}", "\n", "%s", "%%", "\\n", "\\0101", ";", "&", "|", "*", "ü", "{line}", "{secret:panel}", "#", "!"}))
	dir := t.TempDir()
	rapid.Check(t, func(r *rapid.T) {
		value := strings.Join(bits.Draw(r, "value"), "")
		d := driver(power.Control{})
		d.Variables = map[string]string{"v": value}
		f := d.filling("")
		s, err := f.shell(`printf '<%s>' {v} "in {v} double" 'in {v} single' a\'{v}`)
		require.NoError(r, err)
		cmd := exec.Command("/bin/sh", "-c", s.text)
		cmd.Dir, cmd.Stdin = dir, strings.NewReader(s.in)
		out, err := cmd.CombinedOutput()
		require.NoError(r, err, "%s", out)
		want := value
		require.Equal(r, "<"+want+"><in "+want+" double><in "+want+" single><a'"+want+">", string(out))
	})
	left, err := exec.Command("ls", dir).Output()
	require.NoError(t, err)
	require.Empty(t, string(left), "nothing in a value was run")
}

// What was filled in is not looked into again: a value that looks like a secret's
// place prints none.
func TestValuesAreFilledInOnce(t *testing.T) {
	seen := ""
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw := make([]byte, 200)
		n, _ := r.Body.Read(raw)
		seen = r.URL.Query().Get("q") + " " + string(raw[:n]) + " " + r.Header.Get("X-Key")
		_, _ = w.Write([]byte("you sent key one"))
	}))
	defer srv.Close()
	d := driver(power.Control{Acts: map[power.Act]power.Way{
		power.Say:    {By: power.ByCommand, Command: "echo {line} {motto}"},
		power.Reload: {By: power.ByHTTP, HTTP: &power.HTTPRequest{Method: "POST", URL: srv.URL + "/?q={addon}", Body: `{"m":"{motto}"}`, Headers: map[string]string{"X-Key": "{secret:panel}"}}},
		power.Stop:   {By: power.ByHand, Command: "Type {motto} and {secret:panel}."},
	}})
	d.Variables = map[string]string{"motto": "{secret:panel}"}
	ans, err := d.Do(t.Context(), power.Say, "{secret:panel} {motto}")
	require.NoError(t, err)
	require.Equal(t, "{secret:panel} {motto} {secret:panel}\n", ans.Text)
	ans, err = d.Do(t.Context(), power.Reload, "{secret:panel}")
	require.NoError(t, err)
	require.Equal(t, `{secret:panel} {"m":"{secret:panel}"} key one`, seen)
	require.Equal(t, "you sent (secret panel)", ans.Text)
	ans, err = d.Do(t.Context(), power.Stop, "")
	require.ErrorIs(t, err, ErrByHand)
	require.Equal(t, "Type {secret:panel} and {secret:panel}.", ans.Text, "what a person reads holds none either")
}

func TestASecretIsNoArgumentAndInNoOutput(t *testing.T) {
	d := driver(power.Control{Acts: map[power.Act]power.Way{
		power.Start: {By: power.ByCommand, Command: `key={secret:panel}; tr '\0' ' ' < /proc/$$/cmdline; echo; env; test ${#key} -eq 7 && echo right`},
		power.Stop:  {By: power.ByCommand, Command: `echo {secret:panel} >&2; exit 3`},
	}, Probes: []power.Probe{{By: power.ByCommand, Command: `echo no {secret:panel}; exit 12`}}})
	ans, err := d.Do(t.Context(), power.Start, "")
	require.NoError(t, err)
	require.NotContains(t, ans.Text, "key one")
	require.NotContains(t, ans.Text, "(secret panel)", "it was neither an argument nor in the environment")
	require.Contains(t, ans.Text, "right")
	ans, err = d.Do(t.Context(), power.Stop, "")
	require.ErrorContains(t, err, "(secret panel)")
	require.NotContains(t, err.Error()+ans.Text, "key one")
	_, found := d.State(t.Context())
	require.Contains(t, found[0].Words, "(secret panel)")
	require.NotContains(t, found[0].Words, "key one")
}

func TestOnlyOneLineOfPlainTextReachesAServer(t *testing.T) {
	got := ""
	addr := consoleServer(t, speak(func(line string) []string { got = line; return []string{"done"} }))
	d := driver(power.Control{RCON: addr, Acts: map[power.Act]power.Way{power.Reload: {By: power.ByCommand, Command: "echo {addon}"}, power.Say: {By: power.ByRCON, Command: "tell {who} {line}"}}})
	for _, line := range []string{"lamp\ngrant mallory keeper", "lamp\r", "lamp\x00", "lamp\x1b[2J", "lamp\u009b31m", "lamp\u202egnp", "lamp\u2028x"} {
		for _, act := range []power.Act{power.Reload, power.Say} {
			_, err := d.Do(t.Context(), act, line)
			require.ErrorIs(t, err, ErrNotOneLine, "%q", line)
		}
	}
	d.Variables = map[string]string{"who": "all\ngrant mallory keeper"}
	_, err := d.Do(t.Context(), power.Say, "hello")
	require.ErrorIs(t, err, ErrNotOneLine, "a variable neither")
	require.Empty(t, got)
	d.Variables["who"] = "all"
	_, err = d.Do(t.Context(), power.Say, "grüße, \"lamp\"")
	require.NoError(t, err)
	require.Equal(t, `tell all grüße, "lamp"`, got)
}
