package merge_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/text"
)

// edited gives lines with some changed, taken out or put in. What is put in is like nothing
// else.
func edited(r *rand.Rand, lines []string, side string) []string {
	out := slices.Clone(lines)
	for i := range 1 + r.IntN(3) {
		fresh := fmt.Sprintf("%s %d %d", side, i, r.IntN(1000))
		at := r.IntN(len(out) + 1)
		switch kind := r.IntN(3); {
		case kind == 0 || at == len(out):
			out = slices.Insert(out, at, fresh)
		case kind == 1:
			out = slices.Delete(out, at, at+1)
		default:
			out[at] = fresh
		}
	}
	return out
}

func joined(lines []string) string {
	if len(lines) == 0 {
		return ""
	}
	return strings.Join(lines, "\n") + "\n"
}

// Two thousand merges of random changes, beside those of git merge-file: where both find no
// conflict they agree, and nothing that a side put in is lost without a word.
func TestLinesAreMergedAsGitDoes(t *testing.T) {
	git, err := exec.LookPath("git")
	if err != nil {
		t.Skip("git is not here")
	}
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(16, 2000))
	both, differ := 0, 0
	for range 2000 {
		var base []string
		for i := range 3 + r.IntN(12) {
			base = append(base, fmt.Sprintf("line %d %d", i, r.IntN(4)))
		}
		mine, theirs := edited(r, base, "mine"), edited(r, base, "theirs")
		files := map[string][]string{"base": base, "mine": mine, "theirs": theirs}
		for name, lines := range files {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(joined(lines)), 0o600))
		}
		conflict := false
		ours := merge.Lines(joined(base), joined(mine), joined(theirs), func(_, own, _ []string) []string {
			conflict = true
			return own
		})
		cmd := exec.Command(git, "merge-file", "-p", "mine", "base", "theirs")
		cmd.Dir = dir
		out, err := cmd.Output()
		var exit *exec.ExitError
		if err != nil {
			require.True(t, errors.As(err, &exit), "%v", err)
		}
		if !conflict {
			for side, lines := range map[string][]string{"mine": mine, "theirs": theirs} {
				for _, l := range lines {
					if strings.HasPrefix(l, side) {
						require.Contains(t, ours, l+"\n", "base:\n%s\nmine:\n%s\ntheirs:\n%s", joined(base), joined(mine), joined(theirs))
					}
				}
			}
		}
		switch {
		case !conflict && err == nil:
			both++
			require.Equal(t, string(out), ours, "base:\n%s\nmine:\n%s\ntheirs:\n%s", joined(base), joined(mine), joined(theirs))
		case conflict != (err != nil):
			differ++
		}
	}
	require.Greater(t, both, 500)
	require.Less(t, differ, 40, "the two find conflicts in the same places")
}

// Values of flat settings are merged as a model of three-way merging says, whatever else the
// sides did to their lines.
func TestValuesAreMergedByMeaning(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 500))
	formats := map[text.Format]func(map[string]string, []string, *rand.Rand) string{
		text.INI:        flat("%s = %s", "; %s"),
		text.YAML:       flat("%s: %s", "# %s"),
		text.TOML:       flat("%s = %s", "# %s"),
		text.Properties: flat("%s=%s", "# %s"),
		text.Commands:   flat("set %s %s", "// %s"),
		text.Script:     flat("%s = %s", "-- %s"),
	}
	names := []string{"a", "b", "c", "d", "e", "f", "g"}
	meaning := 0
	for i := range 500 {
		for f, write := range formats {
			base, mine, theirs := map[string]string{}, map[string]string{}, map[string]string{}
			for _, n := range names {
				if r.IntN(5) > 0 {
					base[n] = fmt.Sprint(r.IntN(3))
				}
			}
			for _, side := range []map[string]string{mine, theirs} {
				for n, v := range base {
					if r.IntN(8) > 0 {
						side[n] = v
						if r.IntN(3) == 0 {
							side[n] = fmt.Sprint(r.IntN(3) + 3)
						}
					}
				}
				for _, n := range names {
					if _, had := base[n]; !had && r.IntN(4) == 0 {
						side[n] = fmt.Sprint(r.IntN(3))
					}
				}
			}
			got := merge.Merge(merge.Three{Format: f, Base: []byte(write(base, names, nil)), Mine: []byte(write(mine, names, r)), Theirs: []byte(write(theirs, names, nil))})
			if !got.ByMeaning {
				continue
			}
			meaning++
			d, err := text.Parse(got.Text, f)
			require.NoError(t, err)
			conflicts := 0
			for _, n := range names {
				b, m, th := base[n], mine[n], theirs[n]
				want := m
				switch {
				case m == th, b == th:
				case b == m:
					want = th
				default:
					conflicts++
				}
				at, err := d.Find("/" + n)
				if want == "" {
					require.Error(t, err, "%s %d %s:\n%s", f, i, n, got.Text)
					continue
				}
				require.NoError(t, err, "%s %s:\n%s", f, n, got.Text)
				require.Equal(t, want, at.Value, "%s %s:\n%s", f, n, got.Text)
			}
			require.Len(t, got.Conflicts, conflicts)
		}
	}
	require.Greater(t, meaning, 2000, "of 3000; the others are merged by lines")
}

// flat writes settings in lines. With a source of chance, a side adds comments of its own.
func flat(pair, comment string) func(map[string]string, []string, *rand.Rand) string {
	return func(values map[string]string, names []string, r *rand.Rand) string {
		out := fmt.Sprintf(comment, "settings") + "\n"
		for _, n := range names {
			v, ok := values[n]
			if !ok {
				continue
			}
			if r != nil && r.IntN(6) == 0 {
				out += fmt.Sprintf(comment, "mine: "+n) + "\n"
			}
			out += fmt.Sprintf(pair, n, v) + "\n"
		}
		return out
	}
}
