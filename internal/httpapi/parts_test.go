package httpapi_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/api"
	"restlesscrate/internal/assembly/testservice"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/testbed"
)

// sending is an upload over a line of the test's own.
type sending struct {
	net.Conn
	t *testing.T
}

// begin sends the head of an upload and some of its bytes.
func begin(t *testing.T, s *testservice.Service, query string, size int, some []byte) sending {
	t.Helper()
	c, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
	require.NoError(t, err)
	t.Cleanup(func() { c.Close() })
	_, err = fmt.Fprintf(c, "POST /api/v1/archives?%s HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: application/octet-stream\r\nContent-Length: %d\r\n\r\n",
		query, strings.TrimPrefix(s.URL, "http://"), s.Token, size)
	require.NoError(t, err)
	_, err = c.Write(some)
	require.NoError(t, err)
	return sending{c, t}
}

func (c sending) answer() (int, api.Problem) {
	c.t.Helper()
	res, err := http.ReadResponse(bufio.NewReader(c), nil)
	require.NoError(c.t, err)
	defer res.Body.Close()
	var p api.Problem
	require.NoError(c.t, json.NewDecoder(res.Body).Decode(&p))
	return res.StatusCode, p
}

func come(t *testing.T, s *testservice.Service, part string) int64 {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/api/v1/archives/parts/"+part, nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+s.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, http.StatusOK, res.StatusCode)
	var r api.Received
	require.NoError(t, json.NewDecoder(res.Body).Decode(&r))
	return r.Bytes
}

func oneLamp(t *testing.T) []byte {
	t.Helper()
	raw, err := os.ReadFile(testbed.Zip(t, filepath.Join(t.TempDir(), "lamp.zip"), map[string]string{"lamp/part.toml": "version = \"1.0\"\n", "lamp/wick": strings.Repeat("wick ", 9000)}))
	require.NoError(t, err)
	return raw
}

const part = "upload-of-a-lamp-0001"

func TestAnUploadGoesOnWhereItsLineWasCut(t *testing.T) {
	t.Parallel()
	s := testservice.New(t)
	s.Reef(t, "atoll")
	raw := oneLamp(t)
	half := len(raw) / 2

	// The line is cut; what has come waits.
	c := begin(t, s, "filename=lamp.zip&part="+part, len(raw), raw[:half])
	require.Eventually(t, func() bool { // a file of the service's own tells when the bytes have come
		i, err := os.Stat(filepath.Join(s.Data(), "stock/parts", part))
		return err == nil && i.Size() == int64(half)
	}, 10*time.Second, 5*time.Millisecond)
	require.NoError(t, c.Close())
	require.EqualValues(t, half, come(t, s, part))

	// It goes on nowhere else than there.
	status, p := begin(t, s, fmt.Sprintf("filename=lamp.zip&part=%s&from=%d", part, half-1), 1, raw[:1]).answer()
	require.Equal(t, http.StatusConflict, status)
	require.Equal(t, "part-elsewhere", p.Code)
	require.Contains(t, p.Detail, fmt.Sprintf("%d bytes of this upload are here", half))

	// A line that stands still is ended by who goes on; what it had sent counts.
	third := half + half/2
	stands := begin(t, s, fmt.Sprintf("filename=lamp.zip&part=%s&from=%d", part, half), len(raw)-half, raw[half:third])
	require.Eventually(t, func() bool {
		i, err := os.Stat(filepath.Join(s.Data(), "stock/parts", part))
		return err == nil && i.Size() == int64(third)
	}, 10*time.Second, 5*time.Millisecond)
	require.EqualValues(t, third, come(t, s, part))
	status, p = stands.answer()
	require.Equal(t, http.StatusConflict, status)
	require.Equal(t, "upload-overtaken", p.Code)

	last := begin(t, s, fmt.Sprintf("filename=lamp.zip&part=%s&from=%d", part, third), len(raw)-third, raw[third:])
	status, _ = last.answer()
	require.Equal(t, http.StatusAccepted, status)
	require.Eventually(t, func() bool {
		a, err := s.DB.Archive(t.Context(), tree.Sum(raw))
		return err == nil && a.Size == int64(len(raw))
	}, 10*time.Second, 5*time.Millisecond, "the archive is whole, to the byte")
	require.Zero(t, come(t, s, part), "nothing of it waits any more")
}

func TestTwoThatSendOneUploadMakeOneWholeOfIt(t *testing.T) {
	t.Parallel()
	s := testservice.New(t)
	s.Reef(t, "atoll")
	raw := oneLamp(t)
	var statuses [2]int
	var wg sync.WaitGroup
	for i := range statuses {
		wg.Go(func() {
			req, _ := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/api/v1/archives?filename=lamp.zip&part="+part, bytes.NewReader(raw))
			req.Header.Set("Authorization", "Bearer "+s.Token)
			req.Header.Set("Content-Type", "application/octet-stream")
			if res, err := http.DefaultClient.Do(req); err == nil {
				_, _ = io.Copy(io.Discard, res.Body)
				_ = res.Body.Close()
				statuses[i] = res.StatusCode
			}
		})
	}
	wg.Wait()
	require.Contains(t, statuses, http.StatusAccepted)
	require.Eventually(t, func() bool {
		_, err := s.DB.Archive(t.Context(), tree.Sum(raw))
		return err == nil
	}, 10*time.Second, 5*time.Millisecond)
}

func TestAnUploadInPartsIsBoundedAsAWhole(t *testing.T) {
	t.Parallel()
	s := testservice.New(t)
	s.API.MaxUpload = 100
	status, p := begin(t, s, "filename=lamp.zip&from=60&part="+part, 41, make([]byte, 41)).answer()
	require.Equal(t, http.StatusRequestEntityTooLarge, status)
	require.Equal(t, "too-large", p.Code)
	status, p = begin(t, s, "filename=lamp.zip&part=short", 1, []byte("x")).answer()
	require.Equal(t, http.StatusUnprocessableEntity, status)
	require.Equal(t, "bad-part", p.Code)
	status, p = begin(t, s, "filename=lamp.zip&from=-1&part="+part, 1, []byte("x")).answer()
	require.Equal(t, http.StatusUnprocessableEntity, status)
	require.Equal(t, "bad-request", p.Code)
}
