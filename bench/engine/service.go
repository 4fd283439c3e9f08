//go:build linux

package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"

	"restlesscrate/bench/program"
)

// service is a running service.
type service struct {
	*program.Service
	book string // the file that holds the rulebook
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

func serve(exe, data string) (*service, error) {
	s, err := program.Start(context.Background(), exe, data)
	if err != nil {
		return nil, err
	}
	file, err := s.AddBook(book)
	return &service{Service: s, book: file}, err
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
