// Package program starts the built program as a service, for measurements, and waits
// until it is ready.
package program

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"restlesscrate/internal/cli"
)

// Service is a running service.
type Service struct {
	Program, Data, URL, Token string
	Cmd                       *exec.Cmd
}

// patience is how long a service may take until it is ready.
const patience = 20 * time.Second

// Start starts the program over a data folder. It ends with the context, or with
// [Service.End].
func Start(ctx context.Context, program, data string) (*Service, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	listen := l.Addr().String()
	if err := l.Close(); err != nil {
		return nil, err
	}
	s := &Service{Program: program, Data: data, URL: "http://" + listen}
	s.Cmd = exec.CommandContext(ctx, program, "serve", "--data", data, "--listen", listen)
	if err := s.Cmd.Start(); err != nil {
		return nil, err
	}
	for late := time.Now().Add(patience); time.Now().Before(late); time.Sleep(20 * time.Millisecond) {
		res, err := http.Get(s.URL + "/readyz")
		if err != nil {
			continue
		}
		if err := res.Body.Close(); err != nil {
			return nil, err
		}
		raw, err := os.ReadFile(filepath.Join(data, cli.ClientFile))
		if err != nil {
			return nil, err
		}
		var local cli.Local
		if err := json.Unmarshal(raw, &local); err != nil {
			return nil, err
		}
		s.Token = local.Token
		return s, nil
	}
	return nil, errors.Join(errors.New("the service did not become ready"), s.End())
}

// Within starts the program over a data folder in a folder of its own, which is gone once do has ended.
func Within(ctx context.Context, program, name string, do func(s *Service, dir string) error) (err error) {
	if program, err = filepath.Abs(program); err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "restless-"+name+"-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	s, err := Start(ctx, program, filepath.Join(dir, "data"))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, s.End()) }()
	return do(s, dir)
}

// AddBook adds a rulebook and gives the file that holds it.
func (s *Service) AddBook(text string) (file string, err error) {
	file = filepath.Join(s.Data, "bench.yaml")
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		return "", err
	}
	_, err = s.Restless("rulebook", "add", file)
	return file, err
}

// Restless runs a command line against it and gives what it prints.
func (s *Service) Restless(args ...string) ([]byte, error) {
	cmd := exec.Command(s.Program, args...)
	cmd.Env = append(os.Environ(), "RESTLESS_DATA="+s.Data, "RESTLESS_PASSWORD=x")
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("restless %s: %w: %s%s", strings.Join(args, " "), err, out.String(), errs.String())
	}
	return out.Bytes(), nil
}

// End stops it in good order.
func (s *Service) End() error {
	if err := s.Cmd.Process.Signal(os.Interrupt); err != nil {
		return err
	}
	return s.Cmd.Wait()
}

// Peak is the most memory that was resident, in bytes, as Linux tells it.
func (s *Service) Peak() (int64, error) {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.Cmd.Process.Pid))
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

// Publish prints a page of results, and writes it to a file too where one is named.
func Publish(page, file string) error {
	if _, err := fmt.Print(page); err != nil || file == "" {
		return err
	}
	return os.WriteFile(file, []byte(page), 0o644)
}
