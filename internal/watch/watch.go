// Package watch finds downloads in folders of a person's own computer that are whole and that
// nobody has dealt with: each once, also after a restart.
package watch

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Watcher looks into folders, not into those inside them. It is for one goroutine.
type Watcher struct {
	Folders []string // absolute
	// Takes tells by a file's name whether it may be an add-on.
	Takes func(name string) bool
	// Settle is for how long a file has to stand as it is before it is taken for whole.
	Settle time.Duration
	Now    func() time.Time
	// State is the file in which is kept what was dealt with.
	State string

	done   map[string]map[string]mark // by folder and name
	stands map[string]standing        // by path: files that may still be on their way
}

// mark is how a file stood when it was dealt with.
type mark struct {
	Size     int64 `json:"size"`
	Modified int64 `json:"modified"` // UTC nanoseconds
}

// standing is how a file stands, and since when it has been seen so.
type standing struct {
	mark
	since time.Time
}

// Packed are globs of the names of archives that staging opens.
var Packed = []string{"*.zip", "*.7z", "*.rar", "*.tar", "*.tar.gz", "*.tgz", "*.tar.xz", "*.txz", "*.tar.bz2", "*.tar.zst"}

// Named tells whether a file's name is matched by one of some globs, in any case of letters.
func Named(name string, globs []string) bool {
	return slices.ContainsFunc(globs, func(g string) bool {
		ok, err := path.Match(strings.ToLower(g), strings.ToLower(name))
		return ok && err == nil
	})
}

// unfinished are what the names of downloads end with, or have beside them under their own name,
// while they are on their way.
var unfinished = []string{".part", ".partial", ".crdownload", ".download", ".opdownload", ".tmp", ".temp", ".aria2", ".filepart", ".unconfirmed"}

// Open reads what was dealt with. In a folder that is watched for the first time that is
// everything that lies there, unless all is set; old counts it.
func (w *Watcher) Open(all bool) (old int, err error) {
	w.done, w.stands = map[string]map[string]mark{}, map[string]standing{}
	raw, err := os.ReadFile(w.State)
	if err == nil {
		err = json.Unmarshal(raw, &w.done)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return 0, fmt.Errorf("read what was dealt with (%s; remove it to begin anew): %w", w.State, err)
	}
	for _, folder := range w.Folders {
		if w.done[folder] != nil {
			continue
		}
		files, err := w.files(folder)
		if err != nil {
			return 0, err
		}
		w.done[folder] = map[string]mark{}
		if !all {
			for name, f := range files { // also what is not taken now: that may change
				if w.done[folder][name] = f.mark; w.Takes(name) {
					old++
				}
			}
		}
	}
	return old, w.save()
}

// file is a file in a folder that may be a download.
type file struct {
	mark
	onWay bool // its name, or one beside it, says that more of it comes
}

// files gives the files of a folder, by their names, without hidden ones.
func (w *Watcher) files(folder string) (map[string]file, error) {
	list, err := os.ReadDir(folder)
	if err != nil {
		return nil, err
	}
	there := map[string]bool{}
	for _, e := range list {
		there[e.Name()] = true
	}
	out := map[string]file{}
	for _, e := range list {
		name := e.Name()
		if !e.Type().IsRegular() || strings.HasPrefix(name, ".") {
			continue
		}
		info, err := e.Info()
		if errors.Is(err, fs.ErrNotExist) { // gone meanwhile
			continue
		}
		if err != nil {
			return nil, err
		}
		f := file{mark: mark{info.Size(), info.ModTime().UnixNano()}}
		for _, end := range unfinished {
			f.onWay = f.onWay || strings.HasSuffix(strings.ToLower(name), end) || there[name+end]
		}
		out[name] = f
	}
	return out, nil
}

// Look gives the paths of downloads that are whole and were not dealt with, the oldest first. A
// folder that cannot be read is told of in the error; of the others all is given.
func (w *Watcher) Look() (whole []string, err error) {
	now, still := w.Now(), map[string]standing{}
	modified := map[string]int64{}
	for _, folder := range w.Folders {
		files, bad := w.files(folder)
		if bad != nil {
			err = errors.Join(err, bad)
			continue
		}
		maps.DeleteFunc(w.done[folder], func(name string, _ mark) bool { _, there := files[name]; return !there })
		for name, f := range files {
			at := filepath.Join(folder, name)
			if f.onWay || f.Size == 0 || !w.Takes(name) || w.done[folder][name] == f.mark {
				continue
			}
			s, seen := w.stands[at]
			if !seen || s.mark != f.mark {
				s = standing{f.mark, now}
			}
			if still[at] = s; now.Sub(s.since) >= w.Settle {
				whole, modified[at] = append(whole, at), f.Modified
			}
		}
	}
	w.stands = still
	slices.SortFunc(whole, func(a, b string) int {
		return cmp.Or(cmp.Compare(modified[a], modified[b]), strings.Compare(a, b))
	})
	return whole, err
}

// Waiting tells whether files were seen that may become whole by standing still.
func (w *Watcher) Waiting() bool { return len(w.stands) > 0 }

// Did notes that a download that [Watcher.Look] gave was dealt with, as it stood then.
func (w *Watcher) Did(path string) error {
	s, ok := w.stands[path]
	if !ok {
		return nil
	}
	delete(w.stands, path)
	folder, name := filepath.Split(path)
	w.done[filepath.Clean(folder)][name] = s.mark
	return w.save()
}

// save writes what was dealt with, whole or not at all.
func (w *Watcher) save() error {
	raw, err := json.Marshal(w.done)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(w.State), 0o700); err != nil {
		return err
	}
	temp := w.State + ".new"
	if err := os.WriteFile(temp, raw, 0o600); err != nil {
		return err
	}
	return os.Rename(temp, w.State)
}
