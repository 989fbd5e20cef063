package commits

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"
)

// Hunk is a changed place of a file, as `git diff -U0` prints it: lines counted
// from 1; Count 0 is a place between lines, behind Start.
type Hunk struct {
	OldStart, OldCount int
	NewStart, NewCount int
	Comment            bool // all its lines are comments or empty
}

// FileChange is what a commit did to a file. Path is the file's afterwards, Old
// before; they differ where it was moved. Hunks are in order.
type FileChange struct {
	Path, Old string
	Hunks     []Hunk
}

// Change is a commit with what it did to the files that are asked about.
type Change struct {
	Commit
	Changes []FileChange
}

// Place is a line of the application's own code that a trace goes through.
type Place struct {
	Path string // in the repository
	Line int    // from 1; 0: not known
}

// Likely is a commit that may have brought an issue.
type Likely struct {
	Commit
	Score   float64 // 0 to 100
	Reasons []string
}

// The parts of a commit's score. The origin's own line counts most; a frame
// further out counts less the further it is.
const (
	pointsLine   = 60.0 // touches the origin's line or one beside it
	pointsNear   = 40.0 // within nearLines of it
	pointsMade   = 34.0 // made the origin's file
	pointsFile   = 22.0 // the origin's file
	shareComment = 0.3  // of the points of a file, where nothing but comments changed
	pointsCaller = 14.0 // the line of the next own frame, half of it for each further one
	shareFile    = 0.4  // of a caller's points, for its file alone
	pointsRecent = 10.0 // the youngest of the range
	pointsSmall  = 6.0  // touches little beside it: a sweeping change touches everything
	pointsBig    = 4.0  // many lines in the files of the trace
	olderShare   = 0.5  // of a place's points, for each younger commit that changed its line
	besideLines  = 2
	nearLines    = 12
	maxOwnFrames = 6
)

// Rank orders changes, given children before parents, by how likely each has
// brought what happened at places: the origin first, then the own frames around
// it, innermost first. Lines are those of the newest commit; each older one is
// compared with where the line stood then. Changes without any reason but their
// age are left out; most bounds how many come back.
func Rank(changes []Change, places []Place, most int) []Likely {
	places = places[:min(len(places), maxOwnFrames)]
	at := slices.Clone(places) // where each stood in the commit that is looked at
	gone := make([]bool, len(places))
	weight := make([]float64, len(places)) // less where a younger commit changed the line already
	for i := range weight {
		weight[i] = 1
	}
	var newest, oldest time.Time
	for _, c := range changes {
		if newest.IsZero() || c.Committed.After(newest) {
			newest = c.Committed
		}
		if oldest.IsZero() || c.Committed.Before(oldest) {
			oldest = c.Committed
		}
	}
	var out []Likely
	for _, c := range changes {
		l := Likely{Commit: c.Commit}
		lines, touched := 0, false
		for i := range at {
			f := fileOf(c.Changes, at[i].Path)
			if f == nil || gone[i] {
				continue
			}
			points, beside, words := touch(f, at[i], i)
			l.Score += points * weight[i]
			if beside {
				weight[i] *= olderShare
			}
			l.Reasons = append(l.Reasons, words)
			touched = true
			if i == 0 || at[i].Path != at[0].Path {
				for _, h := range f.Hunks {
					lines += h.NewCount + h.OldCount
				}
			}
			at[i], gone[i] = before(f, at[i])
		}
		if !touched {
			continue
		}
		l.Reasons = slices.Compact(l.Reasons)
		if span := newest.Sub(oldest); span > 0 {
			share := 1 - float64(newest.Sub(c.Committed))/float64(span)
			l.Score += pointsRecent * share
			if share > 0.8 && len(changes) > 2 {
				l.Reasons = append(l.Reasons, "among the youngest of the range")
			}
		} else {
			l.Score += pointsRecent
		}
		l.Score += pointsSmall / (1 + math.Log2(float64(max(1, c.Files))))
		switch {
		case c.Files == 1:
			l.Reasons = append(l.Reasons, "touches nothing else")
		case c.Files > 30:
			l.Reasons = append(l.Reasons, fmt.Sprintf("but touches %d files", c.Files))
		}
		l.Score += pointsBig * min(1, math.Log2(1+float64(lines))/8)
		if lines >= 60 {
			l.Reasons = append(l.Reasons, fmt.Sprintf("changes %d lines of the files of the trace", lines))
		}
		l.Score = math.Round(10*min(100, l.Score)) / 10
		out = append(out, l)
	}
	slices.SortStableFunc(out, func(a, b Likely) int { // younger first where they are even
		return cmp.Or(cmp.Compare(b.Score, a.Score), b.Committed.Compare(a.Committed))
	})
	return out[:min(most, len(out))]
}

