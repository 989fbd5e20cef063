package intake

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"mime"
	"net/http"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/logtext"
	"firethorn/internal/core/otlp"
	"firethorn/internal/mariadb"
	"firethorn/internal/web"
)

// longestLine is how much of one line of a log is read.
const longestLine = 1 << 20

// logLines takes lines of a log: stack traces in them become events, and
// errors without one where the project wants that. Query parameters are
// resource attributes; with an Idempotency-Key a repeat counts once.
func (in *Intake) logLines(w http.ResponseWriter, r *http.Request, g *mariadb.KeyGrant) error {
	switch media, _, err := mime.ParseMediaType(r.Header.Get("Content-Type")); {
	case r.Header.Get("Content-Type") == "":
	case err != nil || media != "text/plain" && media != "application/x-ndjson" && media != "application/jsonl" && media != "application/json":
		return fault.New(fault.BadMediaType, "Content-Type %.100q is not read here: text/plain and application/x-ndjson are", r.Header.Get("Content-Type"))
	}
	raw, load, err := in.read(w, r)
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
	found := readLog(raw)
	got, err := in.pieces(load, len(found), func(i int) (int, *event.Event) {
		e := found[i].Event
		e.Resource = resource
		if key := r.Header.Get("Idempotency-Key"); key != "" {
			h := sha256.New()
			h.Write([]byte("log-lines\x00" + key))
			h.Write(binary.AppendUvarint(nil, uint64(i)))
			e.ID = otlp.NameUUID([32]byte(h.Sum(nil))).String()
		}
		return i, e
	})
	if err != nil {
		return err
	}
	answer, err := in.accept(r.Context(), g, got)
	if err != nil {
		return err
	}
	return web.WriteJSON(w, http.StatusAccepted, answer)
}

// readLog finds what a whole log tells.
func readLog(raw []byte) (found []logtext.Found) {
	p := logtext.New()
	var offset int64
	for line := range bytes.Lines(raw) {
		text := bytes.ToValidUTF8(bytes.TrimRight(line[:min(len(line), longestLine)], "\n"), []byte("\uFFFD"))
		found = append(found, p.Line(string(text), offset)...)
		offset += int64(len(line))
	}
	return append(found, p.Flush()...)
}
