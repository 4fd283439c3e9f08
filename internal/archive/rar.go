package archive

import (
	"bufio"
	"errors"
	"io"
	"io/fs"

	"github.com/nwaples/rardecode/v2"

	"restlesscrate/internal/core/tree"
)

// listRar lists a rar of one volume, in order.
func (op *opening) listRar(s source, l *Listing) error {
	r, err := rardecode.NewReader(bufio.NewReaderSize(s.section(), 256<<10), rardecode.MaxDictionarySize(op.Dictionary))
	if err != nil {
		return rarFault("", err)
	}
	for {
		h, err := r.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return rarFault("", err)
		}
		mode := h.Mode()
		switch {
		case h.Encrypted || h.HeaderEncrypted:
			return rarFault(h.Name, rardecode.ErrArchivedFileEncrypted)
		case h.LinkType != 0 || mode&fs.ModeSymlink != 0:
			return &Error{Code: "unsafe-entry", Entry: h.Name, What: "is a link, which is not followed in this format; " + whatToDo}
		case !h.IsDir && !mode.IsRegular():
			return &Error{Code: "unsafe-entry", Entry: h.Name, What: "is neither a file nor a folder"}
		}
		p, err := op.names.path(h.Name, h.IsDir)
		if err != nil {
			return err
		}
		size := h.UnPackedSize
		if h.UnKnownSize {
			size = 0
		}
		if err := op.budget.spend(h.Name, size); err != nil {
			return err
		}
		var content io.Reader = r
		if h.UnKnownSize {
			content = counted{r, op.budget, h.Name}
		}
		exec := !h.IsDir && h.HostOS == rardecode.HostOSUnix && mode&0o111 != 0
		if err := op.addPacked(l, tree.Entry{Path: p, Dir: h.IsDir, Exec: exec}, content); err != nil {
			return rarFault(h.Name, err)
		}
	}
}

func rarFault(name string, err error) error {
	switch {
	case errors.Is(err, rardecode.ErrArchiveEncrypted), errors.Is(err, rardecode.ErrArchivedFileEncrypted):
		return &Error{Code: "encrypted", Entry: name, What: "it is encrypted; unpack it with its password and stage the folder"}
	case errors.Is(err, rardecode.ErrMultiVolume), errors.Is(err, rardecode.ErrFileNameRequired), errors.Is(err, rardecode.ErrBadVolumeNumber):
		return &Error{Code: "many-volumes", Entry: name, What: "it is one part of a rar in several parts; unpack them together and stage the folder"}
	case errors.Is(err, rardecode.ErrDictionaryTooLarge):
		return tooLarge("a dictionary of more than", DefaultLimits.Dictionary, DefaultLimits.Dictionary)
	case name == "":
		return truncated(Rar, err)
	}
	return broken(name, err)
}
