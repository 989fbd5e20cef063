package symbols

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/urfave/cli/v3"
	"github.com/vbauerster/mpb/v8"
	"github.com/vbauerster/mpb/v8/decor"
	"golang.org/x/sync/errgroup"

	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

// sender sends contents that a project does not hold, in archives of small ones
// and parts of large ones, several at once.
type sender struct {
	c        *client.Client
	base     string
	parallel int

	mu       sync.Mutex
	sent     map[string]bool
	contents int
	bytes    int64 // over the wire
}

// piece is one entry of an archive: a content, or a part of it.
type piece struct {
	of       *source
	name     string
	from, to int64
}

// source is where a content can be read again.
type source struct {
	hash  string
	bytes int64
	open  func() ([]byte, error)

	mu   sync.Mutex
	raw  []byte // while parts of it are being sent
	left int    // pieces that are still to be sent
}

// read gives the content; of one that is sent in parts it is kept for the next.
func (x *source) read() ([]byte, error) {
	x.mu.Lock()
	defer x.mu.Unlock()
	raw := x.raw
	if raw == nil {
		var err error
		if raw, err = x.open(); err != nil {
			return nil, err
		}
		if h := sha256.Sum256(raw); hex.EncodeToString(h[:]) != x.hash {
			return nil, errChanged
		}
	}
	x.left--
	x.raw = nil
	if x.left > 0 {
		x.raw = raw
	}
	return raw, nil
}

var errChanged = problem.New(problem.AnswerIsNo, "a file was changed while it was pushed; push when the build is done")

const (
	askAtOnce  = 5000
	archiveMax = 4 << 20 // bytes of contents in one request
	tries      = 4
)

func (s *sender) send(ctx context.Context, c *cli.Command, list []found) error {
	s.sent = map[string]bool{}
	sources := map[string]*source{}
	var order []string
	for i := range list {
		for _, x := range list[i].sources() {
			if sources[x.hash] == nil {
				sources[x.hash] = x
				order = append(order, x.hash)
			}
		}
	}
	var pieces []piece
	total := int64(0)
	for chunk := range slices.Chunk(order, askAtOnce) {
		var missing contract.MissingSymbols
		if _, err := s.c.Call(ctx, http.MethodPost, s.base+"/missing", contract.Hashes{Hashes: chunk},
			&missing); err != nil {
			return err
		}
		for _, h := range missing.Hashes {
			x := sources[h]
			s.sent[h] = true
			s.contents++
			for _, p := range piecesOf(x, missing.PartBytes, missing.Parts[h]) {
				pieces = append(pieces, p)
				x.left++
				total += p.to - p.from
			}
		}
	}
	if len(pieces) == 0 {
		return nil
	}
	progress := mpb.NewWithContext(ctx, mpb.WithOutput(c.Root().ErrWriter), mpb.WithAutoRefresh())
	if !show.IsTerminal(c.Root().ErrWriter) {
		progress = mpb.NewWithContext(ctx, mpb.WithOutput(nil))
	}
	bar := progress.AddBar(total,
		mpb.PrependDecorators(decor.Name("pushing "), decor.CountersKibiByte("% .1f / % .1f")),
		mpb.AppendDecorators(decor.Percentage()))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(s.parallel)
	for _, archive := range together(pieces) {
		g.Go(func() error {
			n, err := s.archive(ctx, archive)
			bar.IncrInt64(n)
			return err
		})
	}
	err := g.Wait()
	if err != nil {
		bar.Abort(true)
	}
	progress.Wait()
	if f, ok := errors.AsType[*problem.Error](err); ok {
		return problem.Wrap("symbols", f.Code, err,
			"%s; what was sent is kept: the same command goes on where this one was", f.Pub)
	}
	return err
}

// piecesOf makes pieces of a content: those parts that are not there yet.
func piecesOf(x *source, part int64, have []int) (out []piece) {
	if x.bytes <= part || part <= 0 {
		return []piece{{of: x, name: x.hash, to: x.bytes}}
	}
	for i := 0; int64(i)*part < x.bytes; i++ {
		if !slices.Contains(have, i) {
			out = append(out, piece{of: x, name: fmt.Sprintf("%s/%d/%d", x.hash, i, x.bytes), from: int64(i) * part,
				to: min(int64(i+1)*part, x.bytes)})
		}
	}
	return out
}

// together fills archives with pieces, in their order.
func together(pieces []piece) (out [][]piece) {
	size := int64(0)
	for _, p := range pieces {
		n := p.to - p.from
		if len(out) == 0 || size+n > archiveMax || len(out[len(out)-1]) >= 500 {
			out, size = append(out, nil), 0
		}
		out[len(out)-1] = append(out[len(out)-1], p)
		size += n
	}
	return out
}

// archive sends some pieces, again when the service was away.
func (s *sender) archive(ctx context.Context, list []piece) (plain int64, err error) {
	var packed bytes.Buffer
	z, err := zstd.NewWriter(&packed, zstd.WithEncoderConcurrency(1))
	if err != nil {
		return 0, err
	}
	t := tar.NewWriter(z)
	for _, p := range list {
		raw, err := p.of.read()
		if err != nil {
			return 0, err
		}
		raw = raw[p.from:p.to]
		plain += int64(len(raw))
		if err = t.WriteHeader(&tar.Header{Name: p.name, Mode: 0o644, Size: int64(len(raw)),
			Format: tar.FormatPAX}); err == nil {
			_, err = t.Write(raw)
		}
		if err != nil {
			return 0, err
		}
	}
	if err := errors.Join(t.Close(), z.Close()); err != nil {
		return 0, err
	}
	for try := 1; ; try++ {
		err := upload(ctx, s.c, s.base+"/content", packed.Bytes())
		if err == nil {
			s.mu.Lock()
			s.bytes += int64(packed.Len())
			s.mu.Unlock()
			return plain, nil
		}
		f, ok := errors.AsType[*problem.Error](err)
		again := ok && slices.Contains(
			[]problem.Code{problem.NoServer, problem.Unavailable, problem.TooMany, problem.Internal},
			f.Code)
		if !again || try == tries || ctx.Err() != nil {
			return 0, err
		}
		select {
		case <-ctx.Done():
			return 0, ctx.Err()
		case <-time.After(time.Duration(try*try) * 300 * time.Millisecond):
		}
	}
}

// upload posts a packed archive.
func upload(ctx context.Context, c *client.Client, path string, packed []byte) error {
	req, err := c.Request(ctx, http.MethodPost, path, bytes.NewReader(packed))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Encoding", "zstd")
	req.Header.Set("Content-Type", "application/x-tar")
	_, err = c.Do(req)
	return err
}
