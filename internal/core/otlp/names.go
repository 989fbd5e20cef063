package otlp

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	commonpb "go.opentelemetry.io/proto/otlp/common/v1"

	"firethorn/internal/core/event"
)

// renamed are the names that attributes had before, with those the semantic
// conventions have now. The order counts where several became one: the first
// that is there is taken, so that a record always gives the same event.
var renamed = [][2]string{
	{"code.filepath", "code.file.path"}, {"code.lineno", "code.line.number"}, {"code.column", "code.column.number"},
	{"deployment.environment", "deployment.environment.name"}, {"vcs.repository.ref.revision", "vcs.ref.head.revision"},
	{"telemetry.auto.version", "telemetry.distro.version"},
	{"http.user_agent", "user_agent.original"}, {"http.url", "url.full"}, {"http.client_ip", "client.address"},
	{"http.method", "http.request.method"},
	{"http.status_code", "http.response.status_code"}, {"http.scheme", "url.scheme"},
	{"http.host", "server.address"}, {"net.host.name", "server.address"}, {"net.peer.name", "server.address"},
	{"net.sock.peer.addr", "network.peer.address"}, {"net.peer.ip", "network.peer.address"},
	{"feature_flag.variant", "feature_flag.result.variant"}, {"enduser.role", "user.roles"},
}

// longestText bounds one text of an attribute, in bytes: an event keeps less.
const longestText = 64 << 10

// attributes makes an event's attributes of OpenTelemetry's, under their
// current names; where both are there the current one counts.
func attributes(list []*commonpb.KeyValue) event.Attributes {
	out := event.Attributes{}
	for _, kv := range list {
		if v := plain(kv.GetValue(), 0); v != nil && kv.GetKey() != "" {
			out[kv.GetKey()] = v
		}
	}
	for _, r := range renamed {
		if v, ok := out[r[0]]; ok {
			addTo(out, r[1], v)
			delete(out, r[0])
		}
	}
	if target, ok := out["http.target"].(string); ok {
		path, query, has := strings.Cut(target, "?")
		addTo(out, "url.path", path)
		if has {
			addTo(out, "url.query", query)
		}
		delete(out, "http.target")
	}
	if function, ok := out["code.function"].(string); ok {
		if space, ok := out["code.namespace"].(string); ok {
			function = space + "." + function
		}
		addTo(out, "code.function.name", function)
		delete(out, "code.function")
		delete(out, "code.namespace")
	}
	return out
}

// addTo gives a name a value unless it has one.
func addTo(a event.Attributes, name string, v any) {
	if _, has := a[name]; !has {
		a[name] = v
	}
}

// addAll gives all names that have none the values of others.
func addAll(a, more event.Attributes) {
	for name, v := range more {
		addTo(a, name, v)
	}
}

// plain makes a value of an AnyValue that JSON can say; nil for an empty one.
func plain(v *commonpb.AnyValue, depth int) any {
	if depth > maxDepth {
		return nil
	}
	switch v := v.GetValue().(type) {
	case *commonpb.AnyValue_StringValue:
		return cut(v.StringValue, longestText)
	case *commonpb.AnyValue_BoolValue:
		return v.BoolValue
	case *commonpb.AnyValue_IntValue:
		return v.IntValue
	case *commonpb.AnyValue_DoubleValue:
		if math.IsNaN(v.DoubleValue) || math.IsInf(v.DoubleValue, 0) {
			return strconv.FormatFloat(v.DoubleValue, 'g', -1, 64)
		}
		return v.DoubleValue
	case *commonpb.AnyValue_BytesValue:
		return cut(base64.StdEncoding.EncodeToString(v.BytesValue), longestText)
	case *commonpb.AnyValue_ArrayValue:
		out := make([]any, 0, len(v.ArrayValue.GetValues()))
		for _, x := range v.ArrayValue.GetValues() {
			out = append(out, plain(x, depth+1))
		}
		return out
	case *commonpb.AnyValue_KvlistValue:
		out := map[string]any{}
		for _, kv := range v.KvlistValue.GetValues() {
			out[kv.GetKey()] = plain(kv.GetValue(), depth+1)
		}
		return out
	}
	return nil
}

// cut bounds a text and says so in it.
func cut(s string, limit int) string {
	if len(s) <= limit {
		return s
	}
	return fmt.Sprintf("%s… [cut: %d bytes]", event.TrimText(s, limit), len(s))
}

// take removes a text from attributes and gives it.
func take(a event.Attributes, name string) string {
	v, ok := a[name]
	if !ok {
		return ""
	}
	delete(a, name)
	if s, ok := v.(string); ok {
		return s
	}
	raw, err := json.Marshal(v)
	if err != nil {
		return ""
	}
	return string(raw)
}

// takeText removes the first text under a name from a list of attributes as
// it was sent, uncut: stacks may be long.
func takeText(list []*commonpb.KeyValue, name string) string {
	for _, kv := range list {
		if kv.GetKey() == name {
			return kv.GetValue().GetStringValue()
		}
	}
	return ""
}
