package intake

import (
	"errors"
	"log/slog"
	"mime"
	"net/http"
	"strconv"

	"google.golang.org/genproto/googleapis/rpc/code"
	"google.golang.org/genproto/googleapis/rpc/errdetails"
	"google.golang.org/genproto/googleapis/rpc/status"
	"google.golang.org/protobuf/encoding/protojson"
	"google.golang.org/protobuf/encoding/protowire"
	"google.golang.org/protobuf/proto"
	"google.golang.org/protobuf/types/known/anypb"

	"firethorn/internal/core/otlp"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// The media types of OTLP/HTTP. Answers carry them to the letter: some
// exporters compare the whole header.
const (
	mediaProtobuf = "application/x-protobuf"
	mediaJSON     = "application/json"
)

// encodingOf is how a request is written, and so its answer.
func encodingOf(r *http.Request) (otlp.Encoding, error) {
	media, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	switch {
	case err == nil && media == mediaProtobuf:
		return otlp.Protobuf, nil
	case err == nil && media == mediaJSON:
		return otlp.JSON, nil
	}
	return otlp.JSON, problem.New(problem.BadMediaType, "Content-Type %.100q is not read here: %s and %s are",
		r.Header.Get("Content-Type"), mediaProtobuf, mediaJSON)
}

// signal is what differs between log records and spans.
type signal struct {
	find     func(raw []byte, enc otlp.Encoding, hold func(int) error) ([]otlp.Found, error)
	rejected string // the name of its count in a partial success
}

var (
	logRecords = signal{func(raw []byte, enc otlp.Encoding, hold func(int) error) ([]otlp.Found, error) {
		req, err := otlp.DecodeLogs(raw, enc, hold)
		if err != nil {
			return nil, err
		}
		return otlp.Logs(req), nil
	}, "rejectedLogRecords"}
	spans = signal{func(raw []byte, enc otlp.Encoding, hold func(int) error) ([]otlp.Found, error) {
		req, err := otlp.DecodeTraces(raw, enc, hold)
		if err != nil {
			return nil, err
		}
		return otlp.Traces(req), nil
	}, "rejectedSpans"}
)

// otlp serves one signal of OTLP/HTTP (OTLP 1.11, "OTLP/HTTP"). What carries no
// exception is accepted and dropped.
func (in *Intake) otlp(of signal) func(http.ResponseWriter, *http.Request, *projects.KeyGrant) error {
	return func(w http.ResponseWriter, r *http.Request, g *projects.KeyGrant) error {
		enc, err := encodingOf(r)
		if err != nil {
			return err
		}
		raw, load, err := in.read(w, r)
		defer load.release()
		if err != nil {
			return err
		}
		all, err := of.find(raw, enc, load.hold)
		if errors.Is(err, errFull) {
			return in.full(err)
		}
		if err != nil {
			return problem.New(problem.BadInput, "%v", err)
		}
		list := make([]found, len(all))
		for i, f := range all {
			list[i] = found{f.Index, f.Event}
		}
		answer, err := in.acceptFound(r, load, g, list)
		if err != nil {
			return err
		}
		return writeSuccess(w, enc, of.rejected, answer)
	}
}

// metrics takes what exporters send with the other signals, and lets it go: an
// error would make them send it again.
func (in *Intake) metrics(w http.ResponseWriter, r *http.Request, _ *projects.KeyGrant) error {
	enc, err := encodingOf(r)
	if err != nil {
		return err
	}
	return writeSuccess(w, enc, "rejectedDataPoints", Answer{})
}

// writeSuccess writes an Export…ServiceResponse, whose partial success says
// what was refused and will be refused again.
func writeSuccess(w http.ResponseWriter, enc otlp.Encoding, name string, answer Answer) error {
	records := map[int]bool{}
	for _, r := range answer.Refused {
		records[r.Index] = true
	}
	rejected, why := len(records)+answer.RefusedMore, ""
	if rejected > 0 {
		why = "the first of them, " + strconv.Itoa(answer.Refused[0].Index) + " of the request: " +
			answer.Refused[0].Detail
	}
	if enc == otlp.JSON {
		body := map[string]any{}
		if rejected > 0 {
			body["partialSuccess"] = map[string]any{name: strconv.Itoa(rejected), "errorMessage": why}
		}
		return web.WriteJSON(w, http.StatusOK, body)
	}
	var body []byte
	if rejected > 0 {
		partial := protowire.AppendVarint(protowire.AppendTag(nil, 1, protowire.VarintType), uint64(rejected))
		partial = protowire.AppendString(protowire.AppendTag(partial, 2, protowire.BytesType), why)
		body = protowire.AppendBytes(protowire.AppendTag(nil, 1, protowire.BytesType), partial)
	}
	w.Header().Set("Content-Type", mediaProtobuf)
	w.WriteHeader(http.StatusOK)
	_, err := w.Write(body)
	return err
}

// rpcCodes are the codes of google.rpc by HTTP status.
var rpcCodes = map[int]code.Code{400: code.Code_INVALID_ARGUMENT, 401: code.Code_UNAUTHENTICATED,
	403: code.Code_PERMISSION_DENIED, 413: code.Code_INVALID_ARGUMENT,
	415: code.Code_INVALID_ARGUMENT, 429: code.Code_RESOURCE_EXHAUSTED, 503: code.Code_UNAVAILABLE}

// writeStatus answers with a google.rpc.Status in the request's encoding, as
// OTLP/HTTP asks for. An error of our own is 503: exporters drop what gets a
// 500, and it may go well the next time.
func writeStatus(w http.ResponseWriter, r *http.Request, log *slog.Logger, err error) {
	p, after := web.ProblemOf(err)
	if p.Status >= 500 {
		log.Error("request failed", "method", r.Method, "path", r.URL.Path, "status", p.Status, "err", err)
	}
	if p.Status == http.StatusInternalServerError {
		p.Status, after = http.StatusServiceUnavailable, 5
	}
	if after > 0 {
		w.Header().Set("Retry-After", strconv.Itoa(after))
	}
	st := &status.Status{Code: int32(rpcCodes[p.Status]), Message: p.Detail}
	if p.Status == http.StatusBadRequest {
		body := &errdetails.BadRequest_FieldViolation{Field: "body", Description: p.Detail}
		bad := &errdetails.BadRequest{FieldViolations: []*errdetails.BadRequest_FieldViolation{body}}
		if detail, err := anypb.New(bad); err == nil {
			st.Details = append(st.Details, detail)
		}
	}
	media, marshal := mediaJSON, protojson.Marshal
	if enc, err := encodingOf(r); err == nil && enc == otlp.Protobuf {
		media, marshal = mediaProtobuf, proto.Marshal
	}
	body, err := marshal(st)
	if err != nil {
		body = nil // its status says enough
	}
	w.Header().Set("Content-Type", media)
	w.WriteHeader(p.Status)
	_, _ = w.Write(body) // the client may have gone
}
