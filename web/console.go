// Package web carries the built console. `make build` builds it; the folder
// dist is no part of the repository but for a page that says so.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Built tells whether the console is in this program.
func Built() bool {
	_, err := fs.Stat(Console(), "index.html")
	return err == nil
}

// Console gives the console's files, index.html among them.
func Console() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder's name is a constant
	}
	return sub
}
