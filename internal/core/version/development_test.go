package version

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWhichVersionsComeBeforeARelease(t *testing.T) {
	for v, want := range map[string]bool{"1.0": false, "1.0-beta.2": true, "2.1rc1": true, "3.0-SNAPSHOT": true, "1.0-alpha": true, "0.8": false, "1.0-hotfix2": false, "unmarked": false, "1.0-final": false, "2.0-dev": true, "1.2-keel": false} {
		require.Equal(t, want, Development(v), v)
	}
}
