package records

import (
	"encoding/hex"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

// In whatever form a content is named, anywhere in a value, it is found; and no other is.
func TestAContentIsFoundInAnyForm(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		wanted := map[tree.Digest]bool{}
		var all []tree.Digest
		for i := range rapid.IntRange(1, 5).Draw(t, "wanted") {
			d := tree.Sum([]byte{byte(i)})
			wanted[d], all = true, append(all, d)
		}
		named := map[tree.Digest]bool{}
		value := rapid.SliceOfN(rapid.Byte(), 0, 40).Draw(t, "before")
		for range rapid.IntRange(0, 4).Draw(t, "named") {
			d := rapid.SampledFrom(all).Draw(t, "which")
			if rapid.Bool().Draw(t, "as text") {
				value = append(append(value, '"'), hex.EncodeToString(d[:])...)
			} else {
				value = append(value, d[:]...)
			}
			named[d] = true
			value = append(value, rapid.SliceOfN(rapid.Byte(), 0, 9).Draw(t, "between")...)
		}
		m := newMentions(wanted)
		require.NoError(t, m.look(value))
		require.Equal(t, named, m.found)
	})
	d := tree.Sum([]byte("needed"))
	for _, value := range [][]byte{d[:], []byte(`{"digest":"` + d.String() + `"}`), zipped(map[string]string{"digest": d.String()})} {
		m := newMentions(map[tree.Digest]bool{d: true})
		require.NoError(t, m.look(value))
		require.True(t, m.found[d])
	}
}

// A table that is made later is asked as well, without anybody thinking of it.
func TestATableThatNobodyThoughtOfIsAsked(t *testing.T) {
	db := open(t)
	d, other := tree.Sum([]byte("needed")), tree.Sum([]byte("not"))
	_, err := db.sql.ExecContext(t.Context(), `CREATE TABLE later (n INTEGER, what BLOB)`)
	require.NoError(t, err)
	_, err = db.sql.ExecContext(t.Context(), `INSERT INTO later VALUES (1, NULL), (2, ?)`, append([]byte("x"), d[:]...))
	require.NoError(t, err)
	found, err := db.Mentioned(t.Context(), map[tree.Digest]bool{d: true, other: true}, model.Except{})
	require.NoError(t, err)
	require.Equal(t, map[tree.Digest]bool{d: true}, found)
}
