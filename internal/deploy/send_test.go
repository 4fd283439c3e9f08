package deploy_test

import (
	"bytes"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/ability"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/testbed"
)

// A large file that broke off is sent on from where it was, and read back: also
// when what had arrived has holes or is something else altogether.
func TestAPartOfALargeFileIsSentOn(t *testing.T) {
	const mib = 1 << 20
	text := make([]byte, 20*mib)
	for i, r := 0, rand.New(rand.NewPCG(1, 2)); i < len(text); i++ {
		text[i] = byte(r.Uint32())
	}
	holes := bytes.Clone(text[:12*mib])
	clear(holes[9*mib : 10*mib])
	wrong := bytes.Clone(text[:12*mib])
	wrong[17]++
	for _, c := range []struct {
		name string
		part []byte
		sent int64
		note string
	}{
		{"nothing", nil, 20 * mib, ""},
		{"too little to be worth it", text[:3*mib], 20 * mib, ""},
		{"a part", text[:12*mib], 12 * mib, "big was sent on from 8 MB, where it had broken off, and read back"},
		{"a part with a hole near its end", holes, 12 * mib, "big was sent on from 8 MB"},
		{"a part that is not of it", wrong, 32 * mib, "big could not be sent on from where it had broken off (other bytes came back than were sent); it is sent anew"},
		{"all of it", text, 4 * mib, "big was sent on from 16 MB"},
		{"more than all of it", append(bytes.Clone(text), 'x'), 20 * mib, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			b := filled(t, nil)
			b.hold(string(text))
			b.make(&draft.Request{Host: draft.Host{Set: ability.Set{Modes: true, RenameFromWork: true, Free: -1}, Tested: true},
				Held:   func(tree.Digest) bool { return true },
				Wanted: []draft.Wanted{{Addon: "big", Name: "big", Version: "1", Files: []draft.Target{{Path: "big", Digest: tree.Sum(text), Size: int64(len(text))}}}},
			}, draft.Observations{})
			send := b.dep.Draft.Motions.At(0)
			require.ErrorIs(t, b.whole(b.run(send.ID, deploy.AfterIntent)), errFault)
			if c.part != nil {
				at := filepath.Join(b.root, string(draft.Names{Number: b.dep.Number}.Temp(send)))
				require.NoError(t, os.WriteFile(at, c.part, 0o600))
			}
			r := b.run(0, "")
			require.NoError(t, b.whole(r))
			got, err := os.ReadFile(filepath.Join(b.root, "big"))
			require.NoError(t, err)
			require.True(t, bytes.Equal(text, got))
			require.Equal(t, c.sent, r.Sent())
			require.Contains(t, strings.Join(r.Notes(), "\n"), c.note)
			require.Equal(t, c.note == "", len(r.Notes()) == 0)
		})
	}
}

// A host that makes checksums itself is asked for them instead of reading files back: what
// it says of them decides, and a file that it says is another one is read after all.
func TestAHostsOwnChecksumsSpareTheReading(t *testing.T) {
	s := testbed.StartProFTPD(t)
	b := newBenchAt(t, true, func(root string) remote.Host {
		h, err := remote.OpenFTP(t.Context(), remote.FTPTarget{Host: "127.0.0.1", Port: s.Port, User: s.User, Password: s.Password, Root: root, Ahead: true})
		require.NoError(t, err)
		require.Equal(t, "SHA-256", h.SumsBy())
		return h
	})
	proved := 0
	for i := range b.dep.Draft.Motions.Len() {
		if b.dep.Draft.Motions.At(i).Kind == draft.SendMotion {
			b.dep.Draft.Motions.Alter(i, func(m *draft.Motion) { m.Proved = true })
			proved++
		}
	}
	require.NotZero(t, proved)
	plain := func() *deploy.Run {
		r := b.run(0, "")
		r.Host = b.host // not through what makes faults
		return r
	}
	require.NoError(t, plain().Forward(t.Context(), draft.Prepare))
	require.Empty(t, s.Read(t, "/in-"))
	require.NoError(t, b.whole(plain()))
	b.isNew()
}
