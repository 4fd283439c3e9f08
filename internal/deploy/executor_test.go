package deploy

import (
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/draft"
)

func TestEveryKindOfMotionHasAnExecutor(t *testing.T) {
	kinds := draft.MotionKinds()
	require.Contains(t, kinds, draft.KeepMotion)
	require.Contains(t, kinds, draft.TidyMotion)
	for _, kind := range kinds {
		require.NotPanics(t, func() { require.NotNil(t, (&Run{}).executor(kind)) }, kind.String())
	}
	require.Panics(t, func() { (&Run{}).executor(0) })
}
