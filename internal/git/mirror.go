package git

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// Limits of a repository.
const (
	MaxBundle      = 2 << 30   // bytes of one bundle
	maxHeader      = 10_000    // lines of a bundle's header
	longestHeader  = 1 << 10   // bytes of one of them
	maxObjects     = 5_000_000 // in one bundle
	longestRefusal = 80        // bytes of a line that are told
)

// Mirror is a bare repository that the service holds. It is a cache: what it is
// made from are bundles, which are kept elsewhere.
type Mirror struct{ Repo }

// OpenMirror opens the mirror in a directory, or makes it. format is sha1 or
// sha256, and needed where it is made.
func OpenMirror(ctx context.Context, dir, format string) (Mirror, error) {
	m := Mirror{Repo{dir: dir, bound: true}}
	if _, err := os.Stat(filepath.Join(dir, "HEAD")); err == nil {
		return m, nil
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return m, err
	}
	_, err := m.output(ctx, "init", "--quiet", "--bare", "--object-format="+format, ".")
	return m, err
}

// Head is what a bundle says of itself.
type Head struct {
	Tip    string   // the commit it brings
	Needs  []string // commits that must be there before
	Format string   // sha1 or sha256
}

// ErrNoBundle is a file that is no bundle, or none of one commit.
var ErrNoBundle = errors.New("this is no git bundle of one commit")

// ReadHead reads a bundle up to its pack (gitformat-bundle, versions 2 and 3).
func ReadHead(in *bufio.Reader) (Head, error) {
	h := Head{Format: "sha1"}
	first, err := headerLine(in)
	if err != nil || first != "# v2 git bundle\n" && first != "# v3 git bundle\n" {
		return h, ErrNoBundle
	}
	for range maxHeader {
		line, err := headerLine(in)
		if err != nil {
			return h, ErrNoBundle
		}
		line = strings.TrimSuffix(line, "\n")
		switch {
		case line == "":
			if h.Tip == "" {
				return h, ErrNoBundle
			}
			return h, nil
		case line == "@object-format=sha1" || line == "@object-format=sha256":
			h.Format = strings.TrimPrefix(line, "@object-format=")
		case strings.HasPrefix(line, "@"):
			return h, fmt.Errorf("%w: it asks for %s", ErrNoBundle,
				strings.ToValidUTF8(line[:min(len(line), longestRefusal)], "�"))
		case strings.HasPrefix(line, "-"):
			hash, _, _ := strings.Cut(line[1:], " ")
			if !Hash(hash) {
				return h, ErrNoBundle
			}
			h.Needs = append(h.Needs, hash)
		default:
			hash, _, _ := strings.Cut(line, " ")
			if !Hash(hash) || h.Tip != "" {
				return h, ErrNoBundle
			}
			h.Tip = hash
		}
	}
	return h, ErrNoBundle
}

// headerLine reads one line of a header with its end, which may be long in no
// real bundle.
func headerLine(in *bufio.Reader) (string, error) {
	var line []byte
	for len(line) <= longestHeader {
		part, err := in.ReadSlice('\n')
		line = append(line, part...)
		if !errors.Is(err, bufio.ErrBufferFull) {
			return string(line), err
		}
	}
	return "", ErrNoBundle
}

// countObjects looks how many objects the pack says that it has
// (gitformat-pack), before anything is made of them.
func countObjects(in *bufio.Reader) error {
	head, err := in.Peek(12)
	if err != nil || string(head[:4]) != "PACK" {
		return ErrNoBundle
	}
	if n := binary.BigEndian.Uint32(head[8:]); n > maxObjects {
		return fmt.Errorf("%w: its pack says that it has %d objects; %d are the most", ErrNoBundle, n, maxObjects)
	}
	return nil
}

// Has says whether a commit is there.
func (m Mirror) Has(ctx context.Context, commit string) bool {
	_, err := m.output(ctx, "cat-file", "-e", commit+"^{commit}")
	return Hash(commit) && err == nil
}

// MissingError is a bundle that builds on a commit that is not there.
type MissingError struct{ Commit string }

func (e *MissingError) Error() string {
	return "it builds on commit " + e.Commit + ", which is not here"
}

// Add takes a bundle in. Every object is checked, nothing that the tip descends
// from may be missing, and no tree may represent far more files than it holds;
// else nothing of it is kept: objects lie apart until all is known to be good.
func (m Mirror) Add(ctx context.Context, bundle io.Reader) (Head, error) {
	in := bufio.NewReaderSize(bundle, 64<<10)
	h, err := ReadHead(in)
	if err != nil {
		return h, err
	}
	if err := countObjects(in); err != nil {
		return h, err
	}
	for _, need := range h.Needs {
		if !m.Has(ctx, need) {
			return h, &MissingError{need}
		}
	}
	apart, err := filepath.Abs(filepath.Join(m.dir, "incoming"))
	if err == nil {
		err = errors.Join(os.RemoveAll(apart), os.MkdirAll(filepath.Join(apart, "pack"), 0o700))
	}
	if err != nil {
		return h, err
	}
	defer os.RemoveAll(apart)
	objects := filepath.Join(filepath.Dir(apart), "objects")
	r := m.Repo
	r.env = append(slices.Clone(r.env), "GIT_OBJECT_DIRECTORY="+apart, "GIT_ALTERNATE_OBJECT_DIRECTORIES="+objects)
	if err := r.stream(ctx, in, discard, "index-pack", "--stdin", "--fix-thin", "--strict",
		"--max-input-size="+strconv.Itoa(MaxBundle)); err != nil {
		return h, err
	}
	if err := r.stream(ctx, nil, discard, "rev-list", "--objects", "--quiet", h.Tip, "--not", "--all"); err != nil {
		return h, err
	}
	if err := r.weighTrees(ctx, h.Tip); err != nil {
		return h, err
	}
	if err := movePacks(filepath.Join(apart, "pack"), filepath.Join(objects, "pack")); err != nil {
		return h, err
	}
	_, err = m.output(ctx, "update-ref", "refs/firethorn/"+h.Tip, h.Tip)
	return h, err
}

// movePacks moves packs to where they are found. The index goes last: a pack
// counts from then on.
func movePacks(from, to string) error {
	if err := os.MkdirAll(to, 0o700); err != nil {
		return err
	}
	for _, kind := range []string{".pack", ".rev", ".idx"} {
		files, err := filepath.Glob(filepath.Join(from, "*"+kind))
		if err != nil {
			return err
		}
		for _, f := range files {
			if err := os.Rename(f, filepath.Join(to, filepath.Base(f))); err != nil {
				return err
			}
		}
	}
	return nil
}

// maxPacks may lie side by side before they are made one.
const maxPacks = 40

// Tidy makes later questions fast: one pack of many, and which paths each commit
// touches (gitformat-commit-graph, changed-path Bloom filters). Without it
// answers are the same, and slower.
func (m Mirror) Tidy(ctx context.Context) error {
	packs, err := filepath.Glob(filepath.Join(m.dir, "objects", "pack", "*.pack"))
	if err != nil {
		return err
	}
	if len(packs) > maxPacks {
		if _, err := m.output(ctx, "repack", "-a", "-d", "-q"); err != nil {
			return err
		}
	}
	_, err = m.output(ctx, "commit-graph", "write", "--reachable", "--changed-paths", "--split", "--no-progress")
	return err
}

func discard(r io.Reader) error {
	_, err := io.Copy(io.Discard, r)
	return err
}
