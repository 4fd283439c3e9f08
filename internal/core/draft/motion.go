package draft

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/tree"
)

// MotionKind is the smallest journalled act of a run.
type MotionKind uint8

// The kinds of motion that drafts hold today.
const (
	KeepMotion    MotionKind = iota + 1 // fetch the old bytes into the stockroom
	SendMotion                          // upload under a temporary name, and check
	EditMotion                          // read a text, change it, and write what comes of it under a temporary name
	AsideMotion                         // rename the old file, or a folder with all in it, into the work folder
	InMotion                            // rename the new file, or a new folder with all in it, to its final name, or make a folder
	DropMotion                          // remove a folder of ours that has become empty
	RestoreMotion                       // make a data folder hold what an earlier copy of it held
	RenewMotion                         // set a data folder aside for good, so that the server makes a new one
	PowerMotion                         // stop or start the server, or have it take an add-on anew
	WaitMotion                          // wait until it has stopped, is ready, or a person has done something
	TidyMotion                          // remove what was set aside, after proof
	MoveMotion                          // give a file, or a folder with all in it, another name
)

var motionKinds = [...]string{"", "keep", "send", "edit", "aside", "in", "drop", "restore", "renew", "power", "wait", "tidy", "move"}

// MotionKinds are all of them.
func MotionKinds() (out []MotionKind) {
	for i := range motionKinds[1:] {
		out = append(out, MotionKind(i+1))
	}
	return out
}

// String is the word for it, as records have it.
func (k MotionKind) String() string { return motionKinds[k] }

// MarshalText writes the word.
func (k MotionKind) MarshalText() ([]byte, error) { return []byte(motionKinds[k]), nil }

// UnmarshalText reads the word.
func (k *MotionKind) UnmarshalText(text []byte) error {
	i, err := wordIn(motionKinds[:], "motion", text)
	*k = MotionKind(i)
	return err
}

// wordIn finds a word's place among those of its sort.
func wordIn(words []string, sort string, text []byte) (int, error) {
	i := slices.Index(words, string(text))
	if i < 0 {
		return 0, fmt.Errorf("there is no %s called %q", sort, text)
	}
	return i, nil
}

// Motion is one act. Motions of one group may happen in any order and at the
// same time; groups follow one another.
type Motion struct {
	ID     int        `json:"id"`  // from 1, in journal order
	Leg    int        `json:"leg"` // from 1
	Kind   MotionKind `json:"kind"`
	Phase  Phase      `json:"phase"`
	Group  int        `json:"group"`
	Step   int        `json:"step"`
	Path   tree.Path  `json:"path"`             // the final name
	Temp   string     `json:"temp,omitempty"`   // the temporary name, below the work folder
	Before tree.State `json:"before,omitzero"`  // what stands at Path before
	After  tree.State `json:"after,omitzero"`   // what stands there after
	Proved bool       `json:"proved,omitempty"` // a send that is read back and hashed
	OnHost bool       `json:"onHost,omitempty"` // a copy of a folder that the host makes itself and keeps
	// With power and wait: what is done or waited for, and of what.
	Do      power.Act         `json:"do,omitempty"`
	Subject string            `json:"subject,omitempty"`
	With    map[string]string `json:"with,omitempty"` // with a start: variables that have other values than the server's own
	Back    string            `json:"back,omitempty"` // with a wait for a person: what takes it back
	Ran     bool              `json:"ran,omitempty"`  // with a stop: the server ran when the draft was made
	Seen    int64             `json:"seen,omitempty"` // with aside and tidy: the file's time when the draft was made; no part of the digest

	place int // of its change among the draft's, from 1; 0: it is looked for
}

// Work is the folder of ours at a server's root. No server loads from it.
const Work tree.Path = ".restless-crate"

// Copies is where a host keeps the copies of folders that it has made itself.
const Copies = Work + "/copies"

// Names gives the temporary names of one deployment; they follow from its
// number, so a later service finds what an earlier one left.
type Names struct {
	Number int
	// Beside tells that temporary files stand beside their targets: in the
	// folder that a motion's Temp begins with, where it has one.
	Beside bool
}

// Folder is the deployment's own work folder.
func (n Names) Folder() tree.Path { return Work.Join(tree.Path(strconv.Itoa(n.Number))) }

// Before is what a data folder is called that was set aside to be renewed.
func (n Names) Before(p tree.Path) tree.Path {
	return p.Dir().Join(tree.Path(fmt.Sprintf("%s.before-%d", p.Base(), n.Number)))
}

// Copy is where a host keeps the copy that a motion has made of a folder.
func (n Names) Copy(m Motion) tree.Path {
	return Copies.Join(tree.Path(fmt.Sprintf("%d-%d", n.Number, m.ID)))
}

// Temp is the full path of a motion's temporary name.
func (n Names) Temp(m Motion) tree.Path {
	if m.Temp == "" {
		return tree.Root
	}
	if n.Beside {
		folder, base := m.Path.Dir(), m.Temp
		if i := strings.LastIndexByte(m.Temp, '/'); i >= 0 {
			if folder, base = tree.Path(m.Temp[:i]), m.Temp[i+1:]; folder == "." {
				folder = tree.Root
			}
		}
		return folder.Join(tree.Path(fmt.Sprintf("%s-%d-%s", Work, n.Number, base)))
	}
	return n.Folder().Join(tree.Path(m.Temp))
}

