package archive

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"
	"strings"
	"sync"

	"github.com/bodgit/sevenzip"
	"github.com/ulikunitz/xz/lzma"

	"restlesscrate/internal/core/tree"
)

// listSeven lists a 7z. Files of one solid stream follow one another in it, so
// they are read in that order, once.
func (op *opening) listSeven(s source, l *Listing) error {
	guardSeven.Do(guardDictionaries)
	z, err := sevenzip.NewReader(s.section(), s.size)
	if err != nil {
		return sevenFault("", err)
	}
	files := slices.Clone(z.File)
	slices.SortStableFunc(files, func(a, b *sevenzip.File) int { return a.Stream - b.Stream })
	for _, f := range files {
		mode := f.Mode()
		switch {
		case mode&fs.ModeSymlink != 0:
			return &Error{Code: "unsafe-entry", Entry: f.Name, What: "is a link; links are refused"}
		case !mode.IsRegular() && !mode.IsDir():
			return &Error{Code: "unsafe-entry", Entry: f.Name, What: "is neither a file nor a folder"}
		}
		p, err := op.names.path(f.Name, mode.IsDir())
		if err != nil {
			return err
		}
		if err := op.budget.take(f.Name, int64(f.UncompressedSize)); err != nil {
			return err
		}
		if err := op.sevenFile(l, f, tree.Entry{Path: p, Dir: mode.IsDir(), Exec: !mode.IsDir() && mode&0o111 != 0 && f.Attributes&unixAttributes != 0}); err != nil {
			return err
		}
	}
	return nil
}

// unixAttributes marks entries whose upper attribute bits are a Unix mode.
const unixAttributes = 0x8000

func (op *opening) sevenFile(l *Listing, f *sevenzip.File, e tree.Entry) error {
	if e.Dir || f.UncompressedSize == 0 {
		return op.addPacked(l, e, strings.NewReader(""))
	}
	r, err := f.Open()
	if err != nil {
		return sevenFault(f.Name, err)
	}
	err = op.addPacked(l, e, io.LimitReader(r, int64(f.UncompressedSize)))
	if err := errors.Join(err, r.Close()); err != nil {
		return sevenFault(f.Name, err)
	}
	if got := l.Items[len(l.Items)-1].Size; got != int64(f.UncompressedSize) {
		return &Error{Code: "broken-archive", Entry: f.Name, What: "is broken: " + damage(got, int64(f.UncompressedSize), nil)}
	}
	return nil
}

func sevenFault(name string, err error) error {
	var read *sevenzip.ReadError
	var large dictionaryError
	switch {
	case errors.As(err, &large):
		return tooLarge("a dictionary of", int64(large), DefaultLimits.Dictionary)
	case errors.As(err, &read) && read.Encrypted:
		return &Error{Code: "encrypted", Entry: name, What: "is encrypted; unpack it with its password and stage the folder"}
	case name == "":
		return whole(SevenZip, err)
	}
	return broken(name, err)
}

// dictionaryError is the size in bytes of a dictionary that is refused.
type dictionaryError int64

func (e dictionaryError) Error() string {
	return fmt.Sprintf("a dictionary of %d bytes is refused", int64(e))
}

// The 7z package asks for a dictionary as large as the archive says. It lets
// its decompressors be replaced, for the whole program only; ours look first.
var guardSeven sync.Once

func guardDictionaries() {
	sevenzip.RegisterDecompressor([]byte{3, 1, 1}, func(props []byte, size uint64, in []io.ReadCloser) (io.ReadCloser, error) {
		if len(props) != 5 || len(in) != 1 {
			return nil, errors.New("its LZMA properties are broken")
		}
		if d := int64(binary.LittleEndian.Uint32(props[1:])); d > DefaultLimits.Dictionary {
			return nil, dictionaryError(d)
		}
		head := binary.LittleEndian.AppendUint64(slices.Clone(props), size)
		r, err := lzma.NewReader(io.MultiReader(strings.NewReader(string(head)), in[0]))
		return reading{r, in[0]}, err
	})
	sevenzip.RegisterDecompressor([]byte{lzma2Filter}, func(props []byte, _ uint64, in []io.ReadCloser) (io.ReadCloser, error) {
		if len(props) != 1 || props[0] > 40 || len(in) != 1 {
			return nil, errors.New("its LZMA2 properties are broken")
		}
		d := int64(2|props[0]&1) << (props[0]/2 + 11)
		if d > DefaultLimits.Dictionary {
			return nil, dictionaryError(d)
		}
		r, err := lzma.Reader2Config{DictCap: int(max(d, lzma.MinDictCap))}.NewReader2(in[0])
		return reading{r, in[0]}, err
	})
}

// reading closes what it reads from.
type reading struct {
	io.Reader
	io.Closer
}
