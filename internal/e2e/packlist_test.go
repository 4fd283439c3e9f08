package e2e

import (
	"archive/zip"
	"bytes"
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
	"restlesscrate/internal/testbed/browser"
)

// fetched is what somebody gets who is not signed in.
func fetched(t *testing.T, url string) (status int, body string) {
	t.Helper()
	res, err := http.Get(url)
	require.NoError(t, err)
	raw, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	return res.StatusCode, string(raw)
}

func TestPlayersReadAPackingListAndCompareTheirOwnFolder(t *testing.T) {
	t.Parallel()
	s, root := start(t), t.TempDir()
	s.must("rulebook", "add", fullBooks+"tidewright.yaml")
	require.NoError(t, standin.Furnish(root, "tidewright"))
	s.must("server", "add", "saltpan", "--rulebook", "tidewright", "--folder", root, "--fact", "address=saltpan.reedbank.example", "--fact", "port=7610")
	s.must("server", "test", "saltpan")
	files := map[string]string{}
	for name, body := range map[string]string{"tide-lamps-1.0": "glow", "tide-lamps-2.0": "glow brighter", "pier-signs-1.4": "signs", "gull-flocks-3.0": "gulls", "tide-base-3.2": "base"} {
		i := strings.LastIndex(name, "-")
		files[name] = "tdx 1\nname " + name[:i] + "\nversion " + name[i+1:] + "\n" + body + "\n"
		file := filepath.Join(t.TempDir(), name+".tdx")
		testbed.Write(t, file, files[name])
		s.must("stage", file, "--source", "https://reedbank.example/"+name)
	}
	s.must("deploy", "saltpan", "tide-lamps@2.0", "pier-signs", "gull-flocks", "tide-base", "--yes")
	out := s.must("packlist", "saltpan")
	require.Contains(t, out, "not known", "what nobody says is not guessed")
	require.Contains(t, out, "Players join at saltpan.reedbank.example:7610")
	s.fails(1, "there is no add-on \"nobody\"", "packlist", "saltpan", "--must", "nobody")
	s.must("packlist", "saltpan", "--must", "tide-lamps=Without it, it is dark, and you fall in", "--must", "pier-signs", "--may", "gull-flocks", "--no-need", "tide-base", "--must-not", "ghost-pier=It crashes all", "--title", "Reedbank Commons", "--words", "One tide.", "--share", "tide-lamps", "--link")
	var l api.Packlist
	s.get(&l, "packlist", "saltpan")
	require.Contains(t, l.URL, "/pack/")

	status, body := fetched(t, l.URL+"/list.json")
	require.Equal(t, http.StatusOK, status)
	require.NotContains(t, body, "tide-base", "what only the server has concerns no player")
	require.NotContains(t, body, `"saltpan"`, "nothing but the list is told")
	_, text := fetched(t, l.URL+"/list.txt")
	require.Contains(t, text, "You must have\n- pier-signs 1.4 (")
	require.Contains(t, text, "- tide-lamps 2.0")
	require.Contains(t, text, "https://reedbank.example/tide-lamps-2.0: Without it, it is dark, and you fall in")
	require.Contains(t, text, "You must not have\n- ghost-pier: It crashes all")
	status, body = fetched(t, l.URL+"/parts.zip")
	require.Equal(t, http.StatusOK, status)
	z, err := zip.NewReader(bytes.NewReader([]byte(body)), int64(len(body)))
	require.NoError(t, err)
	require.Len(t, z.File, 1, "only what may be handed out")
	require.Equal(t, "fixtures/tide-lamps-2.0.tdx", z.File[0].Name)
	for _, path := range []string{"/api/v1/servers", "/pack/" + strings.Repeat("A", 26) + "/list.json"} {
		status, body = fetched(t, strings.Split(l.URL, "/pack/")[0]+path)
		require.GreaterOrEqual(t, status, 400, "%s: %s", path, body)
	}

	res, err := http.Get(l.URL)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Equal(t, "noindex, nofollow", res.Header.Get("X-Robots-Tag"))
	require.Equal(t, "no-referrer", res.Header.Get("Referrer-Policy"))
	require.Equal(t, "no-store", res.Header.Get("Cache-Control"))

	// A browser that has no session, as wide as a phone.
	page := openTab(t, 390, 844)
	ok := func(err error) { t.Helper(); require.NoError(t, err) }
	ok(page.Go(l.URL))
	ok(page.SeeIn("h1", "Reedbank Commons"))
	ok(page.SeeIn("[data-entry='tide-lamps']", "2.0"))
	wide, err := browser.Eval[int](page, "document.documentElement.scrollWidth")
	require.NoError(t, err)
	require.LessOrEqual(t, wide, 390)

	// One file is wrong, one is missing, one must not be there, one is right.
	mine := filepath.Join(t.TempDir(), "my game")
	testbed.Write(t, filepath.Join(mine, "fixtures", "old lamps.tdx"), files["tide-lamps-1.0"])
	testbed.Write(t, filepath.Join(mine, "fixtures", "gulls.tdx"), files["gull-flocks-3.0"])
	testbed.Write(t, filepath.Join(mine, "fixtures", "Ghost_Pier-2.tdx"), "boo")
	ok(page.Drop("Is mine right?", mine))
	ok(page.SeeIn("[data-deed='replace']", "instead of fixtures/old lamps.tdx"))
	ok(page.SeeIn("[data-deed='add']", "pier-signs"))
	ok(page.SeeIn("[data-deed='remove']", "take away fixtures/Ghost_Pier-2.tdx"))
	ok(page.SeeIn("[data-verdict]", "3 files looked at, 2 of them read"))
	right := filepath.Join(t.TempDir(), "my game")
	testbed.Write(t, filepath.Join(right, "lamps.tdx"), files["tide-lamps-2.0"])
	testbed.Write(t, filepath.Join(right, "signs.tdx"), files["pier-signs-1.4"])
	ok(page.Drop("Is mine right?", right))
	ok(page.SeeIn("[data-verdict]", "All of it is right"))
	require.Empty(t, page.Faults())

	// What changed since is told once it did.
	s.must("deploy", "saltpan", "tide-lamps@1.0", "--yes")
	_, body = fetched(t, l.URL+"/list.json")
	require.Contains(t, body, `"changes":[{"name":"tide-lamps","what":"replace","was":"2.0","is":"1.0"}]`)

	s.must("packlist", "saltpan", "--no-link")
	for _, part := range []string{"", "/list.json", "/list.txt", "/parts.zip"} {
		status, body = fetched(t, l.URL+part)
		require.Equal(t, http.StatusNotFound, status)
		require.Contains(t, body, "There is no packing list at this address")
	}
	ok(page.Go(l.URL))
	ok(page.See("There is no packing list at this address"))
	s.must("packlist", "saltpan", "--link")
	var again api.Packlist
	s.get(&again, "packlist", "saltpan")
	require.NotEqual(t, l.URL, again.URL)

	// Who guesses is made to wait.
	tooMany := 0
	for range 400 {
		if status, _ := fetched(t, l.URL+"/list.json"); status == http.StatusTooManyRequests {
			tooMany++
		}
	}
	require.NotZero(t, tooMany)
}