func fileOf(list []FileChange, path string) *FileChange {
	for i := range list {
		if list[i].Path == path {
			return &list[i]
		}
	}
	return nil
}

// touch says how close a change comes to a place, which is the i-th of the
// trace; beside is true when it changed its line, or one beside it.
func touch(f *FileChange, p Place, i int) (points float64, beside bool, words string) {
	who := "the origin's"
	full, near, file := pointsLine, pointsNear, pointsFile
	if i > 0 {
		who = "a caller's"
		full = pointsCaller / math.Pow(2, float64(i-1))
		near, file = full*(1+shareFile)/2, full*shareFile
	}
	base := p.Path[strings.LastIndexByte(p.Path, '/')+1:]
	if p.Line == 0 || len(f.Hunks) == 0 {
		return file, false, fmt.Sprintf("touches %s file, %s", who, base)
	}
	closest, comments := math.MaxInt, true
	for _, h := range f.Hunks {
		if !h.Comment {
			closest, comments = min(closest, distance(h, p.Line)), false
		}
	}
	switch {
	case comments:
		return file * shareComment, false, fmt.Sprintf("touches comments of %s file, %s", who, base)
	case f.Old == "":
		return full * pointsMade / pointsLine, false, fmt.Sprintf("made %s file, %s", who, base)
	case closest == 0:
		return full, true, fmt.Sprintf("changed %s line, %s:%d", who, base, p.Line)
	case closest <= besideLines:
		return full * 0.9, true, fmt.Sprintf("changed the lines next to %s line, %s:%d", who, base, p.Line)
	case closest <= nearLines:
		return near, false, fmt.Sprintf("changed %d lines from %s line, %s:%d", closest, who, base, p.Line)
	}
	return file, false, fmt.Sprintf("touches %s file, %s", who, base)
}

// distance is how many lines lie between a hunk and a line of the new file; 0
// when it holds the line.
func distance(h Hunk, line int) int {
	first, last := h.NewStart, h.NewStart+h.NewCount-1
	if h.NewCount == 0 { // something went between two lines
		first, last = h.NewStart+1, h.NewStart
	}
	switch {
	case line >= first && line <= last:
		return 0
	case line < first:
		return first - line
	}
	return line - last
}

// before is where a place stood before a change. gone: the change made its file.
func before(f *FileChange, p Place) (_ Place, gone bool) {
	if f.Old == "" {
		return p, true
	}
	shift := 0
	for _, h := range f.Hunks {
		end := h.NewStart + max(0, h.NewCount-1)
		switch {
		case end < p.Line || h.NewCount == 0 && h.NewStart < p.Line:
			shift += h.OldCount - h.NewCount
		case h.NewStart <= p.Line && h.NewCount > 0: // inside: the same share of what stood there
			inside := p.Line - h.NewStart
			return Place{f.Old, max(1, h.OldStart+min(inside, max(0, h.OldCount-1)))}, false
		}
	}
	return Place{f.Old, max(1, p.Line+shift)}, false
}
