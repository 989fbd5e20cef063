package git

import (
	"bufio"
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// Limits of what a commit's tree may represent.
const (
	maxFiles    = 2_000_000 // below one commit
	maxNested   = 256       // directories within each other
	maxTreeLen  = 32 << 20  // bytes of one directory's object
	freeFiles   = 50_000    // below which no tree is suspicious
	filesByRead = 20        // files that a tree may represent, for each entry that was read to know it
)

// TreeError is a commit whose tree counts for more than it holds: directories
// that hold the same directory again and again.
type TreeError struct{ Why string }

func (e *TreeError) Error() string { return "the files of a commit cannot be true: " + e.Why }

// weight is how much a directory counts for.
type weight struct {
	files  int64
	nested int
}

// weighTrees reads every directory that new commits hold, each once, and refuses
// commits whose directories multiply: what follows walks over all files of a
// commit, and would not end.
func (r Repo) weighTrees(ctx context.Context, tip string) error {
	return r.stream(ctx, nil, func(roots io.Reader) error {
		in, asks := io.Pipe()
		defer asks.Close()
		return r.stream(ctx, in, func(answers io.Reader) error {
			w := &weigher{known: map[string]weight{}, asks: asks, answers: bufio.NewReaderSize(answers, 64<<10)}
			err := w.all(roots)
			return errors.Join(err, asks.Close())
		}, "cat-file", "--batch")
	}, "rev-list", "--no-commit-header", "--format=%T", tip, "--not", "--all")
}

// weigher weighs directories with one git process that it asks for them.
type weigher struct {
	known   map[string]weight
	read    int64 // entries of directories so far
	asks    io.Writer
	answers *bufio.Reader
}

func (w *weigher) all(roots io.Reader) error {
	lines := bufio.NewScanner(roots)
	for lines.Scan() {
		got, err := w.weigh(lines.Text(), 0)
		if err != nil {
			return err
		}
		if got.files > maxFiles || got.files > freeFiles && got.files > filesByRead*w.read {
			return &TreeError{
				fmt.Sprintf("its tree %.12s has at least %d files and %d entries", lines.Text(), got.files, w.read),
			}
		}
	}
	return lines.Err()
}

// weigh gives the weight of a directory that lies depth directories deep.
func (w *weigher) weigh(tree string, depth int) (weight, error) {
	if got, ok := w.known[tree]; ok {
		return got, w.checkDepth(depth + got.nested)
	}
	if err := w.checkDepth(depth); err != nil {
		return weight{}, err
	}
	content, err := w.object(tree)
	if err != nil {
		return weight{}, err
	}
	var total weight
	for len(content) > 0 {
		head := bytes.IndexByte(content, 0)
		size := len(tree) / 2
		if head < 0 || len(content) < head+1+size {
			return weight{}, fmt.Errorf("the tree %.12s is cut off", tree)
		}
		mode, child := content[:head], content[head+1:head+1+size]
		content = content[head+1+size:]
		w.read++
		if !bytes.HasPrefix(mode, []byte("40000 ")) {
			total.files++
			continue
		}
		below, err := w.weigh(hex.EncodeToString(child), depth+1)
		if err != nil {
			return weight{}, err
		}
		total.files = min(total.files+below.files, 1<<60)
		total.nested = max(total.nested, below.nested+1)
	}
	w.known[tree] = total
	return total, nil
}

func (w *weigher) checkDepth(n int) error {
	if n > maxNested {
		return &TreeError{fmt.Sprintf("its directories lie more than %d deep", maxNested)}
	}
	return nil
}

// object asks for the content of a tree.
func (w *weigher) object(tree string) ([]byte, error) {
	if _, err := io.WriteString(w.asks, tree+"\n"); err != nil {
		return nil, err
	}
	head, err := w.answers.ReadString('\n')
	if err != nil {
		return nil, err
	}
	f := strings.Fields(head)
	if len(f) != 3 || f[1] != "tree" {
		return nil, fmt.Errorf("the tree %.12s is not there", tree)
	}
	size, err := strconv.Atoi(f[2])
	if err != nil || size > maxTreeLen {
		return nil, &TreeError{fmt.Sprintf("the directory %.12s has %.20s bytes", tree, f[2])}
	}
	content := make([]byte, size+1) // with the line end behind it
	if _, err := io.ReadFull(w.answers, content); err != nil {
		return nil, err
	}
	return content[:size], nil
}
