package records

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"sync"

	"github.com/klauspost/compress/zstd"
)

// What is long and only read whole, such as drafts, is kept as zstd (RFC 8878) of its
// JSON. What earlier versions wrote in clear is read as well.

var zstdMagic = []byte{0x28, 0xb5, 0x2f, 0xfd}

// zippers are kept for the next use: making one takes longer than most texts do.
var zippers sync.Pool

// zipped writes v packed; only types that always can be written are passed.
func zipped(v any) []byte {
	return mustZip(zstdOf(func(w io.Writer) error { return json.NewEncoder(w).Encode(v) }))
}

// mustZip is for what only fails where the program is wrong.
func mustZip(raw []byte, err error) []byte {
	if err != nil {
		panic(fmt.Sprintf("records: what is to be kept cannot be written as JSON: %v", err))
	}
	return raw
}

// zstdOf packs what write writes, as it comes. The error is write's.
func zstdOf(write func(io.Writer) error) ([]byte, error) {
	var out bytes.Buffer
	w, _ := zippers.Get().(*zstd.Encoder)
	if w == nil {
		var err error
		if w, err = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1), zstd.WithLowerEncoderMem(true), zstd.WithWindowSize(4<<20)); err != nil {
			panic(fmt.Sprintf("records: %v", err)) // the options are right
		}
	}
	w.Reset(&out)
	if err := write(w); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		panic(fmt.Sprintf("records: %v", err)) // it writes to memory
	}
	zippers.Put(w)
	return out.Bytes(), nil
}

// unzip reads what zipped wrote, or plain JSON.
func unzip(raw []byte, v any) error {
	if !bytes.HasPrefix(raw, zstdMagic) {
		return json.Unmarshal(raw, v)
	}
	r, err := zstd.NewReader(bytes.NewReader(raw), zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true))
	if err != nil {
		return err
	}
	defer r.Close()
	return json.NewDecoder(r).Decode(v)
}
