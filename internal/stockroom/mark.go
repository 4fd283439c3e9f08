package stockroom

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
)

// Mark is which database knows the stockroom, and how far that one had come. The
// database counts what it records; the stockroom remembers a count that it has
// seen. So a database that was lost, exchanged or put back from a copy is told
// from the right one.
type Mark struct {
	Database string `json:"database"`
	Counter  int64  `json:"counter"`
}

// markFile is where the mark lies in the stockroom's folder.
const markFile = "mark.json"

// StrangerError says that a database is not the one that knows the stockroom.
type StrangerError struct {
	Seen, Now  Mark
	Containers int // in the stockroom
	Known      int // to the database
}

func (e *StrangerError) Error() string {
	held := "1 container"
	if e.Containers != 1 {
		held = fmt.Sprintf("%d containers", e.Containers)
	}
	what := fmt.Sprintf("the stockroom holds %s, and the database knows ", held)
	switch {
	case e.Seen.Database != "" && e.Seen.Database == e.Now.Database:
		return what + fmt.Sprintf("%d of them: it is older than the stockroom (it has counted to %d, and the stockroom has seen %d)", e.Known, e.Now.Counter, e.Seen.Counter)
	case e.Known == 0:
		return what + "none of them: it was lost, or begun anew"
	}
	return what + fmt.Sprintf("%d of them: it is not the one that the stockroom's %s names", e.Known, markFile)
}

// Check compares a database with the stockroom. It gives a [*StrangerError] where
// the stockroom belongs to another one, or to a later state of it; known tells
// which containers the database knows.
func (r *Room) Check(now Mark, known map[string]bool) error {
	all, err := r.Containers()
	if err != nil || len(all) == 0 {
		return err
	}
	e := &StrangerError{Now: now, Containers: len(all)}
	for _, name := range all {
		if known[name] {
			e.Known++
		}
	}
	if e.Seen, err = r.Mark(); errors.Is(err, os.ErrNotExist) {
		// An earlier version of this program wrote no mark. It recorded what it
		// stored, so a database that knows nothing is not its own.
		if e.Known == 0 {
			return e
		}
		return nil
	}
	if err != nil {
		return err
	}
	if e.Seen.Database != now.Database || e.Seen.Counter > now.Counter {
		return e
	}
	return nil
}

// Mark reads the stockroom's mark; [os.ErrNotExist] where there is none.
func (r *Room) Mark() (m Mark, err error) {
	raw, err := os.ReadFile(r.path(markFile))
	if err == nil {
		err = json.Unmarshal(raw, &m)
	}
	if err != nil {
		return m, fmt.Errorf("read the stockroom's mark: %w", err)
	}
	return m, nil
}

// SetMark writes the stockroom's mark.
func (r *Room) SetMark(m Mark) error {
	raw, err := json.Marshal(m)
	if err == nil {
		err = writeSynced(r.path(markFile), append(raw, '\n'))
	}
	if err != nil {
		return fmt.Errorf("write the stockroom's mark: %w", err)
	}
	return nil
}
