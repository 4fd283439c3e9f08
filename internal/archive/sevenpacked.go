package archive

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"

	"github.com/ulikunitz/xz/lzma"
)

// table unpacks a packed table of contents.
func (p packing) table(r io.ReaderAt, size int64) ([]byte, error) {
	for _, c := range p.coders {
		if c.id == "\x06\xf1\x07\x01" {
			return nil, errEncrypted
		}
	}
	if len(p.coders) != 1 || p.unpacked > maxTable || p.at > uint64(size) || p.long > uint64(size) {
		return nil, errTable
	}
	var in io.Reader = io.NewSectionReader(r, int64(32+p.at), int64(p.long))
	var err error
	switch c := p.coders[0]; {
	case c.id == "\x00":
	case c.id == "\x03\x01\x01" && len(c.props) == 5:
		in, err = lzmaReader(c.props, p.unpacked, in)
	case c.id == "\x21" && len(c.props) == 1:
		in, err = lzma2Reader(c.props[0], p.unpacked, in)
	default:
		err = errors.New("its table of contents is packed in a way that is not known")
	}
	if err != nil {
		return nil, err
	}
	plain := new(bytes.Buffer)
	if _, err := io.Copy(plain, io.LimitReader(in, int64(p.unpacked))); err != nil {
		return nil, fmt.Errorf("%w: %w", errTable, err)
	}
	return plain.Bytes(), nil
}

// dictionary is the useful size of a dictionary: never more than the output.
func dictionary(says int64, unpacked uint64) (int64, error) {
	if says > DefaultLimits.Dictionary {
		return 0, dictionaryError(says)
	}
	return max(min(says, int64(min(unpacked, uint64(says)))), lzma.MinDictCap), nil
}

// lzmaReader unpacks an LZMA stream of a 7z.
func lzmaReader(props []byte, unpacked uint64, in io.Reader) (io.Reader, error) {
	d, err := dictionary(int64(binary.LittleEndian.Uint32(props[1:])), unpacked)
	if err != nil {
		return nil, err
	}
	head := append([]byte{props[0]}, 0, 0, 0, 0)
	binary.LittleEndian.PutUint32(head[1:], uint32(d))
	head = binary.LittleEndian.AppendUint64(head, unpacked)
	return lzma.ReaderConfig{DictCap: int(d)}.NewReader(io.MultiReader(bytes.NewReader(head), in))
}

// lzma2Reader unpacks an LZMA2 stream of a 7z.
func lzma2Reader(props byte, unpacked uint64, in io.Reader) (io.Reader, error) {
	if props > 40 {
		return nil, errors.New("its LZMA2 properties are broken")
	}
	d, err := dictionary(int64(2|props&1)<<(props/2+11), unpacked)
	if err != nil {
		return nil, err
	}
	return lzma.Reader2Config{DictCap: int(d)}.NewReader2(in)
}
