package archive

import (
	"archive/zip"
	"io/fs"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/testbed/findingtest"
)

// download is an archive by its name, with its entries: names and texts.
type download struct {
	name    string
	entries []string
}

func holds(entries ...string) download { return download{"lamps.zip", entries} }

// found are the remarks on it.
func (d download) found(t *testing.T) []finding.Finding {
	raw := []byte(strings.Join(d.entries, ""))
	if len(d.entries)%2 == 0 {
		raw = zipped(t, func(z *zip.Writer) {
			for i := 0; i < len(d.entries); i += 2 {
				h := &zip.FileHeader{Name: d.entries[i], NonUTF8: true}
				text := d.entries[i+1]
				if target, ok := strings.CutPrefix(text, "->"); ok {
					h.SetMode(fs.ModeSymlink | 0o777)
					text = target
				}
				put(t, z, h, text)
			}
		})
	}
	l, err := openAs(t, d.name, raw, Options{Limits: DefaultLimits})
	require.NoError(t, err)
	return l.Notes
}

func nested(t *testing.T, depth int, text string) string {
	for range depth {
		inner := text
		text = string(zipped(t, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "in.zip"}, inner) }))
	}
	return text
}

func TestEveryFindingIsSaidWhereItIsSoAndNowhereElse(t *testing.T) {
	whole := string(zipped(t, func(z *zip.Writer) { put(t, z, &zip.FileHeader{Name: "a"}, "a") }))
	every := map[string]struct{ is, near download }{
		"suffix":          {download{"lamps.7z", []string{"a", "a"}}, download{"lamps.pack", []string{"a", "a"}}},
		"program":         {holds("a.dll", "MZ\x00\x00"), holds("a.dll", "M\x00\x00\x00")},
		"hidden":          {holds(".a", "a"), holds("a.", "a")},
		"two-suffixes":    {holds("notes.txt.bat", "echo"), holds("notes-1.2.bat", "echo")},
		"device-name":     {holds("aux.txt", "a"), holds("auxiliary.txt", "a")},
		"ends-oddly":      {holds("a./b", "a"), holds("a.b/c", "a")},
		"turned-name":     {holds("a\u202Egnp.bat", "a"), holds("aögnp.bat", "a")},
		"case-twins":      {holds("Lamp", "a", "lamp", "b"), holds("Lamp", "a", "lamps", "b")},
		"look-alike":      {holds("lаmp", "a", "lamp", "b"), holds("lämp", "a", "lamp", "b")}, // the first a is not Latin
		"empty-archive":   {holds("a/", ""), holds("a/", "", "a/b", "b")},
		"link-copied":     {holds("a", "->b", "b", "b"), holds("a", "b", "b", "b")},
		"not-looked-into": {holds("in.zip", nested(t, 4, whole)), holds("in.zip", whole)},
		"code-page":       {holds("\x84.txt", "a"), holds("ä.txt", "a")},
	}
	for code, c := range every {
		t.Run(code, func(t *testing.T) {
			findingtest.Said(t, code, c.is.found(t), c.near.found(t))
		})
	}

	written := regexp.MustCompile(`(?:r\.(?:add|list)\(finding\.\w+, |op\.note\(|finding\.Finding\{Level: finding\.\w+, Code: )"([a-z-]+)"`)
	codes := findingtest.Codes(t, written)
	require.Greater(t, len(codes), 10)
	for _, code := range codes {
		require.Contains(t, every, code, "there is no download for it")
	}
}

func TestNothingIsSaidOfAnArchiveThatIsAsItShouldBe(t *testing.T) {
	require.Empty(t, holds("lamp/", "", "lamp/a.toml", "a", "lamp/wares/b.bin", "b").found(t))
}
