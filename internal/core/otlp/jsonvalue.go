package otlp

import (
	"encoding/base64"
	"strconv"

	commonpb "go.opentelemetry.io/proto/otlp/common/v1"
)

// value reads an AnyValue. Of what does not fit its type a text is made, or
// nothing.
func (r *reader) value(depth int) (out *commonpb.AnyValue, err error) {
	if depth > maxDepth {
		return nil, errTooDeep
	}
	if r.d.PeekKind() != '{' {
		return nil, r.d.SkipValue()
	}
	err = r.object(func(name string) error {
		switch name {
		case "arrayValue":
			list := &commonpb.ArrayValue{}
			out = &commonpb.AnyValue{Value: &commonpb.AnyValue_ArrayValue{ArrayValue: list}}
			return r.values(func() error {
				v, err := r.value(depth + 1)
				list.Values = append(list.Values, v)
				return err
			})
		case "kvlistValue":
			list := &commonpb.KeyValueList{}
			out = &commonpb.AnyValue{Value: &commonpb.AnyValue_KvlistValue{KvlistValue: list}}
			return r.values(func() error { return r.pair(&list.Values, depth+1) })
		case "stringValue", "boolValue", "intValue", "doubleValue", "bytesValue":
			if k := r.d.PeekKind(); k == 'n' || k == '{' || k == '[' {
				return r.d.SkipValue()
			}
			text, err := r.leaf()
			out = leafValue(name, text)
			return err
		}
		return r.d.SkipValue()
	})
	return out, err
}

// values reads the elements of {"values": [...]}.
func (r *reader) values(each func() error) error {
	if r.d.PeekKind() != '{' {
		return r.d.SkipValue()
	}
	return r.object(func(name string) error {
		if name != "values" || r.d.PeekKind() != '[' {
			return r.d.SkipValue()
		}
		return r.list(each)
	})
}

func leafValue(name, text string) *commonpb.AnyValue {
	switch name {
	case "boolValue":
		if text == "true" || text == "false" {
			return &commonpb.AnyValue{Value: &commonpb.AnyValue_BoolValue{BoolValue: text == "true"}}
		}
	case "intValue":
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			return &commonpb.AnyValue{Value: &commonpb.AnyValue_IntValue{IntValue: n}}
		}
	case "doubleValue":
		if f, err := strconv.ParseFloat(text, 64); err == nil {
			return &commonpb.AnyValue{Value: &commonpb.AnyValue_DoubleValue{DoubleValue: f}}
		}
	case "bytesValue":
		if b, err := base64.StdEncoding.DecodeString(text); err == nil {
			return &commonpb.AnyValue{Value: &commonpb.AnyValue_BytesValue{BytesValue: b}}
		}
	}
	return &commonpb.AnyValue{Value: &commonpb.AnyValue_StringValue{StringValue: text}}
}

// pair reads one attribute; an element that is no object is dropped.
func (r *reader) pair(into *[]*commonpb.KeyValue, depth int) error {
	if r.d.PeekKind() != '{' {
		return r.d.SkipValue()
	}
	kv := &commonpb.KeyValue{}
	*into = append(*into, kv)
	return r.object(func(name string) (err error) {
		switch name {
		case "key":
			return r.text(&kv.Key)
		case "value":
			kv.Value, err = r.value(depth)
			return err
		}
		return r.d.SkipValue()
	})
}
