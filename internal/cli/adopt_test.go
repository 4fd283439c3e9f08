package cli

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
)

// However many copies there are, a person reads a line and not a page, and the number is the true one.
func TestManyCopiesAreCountedAndNotListed(t *testing.T) {
	two := api.AddonFound{Beside: []string{"stalls/b"}, Copies: 2}
	require.Equal(t, []string{"The same add-on lies at stalls/b too. Take one of them in, and take the other off the server: settle remove=PATH."}, remarks(two))
	require.Equal(t, "there 2 times", standing(two))
	many := api.AddonFound{Beside: []string{"a", "b", "c", "d", "e", "f"}, Copies: 220}
	require.Equal(t, []string{"The same add-on lies at a, b, c, d, e and at 214 more paths too. Take one of them in, and take the others off the server: settle remove=PATH."}, remarks(many))
	require.Equal(t, "there 220 times", standing(many))
}
