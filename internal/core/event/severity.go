package event

import (
	"encoding/json"
	"strconv"
	"strings"
)

// Severity is one of OpenTelemetry's short names: trace, debug, info, warn,
// error, fatal.
type Severity string

// severityNames are the short names, six ranges of four numbers each
// (https://opentelemetry.io/docs/specs/otel/logs/data-model/#field-severitynumber).
var severityNames = []Severity{"trace", "debug", "info", "warn", "error", "fatal"}

// UnmarshalJSON takes a short name in any case or a number from 1 to 24;
// anything else is read as absent, so that an odd level refuses no event.
func (s *Severity) UnmarshalJSON(raw []byte) error {
	*s = SeverityOf(strings.Trim(string(raw), `"`))
	return nil
}

// SeverityOf reads a short name in any case or a number from 1 to 24; "" for
// anything else.
func SeverityOf(text string) Severity {
	text = strings.ToLower(text)
	if n, err := strconv.Atoi(text); err == nil {
		if n >= 1 && n <= 24 {
			return severityNames[(n-1)/4]
		}
		return ""
	}
	if text == "warning" {
		text = "warn"
	}
	for _, name := range severityNames {
		if string(name) == text {
			return name
		}
	}
	return ""
}

// Number is the first number of the severity's range, 0 when it is unknown.
func (s Severity) Number() int {
	for i, name := range severityNames {
		if s == name {
			return i*4 + 1
		}
	}
	return 0
}

var _ json.Unmarshaler = (*Severity)(nil)
