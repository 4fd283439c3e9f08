package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/testbed"
)

// shared is output that is read while it grows.
type shared struct {
	mu  sync.Mutex
	all bytes.Buffer
}

func (s *shared) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.all.Write(p)
}

func (s *shared) Reset() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.all.Reset()
}

func (s *shared) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.all.String()
}

func (s *shared) has(line string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return regexp.MustCompile("(?m)^" + line + "$").Match(s.all.Bytes())
}

// A log is followed over a start that puts the old one aside, with the lines marked
// that are about an add-on, until somebody has seen enough.
func TestALogIsFollowed(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	out := &shared{}
	follow := exec.Command(binary, "log", "here", "--follow")
	follow.Env = append(append(os.Environ(), "RESTLESS_DATA="+r.data), r.env...)
	follow.Stdout, follow.Stderr = out, out
	require.NoError(t, follow.Start())
	t.Cleanup(func() { _ = follow.Process.Kill() })
	testbed.Eventually(t, "what is there is shown", func() bool { return out.has(" +gates open") })
	r.must("say", "here", "say the tide is in")
	testbed.Eventually(t, "what comes is shown", func() bool { return out.has(" +everybody hears: the tide is in") })
	r.must("say", "here", "say the tide is out")
	testbed.Eventually(t, "what comes next is shown", func() bool { return out.has(" +everybody hears: the tide is out") })
	r.must("deploy", "here", "tide-base@3.2.1", "--yes")
	testbed.Eventually(t, "the next start is shown, and whom a line is about", func() bool {
		return out.has(`\[tide-base\] +fixture tide-base 3\.2\.1 in place`)
	})
	require.NoError(t, follow.Process.Signal(os.Interrupt))
	require.NoError(t, follow.Wait(), "seeing enough is no failure")
	require.Equal(t, 1, strings.Count(out.all.String(), "the tide is in"), "nothing is shown twice")
}

// A server that writes its log down late is waited for, and its roll is called by all
// of it.
func TestALogThatIsWrittenDownLate(t *testing.T) {
	t.Parallel()
	r := play(t, "tidewright")
	require.NoError(t, os.WriteFile(filepath.Join(r.root, "standin.rules"), []byte("slow-log 900ms\n"), 0o644))
	r.must("stage", r.download("tide-base-3.2.1.tdx"))
	out := r.must("deploy", "here", "tide-base@3.2.1", "--yes")
	require.Contains(t, out, "Roll call: 1 loaded")
	require.Contains(t, out, "LOADED   tide-base            3.2.1")
	require.True(t, strings.HasSuffix(r.read("tidewright.log"), "gates open\n"))
}
