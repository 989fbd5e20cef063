package event

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// Attributes are named values, named as OpenTelemetry names them. Values are
// string, bool, json.Number or a slice of one of these; what else is sent is
// made fit by UnmarshalJSON and never refused.
type Attributes map[string]any

// maxFlatten is how deep nested objects are flattened into dotted names.
const maxFlatten = 5

// UnmarshalJSON reads an object of attributes: null is left out, objects are
// flattened with dots, integers over 2^53 become text, mixed arrays become
// arrays of text. raw is valid JSON, as encoding/json promises; plain values,
// which most are, are taken from it without another decoder.
func (a *Attributes) UnmarshalJSON(raw []byte) error {
	raw = bytes.TrimSpace(raw)
	out := Attributes{}
	*a = out
	if string(raw) == "null" {
		return nil
	}
	if len(raw) == 0 || raw[0] != '{' {
		return fmt.Errorf("attributes must be an object of names and values, not %s", short(raw))
	}
	for f, ok := nextField(raw, 0); ok; f, ok = nextField(raw, f.end) {
		name, err := plainText(f.name)
		if err != nil {
			return err
		}
		if err := out.set(name, f.value); err != nil {
			return err
		}
	}
	return nil
}

// set takes one value, which is valid JSON.
func (a Attributes) set(name string, value []byte) error {
	switch value[0] {
	case '"':
		text, err := plainText(value[1 : len(value)-1])
		a[name] = text
		return err
	case 't', 'f':
		a[name] = value[0] == 't'
	case 'n':
	case '{', '[':
		d := json.NewDecoder(bytes.NewReader(value))
		d.UseNumber()
		var in any
		if err := d.Decode(&in); err != nil {
			return err
		}
		flatten(a, "", map[string]any{name: in}, 0)
	default:
		a[name] = fit(json.Number(value))
	}
	return nil
}

// plainText undoes a JSON string without its quotes.
func plainText(quoted []byte) (string, error) {
	if bytes.IndexByte(quoted, '\\') < 0 {
		return string(quoted), nil
	}
	var s string
	err := json.Unmarshal(append(append([]byte{'"'}, quoted...), '"'), &s)
	return s, err
}

func flatten(out Attributes, prefix string, in map[string]any, depth int) {
	for k, v := range in {
		name := prefix + k
		if m, ok := v.(map[string]any); ok {
			if depth < maxFlatten {
				flatten(out, name+".", m, depth+1)
				continue
			}
			raw, _ := json.Marshal(m) // a value that was decoded encodes again
			out[name] = string(raw)
			continue
		}
		if f := fit(v); f != nil {
			out[name] = f
		}
	}
}

func fit(v any) any {
	switch v := v.(type) {
	case json.Number:
		if n, err := strconv.ParseInt(v.String(), 10, 64); err == nil && (n > 1<<53 || n < -(1<<53)) {
			return v.String()
		} else if err != nil && !strings.ContainsAny(v.String(), ".eE") {
			return v.String()
		}
		return v
	case []any:
		return fitArray(v)
	default:
		return v // string, bool or nil
	}
}

func fitArray(in []any) any {
	out := make([]any, 0, len(in))
	kinds := map[string]bool{}
	for _, v := range in {
		switch v := v.(type) {
		case nil:
		case map[string]any, []any:
			raw, _ := json.Marshal(v) // a value that was decoded encodes again
			out = append(out, string(raw))
			kinds["string"] = true
		default:
			f := fit(v)
			out = append(out, f)
			kinds[fmt.Sprintf("%T", f)] = true
		}
	}
	if len(kinds) > 1 {
		for i, v := range out {
			out[i] = fmt.Sprint(v)
		}
	}
	return out
}

// Text is the value under name as text, "" when it is absent.
func (a Attributes) Text(name string) string {
	switch v := a[name].(type) {
	case nil:
		return ""
	case string:
		return v
	default:
		return fmt.Sprint(v)
	}
}

// Names are the attribute names in order.
func (a Attributes) Names() []string { return slices.Sorted(maps.Keys(a)) }

func short(raw []byte) string {
	s := string(bytes.TrimSpace(raw))
	if len(s) > 40 {
		s = s[:40] + "…"
	}
	return s
}
