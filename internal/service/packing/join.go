package packing

import (
	"strings"

	"restlesscrate/internal/model"
)

// Join is where players join a server, host:port, out of its facts; empty where they do not tell.
func Join(srv model.Server) string {
	facts := srv.Known()
	host, port := facts["address"], facts["port"]
	if host == "" || port == "" || strings.Contains(host, ":") {
		return host
	}
	return host + ":" + port
}
