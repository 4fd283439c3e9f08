package fetch

import (
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Addresses of RFC 6890 and such as stand for them reach nothing; public ones do.
func TestOnlyPublicAddressesAreReached(t *testing.T) {
	g := &Getter{}
	for _, a := range []string{"127.0.0.1", "10.0.0.1", "172.16.0.1", "192.168.7.7", "169.254.169.254", "100.64.0.1", "0.0.0.0", "0.1.2.3", "224.0.0.1", "240.0.0.1", "255.255.255.255", "198.18.0.1", "192.0.0.8",
		"::", "::1", "fe80::1", "fe80::1%eth0", "fc00::1", "fd12::1", "ff02::1", "::ffff:127.0.0.1", "::ffff:10.1.1.1", "64:ff9b::7f00:1", "2002:7f00:1::1", "2001:0:1::1", "fec0::1"} {
		require.False(t, g.reaches(netip.MustParseAddr(a)), a)
	}
	for _, a := range []string{"1.1.1.1", "93.184.216.34", "172.32.0.1", "100.128.0.1", "2606:4700::1111", "::ffff:1.1.1.1"} {
		require.True(t, g.reaches(netip.MustParseAddr(a)), a)
	}
	g.Allowed = []netip.Prefix{netip.MustParsePrefix("192.168.7.0/24")}
	require.True(t, g.reaches(netip.MustParseAddr("192.168.7.7")))
	require.True(t, g.reaches(netip.MustParseAddr("::ffff:192.168.7.7")))
	require.False(t, g.reaches(netip.MustParseAddr("192.168.8.7")))
}

// Whatever a host calls a file, the name leads into no other folder.
func TestANameIsTheLastPartOfOne(t *testing.T) {
	asked, err := url.Parse("https://here.example/files/wheel-1.0.zip?x=1")
	require.NoError(t, err)
	for said, want := range map[string]string{
		`attachment; filename="wheel.zip"`: "wheel.zip", `attachment; filename="../../etc/wheel.zip"`: "wheel.zip", `attachment; filename="C:\x\wheel.zip"`: "wheel.zip",
		`attachment; filename*=UTF-8''r%C3%A4der.zip`: "räder.zip", "": "wheel-1.0.zip", "attachment": "wheel-1.0.zip", `attachment; filename="/"`: "wheel-1.0.zip", `broken; =`: "wheel-1.0.zip",
	} {
		require.Equal(t, want, nameOf(said, asked), said)
	}
	bare, err := url.Parse("https://here.example/")
	require.NoError(t, err)
	require.Equal(t, "download", nameOf("", bare))
	require.Equal(t, "wheel-1.0.zip", nameOf("", bare, asked))
	rapid.Check(t, func(t *rapid.T) {
		require.NotContains(t, nameOf(rapid.String().Draw(t, "said"), asked), "/")
	})
}

func TestAHostThatGoesSilentIsCut(t *testing.T) {
	h := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Length", "100")
		_, _ = w.Write([]byte("some of it"))
		w.(http.Flusher).Flush()
		<-r.Context().Done()
	}))
	defer h.Close()
	g := &Getter{Allowed: []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}, Idle: 50 * time.Millisecond}
	f, err := g.Open(t.Context(), h.URL+"/x.zip", 0, "")
	require.NoError(t, err)
	got, err := io.ReadAll(f.Body)
	require.ErrorIs(t, err, ErrCut)
	require.Equal(t, "some of it", string(got))
	require.NoError(t, f.Body.Close())
}
