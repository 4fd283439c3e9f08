package main

import (
	"archive/zip"
	"bufio"
	"compress/flate"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
)

// words are what text-like data is made of.
var words = []string{"harbour", "lamp", "tide", "pier", "gull", "rope", "= 12", "true", "fixture", "\n", "  - ", "berth", "0.75", "shore", ": "}

// textLike writes n bytes that compress like configuration and script files.
func textLike(w io.Writer, r *rand.Rand, n int64) error {
	for n > 0 {
		word := words[r.IntN(len(words))]
		if r.IntN(4) == 0 {
			word = fmt.Sprintf("%x", r.Uint32())
		}
		word += " "
		if int64(len(word)) > n {
			word = word[:n]
		}
		if _, err := io.WriteString(w, word); err != nil {
			return err
		}
		n -= int64(len(word))
	}
	return nil
}

// makeLarge writes a zip of about size bytes, its files 8 MiB each.
func makeLarge(file string, size int64) error {
	return makeZip(file, func(z *zip.Writer, at func() int64, r *rand.Rand) error {
		const each = 8 << 20
		for i := 0; at() < size; i++ {
			w, err := z.Create(fmt.Sprintf("content/part-%05d.txt", i))
			if err != nil {
				return err
			}
			b := bufio.NewWriterSize(w, 64<<10)
			if err := textLike(b, r, each); err != nil {
				return err
			}
			if err := b.Flush(); err != nil {
				return err
			}
		}
		return nil
	})
}

// makeSmall writes a zip of n small files.
func makeSmall(file string, n int) error {
	return makeZip(file, func(z *zip.Writer, _ func() int64, r *rand.Rand) error {
		for i := range n {
			w, err := z.Create(fmt.Sprintf("content/d%03d/file-%06d.txt", i/500, i))
			if err != nil {
				return err
			}
			if err := textLike(w, r, 200+int64(r.IntN(800))); err != nil {
				return err
			}
		}
		return nil
	})
}

func makeZip(file string, fill func(z *zip.Writer, at func() int64, r *rand.Rand) error) error {
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	defer f.Close()
	counted := &counter{w: bufio.NewWriterSize(f, 1<<20)}
	z := zip.NewWriter(counted)
	// One compressor for all entries: to make one takes longer than a small file.
	packer, err := flate.NewWriter(io.Discard, flate.BestSpeed)
	if err != nil {
		return err
	}
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) {
		packer.Reset(w)
		return packer, nil
	})
	if err := fill(z, func() int64 { return counted.n }, rand.New(rand.NewPCG(7, 7))); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	if err := counted.w.Flush(); err != nil {
		return err
	}
	return f.Close()
}

type counter struct {
	w *bufio.Writer
	n int64
}

func (c *counter) Write(p []byte) (int, error) {
	n, err := c.w.Write(p)
	c.n += int64(n)
	return n, err
}
