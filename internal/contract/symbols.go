package contract

import "time"

// Hashes is a list of SHA-256 in hexadecimal.
type Hashes struct {
	Hashes []string `json:"hashes" nullable:"false" maxItems:"10000"`
}

// MissingSymbols are the contents that a project does not hold yet.
type MissingSymbols struct {
	Hashes    []string         `json:"hashes" nullable:"false"`
	Parts     map[string][]int `json:"parts" doc:"the parts present of incomplete files; an interrupted push continues after them"`
	PartBytes int64            `json:"part_bytes" doc:"how large a part is; contents up to that size are sent whole"`
}

// SymbolFile ties a generated file of a release to the contents pushed for it.
type SymbolFile struct {
	Address string `json:"address" maxLength:"1000" doc:"the URL it is served from, or its path; * in host or directories matches any characters"`
	Bundle  string `json:"bundle,omitempty" doc:"SHA-256 of the generated file"`
	Map     string `json:"map" doc:"SHA-256 of its source map"`
	DebugID string `json:"debug_id,omitempty"`
}

// PushSymbols announces the files of a release.
type PushSymbols struct {
	Release string       `json:"release" minLength:"1" maxLength:"250"`
	Files   []SymbolFile `json:"files" nullable:"false" maxItems:"10000"`
}

// Pushed says what a push did.
type Pushed struct {
	Added   int      `json:"added"`
	Already int      `json:"already"`
	Builds  []string `json:"builds" nullable:"false" doc:"addresses with several builds in this release that nothing distinguishes: their frames stay unreadable"`
	Waiting int      `json:"waiting" doc:"files that are prepared in the background"`
	Broken  []string `json:"broken" nullable:"false" doc:"files that cannot be used, each with the reason"`
}

// SymbolListing is a pushed file.
type SymbolListing struct {
	Release     string    `json:"release"`
	Address     string    `json:"address"`
	DebugID     string    `json:"debug_id,omitempty"`
	BundleBytes int64     `json:"bundle_bytes"`
	MapBytes    int64     `json:"map_bytes"`
	Map         string    `json:"map"`
	State       string    `json:"state" doc:"waiting, ready or broken"`
	Note        string    `json:"note,omitempty" doc:"why it is broken"`
	Created     time.Time `json:"created"`
}

// SymbolRelease is what the symbols of a release take.
type SymbolRelease struct {
	Release string    `json:"release"`
	Files   int64     `json:"files"`
	Bytes   int64     `json:"bytes" doc:"stored, compressed, with what they compile to"`
	Alone   int64     `json:"alone" doc:"of these, what no other release has"`
	Waiting int64     `json:"waiting" doc:"files that are being prepared"`
	Broken  int64     `json:"broken"`
	Pushed  time.Time `json:"pushed"`
	Used    time.Time `json:"used" doc:"when a frame was last read with them"`
	Until   time.Time `json:"until" doc:"when they are dropped, if they are not used before"`
}

// Symbols is a list of pushed files, and what they take by release.
type Symbols struct {
	Releases []SymbolRelease `json:"releases" nullable:"false" doc:"pushed last first"`
	Symbols  []SymbolListing `json:"symbols" nullable:"false"`
}

// FoundSymbols is the pushed file that is meant by a generated file.
type FoundSymbols struct {
	Address string `json:"address"`
	DebugID string `json:"debug_id,omitempty"`
	By      string `json:"by" enum:"debug id,address" doc:"how it was found"`
	State   string `json:"state" doc:"waiting, ready or broken"`
}

// CheckedFile is a generated file that traces name, and whether it can be read.
type CheckedFile struct {
	File      string        `json:"file" doc:"as the traces name it"`
	DebugID   string        `json:"debug_id,omitempty" doc:"as the events give it"`
	Readable  bool          `json:"readable"`
	LookedFor []string      `json:"looked_for" nullable:"false" doc:"what was searched, in order"`
	Found     *FoundSymbols `json:"found,omitempty"`
	Reason    string        `json:"reason,omitempty" doc:"no release, no symbols, not this file, two builds, another build, shared id, waiting, broken"`
	Why       string        `json:"why,omitempty" doc:"why it cannot be read"`
	Note      string        `json:"note,omitempty" doc:"warnings: sources that are unreadable or of another build"`
	Nearest   string        `json:"nearest,omitempty" doc:"the most similar pushed file"`
	Run       string        `json:"run,omitempty" doc:"what to do about it"`
	Events    int64         `json:"events" doc:"whose traces name it"`
	Unread    int64         `json:"unread" doc:"events with frames in it that could not be read"`
	Issues    int64         `json:"issues" doc:"issues these are in"`
}

// SymbolCheck says whether the traces of a release, or of one event, can be read.
type SymbolCheck struct {
	Project string        `json:"project"`
	Release string        `json:"release"`
	Event   string        `json:"event,omitempty"`
	Text    string        `json:"words" doc:"the answer in a sentence"`
	Pushed  int           `json:"pushed" doc:"files pushed for the release, at least"`
	Again   int64         `json:"again" doc:"kinds of trace that are being read again, for symbols came"`
	Files   []CheckedFile `json:"files" nullable:"false" doc:"most expensive first"`
}

// UnreadRelease is a release whose traces cannot be read because symbols are missing.
type UnreadRelease struct {
	Release  string    `json:"release"`
	Events   int64     `json:"events" doc:"that cannot be read"`
	Of       int64     `json:"of" doc:"events of the release whose traces name generated files, at least"`
	Issues   int64     `json:"issues"`
	LastSeen time.Time `json:"last_seen"`
	Again    int64     `json:"again" doc:"kinds of trace that are being read again"`
}

// UnreadReleases are the releases of a project whose traces cannot be read.
type UnreadReleases struct {
	Releases []UnreadRelease `json:"releases" nullable:"false" doc:"seen last first"`
}
