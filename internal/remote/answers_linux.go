package remote

import (
	"net"

	"golang.org/x/sys/unix"
)

// acknowledge has the kernel tell the other side at once that what was read has
// arrived, not up to 40 ms later. A host that writes its answers one by one keeps the
// second back until then (RFC 896), and FTP has two for every file. The kernel does it
// for what it has not acknowledged yet, so it is said after every read; where it cannot
// be said, answers come later.
func acknowledge(conn net.Conn) {
	tcp, ok := conn.(*net.TCPConn)
	if !ok {
		return
	}
	if raw, err := tcp.SyscallConn(); err == nil {
		_ = raw.Control(func(fd uintptr) { _ = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_QUICKACK, 1) })
	}
}
