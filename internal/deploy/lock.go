package deploy

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"
	"time"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/remote"
)

// Holder is who holds a host's lock. Since is UTC milliseconds by the holder's
// clock.
type Holder struct {
	Service    string `json:"service"` // a service's own id
	Machine    string `json:"machine"` // where it runs, for people
	Person     string `json:"person"`
	Deployment string `json:"deployment"`
	Since      int64  `json:"since"`
}

// LockedError is returned where another service holds a host. Holder is empty
// where the lock does not say whose it is.
type LockedError struct{ Holder Holder }

func (e *LockedError) Error() string {
	if e.Holder.Service == "" {
		return "it is locked, and the lock does not say by whom"
	}
	return fmt.Sprintf("it is locked for %s by %s, on the service at %s", e.Holder.Deployment, e.Holder.Person, e.Holder.Machine)
}

// LockName is the lock's name in the work folder.
const LockName = "lock"

// lockFolder is the lock: making a folder is atomic on every transport, and
// fails where it is there. heldBy in it says by whom.
const (
	lockFolder = draft.Work + "/" + LockName
	heldBy     = lockFolder + "/held-by.json"
)

// Lock takes a host's lock, or goes on with one that this service has taken
// before: the service itself sees to it that it does one thing at a time. It
// gives the time by the host's own clock, in UTC milliseconds and not later
// than it really is. The error is a *[LockedError] where another service holds
// the lock. mine says that this service may have been killed while it took, signed
// or gave back this host's lock.
func Lock(ctx context.Context, h remote.Host, me Holder, mine bool) (hostTime int64, err error) {
	for range 3 { // a test that ends just now takes the empty work folder away with it
		if err := h.MakeFolder(ctx, draft.Work, 0); err != nil && !errors.Is(err, fs.ErrExist) {
			return 0, fmt.Errorf("make the work folder: %w", err)
		}
		if err = h.MakeFolder(ctx, lockFolder, 0); !errors.Is(err, fs.ErrNotExist) {
			break
		}
	}
	if err != nil && !errors.Is(err, fs.ErrExist) {
		return 0, fmt.Errorf("take the host's lock: %w", err)
	}
	if err != nil {
		holder, err := readHolder(ctx, h)
		if err == nil && mine && holder.Service == "" {
			holder, err = signedBy(ctx, h, me)
		}
		if err != nil {
			return 0, err
		}
		if holder.Service != me.Service {
			return 0, &LockedError{holder}
		}
	}
	if hostTime, err = sign(ctx, h, me); err != nil {
		return 0, fmt.Errorf("sign the host's lock: %w", err)
	}
	return hostTime, nil
}

// signing is for how long a lock may stand unsigned while another service takes it:
// it signs with its next call.
const signing = 2 * time.Second

// signedBy says whose an unsigned lock is: that service's which signs it now, or
// that of me, who may have left it so.
func signedBy(ctx context.Context, h remote.Host, me Holder) (Holder, error) {
	select {
	case <-ctx.Done():
		return Holder{}, ctx.Err()
	case <-time.After(signing):
	}
	holder, err := readHolder(ctx, h)
	if err == nil && holder.Service == "" {
		holder = me
	}
	return holder, err
}

// dropUnsigned takes an unsigned lock away. One who is just taking it cannot sign it
// then, and has done nothing yet.
func dropUnsigned(ctx context.Context, h remote.Host) error {
	for _, p := range []tree.Path{lockFolder, draft.Work} {
		err := h.RemoveFolder(ctx, p)
		if errors.Is(err, fs.ErrNotExist) || errors.Is(err, remote.ErrNotEmpty) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("take the lock away that was left: %w", err)
		}
	}
	return nil
}

func sign(ctx context.Context, h remote.Host, me Holder) (int64, error) {
	raw, err := json.Marshal(me)
	if err != nil {
		return 0, err
	}
	w, err := h.Create(ctx, heldBy, 0)
	if err != nil {
		return 0, err
	}
	_, err = w.Write(raw)
	if err = errors.Join(err, w.Close()); err != nil {
		return 0, err
	}
	i, err := h.Stat(ctx, heldBy)
	return i.Modified, err
}

// readHolder reads who holds the lock. A lock without a name is no error.
func readHolder(ctx context.Context, h remote.Host) (who Holder, err error) {
	f, err := h.Open(ctx, heldBy)
	if errors.Is(err, fs.ErrNotExist) {
		return who, nil // broken off between making the folder and signing it
	}
	if err != nil {
		return who, fmt.Errorf("read the host's lock: %w", err)
	}
	raw, err := io.ReadAll(io.LimitReader(f, 4096))
	if err = errors.Join(err, f.Close()); err != nil {
		return who, fmt.Errorf("read the host's lock: %w", err)
	}
	if json.Unmarshal(raw, &who) != nil {
		return Holder{}, nil
	}
	return who, nil
}

// Holds tells whether the host's lock is a service's, for one deployment: left
// where the service broke off between recording it and tidying up.
func Holds(ctx context.Context, h remote.Host, service, deployment string) (bool, error) {
	who, err := readHolder(ctx, h)
	return who.Service == service && who.Deployment == deployment && service != "", err
}

