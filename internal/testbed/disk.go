package testbed

import (
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"testing"
)

// SmallDisk mounts a file system of 16 MiB, for as long as the test runs.
func SmallDisk(t *testing.T) string {
	t.Helper()
	return Disk(t, 16)
}

// Disk mounts a file system of some MiB, for as long as the test runs.
func Disk(t *testing.T, mib int) string {
	t.Helper()
	if runtime.GOOS != "linux" || os.Geteuid() != 0 {
		Skip(t, "mounting a small disk needs root on Linux")
	}
	dir := t.TempDir()
	out, err := exec.Command("mount", "-t", "tmpfs", "-o", fmt.Sprintf("size=%dm", mib), "tmpfs", dir).CombinedOutput()
	if err != nil {
		Skip(t, fmt.Sprintf("a small disk cannot be mounted here: %s", out))
	}
	t.Cleanup(func() { _ = exec.Command("umount", "-l", dir).Run() })
	return dir
}
