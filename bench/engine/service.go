//go:build linux

package main

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// service is a running service.
type service struct {
	program, data, book string
	cmd                 *exec.Cmd
}

const book = `format: 1
name: bench
title: Bench
places: {all: {path: .}}
kinds:
  tree:
    recognise: {folders: [d00]}
    put: [{take: "**", place: all}]
`

func serve(program, data string) (*service, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	listen := l.Addr().String()
	l.Close()
	s := &service{program: program, data: data, book: filepath.Join(data, "bench.yaml")}
	s.cmd = exec.Command(program, "serve", "--data", data, "--listen", listen)
	if err := s.cmd.Start(); err != nil {
		return nil, err
	}
	for range 500 {
		if res, err := http.Get("http://" + listen + "/readyz"); err == nil {
			res.Body.Close()
			if err := os.WriteFile(s.book, []byte(book), 0o600); err != nil {
				return nil, err
			}
			_, err := s.restless("rulebook", "add", s.book)
			return s, err
		}
		time.Sleep(20 * time.Millisecond)
	}
	s.end()
	return nil, errors.New("the service did not become ready")
}

func (s *service) restless(args ...string) ([]byte, error) {
	cmd := exec.Command(s.program, args...)
	cmd.Env = append(os.Environ(), "RESTLESS_DATA="+s.data, "RESTLESS_PASSWORD=x")
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("restless %s: %w: %s%s", strings.Join(args, " "), err, out.String(), errs.String())
	}
	return out.Bytes(), nil
}

// peak is the most memory that was resident, in bytes, as Linux tells it.
func (s *service) peak() (int64, error) {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
	if err != nil {
		return 0, err
	}
	for line := range strings.Lines(string(raw)) {
		var kib int64
		if _, err := fmt.Sscanf(line, "VmHWM: %d kB", &kib); err == nil {
			return kib << 10, nil
		}
	}
	return 0, errors.New("no VmHWM in /proc")
}

func (s *service) end() {
	_ = s.cmd.Process.Signal(os.Interrupt)
	_ = s.cmd.Wait()
}

func errJoin(errs ...error) error { return errors.Join(errs...) }

// same checks that every file of a folder is at the far end, in the same size.
func same(from, root string) error {
	n := 0
	want := map[string]int64{}
	err := filepath.WalkDir(from, func(at string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		i, err := d.Info()
		if err == nil {
			want[d.Name()] = i.Size()
		}
		return err
	})
	if err != nil {
		return err
	}
	err = filepath.WalkDir(root, func(at string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		i, err := d.Info()
		if err != nil {
			return err
		}
		if want[d.Name()] != i.Size() {
			return fmt.Errorf("%s is %d bytes at the far end", at, i.Size())
		}
		n++
		return nil
	})
	if err == nil && n != len(want) {
		err = fmt.Errorf("%d of %d files are at the far end", n, len(want))
	}
	return err
}
