package logtext

import "firethorn/internal/core/stacktrace"

// line is one line of a lane, without what says whose it is.
type line struct {
	text   string
	offset int64
	spent  *int // the parser's

	// What expressions report the text, found out at most once: a line may be
	// asked about again by every frame that follows it.
	looked   bool
	language stacktrace.Language
	role     stacktrace.Role
	begins   *beginning
}

// beginning is what a line that waits may begin.
type beginning struct {
	text      string // from where a trace would begin
	head      bool   // it is a head by all that stacktrace knows
	languages []stacktrace.Language
}

// roleOf says what the line is in a trace, and the trace's language.
func (x *line) roleOf() (stacktrace.Language, stacktrace.Role) {
	if !x.looked {
		*x.spent += len(x.text)
		x.language, x.role = stacktrace.RoleOf(x.text)
		x.looked = true
	}
	return x.language, x.role
}

// beginning finds out what the line may begin.
func (x *line) beginning() *beginning {
	if x.begins == nil {
		_, role := x.roleOf()
		*x.spent += 3 * len(x.text)
		b := &beginning{text: x.text}
		if role == stacktrace.NoRole {
			if b.text = headText(x.text); b.text != x.text {
				_, role = stacktrace.RoleOf(b.text)
			}
		}
		b.head, b.languages = role == stacktrace.Head, stacktrace.BeginsIn(b.text)
		x.begins = b
	}
	return x.begins
}
