package intake

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"mime"
	"net/http"

	"firethorn/internal/core/event"
	"firethorn/internal/core/logtext"
	"firethorn/internal/core/otlp"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// longestLine is how much of one line of a log is read.
const longestLine = 1 << 20

// logLines takes lines of a log: stack traces in them become events, and
// errors without one where the project wants that. Query parameters are
// resource attributes; with an Idempotency-Key a repeat counts once.
func (in *Intake) logLines(w http.ResponseWriter, r *http.Request, g *projects.KeyGrant) error {
	switch media, _, err := mime.ParseMediaType(r.Header.Get("Content-Type")); {
	case r.Header.Get("Content-Type") == "":
	case err != nil || media != "text/plain" && media != "application/x-ndjson" && media != "application/jsonl" &&
		media != "application/json":
		return problem.New(problem.BadMediaType, "Content-Type %.100q is not read here: text/plain and application/x-ndjson are", r.Header.Get("Content-Type"))
	}
	raw, load, err := in.readTwice(w, r)
	defer load.release()
	if err != nil {
		return err
	}
	resource := event.Attributes{}
	for name, values := range r.URL.Query() {
		if name != "key" && len(values) > 0 {
			resource[name] = values[0]
		}
	}
	list, err := in.readLog(r.Context(), load, raw)
	if err != nil {
		return err
	}
	for i, f := range list {
		f.event.Resource = resource
		if key := r.Header.Get("Idempotency-Key"); key != "" {
			h := sha256.New()
			h.Write([]byte("log-lines\x00" + key))
			h.Write(binary.AppendUvarint(nil, uint64(i)))
			f.event.ID = otlp.NameUUID([32]byte(h.Sum(nil))).String()
		}
	}
	answer, err := in.acceptFound(r, load, g, list)
	if err != nil {
		return err
	}
	return web.WriteJSON(w, http.StatusAccepted, answer)
}

// foundBytes is about what a found event takes beside its texts.
const foundBytes = 2 << 10

// errManyFound says that a log reports too many errors at once. It is refused
// whole, because lines without ids cannot be sent again in part.
var errManyFound = problem.New(problem.TooLarge, "the lines contain more than %d errors; nothing was stored, send fewer lines at a time", maxElements)

// readLog finds the events of a whole log. Few logs are read at the same time, and
// none that nobody waits for.
func (in *Intake) readLog(ctx context.Context, l *load, raw []byte) (list []found, err error) {
	wait, cancel := context.WithTimeout(ctx, in.patience)
	defer cancel()
	if in.logs.Acquire(wait, 1) != nil {
		in.watch.Rejected("logs_busy")
		return nil, errFull
	}
	defer in.logs.Release(1)
	p := logtext.New()
	take := func(more []logtext.Found) error {
		for _, f := range more {
			if len(list) == maxElements {
				return errManyFound
			}
			if err := in.full(l.hold(foundBytes)); err != nil {
				return err
			}
			list = append(list, found{len(list), f.Event})
		}
		return ctx.Err()
	}
	var offset int64
	for line := range bytes.Lines(raw) {
		text := bytes.ToValidUTF8(bytes.TrimRight(line[:min(len(line), longestLine)], "\n"), []byte("\uFFFD"))
		if err := take(p.Line(string(text), offset)); err != nil {
			return nil, err
		}
		offset += int64(len(line))
	}
	return list, take(p.Flush())
}