// Unlock gives the lock back. A host that has none is fine.
func Unlock(ctx context.Context, h remote.Host) error {
	for _, act := range []func() error{func() error { return h.RemoveFile(ctx, heldBy) }, func() error { return h.RemoveFolder(ctx, lockFolder) }} {
		if err := act(); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("give the host's lock back: %w", err)
		}
	}
	return nil
}

// Remains is what the work folder holds that no deployment of this service
// still needs.
type Remains struct {
	Locked  bool
	Holder  Holder
	Uploads []tree.Path // begun and never put in place
	Aside   []tree.Path // a server's own files that were set aside and not put back
	folders []tree.Path
	there   bool // the work folder is
	needed  bool // and holds something that is still needed

	seen map[tree.Path]remote.Info // all of that, and the work folder itself
}

// Empty tells whether there are folders and nothing else in them.
func (r Remains) Empty() bool {
	return r.there && !r.needed && !r.Locked && len(r.Uploads)+len(r.Aside) == 0
}

// Unsigned tells whether the lock is one that nobody has signed.
func (r Remains) Unsigned() bool { return r.Locked && r.Holder.Service == "" }

// StillUnsigned waits for as long as a service takes to sign a lock, and tells
// whether nobody has signed it by then. Whoever took it cannot sign it any more once
// it is taken away, and has done nothing yet.
func StillUnsigned(ctx context.Context, h remote.Host) (bool, error) {
	who, err := signedBy(ctx, h, Holder{})
	return who.Service == "", err
}

// FindRemains looks into the work folder. mine tells whether this service still
// needs what a deployment of that number has there.
func FindRemains(ctx context.Context, h remote.Host, mine func(number string) bool) (r Remains, err error) {
	list, err := h.List(ctx, draft.Work)
	if errors.Is(err, fs.ErrNotExist) {
		return r, nil
	}
	if err != nil {
		return r, err
	}
	r.there, r.seen = true, map[tree.Path]remote.Info{}
	if r.seen[draft.Work], err = h.Stat(ctx, draft.Work); err != nil {
		return r, err
	}
	for _, i := range list {
		at := draft.Work.Join(tree.Path(i.Name))
		switch {
		case at == lockFolder:
			r.Locked = true
			if r.Holder, err = readHolder(ctx, h); err != nil {
				return r, err
			}
		case i.Being != tree.Folder || mine(i.Name) || at == draft.Copies:
			r.needed = true
		default:
			if err := r.gather(ctx, h, at); err != nil {
				return r, err
			}
		}
	}
	return r, nil
}

// StillRemains looks into the work folder again, after as long as whoever works in it takes to go on,
// and gives of what was found before that which stands as it stood. Another service that tests the
// server, or runs something on it, has things there of which nobody can say that they were left.
func StillRemains(ctx context.Context, h remote.Host, before Remains, mine func(number string) bool) (Remains, error) {
	select {
	case <-ctx.Done():
		return Remains{}, ctx.Err()
	case <-time.After(signing):
	}
	r, err := FindRemains(ctx, h, mine)
	if err != nil {
		return r, err
	}
	moved := func(p tree.Path) bool {
		was, ok := before.seen[p]
		return !ok || was.Being != r.seen[p].Being || was.Size != r.seen[p].Size || was.Modified != r.seen[p].Modified
	}
	for p := range r.seen {
		r.needed = r.needed || moved(p)
	}
	for _, list := range []*[]tree.Path{&r.Uploads, &r.Aside, &r.folders} {
		*list = slices.DeleteFunc(*list, moved)
	}
	return r, nil
}

// gather sorts the contents of a deployment's work folder.
func (r *Remains) gather(ctx context.Context, h remote.Host, at tree.Path) error {
	_, infos, err := treeAt(ctx, h, at)
	if err != nil {
		return err
	}
	for rel, i := range infos {
		p := at.Join(rel)
		r.seen[p] = i
		switch {
		case rel == tree.Root || i.Being == tree.Folder:
			r.folders = append(r.folders, p)
		case draft.Outgoing(rel):
			r.Aside = append(r.Aside, p)
		default:
			r.Uploads = append(r.Uploads, p)
		}
	}
	slices.Sort(r.Aside)
	slices.Sort(r.Uploads)
	return nil
}

// Clear takes the lock away and what was uploaded and never put in place. A
// server's own files that were set aside stay: nobody else may have them.
func (r Remains) Clear(ctx context.Context, h remote.Host) error {
	if r.Locked {
		if err := Unlock(ctx, h); err != nil {
			return err
		}
	}
	return r.ClearUploads(ctx, h, func(tree.Path) bool { return false })
}

// ClearUploads takes away what was uploaded and never put in place, with the
// folders that are empty then, but for those that somebody still needs.
func (r Remains) ClearUploads(ctx context.Context, h remote.Host, needed func(tree.Path) bool) error {
	for _, p := range r.Uploads {
		if err := h.RemoveFile(ctx, p); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	slices.SortFunc(r.folders, func(a, b tree.Path) int { return b.Depth() - a.Depth() })
	for _, p := range append(r.folders, draft.Work) {
		if needed(p) {
			continue
		}
		err := h.RemoveFolder(ctx, p)
		if err != nil && !errors.Is(err, fs.ErrNotExist) && !errors.Is(err, remote.ErrNotEmpty) {
			return err
		}
	}
	return nil
}
