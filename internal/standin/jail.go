package standin

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"strings"

	"github.com/pkg/sftp"
)

// jail answers SFTP requests inside one root. Nothing outside of it can be
// named, and links that lead out are not followed.
type jail struct{ root *os.Root }

// name turns a request's path into one below the root.
func name(p string) string {
	if p = strings.TrimLeft(p, "/"); p == "" {
		return "."
	}
	return p
}

// Fileread implements sftp.FileReader.
func (j *jail) Fileread(r *sftp.Request) (io.ReaderAt, error) {
	return j.root.Open(name(r.Filepath))
}

// Filewrite implements sftp.FileWriter.
func (j *jail) Filewrite(r *sftp.Request) (io.WriterAt, error) {
	flags := os.O_WRONLY
	asked := r.Pflags()
	if asked.Creat {
		flags |= os.O_CREATE
	}
	if asked.Trunc {
		flags |= os.O_TRUNC
	}
	if asked.Excl {
		flags |= os.O_EXCL
	}
	return j.root.OpenFile(name(r.Filepath), flags, 0o644)
}

// Filecmd implements sftp.FileCmder.
func (j *jail) Filecmd(r *sftp.Request) error {
	p := name(r.Filepath)
	switch r.Method {
	case "Setstat":
		if r.AttrFlags().Permissions {
			return j.root.Chmod(p, fs.FileMode(r.Attributes().Mode).Perm())
		}
		return nil
	case "Rename":
		if _, err := j.root.Lstat(name(r.Target)); err == nil {
			return errors.New("the target exists")
		}
		return j.root.Rename(p, name(r.Target))
	case "Rmdir", "Remove":
		i, err := j.root.Lstat(p)
		if err != nil {
			return err
		}
		if i.IsDir() != (r.Method == "Rmdir") {
			return errors.New("that is the wrong kind of thing to remove so")
		}
		return j.root.Remove(p)
	case "Mkdir":
		return j.root.Mkdir(p, 0o755)
	}
	return sftp.ErrSSHFxOpUnsupported // links are not made here
}

// PosixRename implements sftp.PosixRenameFileCmder: it replaces.
func (j *jail) PosixRename(r *sftp.Request) error {
	return j.root.Rename(name(r.Filepath), name(r.Target))
}

// list is what was found, for the protocol's paging.
type list []os.FileInfo

// ListAt implements sftp.ListerAt.
func (l list) ListAt(into []os.FileInfo, offset int64) (int, error) {
	if offset >= int64(len(l)) {
		return 0, io.EOF
	}
	n := copy(into, l[offset:])
	if n < len(into) {
		return n, io.EOF
	}
	return n, nil
}

// Filelist implements sftp.FileLister.
func (j *jail) Filelist(r *sftp.Request) (sftp.ListerAt, error) {
	p := name(r.Filepath)
	switch r.Method {
	case "Stat":
		i, err := j.root.Stat(p)
		return list{i}, err
	case "List":
		d, err := j.root.Open(p)
		if err != nil {
			return nil, err
		}
		defer d.Close()
		all, err := d.Readdir(-1)
		return list(all), err
	}
	return nil, sftp.ErrSSHFxOpUnsupported
}

// Lstat implements sftp.LstatFileLister.
func (j *jail) Lstat(r *sftp.Request) (sftp.ListerAt, error) {
	i, err := j.root.Lstat(name(r.Filepath))
	return list{i}, err
}
