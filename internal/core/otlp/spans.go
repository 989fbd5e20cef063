package otlp

import (
	"strings"

	commonpb "go.opentelemetry.io/proto/otlp/common/v1"
	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"

	"firethorn/internal/core/event"
)

// maxAbove is how many spans above one are looked at.
const maxAbove = 32

// Traces finds the events in spans: the exceptions that were recorded on them.
// What the spans above in the same request say of the request and the user is
// joined to them.
func Traces(req *tracepb.TracesData) []Found {
	var out []Found
	ids := ids{}
	var tree map[string]*tracepb.Span // made when it is needed
	index := -1
	for _, of := range req.GetResourceSpans() {
		var shared *resource
		for _, s := range of.GetScopeSpans() {
			for _, span := range s.GetSpans() {
				index++
				for _, ev := range span.GetEvents() {
					if !carries(ev.GetAttributes()) {
						continue
					}
					if tree == nil {
						tree = spanTree(req)
					}
					if shared == nil {
						r := newResource(of.GetResource())
						shared = &r
					}
					e := fromSpan(span, ev, s.GetScope())
					e.Resource = shared.attributes
					ids.give(e, *shared, "span")
					around(e, span, tree)
					out = append(out, Found{index, e})
				}
			}
		}
	}
	return out
}

func spanTree(req *tracepb.TracesData) map[string]*tracepb.Span {
	tree := map[string]*tracepb.Span{}
	for _, of := range req.GetResourceSpans() {
		for _, s := range of.GetScopeSpans() {
			for _, span := range s.GetSpans() {
				tree[string(span.GetTraceId())+string(span.GetSpanId())] = span
			}
		}
	}
	return tree
}

var spanKinds = map[tracepb.Span_SpanKind]string{tracepb.Span_SPAN_KIND_INTERNAL: "internal",
	tracepb.Span_SPAN_KIND_SERVER: "server",
	tracepb.Span_SPAN_KIND_CLIENT: "client", tracepb.Span_SPAN_KIND_PRODUCER: "producer",
	tracepb.Span_SPAN_KIND_CONSUMER: "consumer"}

func fromSpan(span *tracepb.Span, ev *tracepb.Span_Event, scope *commonpb.InstrumentationScope) *event.Event {
	e := &event.Event{Time: timeText(ev.GetTimeUnixNano()), Severity: "error", TraceID: idText(span.GetTraceId()),
		SpanID: idText(span.GetSpanId()), Attributes: attributes(ev.GetAttributes())}
	e.Span = &event.Span{Name: cut(span.GetName(), 1<<10), Kind: spanKinds[span.GetKind()],
		ParentID: idText(span.GetParentSpanId())}
	describe(e, ev.GetAttributes())
	if n := ev.GetDroppedAttributesCount(); n > 0 {
		e.Attributes["otel.dropped_attributes_count"] = n
	}
	inScope(e, scope)
	return e
}

// ofRequest begin the names of attributes that describe a request as a whole,
// ofPerson those that say who made it.
var (
	ofRequest = []string{"http.", "url.", "server.", "network.", "rpc.", "messaging.", "faas.", "graphql."}
	ofPerson  = []string{"user.", "enduser.", "session.", "client.", "user_agent.", "browser."}
)

// around joins what the event's span and those above it say. The request is
// the nearest one of them, whole: parts of two are not mixed.
func around(e *event.Event, span *tracepb.Span, tree map[string]*tracepb.Span) {
	own := attributes(span.GetAttributes())
	addAll(e.Attributes, own)
	requested := describesRequest(own)
	for n := 0; n < maxAbove && len(span.GetParentSpanId()) > 0; n++ {
		above := tree[string(span.GetTraceId())+string(span.GetParentSpanId())]
		if above == nil || above == span {
			return
		}
		span = above
		a := attributes(span.GetAttributes())
		joinsRequest := !requested && describesRequest(a)
		for name, v := range a {
			if begins(name, ofPerson) || joinsRequest && begins(name, ofRequest) {
				addTo(e.Attributes, name, v)
			}
		}
		requested = requested || joinsRequest
	}
}

func describesRequest(a event.Attributes) bool {
	for name := range a {
		if name == "http.request.method" || name == "rpc.method" || strings.HasPrefix(name, "messaging.") ||
			name == "url.full" || name == "url.path" {
			return true
		}
	}
	return false
}

func begins(name string, with []string) bool {
	for _, w := range with {
		if strings.HasPrefix(name, w) {
			return true
		}
	}
	return false
}
