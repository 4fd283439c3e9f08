//go:build linux || darwin

package disk

import "syscall"

// Free gives the bytes that an unprivileged user may still write to the file system
// of a folder.
func Free(dir string) (int64, error) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(dir, &st); err != nil {
		return -1, err
	}
	return int64(st.Bavail) * int64(st.Bsize), nil
}
