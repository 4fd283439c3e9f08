package remote_test

import (
	"fmt"
	"io"
	"io/fs"
	"net"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
)

// A file that is there no more when it is asked for, and again when the host is asked why, was begun
// anew in between, as a log is. It is asked for once more.
func TestAFileThatIsBegunAnewWhileItIsOpened(t *testing.T) {
	opened := func(listing string, refusals int32) (text string, asked int32, err error) {
		var n atomic.Int32
		data, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer data.Close()
		send := func(text string) {
			c, err := data.Accept()
			if err == nil {
				_, _ = io.WriteString(c, text) // who asked is told by what comes
				c.Close()
			}
		}
		port := scripted(t, func(verb string, say func(string, ...any)) bool {
			switch verb {
			case "EPSV":
				say("229 Entering Extended Passive Mode (|||%d|)", data.Addr().(*net.TCPAddr).Port)
			case "MLSD":
				say("150 here it comes")
				send(listing)
				say("226 that is all")
			case "RETR":
				if n.Add(1) <= refusals {
					send("")
					say("550 Failed to open file.")
					return true
				}
				say("150 here it comes")
				send("begun anew\n")
				say("226 that is all")
			default:
				return ordinary(verb, say)
			}
			return true
		})
		h, err := openScripted(t, port)
		require.NoError(t, err)
		defer h.Close()
		f, err := h.Open(t.Context(), "fair.log")
		if err != nil {
			return "", n.Load(), err
		}
		raw, err := io.ReadAll(f)
		require.NoError(t, err)
		require.NoError(t, f.Close())
		return string(raw), n.Load(), nil
	}
	line := fmt.Sprintf("type=file;size=%d;modify=20260101000000; fair.log\r\n", len("begun anew\n"))
	text, asked, err := opened(line, 1)
	require.NoError(t, err)
	require.Equal(t, "begun anew\n", text)
	require.EqualValues(t, 2, asked)
	_, asked, err = opened(line, 9)
	require.ErrorIs(t, err, fs.ErrPermission)
	require.EqualValues(t, 2, asked)
	_, asked, err = opened("type=file;size=1;modify=20260101000000; other.log\r\n", 9)
	require.ErrorIs(t, err, fs.ErrNotExist)
	require.EqualValues(t, 1, asked)
}
