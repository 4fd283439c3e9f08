package catalog

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
)

func revision(text string) model.Revision {
	return model.Revision{Text: []byte(text), Digest: tree.Sum([]byte(text)).String()}
}

func TestARevisionIsReadOnce(t *testing.T) {
	var all books
	rev := revision(string(rulebook.Starters()[0].Text))
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			_, err := all.parse(rev)
			if err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	one, err := all.parse(rev)
	require.NoError(t, err)
	again, err := all.parse(rev)
	require.NoError(t, err)
	require.Same(t, one, again)
	_, err = all.parse(revision("no rulebook"))
	require.Error(t, err)
	_, err = all.parse(revision("no rulebook"))
	require.Error(t, err, "what cannot be read is not kept")
}
