//go:build linux || darwin

package remote

import "syscall"

// freeBytes asks the file system what an unprivileged user may still write.
func freeBytes(dir string) (int64, error) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(dir, &st); err != nil {
		return -1, err
	}
	return int64(st.Bavail) * int64(st.Bsize), nil
}