// Verdict is what the host tells of a motion whose intent is known and whose
// result is not.
type Verdict string

// The verdicts.
const (
	NotYet   Verdict = "not yet"  // nothing has happened; it can be done
	Half     Verdict = "half"     // begun; doing it again is right
	Done     Verdict = "done"     // it has happened
	Occupied Verdict = "occupied" // somebody else put something in its way
	Lost     Verdict = "lost"     // neither name holds what one of them must
)

// Decide tells from what stands under a motion's two names what has happened.
// Every motion is decidable, and doing one that is [NotYet] or [Half] is safe.
func Decide(m Motion, temp, final tree.Being) Verdict {
	t, f := temp != tree.Absent, final != tree.Absent
	switch m.Kind {
	case SendMotion, EditMotion:
		if t {
			return Half // whether it is whole cannot be told by its name
		}
		return NotYet
	case AsideMotion:
		switch {
		case t: // whatever stands at the final name came later
			return Done
		case f:
			return NotYet
		}
		return Lost
	case InMotion:
		if m.After.Being == tree.Folder && !m.Whole() {
			switch final {
			case tree.Folder:
				return Done
			case tree.Absent:
				return NotYet
			}
			return Occupied
		}
		switch {
		case t && f:
			return Occupied
		case t:
			return NotYet
		case f:
			return Done
		}
		return Lost
	case DropMotion:
		if f {
			return NotYet
		}
		return Done
	case TidyMotion:
		if t {
			return NotYet
		}
		return Done
	}
	return NotYet // a keep can always be repeated
}

// Op is one primitive operation on the host.
type Op string

// The operations.
const (
	Fetch        Op = "fetch"
	Upload       Op = "upload"
	Compose      Op = "compose"  // read From, edit, write To
	PutBack      Op = "put back" // every file of a folder
	Rename       Op = "rename"   // never over something that exists
	MakeFolder   Op = "make folder"
	RemoveFile   Op = "remove file"
	RemoveFolder Op = "remove folder" // only if it is empty
)

// Act is an operation with its names. Mode is set for [MakeFolder] and
// [Upload] where the host keeps permission bits; Whole for a [Rename] of a
// folder with everything in it.
type Act struct {
	Op       Op
	From, To tree.Path
	Mode     uint32
	Whole    bool
}

// Forward is the act that does a motion.
func Forward(m Motion, n Names) Act {
	temp := n.Temp(m)
	switch m.Kind {
	case KeepMotion:
		return Act{Op: Fetch, From: m.Path}
	case SendMotion:
		return Act{Op: Upload, To: temp, Mode: m.After.Mode}
	case RestoreMotion:
		return Act{Op: PutBack, To: m.Path}
	case MoveMotion:
		return Act{Op: Rename, From: m.Path, To: tree.Path(m.Subject), Whole: m.Before.Being == tree.Folder}
	case RenewMotion:
		return Act{Op: Rename, From: m.Path, To: n.Before(m.Path), Whole: true}
	case EditMotion:
		return Act{Op: Compose, From: m.Path, To: temp, Mode: m.After.Mode}
	case AsideMotion:
		return Act{Op: Rename, From: m.Path, To: temp, Whole: m.Whole()}
	case InMotion:
		if m.After.Being == tree.Folder && !m.Whole() {
			return Act{Op: MakeFolder, To: m.Path, Mode: m.After.Mode}
		}
		return Act{Op: Rename, From: temp, To: m.Path, Whole: m.Whole()}
	case DropMotion:
		return Act{Op: RemoveFolder, From: m.Path}
	case TidyMotion:
		if m.Before.Being == tree.Folder {
			return Act{Op: RemoveFolder, From: temp}
		}
		return Act{Op: RemoveFile, From: temp}
	}
	panic("no such motion: " + m.Kind.String())
}

// Backward is the act that takes a motion back, given what [Decide] said of
// it. ok is false where nothing is to be done. A whole folder is taken back by
// [MoveTree] instead, since a server may have made something in it.
func Backward(m Motion, n Names, v Verdict) (act Act, ok bool) {
	temp := n.Temp(m)
	switch {
	case (m.Kind == SendMotion || m.Kind == EditMotion) && v == Half:
		return Act{Op: RemoveFile, From: temp}, true
	case v != Done:
		return Act{}, false
	case m.Kind == AsideMotion:
		return Act{Op: Rename, From: temp, To: m.Path}, true
	case m.Kind == InMotion && m.After.Being == tree.Folder:
		return Act{Op: RemoveFolder, From: m.Path}, true
	case m.Kind == InMotion:
		return Act{Op: Rename, From: m.Path, To: temp}, true
	case m.Kind == DropMotion:
		return Act{Op: MakeFolder, To: m.Path, Mode: m.Before.Mode}, true
	}
	return Act{}, false
}
