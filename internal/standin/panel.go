//go:build unix

package standin

import (
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Panel is a host's panel with an API of its own: it starts and stops one game as
// a process, for whoever has the key.
type Panel struct {
	Folder string   // of the game
	Key    string   // wanted in the header X-Key
	Start  []string // the command that runs the game
	URL    string   // set by StartPanel

	server *http.Server
}

// StartPanel serves a panel on loopback until Close.
func StartPanel(p Panel) (*Panel, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, fmt.Errorf("start the stand-in panel: %w", err)
	}
	p.URL = "http://" + l.Addr().String()
	mux := http.NewServeMux()
	mux.HandleFunc("POST /power", p.power)
	mux.HandleFunc("GET /state", func(w http.ResponseWriter, _ *http.Request) {
		state := "stopped"
		if p.pid() != 0 {
			state = "running"
		}
		answer(w, map[string]string{"state": state})
	})
	p.server = &http.Server{ReadHeaderTimeout: 5 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("X-Key") != p.Key {
			http.Error(w, `{"error":"wrong key"}`, http.StatusForbidden)
			return
		}
		mux.ServeHTTP(w, r)
	})}
	go func() { _ = p.server.Serve(l) }() // ends with Close
	return &p, nil
}

// Close stops serving; the game goes on.
func (p *Panel) Close() error { return p.server.Close() }

// pid is the game's process, 0 where it does not run.
func (p *Panel) pid() int {
	raw, err := os.ReadFile(filepath.Join(p.Folder, "standin.pid"))
	if err != nil {
		return 0
	}
	n, err := strconv.Atoi(strings.TrimSpace(string(raw)))
	if err != nil || syscall.Kill(n, 0) != nil {
		return 0
	}
	return n
}

func (p *Panel) power(w http.ResponseWriter, r *http.Request) {
	var in struct{ Do string }
	err := json.NewDecoder(r.Body).Decode(&in)
	pid := p.pid()
	switch {
	case err != nil:
	case in.Do == "start" && pid == 0:
		cmd := exec.Command(p.Start[0], p.Start[1:]...)
		cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
		if err = cmd.Start(); err == nil {
			go func() { _ = cmd.Wait() }() // how it ended is in its log
		}
	case in.Do == "stop" && pid != 0:
		err = syscall.Kill(pid, syscall.SIGTERM)
	case in.Do != "start" && in.Do != "stop":
		err = errors.New("it can do start and stop")
	}
	if err != nil {
		w.WriteHeader(http.StatusBadRequest)
		answer(w, map[string]string{"error": err.Error()})
		return
	}
	answer(w, map[string]string{"state": "taken"})
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // whoever asked may be gone
}
