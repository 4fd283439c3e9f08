package standin

import (
	"errors"
	"net"
	"net/http"
	"time"
)

// Board is a community's web server, which hands a folder out.
type Board struct {
	URL    string
	server *http.Server
	ended  chan error
}

// StartBoard starts one on a free port of this machine.
func StartBoard(folder string) (*Board, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	b := &Board{URL: "http://" + l.Addr().String(), server: &http.Server{Handler: http.FileServer(http.Dir(folder)), ReadHeaderTimeout: 10 * time.Second}, ended: make(chan error, 1)}
	go func() { b.ended <- b.server.Serve(l) }()
	return b, nil
}

// Close stops it.
func (b *Board) Close() error {
	err := b.server.Close()
	if e := <-b.ended; !errors.Is(e, http.ErrServerClosed) {
		err = errors.Join(err, e)
	}
	return err
}
