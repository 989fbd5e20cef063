package calls

import (
	"encoding/base64"
	"encoding/json"

	"firethorn/internal/core/problem"
)

// WriteCursor is where a page ended, as text that only ReadCursor understands.
func WriteCursor(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		return "" // cursors are plain numbers
	}
	return base64.RawURLEncoding.EncodeToString(raw)
}

// ReadCursor reads what WriteCursor wrote into v.
func ReadCursor(s string, v any) error {
	raw, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil {
		err = json.Unmarshal(raw, v)
	}
	if err != nil {
		return problem.New(problem.BadInput, "this cursor was not made here; begin again without it")
	}
	return nil
}
