//go:build linux

package main

import (
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync/atomic"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"
)

// link is a line with a delay and a rate between this machine and a network
// namespace of its own: two TUN devices, and packets carried between them. TCP
// runs end to end over it, as over any line.
type link struct {
	name     string // of the namespace
	near     *os.File
	far      *os.File
	delay    atomic.Int64 // one way, nanoseconds
	bitsPerS atomic.Int64 // 0: as fast as it goes
}

// Addresses of the two ends.
const (
	nearAddr = "10.213.7.1"
	farAddr  = "10.213.7.2"
)

func openLink() (*link, error) {
	l := &link{name: fmt.Sprintf("restless-%d", os.Getpid())}
	if err := run("ip", "netns", "add", l.name); err != nil {
		return nil, err
	}
	var err error
	if l.near, err = tun("rcnear"); err != nil {
		return nil, l.fail(err)
	}
	if l.far, err = tun("rcfar"); err != nil {
		return nil, l.fail(err)
	}
	for _, cmd := range [][]string{
		{"ip", "link", "set", "rcfar", "netns", l.name},
		{"ip", "addr", "add", nearAddr, "peer", farAddr, "dev", "rcnear"},
		{"ip", "link", "set", "rcnear", "up", "txqueuelen", "2000"},
		{"ip", "netns", "exec", l.name, "ip", "addr", "add", farAddr, "peer", nearAddr, "dev", "rcfar"},
		{"ip", "netns", "exec", l.name, "ip", "link", "set", "rcfar", "up", "txqueuelen", "2000"},
		{"ip", "netns", "exec", l.name, "ip", "link", "set", "lo", "up"},
	} {
		if err := run(cmd[0], cmd[1:]...); err != nil {
			return nil, l.fail(err)
		}
	}
	go l.carry(l.near, l.far)
	go l.carry(l.far, l.near)
	return l, nil
}

func (l *link) fail(err error) error {
	l.Close()
	return err
}

// set changes the line; packets under way keep their time.
func (l *link) set(roundTrip time.Duration, bitsPerS int64) {
	l.delay.Store(int64(roundTrip / 2))
	l.bitsPerS.Store(bitsPerS)
}

// Close takes the line and the namespace away.
func (l *link) Close() {
	for _, f := range []*os.File{l.near, l.far} {
		if f != nil {
			f.Close()
		}
	}
	_ = run("ip", "netns", "del", l.name)
}

// inNamespace prefixes a command so that it runs at the far end.
func (l *link) inNamespace(program string, args ...string) *exec.Cmd {
	return exec.Command("ip", append([]string{"netns", "exec", l.name, program}, args...)...)
}

type packet struct {
	raw []byte
	due time.Time
}

// carry takes packets from one device to the other: each waits for those
// before it to leave at the line's rate, and then for the delay.
func (l *link) carry(from, to *os.File) {
	queue := make(chan packet, 4096)
	go func() {
		for p := range queue {
			if d := time.Until(p.due); d > 50*time.Microsecond {
				time.Sleep(d)
			}
			if _, err := to.Write(p.raw); err != nil {
				return
			}
		}
	}()
	defer close(queue)
	var free time.Time // when the line has sent what is before
	for {
		raw := make([]byte, 2048)
		n, err := from.Read(raw)
		if err != nil {
			return
		}
		now := time.Now()
		if free.Before(now) {
			free = now
		}
		if rate := l.bitsPerS.Load(); rate > 0 {
			free = free.Add(time.Duration(int64(n) * 8 * int64(time.Second) / rate))
		}
		if free.Sub(now) > 100*time.Millisecond {
			continue // its buffer is full: dropped, as a router does
		}
		queue <- packet{raw[:n], free.Add(time.Duration(l.delay.Load()))}
	}
}

// tun makes a TUN device in this namespace.
func tun(name string) (*os.File, error) {
	fd, err := unix.Open("/dev/net/tun", unix.O_RDWR|unix.O_NONBLOCK|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, fmt.Errorf("open /dev/net/tun: %w (the benchmark needs root and TUN)", err)
	}
	var req struct {
		name  [unix.IFNAMSIZ]byte
		flags uint16
		_     [22]byte
	}
	copy(req.name[:], name)
	req.flags = unix.IFF_TUN | unix.IFF_NO_PI
	if _, _, e := unix.Syscall(unix.SYS_IOCTL, uintptr(fd), unix.TUNSETIFF, uintptr(unsafe.Pointer(&req))); e != 0 {
		unix.Close(fd)
		return nil, fmt.Errorf("make the device %s: %w", name, e)
	}
	return os.NewFile(uintptr(fd), name), nil
}

func run(program string, args ...string) error {
	out, err := exec.Command(program, args...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s %s: %w: %s", program, strings.Join(args, " "), err, out)
	}
	return nil
}
