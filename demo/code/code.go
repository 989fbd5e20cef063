// Package code makes the repository of the demo on the spot: the sources of
// quayside, gangway and bosun with the history that led to them, by the people of
// the team. Each bug that the first two are broken by came in by one commit.
package code

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// Repo is a repository that grows release by release.
type Repo struct {
	Dir  string // where it is
	demo string // where the sources are
	now  time.Time
	at   int               // the next of steps
	text map[string]string // the files as they are at that commit
}

// author is who makes commits.
type author struct{ name, email string }

var (
	maren   = author{"Maren Holt", "maren.holt@marrowsound.example"}
	oke     = author{"Oke Farrow", "oke.farrow@marrowsound.example"}
	sunniva = author{"Sunniva Bray", "sunniva.bray@marrowsound.example"}
)

// step is a commit: edits of files, or a release that is reached.
type step struct {
	by      author
	days    float64 // ago
	subject string
	body    string // {ISSUE} is filled in when it is committed
	edits   []edit
	release string // PROJECT VERSION that is built of the commit before
	bug     string // what breaks by it: words in the issue's headline
	project string
}

// edit replaces a text in a file; before "" makes the file, next takes it from
// the sources of the newer release.
type edit struct {
	path, before, after string
	next                bool
}

// Planted is a bug, the commit that brought it, by whom, and the release that was
// first built with it.
type Planted struct{ Project, Bug, Subject, Author, Release string }

// All lists the planted bugs.
func All() (list []Planted) {
	for i, s := range steps {
		if s.bug == "" {
			continue
		}
		p := Planted{Project: s.project, Bug: s.bug, Subject: s.subject, Author: s.by.name}
		for _, later := range steps[i:] {
			if version, ok := strings.CutPrefix(later.release, s.project+" "); ok {
				p.Release = version
				break
			}
		}
		list = append(list, p)
	}
	return list
}

// New makes an empty repository in a directory, from the sources that lie in
// demo. now is when the story ends.
func New(dir, demo string, now time.Time) (*Repo, error) {
	r := &Repo{Dir: dir, demo: demo, now: now, text: map[string]string{}}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	for _, app := range []string{"quayside/src", "gangway/src", "bosun"} {
		err := filepath.WalkDir(filepath.Join(demo, filepath.FromSlash(app)),
			func(path string, d os.DirEntry, err error) error {
				if err != nil || d.IsDir() {
					return err
				}
				raw, err := os.ReadFile(path)
				rel, _ := filepath.Rel(demo, path) // it lies below
				r.text[filepath.ToSlash(rel)] = string(raw)
				return err
			})
		if err != nil {
			return nil, err
		}
	}
	// What the sources were in the beginning: all edits taken back.
	for i := len(steps) - 1; i >= 0; i-- {
		for _, e := range steps[i].edits {
			if e.next || e.before == "" && e.after == "" || strings.HasPrefix(e.path, "docs/") {
				continue
			}
			if strings.Count(r.text[e.path], e.after) != 1 {
				return nil, fmt.Errorf("%s: %q stands there %d times", e.path, e.after,
					strings.Count(r.text[e.path], e.after))
			}
			r.text[e.path] = strings.Replace(r.text[e.path], e.after, e.before, 1)
		}
	}
	_, err := r.git(maren, now, "init", "--quiet", "--initial-branch=main", ".")
	return r, err
}

func (r *Repo) git(by author, at time.Time, args ...string) (string, error) {
	c := exec.Command("git", append([]string{"-C", r.Dir}, args...)...)
	stamp := at.UTC().Format(time.RFC3339)
	c.Env = append(os.Environ(), "GIT_CONFIG_GLOBAL=/dev/null", "GIT_CONFIG_NOSYSTEM=1", "GIT_AUTHOR_NAME="+by.name,
		"GIT_AUTHOR_EMAIL="+by.email, "GIT_COMMITTER_NAME="+by.name, "GIT_COMMITTER_EMAIL="+by.email,
		"GIT_AUTHOR_DATE="+stamp, "GIT_COMMITTER_DATE="+stamp)
	out, err := c.CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("git %s: %w\n%s", strings.Join(args, " "), err, out)
	}
	return strings.TrimSpace(string(out)), nil
}

// Reach commits until a release is reached, and gives its commit. issue stands
// where messages name the one that they fix.
func (r *Repo) Reach(release, issue string) (commit string, err error) {
	for ; r.at < len(steps); r.at++ {
		s := steps[r.at]
		if s.release == release {
			return r.git(maren, r.now, "rev-parse", "HEAD")
		}
		if s.release != "" {
			continue
		}
		for _, e := range s.edits {
			if err := r.apply(e); err != nil {
				return "", fmt.Errorf("%s: %w", s.subject, err)
			}
		}
		message := s.subject
		if s.body != "" {
			message += "\n\n" + strings.ReplaceAll(s.body, "{ISSUE}", issue)
		}
		at := r.now.Add(-time.Duration(s.days * float64(24*time.Hour)))
		if _, err := r.git(s.by, at, "add", "--all"); err != nil {
			return "", err
		}
		if _, err := r.git(s.by, at, "commit", "--quiet", "--allow-empty", "-m", message); err != nil {
			return "", err
		}
	}
	return "", fmt.Errorf("the story has no release %s, or is past it", release)
}

func (r *Repo) apply(e edit) error {
	switch {
	case e.next:
		app, rest, _ := strings.Cut(e.path, "/")
		raw, err := os.ReadFile(filepath.Join(r.demo, app, "next", rest))
		if err != nil {
			return err
		}
		r.text[e.path] = string(raw)
	case e.before == "" && e.after == "":
	case strings.HasPrefix(e.path, "docs/"):
		r.text[e.path] += e.after
	default:
		if strings.Count(r.text[e.path], e.before) != 1 {
			return fmt.Errorf("%s: %q stands there %d times", e.path, e.before, strings.Count(r.text[e.path], e.before))
		}
		r.text[e.path] = strings.Replace(r.text[e.path], e.before, e.after, 1)
	}
	file := filepath.Join(r.Dir, filepath.FromSlash(e.path))
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	return os.WriteFile(file, []byte(r.text[e.path]), 0o644)
}
