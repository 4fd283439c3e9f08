package standin

import (
	"io"
	"io/fs"
	"os"

	"github.com/pkg/sftp"
)

// jail answers SFTP requests on a disk.
type jail struct{ d *disk }

// Fileread implements sftp.FileReader.
func (j *jail) Fileread(r *sftp.Request) (io.ReaderAt, error) { return j.d.open(r.Filepath) }

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
	return j.d.create(r.Filepath, flags)
}

// Filecmd implements sftp.FileCmder.
func (j *jail) Filecmd(r *sftp.Request) error {
	switch r.Method {
	case "Setstat":
		if r.AttrFlags().Permissions {
			return j.d.root.Chmod(j.d.name(r.Filepath), fs.FileMode(r.Attributes().Mode).Perm())
		}
		return nil
	case "Rename":
		return j.d.rename(r.Filepath, r.Target, false)
	case "Rmdir", "Remove":
		return j.d.remove(r.Filepath, r.Method == "Rmdir")
	case "Mkdir":
		return j.d.mkdir(r.Filepath)
	}
	return sftp.ErrSSHFxOpUnsupported // links are not made here
}

// PosixRename implements sftp.PosixRenameFileCmder: it replaces.
func (j *jail) PosixRename(r *sftp.Request) error { return j.d.rename(r.Filepath, r.Target, true) }

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
	switch r.Method {
	case "Stat":
		i, err := j.d.stat(r.Filepath, true)
		return list{i}, err
	case "List":
		all, err := j.d.list(r.Filepath)
		return list(all), err
	}
	return nil, sftp.ErrSSHFxOpUnsupported
}

// Lstat implements sftp.LstatFileLister.
func (j *jail) Lstat(r *sftp.Request) (sftp.ListerAt, error) {
	i, err := j.d.stat(r.Filepath, false)
	return list{i}, err
}
