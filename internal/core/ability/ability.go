// Package ability is what a server's host can do, as a test of it finds out. The engine,
// drafts and records all speak of it in these words.
package ability

// Set is what one host can do. Times are milliseconds.
type Set struct {
	Modes          bool  `json:"modes"`            // it keeps permission bits
	CaseBlind      bool  `json:"caseBlind"`        // two spellings that differ in case are one file
	RenameFromWork bool  `json:"renameFromWork"`   // renaming from the work folder into the tree works
	RenameOver     bool  `json:"renameOver"`       // renaming onto a file replaces it
	NoWork         bool  `json:"noWork,omitempty"` // nothing of ours can be made at the root, no lock either
	RenameFolders  bool  `json:"renameFolders"`    // out of the work folder, with everything in them
	Copies         bool  `json:"copies,omitempty"` // it copies folders itself, so that their bytes need not cross the line
	Clean          bool  `json:"clean,omitempty"`  // bytes come back as they were sent, whichever they are
	Ahead          bool  `json:"ahead,omitempty"`  // it takes commands that are sent ahead of their answers
	Resolution     int64 `json:"resolution"`       // of file times, as coarse as it may be
	Skew           int64 `json:"skew"`             // the host's clock minus ours, at least
	RenameMS       int64 `json:"renameMs"`         // what one rename takes
	Free           int64 `json:"free"`             // bytes; -1 where it does not tell
}

// Agrees tells whether two tests found the same abilities; times and figures count for
// nothing.
func (s Set) Agrees(o Set) bool {
	s.Resolution, s.Skew, s.RenameMS, s.Free = o.Resolution, o.Skew, o.RenameMS, o.Free
	return s == o
}
