package remote

import (
	"os"

	"golang.org/x/sys/unix"
)

// syncsAtOnce tells that a whole file system can be synced by one call, so that files
// need not be one by one.
const syncsAtOnce = true

func syncAll(dir *os.File) error { return unix.Syncfs(int(dir.Fd())) }
