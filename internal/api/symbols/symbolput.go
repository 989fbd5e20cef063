package symbols

import (
	"archive/tar"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// symbolLimits bound one request that brings contents.
var symbolLimits = web.Limits{Wire: 64 << 20, Plain: 256 << 20}

// putSymbol stores contents. The body is one file itself, or a tar archive
// (application/x-tar, POSIX.1-2001) of contents and parts, each named by its
// hash in hexadecimal, a part by HASH/NUMBER/BYTES of the whole. What was read
// to its end is kept, also when the rest is cut off.
func (a *handlers) putSymbol(w http.ResponseWriter, r *http.Request) error {
	name := chi.URLParam(r, "project")
	p, err := a.Store.Projects.Project(r.Context(), name)
	if err != nil {
		return err
	}
	lim, held := symbolLimits, int64(0)
	lim.Count = func(bytes int) error {
		if !a.Memory.TryAcquire(int64(bytes)) {
			return calls.ErrBodiesFull
		}
		held += int64(bytes)
		return nil
	}
	defer func() { a.Memory.Release(held) }()
	raw, err := web.ReadBody(w, r, lim)
	if err != nil {
		return err
	}
	put := &putting{a: a, r: r, p: p}
	if strings.HasPrefix(r.Header.Get("Content-Type"), "application/x-tar") {
		err = put.archive(raw)
	} else {
		err = put.content("", raw)
	}
	if err = errors.Join(put.flush(), err); err != nil {
		return err
	}
	return web.WriteJSON(w, http.StatusCreated, contract.Hashes{Hashes: append([]string{}, put.done...)})
}

// putting is the work on one request.
type putting struct {
	a     *handlers
	r     *http.Request
	p     *projects.Project
	whole [][]byte // contents to be stored together
	bytes int
	done  []string
}

const putTogether = 8 << 20

func (x *putting) archive(raw []byte) error {
	for t := tar.NewReader(bytes.NewReader(raw)); ; {
		head, err := t.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return problem.Wrap("api.putSymbol", problem.BadInput, err,
				"the archive is cut off or no tar archive: %v; what came before is kept", err)
		}
		content, err := io.ReadAll(t)
		if err != nil {
			return problem.Wrap("api.putSymbol", problem.BadInput, err,
				"the archive is cut off in %.80q: %v; what came before is kept", head.Name, err)
		}
		if err := x.content(head.Name, content); err != nil {
			return err
		}
	}
}

// content takes one content, or a part, under the name it was sent by.
func (x *putting) content(name string, raw []byte) error {
	parts := strings.Split(name, "/")
	want, err := hash(parts[0])
	if err != nil {
		return err
	}
	switch {
	case len(parts) == 3:
		number, err1 := strconv.Atoi(parts[1])
		total, err2 := strconv.ParseInt(parts[2], 10, 64)
		if err1 != nil || err2 != nil || total > maxSymbol {
			return problem.New(problem.BadInput, "%.120q is no part: write HASH/NUMBER/BYTES, of up to %d bytes", name,
				int64(maxSymbol))
		}
		complete, err := x.a.Store.Symbols.PutSymbolPart(x.r.Context(), x.p.ID, want, total, number, raw)
		if complete && err == nil {
			x.done = append(x.done, parts[0])
		}
		return err
	case name != "" && len(parts) > 1:
		return problem.New(problem.BadInput, "%.120q is no content: write its hash, or HASH/NUMBER/BYTES", name)
	}
	if name != "" {
		if got := sha256.Sum256(raw); got != want {
			return problem.New(problem.BadInput, "what was sent as %x has the SHA-256 %x: it was changed while it was sent; send it again", want[:6], got[:6])
		}
	}
	x.whole = append(x.whole, raw)
	if x.bytes += len(raw); x.bytes > putTogether {
		return x.flush()
	}
	return nil
}

// maxSymbol is how large one content may be.
const maxSymbol = 1 << 30

func (x *putting) flush() error {
	if len(x.whole) == 0 {
		return nil
	}
	hashes, err := x.a.Store.Symbols.PutSymbols(x.r.Context(), x.p.ID, x.whole)
	if err != nil {
		return fmt.Errorf("contents: %w", err)
	}
	for _, h := range hashes {
		x.done = append(x.done, hex.EncodeToString(h[:]))
	}
	x.whole, x.bytes = nil, 0
	return nil
}
