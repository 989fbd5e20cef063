package git

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
)

// ErrShallow is a repository whose history is cut off.
var ErrShallow = errors.New("the clone is shallow: its history is cut off")

// Working is the repository that a directory belongs to, or ok is false.
func Working(ctx context.Context, dir string) (_ Repo, ok bool) {
	r := Repo{dir: dir}
	_, err := r.output(ctx, "rev-parse", "--git-dir")
	return r, err == nil
}

// Commit resolves a revision ("HEAD", a hash, a tag) to a commit's hash.
func (r Repo) Commit(ctx context.Context, revision string) (string, error) {
	if strings.HasPrefix(revision, "-") {
		return "", fmt.Errorf("%q is no revision", revision)
	}
	text, err := r.output(ctx, "rev-parse", "--verify", "--quiet", "--end-of-options", revision+"^{commit}")
	if err != nil {
		return "", fmt.Errorf("the repository has no commit %s", revision)
	}
	return strings.TrimSpace(lastLine(text)), nil
}

func lastLine(s string) string {
	s = strings.TrimSpace(s)
	return s[strings.LastIndexByte(s, '\n')+1:]
}

// Bundle writes what a commit descends from, and those that are known already
// do not, as a git bundle (gitformat-bundle, version 2). Known commits that the
// repository does not have are passed over: a force-push may have removed
// them. It says whether there was anything to send. A shallow clone gives
// ErrShallow, unless the missing part is known already.
func (r Repo) Bundle(ctx context.Context, commit string, known []string, w io.Writer) (any bool, err error) {
	objects, err := r.output(ctx, "rev-parse", "--path-format=absolute", "--git-path", "objects")
	if err != nil {
		return false, err
	}
	var without []string
	for _, h := range known {
		if !Hash(h) {
			continue
		}
		if _, err := r.output(ctx, "cat-file", "-e", h+"^{commit}"); err == nil {
			without = append(without, "^"+h)
		}
	}
	// A bundle needs a ref, and the repository of a build is not ours to write
	// to: a bare one beside it borrows its objects.
	dir, err := os.MkdirTemp("", "firethorn-bundle-")
	if err != nil {
		return false, err
	}
	defer os.RemoveAll(dir)
	tmp := Repo{dir: dir}
	format, err := r.output(ctx, "rev-parse", "--show-object-format")
	if err != nil {
		return false, err
	}
	if _, err := tmp.output(ctx, "init", "--quiet", "--bare", "--object-format="+strings.TrimSpace(format),
		"."); err != nil {
		return false, err
	}
	if err := os.WriteFile(filepath.Join(dir, "objects", "info", "alternates"), []byte(strings.TrimSpace(objects)+"\n"),
		0o600); err != nil {
		return false, err
	}
	if shallow, err := r.output(ctx, "rev-parse", "--path-format=absolute", "--git-path", "shallow"); err == nil {
		if cut, err := os.ReadFile(strings.TrimSpace(shallow)); err == nil {
			if err := os.WriteFile(filepath.Join(dir, "shallow"), cut, 0o600); err != nil {
				return false, err
			}
			if err := tmp.cutOff(ctx, commit, without, string(cut)); err != nil {
				return false, err
			}
		}
	}
	if _, err := tmp.output(ctx, "update-ref", bundleRef, commit); err != nil {
		return false, err
	}
	left, err := tmp.output(ctx, append([]string{"rev-list", "--max-count=1", commit}, without...)...)
	if err != nil || strings.TrimSpace(left) == "" {
		return false, err
	}
	err = tmp.stream(ctx, nil, func(out io.Reader) error {
		_, err := io.Copy(w, out)
		return err
	}, append([]string{"bundle", "create", "--quiet", "-", bundleRef}, without...)...)
	return err == nil, err
}

// bundleRef is the name that the announced commit has in a bundle.
const bundleRef = "refs/heads/announced"

// cutOff gives ErrShallow where the history to be sent reaches a commit whose
// parents are not there.
func (r Repo) cutOff(ctx context.Context, commit string, without []string, cut string) error {
	list, err := r.output(ctx, append([]string{"rev-list", commit}, without...)...)
	if err != nil {
		return err
	}
	ends := map[string]bool{}
	for _, h := range strings.Fields(cut) {
		ends[h] = true
	}
	for _, h := range strings.Fields(list) {
		if ends[h] {
			return ErrShallow
		}
	}
	return nil
}
