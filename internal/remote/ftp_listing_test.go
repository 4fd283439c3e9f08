package remote_test

import (
	"bufio"
	"fmt"
	"net"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// told is an FTP server that knows no listings for programs and answers every
// LIST with the same text.
func told(t *testing.T, listing string) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go converse(c, listing)
		}
	}()
	return l.Addr().(*net.TCPAddr).Port
}

func converse(c net.Conn, listing string) {
	defer c.Close()
	say := func(text string) { fmt.Fprintf(c, "%s\r\n", text) }
	say("220 ready")
	var data net.Listener
	for lines := bufio.NewScanner(c); lines.Scan(); {
		verb, _, _ := strings.Cut(lines.Text(), " ")
		switch strings.ToUpper(verb) {
		case "USER":
			say("331 and the password?")
		case "PASS":
			say("230 come in")
		case "CWD":
			say("250 there you are")
		case "TYPE", "NOOP":
			say("200 yes")
		case "PWD":
			say(`257 "/" is where you are`)
		case "EPSV":
			var err error
			if data, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
				return
			}
			say(fmt.Sprintf("229 Entering Extended Passive Mode (|||%d|)", data.Addr().(*net.TCPAddr).Port))
		case "LIST":
			say("150 here it comes")
			d, err := data.Accept()
			if err != nil {
				return
			}
			fmt.Fprint(d, listing)
			d.Close()
			data.Close()
			say("226 that was it")
		case "QUIT":
			say("221 bye")
			return
		default:
			say("502 what is that?")
		}
	}
}

func TestListingsAsPeopleReadThem(t *testing.T) {
	for name, c := range map[string]struct {
		listing string
		want    map[string]tree.Being
		size    int64 // of lamp one.tdx
	}{
		"Unix": {"total 12\r\n" +
			"drwxr-xr-x    2 keeper   keeper       4096 Nov 20 10:11 fixtures\r\n" +
			"-rw-r--r--    1 keeper   keeper      22418 Jan  2  2024 lamp one.tdx\r\n" +
			"lrwxrwxrwx    1 keeper   keeper          7 Nov 20 10:11 way-out -> /etc\r\n",
			map[string]tree.Being{"fixtures": tree.Folder, "lamp one.tdx": tree.Content, "way-out": tree.Foreign}, 22418},
		"DOS": {"11-20-26  10:11AM       <DIR>          fixtures\r\n" +
			"01-02-24  09:05PM                22418 lamp one.tdx\r\n" +
			"11-20-2026  10:11PM                    0 empty\r\n",
			map[string]tree.Being{"fixtures": tree.Folder, "lamp one.tdx": tree.Content, "empty": tree.Content}, 22418},
	} {
		t.Run(name, func(t *testing.T) {
			h, err := remote.OpenFTP(t.Context(), remote.FTPTarget{Host: "127.0.0.1", Port: told(t, c.listing), User: "keeper", Password: "x", Root: "/"})
			require.NoError(t, err)
			defer h.Close()
			list, err := h.List(t.Context(), tree.Root)
			require.NoError(t, err)
			got := map[string]tree.Being{}
			for _, i := range list {
				got[i.Name] = i.Being
				if i.Name == "lamp one.tdx" {
					require.Equal(t, c.size, i.Size)
				}
			}
			require.Equal(t, c.want, got)
		})
	}
}
