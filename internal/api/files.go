package api

import "time"

// Folder is what is directly in a folder of a server.
type Folder struct {
	Path       string      `json:"path"`
	Rows       []FolderRow `json:"rows" nullable:"false" doc:"Folders first, each by name"`
	SurveyedAt *time.Time  `json:"surveyedAt,omitempty" doc:"When the survey was made from which the marks are; absent where there was none"`
}

// FolderRow is one line of a folder.
type FolderRow struct {
	Name   string `json:"name"`
	Folder bool   `json:"folder"`
	Files  int    `json:"files,omitempty" doc:"Of a folder, recorded at whatever depth"`
	Size   int64  `json:"size"`
	File   *File  `json:"file,omitempty" doc:"As it is recorded; absent for a folder and for what nobody deployed"`
	Mark   string `json:"mark,omitempty" enum:"changed,missing,unknown" doc:"How the last survey found it; absent where as recorded"`
	Marked int    `json:"marked,omitempty" doc:"Paths below a folder that the last survey found otherwise than recorded"`
}

// FoundPath is a path that was looked for by its words.
type FoundPath struct {
	Server string `json:"server"`
	Path   string `json:"path"`
	Gone   bool   `json:"gone" doc:"It was there once, and is not any more"`
	Size   int64  `json:"size"`
}

// Compared is two contents of one path.
type Compared struct {
	Before Looked `json:"before"`
	After  Looked `json:"after"`
	Diff   string `json:"diff,omitempty" doc:"Unified, with secrets masked; absent where one of the two is no text"`
}

// Looked is a content as a person looks at it.
type Looked struct {
	State  State    `json:"state"`
	Kept   bool     `json:"kept" doc:"Its bytes can still be had"`
	Kind   string   `json:"kind,omitempty" enum:"text,picture,packed,other"`
	Text   string   `json:"text,omitempty" doc:"With secrets masked"`
	Masked int      `json:"masked,omitempty" doc:"Values that are not shown"`
	Inside []string `json:"inside,omitempty" doc:"What a packed file holds"`
	Cut    bool     `json:"cut,omitempty" doc:"It is longer than what is shown"`
}
