package httpapi

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The document in docs is what the service serves; `make types` brings it up
// to date.
func TestTheDocumentInDocsIsCurrent(t *testing.T) {
	doc, err := Document("v1")
	require.NoError(t, err)
	kept, err := os.ReadFile("../../docs/openapi.json")
	require.NoError(t, err)
	require.Equal(t, strings.TrimSpace(string(kept)), strings.TrimSpace(string(doc)))
}
