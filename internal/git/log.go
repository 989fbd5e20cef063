package git

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/core/commits"
)

// Commit is a commit with the files it touches.
type Commit struct {
	commits.Commit
	Body  string // its whole message
	Paths []string
}

// maxPaths are kept of a commit: what touches more is no likely cause of anything.
const maxPaths = 1000

// logFormat is what is asked of each commit, its fields apart by NUL, which no
// name and no message can hold.
const logFormat = "--format=%H%x00%P%x00%an%x00%ae%x00%at%x00%ct%x00%B%x00"

const logFields = 7

// Log reads the commits that tip descends from and none of without does, and
// hands each on, children before parents.
func (r Repo) Log(ctx context.Context, tip string, without []string, fn func(Commit) error) error {
	in, err := revisions(tip, without)
	if err != nil {
		return err
	}
	return r.stream(ctx, in, func(out io.Reader) error {
		return readLog(&bounded{out, maxOutput}, fn)
	}, "log", "-z", "--topo-order", "--no-renames", "--no-color", "--no-ext-diff", "--no-textconv", logFormat,
		"--numstat", "--stdin")
}

// maxOutput is how much is read of what one command prints, in bytes.
const maxOutput = 4 << 30

// errOutput says that git printed more than is read.
var errOutput = errors.New("the history is larger than is read at once; send it in parts, oldest first")

// bounded reads up to so many bytes, and then fails.
type bounded struct {
	from io.Reader
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, errOutput
	}
	n, err := b.from.Read(p[:min(int64(len(p)), b.left)])
	b.left -= int64(n)
	return n, err
}

// revisions are what git reads behind --stdin: a commit with all that it descends
// from, save what some others do.
func revisions(tip string, without []string) (io.Reader, error) {
	if err := needHashes(append([]string{tip}, without...)...); err != nil {
		return nil, err
	}
	var b bytes.Buffer
	fmt.Fprintln(&b, tip)
	for _, h := range without {
		fmt.Fprintln(&b, "^"+h)
	}
	return &b, nil
}

func readLog(out io.Reader, fn func(Commit) error) error {
	s := bufio.NewScanner(out)
	s.Buffer(nil, 16<<20)
	s.Split(splitNUL)
	var c Commit
	var fields []string
	reading := false
	done := func() error {
		if !reading {
			return nil
		}
		reading = false
		return fn(c)
	}
	for s.Scan() {
		token := s.Text()
		if len(fields) == 0 {
			text := strings.TrimPrefix(token, "\n")
			if text == "" {
				continue
			}
			if added, rest, ok := strings.Cut(text, "\t"); ok { // of the commit before
				removed, path, _ := strings.Cut(rest, "\t")
				c.touches(added, removed, path)
				continue
			}
			if err := done(); err != nil {
				return err
			}
			if !Hash(text) {
				return fmt.Errorf("git log: expected a commit, not %q", text)
			}
			token = text
		}
		if fields = append(fields, token); len(fields) == logFields {
			c, reading = commitOf(fields), true
			fields = nil
		}
	}
	if err := s.Err(); err != nil {
		return err
	}
	return done()
}

func commitOf(f []string) Commit {
	clean := func(s string) string { return strings.ToValidUTF8(s, "�") }
	at := func(s string) time.Time {
		n, _ := strconv.ParseInt(s, 10, 64) // git wrote it; what does not fit is 1970
		return time.Unix(max(0, min(n, 1<<33)), 0).UTC()
	}
	body := clean(f[6])
	subject, _, _ := strings.Cut(strings.TrimSpace(body), "\n")
	return Commit{Body: body, Commit: commits.Commit{
		Hash: f[0], Parents: strings.Fields(f[1]), Author: clean(f[2]), Email: clean(f[3]), Authored: at(f[4]),
		Committed: at(f[5]), Subject: subject,
	}}
}

func (c *Commit) touches(added, removed, path string) {
	a, _ := strconv.Atoi(added) // "-" of a binary file is 0
	b, _ := strconv.Atoi(removed)
	c.Files++
	c.Added, c.Removed = c.Added+a, c.Removed+b
	if len(c.Paths) < maxPaths {
		c.Paths = append(c.Paths, path)
	}
}

func splitNUL(data []byte, atEOF bool) (int, []byte, error) {
	if i := bytes.IndexByte(data, 0); i >= 0 {
		return i + 1, data[:i], nil
	}
	if atEOF && len(data) > 0 {
		return len(data), data, nil
	}
	return 0, nil, nil
}

// Patches gives what each of the commits that tip descends from and none of
// without does changes, as `git patch-id --stable` names it: a cherry-pick has
// the patch of its original. Merges and commits that change nothing have none.
func (r Repo) Patches(ctx context.Context, tip string, without []string) (map[string]string, error) {
	in, err := revisions(tip, without)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	err = r.stream(ctx, in, func(diffs io.Reader) error {
		return r.stream(ctx, &bounded{diffs, maxOutput}, func(ids io.Reader) error {
			s := bufio.NewScanner(ids)
			for s.Scan() {
				if patch, commit, ok := strings.Cut(s.Text(), " "); ok {
					out[commit] = patch
				}
			}
			return s.Err()
		}, "patch-id", "--stable")
	}, "log", "-p", "--no-merges", "--no-color", "--no-ext-diff", "--no-textconv", "--full-index", "--stdin")
	return out, err
}
