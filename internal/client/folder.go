package client

import (
	"archive/tar"
	"context"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"restlesscrate/internal/api"
)

// StageFolder sends a folder as one archive and waits until it is laid out.
func (c *CrateCalls) StageFolder(ctx context.Context, st Staging, folder string, each Each) (api.Staged, error) {
	st.Filename = filepath.Base(filepath.Clean(folder)) + ".tar"
	r, w := io.Pipe()
	packed := make(chan error, 1)
	go func() {
		err := packFolder(w, folder)
		w.CloseWithError(err)
		packed <- err
	}()
	out, err := c.Stage(ctx, st, r, -1, each)
	r.CloseWithError(context.Canceled)
	if bad := <-packed; bad != nil && err != nil {
		return out, fmt.Errorf("pack the folder: %w", bad)
	}
	return out, err
}

// packFolder writes a folder as a tar that depends on nothing but names,
// bytes and the executable bit: the same folder gives the same bytes. Links
// and other special files are refused by name. The folder's own name is the
// first part of every entry.
func packFolder(w io.Writer, folder string) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return fmt.Errorf("open the folder: %w", err)
	}
	defer root.Close()
	top := filepath.Base(filepath.Clean(folder))
	t := tar.NewWriter(w)
	err = fs.WalkDir(root.FS(), ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		return packOne(t, root, top, name, d)
	})
	if err != nil {
		return err
	}
	return t.Close()
}

func packOne(t *tar.Writer, root *os.Root, top, name string, d fs.DirEntry) error {
	info, err := d.Info()
	if err != nil {
		return err
	}
	h := &tar.Header{Name: top + "/" + name, Mode: 0o644, ModTime: time.Unix(0, 0), Format: tar.FormatPAX}
	switch {
	case d.IsDir():
		if name == "." {
			return nil
		}
		h.Typeflag, h.Name, h.Mode = tar.TypeDir, h.Name+"/", 0o755
		return t.WriteHeader(h)
	case !info.Mode().IsRegular():
		return fmt.Errorf("%s is a link or device; such things are not staged", name)
	}
	if info.Mode()&0o111 != 0 {
		h.Mode = 0o755
	}
	h.Typeflag, h.Size = tar.TypeReg, info.Size()
	if err := t.WriteHeader(h); err != nil {
		return err
	}
	f, err := root.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := io.CopyN(t, f, info.Size()); err != nil {
		return fmt.Errorf("read %s: %w", name, err)
	}
	return nil
}

// Fetch has the service download a file, and waits until it is laid out.
func (c *CrateCalls) Fetch(ctx context.Context, f api.Fetch, each Each) (api.Staged, error) {
	return worked[api.Staged](ctx, c.line, "/archives/fetch", f, each)
}
