package git

import (
	"bufio"
	"context"
	"io"
	"regexp"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/core/commits"
)

// Files lists the paths of all files at a commit.
func (r Repo) Files(ctx context.Context, commit string) ([]string, error) {
	if err := needHashes(commit); err != nil {
		return nil, err
	}
	text, err := r.output(ctx, "ls-tree", "-r", "-z", "--name-only", "--full-tree", commit)
	if err != nil {
		return nil, err
	}
	return strings.FieldsFunc(text, func(c rune) bool { return c == 0 }), nil
}

// File is the text of a file at a commit.
func (r Repo) File(ctx context.Context, commit, path string) (string, error) {
	if err := needHashes(commit); err != nil {
		return "", err
	}
	return r.output(ctx, "cat-file", "blob", commit+":"+path)
}

// maxTraced is how many changes of one file are looked at.
const maxTraced = 500

// Changes lists what the commits between two did to one file, by hash, its
// moves followed. Where from is "" they are all that to descends from.
func (r Repo) Changes(ctx context.Context, from, to, path string) (map[string]commits.FileChange, error) {
	check := []string{to}
	if from != "" {
		check = append(check, from)
	}
	if err := needHashes(check...); err != nil {
		return nil, err
	}
	// Moves cost a look at every commit: only a file that came in the range is
	// looked for under another name.
	out, err := r.changes(ctx, from, to, path)
	if err != nil {
		return nil, err
	}
	for _, f := range out {
		if f.Old == "" {
			return r.changes(ctx, from, to, path, "--follow")
		}
	}
	return out, nil
}

func (r Repo) changes(ctx context.Context, from, to, path string,
	more ...string) (map[string]commits.FileChange, error) {
	args := append([]string{"log", "-p", "-U0", "--no-merges", "--no-color", "--no-ext-diff", "--no-textconv",
		"--format=%x00%H", "--max-count=" + strconv.Itoa(maxTraced)}, more...)
	args = append(args, to)
	if from != "" {
		args = append(args, "^"+from)
	}
	out := map[string]commits.FileChange{}
	err := r.stream(ctx, nil, func(text io.Reader) error { return readChanges(text, out) }, append(args, "--", path)...)
	return out, err
}

var hunkHead = regexp.MustCompile(`^@@ -(\d+)(?:,(\d+))? \+(\d+)(?:,(\d+))? @@`)

func readChanges(text io.Reader, out map[string]commits.FileChange) error {
	lines := bufio.NewReaderSize(text, 64<<10)
	hash := ""
	var f commits.FileChange
	var open *commits.Hunk // whose lines are being read
	store := func() {
		if hash != "" && f.Path != "" {
			out[hash] = f
		}
		hash, f, open = "", commits.FileChange{}, nil
	}
	head := false
	for {
		line, more, err := lines.ReadLine()
		if err == io.EOF {
			store()
			return nil
		}
		if err != nil {
			return err
		}
		s := string(line)
		for more && err == nil { // a long line: its beginning is enough
			_, more, err = lines.ReadLine()
		}
		switch {
		case strings.HasPrefix(s, "\x00"):
			store()
			hash, head = s[1:], true
		case strings.HasPrefix(s, "diff --git "):
			head = true
		case !head && open != nil && (strings.HasPrefix(s, "+") || strings.HasPrefix(s, "-")):
			open.Comment = open.Comment && comment(s[1:])
		case head && strings.HasPrefix(s, "rename from "):
			f.Old = unquote(strings.TrimPrefix(s, "rename from "))
		case head && strings.HasPrefix(s, "rename to "):
			f.Path = unquote(strings.TrimPrefix(s, "rename to "))
		case head && strings.HasPrefix(s, "--- "):
			f.Old = side(s[4:], "a/")
		case head && strings.HasPrefix(s, "+++ "):
			f.Path = side(s[4:], "b/")
			head = false
			if f.Path == "" { // it was removed
				f.Path = f.Old
			}
		default:
			if m := hunkHead.FindStringSubmatch(s); m != nil && !head {
				f.Hunks = append(f.Hunks,
					commits.Hunk{OldStart: number(m[1], 0), OldCount: number(m[2], 1), NewStart: number(m[3], 0),
						NewCount: number(m[4], 1), Comment: true})
				open = &f.Hunks[len(f.Hunks)-1]
			}
		}
	}
}

// comment says whether a line is empty, or a comment in one of the ways that
// most languages have.
func comment(line string) bool {
	line = strings.TrimSpace(line)
	for _, mark := range []string{"//", "/*", "* ", "*/", "# ", "-- ", "<!--"} {
		if strings.HasPrefix(line, mark) {
			return true
		}
	}
	return line == "" || line == "*" || line == "#"
}

func number(s string, or int) int {
	if n, err := strconv.Atoi(s); err == nil {
		return n
	}
	return or
}

func side(s, prefix string) string {
	s = strings.TrimSuffix(s, "\t") // behind names with blanks
	if s == "/dev/null" {
		return ""
	}
	return strings.TrimPrefix(unquote(s), prefix)
}

func unquote(s string) string {
	if strings.HasPrefix(s, `"`) {
		if u, err := strconv.Unquote(s); err == nil {
			return u
		}
	}
	return s
}

// Line is the commit that changed a line last.
type Line struct {
	Commit   string
	Author   string
	Email    string
	Authored time.Time
	Subject  string
	Path     string // of the file then
	Line     int    // in that file
	Text     string
}

// Blame says who changed the lines of a file last, at a commit.
func (r Repo) Blame(ctx context.Context, commit, path string, first, last int) ([]Line, error) {
	if err := needHashes(commit); err != nil {
		return nil, err
	}
	text, err := r.output(ctx, "blame", "--line-porcelain", "-L",
		strconv.Itoa(max(1, first))+","+strconv.Itoa(max(1, last)), commit, "--", path)
	if err != nil {
		return nil, err
	}
	var out []Line
	var l Line
	for row := range strings.SplitSeq(text, "\n") {
		row = strings.ToValidUTF8(row, "�")
		key, value, _ := strings.Cut(row, " ")
		switch {
		case strings.HasPrefix(row, "\t"):
			l.Text = row[1:]
			out = append(out, l)
			l = Line{}
		case Hash(key):
			l.Commit = key
			n, _, _ := strings.Cut(value, " ")
			l.Line = number(n, 0)
		case key == "author":
			l.Author = value
		case key == "author-mail":
			l.Email = strings.Trim(value, "<>")
		case key == "author-time":
			l.Authored = time.Unix(int64(number(value, 0)), 0).UTC()
		case key == "summary":
			l.Subject = value
		case key == "filename":
			l.Path = unquote(value)
		}
	}
	return out, nil
}
