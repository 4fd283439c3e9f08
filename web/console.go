// Package web carries the built console. `make build` builds it; the folder
// dist is no part of the repository but for a page that says so.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Console gives the console's files, index.html among them.
func Console() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder's name is a constant
	}
	return sub
}
