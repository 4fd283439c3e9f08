package deploy_test

import (
	"math/rand/v2"
	"net"
	"strconv"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/remote"
	"restlesscrate/internal/standin"
	"restlesscrate/internal/testbed"
)

// wire carries connections to a server, and cuts all of them once so many
// bytes have passed since it was armed.
type wire struct {
	listener net.Listener
	to       string

	mu     sync.Mutex
	left   int64 // bytes until the cut; negative: it is not armed
	passed int64
	dead   bool
	conns  []net.Conn
}

func newWire(t *testing.T, to string) *wire {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	w := &wire{listener: l, to: to, left: -1}
	t.Cleanup(func() { l.Close(); w.cut() })
	go func() {
		for {
			near, err := l.Accept()
			if err != nil {
				return
			}
			far, err := net.Dial("tcp", to)
			w.mu.Lock()
			if err != nil || w.dead {
				near.Close()
				if far != nil {
					far.Close()
				}
			} else {
				w.conns = append(w.conns, near, far)
				go w.carry(near, far)
				go w.carry(far, near)
			}
			w.mu.Unlock()
		}
	}()
	return w
}

func (w *wire) port(t *testing.T) int {
	_, port, err := net.SplitHostPort(w.listener.Addr().String())
	require.NoError(t, err)
	n, err := strconv.Atoi(port)
	require.NoError(t, err)
	return n
}

func (w *wire) carry(from, to net.Conn) {
	buf := make([]byte, 4096)
	for {
		n, err := from.Read(buf)
		pass, last := w.count(int64(n))
		if _, e := to.Write(buf[:pass]); e != nil || err != nil || last {
			from.Close()
			to.Close()
			if last {
				w.cut()
			}
			return
		}
	}
}

// count tells how many of n bytes still pass.
func (w *wire) count(n int64) (pass int64, last bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.passed += n
	if w.left < 0 {
		return n, w.dead
	}
	pass = min(n, w.left)
	w.left -= pass
	if w.left == 0 {
		w.dead = true
	}
	return pass, w.dead
}

func (w *wire) cut() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, c := range w.conns {
		c.Close()
	}
	w.conns = nil
}

// arm sets after how many bytes it cuts; -1: never.
func (w *wire) arm(after int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.left, w.passed, w.dead = after, 0, false
}

// through is how many bytes have come since it was armed.
func (w *wire) through() int64 {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.passed
}

// cutAnywhere runs a deployment over a wire that is cut at a random byte, and
// then resumes or undoes it over a whole one. open reaches root through a wire; after
// over the cut sessions do no more of what they had been sent, as none does by the time
// that a person signs in anew.
func cutAnywhere(t *testing.T, seeds int, open func(t *testing.T, root string) (w *wire, dial func() remote.Host, over func())) {
	b := newBench(t)
	w, dial, _ := open(t, b.root)
	b.host = dial()
	w.arm(-1)
	require.NoError(t, b.whole(b.run(0, "")))
	whole := w.through()
	require.NoError(t, b.host.Close())
	require.Greater(t, whole, int64(1000))

	broken, through := 0, 0
	for seed := range seeds {
		b := newBench(t)
		w, dial, over := open(t, b.root)
		b.host = dial()
		at := rand.New(rand.NewPCG(uint64(seed), 7)).Int64N(whole)
		w.arm(max(1, at))
		r := b.run(0, "")
		err := b.swapped(r)
		recorded := err == nil // from here on it is done, and only tidied
		if recorded {
			err = r.Tidy(t.Context())
		}
		b.host.Close()
		over()
		_, again, _ := open(t, b.root) // a wire that is whole
		b.host = again()
		if err == nil {
			through++ // as much was left of the budget as the run took this time
			b.isNew()
			continue
		}
		require.ErrorIs(t, err, remote.ErrLine, "seed %d, cut after %d bytes", seed, at)
		broken++
		if seed%2 == 0 || recorded {
			require.NoError(t, b.whole(b.run(0, "")), "seed %d, cut after %d bytes", seed, at)
			b.isNew()
		} else {
			require.NoError(t, b.run(0, "").Backward(t.Context()), "seed %d, cut after %d bytes", seed, at)
			b.isOld()
		}
		b.host.Close()
	}
	t.Logf("%d seeds: %d cut and resumed or undone, %d through; a whole run takes %d bytes", seeds, broken, through, whole)
	require.Greater(t, broken, seeds/2)
}

func TestALineThatIsCutAnywhereInProcess(t *testing.T) {
	cutAnywhere(t, 200, func(t *testing.T, root string) (*wire, func() remote.Host, func()) {
		h, err := standin.StartHost(root, "keeper", "reed-and-tide")
		require.NoError(t, err)
		t.Cleanup(func() { h.Close() })
		w := newWire(t, "127.0.0.1:"+strconv.Itoa(h.Port))
		return w, func() remote.Host {
			target := remote.SFTPTarget{Host: "127.0.0.1", Port: w.port(t), User: h.User, Password: h.Password, Root: "."}
			_, err := remote.OpenSFTP(t.Context(), target)
			var key *remote.HostKeyError
			require.ErrorAs(t, err, &key)
			target.HostKey = key.Offered
			far, err := remote.OpenSFTP(t.Context(), target)
			require.NoError(t, err)
			return far
		}, func() { h.Close() }
	})
}

func TestALineThatIsCutAnywhereToSSHD(t *testing.T) {
	d := testbed.StartSSHD(t)
	cutAnywhere(t, 20, func(t *testing.T, root string) (*wire, func() remote.Host, func()) {
		w := newWire(t, d.Addr())
		return w, func() remote.Host {
			far, err := remote.OpenSFTP(t.Context(), remote.SFTPTarget{Host: "127.0.0.1", Port: w.port(t), User: d.User, Key: d.Key, HostKey: d.HostKey, Root: root})
			require.NoError(t, err)
			return far
		}, func() { testbed.KillSessions(t, d) }
	})
}
