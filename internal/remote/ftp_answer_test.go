package remote

import (
	"bufio"
	"bytes"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// said is a connection on which a host says what it has to say, and hears everything.
type said struct {
	net.Conn
	from *bytes.Reader
	sent bytes.Buffer
}

func (s *said) Read(p []byte) (int, error)  { return s.from.Read(p) }
func (s *said) Write(p []byte) (int, error) { return s.sent.Write(p) }

// Whatever a host answers to what is sent ahead: no call goes on for ever, what is told
// ends with a line, and every byte that is told came from the host, but for the first
// answer to a store.
func FuzzAnswers(f *testing.F) {
	f.Add("150 ok\r\n226 done\r\n229 port (|||7|)\r\n200 ok\r\n")
	f.Add("553 no\r\n229 (|||7|)\r\n150-\r\n150 \r\n226 x\r\n")
	f.Add("211-a\r\n 211 b\r\n211 c\r\n")
	f.Add("1\n\n2\r\n")
	f.Fuzz(func(t *testing.T, text string) {
		s := &said{from: bytes.NewReader([]byte(text))}
		a := newAhead(s, true)
		told, buf := "", make([]byte, 4096)
		read := func() {
			for { // all that is there, so that nothing is cut off
				n, err := a.Read(buf)
				told += string(buf[:n])
				if err != nil || a.out.Len() == 0 {
					return
				}
			}
		}
		for _, command := range []string{"EPSV\r\n", "STOR a\r\n", "EPSV\r\n", "RETR b\r\n", "NOOP\r\n"} {
			_, err := a.Write([]byte(command))
			require.NoError(t, err)
			read()
			if strings.HasPrefix(command, "STOR") {
				_ = a.taken() // an end of what the host says is an error
				read()
			}
		}
		for line := range strings.Lines(strings.ReplaceAll(told, "150 sent ahead\r\n", "")) {
			require.Contains(t, text, strings.TrimSuffix(line, "\n"))
		}
	})
}

// The host's answers come one behind the other, whatever was asked for ahead of them.
func TestAnswersComeToWhatTheyAnswer(t *testing.T) {
	near, far := net.Pipe()
	defer near.Close()
	heard := make(chan string, 10)
	go func() {
		lines := bufio.NewScanner(far)
		for lines.Scan() {
			heard <- lines.Text()
		}
	}()
	say := func(text string) {
		require.NoError(t, far.SetWriteDeadline(time.Now().Add(10*time.Second)))
		go func() { _, _ = far.Write([]byte(text)) }()
	}
	a := newAhead(near, true)
	in := bufio.NewReader(a)
	ask := func(command, answer string) {
		t.Helper()
		_, err := a.Write([]byte(command + "\r\n"))
		require.NoError(t, err)
		got, err := in.ReadString('\n')
		require.NoError(t, err)
		require.Equal(t, answer+"\r\n", got)
	}
	go say("229 first\r\n")
	ask("EPSV", "229 first")
	require.Equal(t, "EPSV", <-heard)
	ask("STOR a", "150 sent ahead")
	require.Equal(t, "STOR a", <-heard)
	require.Equal(t, "EPSV", <-heard)
	say("150 now\r\n226 it is there\r\n229 second\r\n250 gone\r\n")
	got, err := in.ReadString('\n')
	require.NoError(t, err)
	require.Equal(t, "226 it is there\r\n", got)
	ask("DELE b", "250 gone") // the port is kept meanwhile
	require.Equal(t, "DELE b", <-heard)
	ask("EPSV", "229 second")
	require.Empty(t, heard, "it is not asked for again")
}
