package ticket

import (
	"cmp"
	"regexp"
	"strings"

	"github.com/google/uuid"
)

// A comment that Firethorn writes ends with a link that names the message which wrote it. So
// it is known again when the comments of a ticket are read, whatever was noted of it.
const mark = "#written-by-"

var marked = regexp.MustCompile(`#written-by-[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}\b`)

// CommentText makes the text of a comment about an issue; id is that of the message.
func CommentText(text, link string, id uuid.UUID) string {
	return text + "\n\n" + link + mark + id.String()
}

// OurOwn says whether Firethorn wrote a comment.
func OurOwn(comment string) bool { return marked.MatchString(comment) }

// WrittenBy says whether a message wrote a comment.
func WrittenBy(comment string, id uuid.UUID) bool { return strings.Contains(comment, mark+id.String()) }

// maxQuoted is how much of a comment there is shown here, in bytes.
const maxQuoted = 8000

// Quoted makes the text of a comment here of one there.
func Quoted(author, text, key string) string {
	if len(text) > maxQuoted {
		text = strings.ToValidUTF8(text[:maxQuoted], "") + " …"
	}
	return cmp.Or(author, "Somebody") + " wrote in ticket " + key + ":\n\n" + text
}
