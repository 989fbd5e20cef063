package text

import "bytes"

// shortString is how many bytes of a string are looked at one by one.
const shortString = 24

// JSONStringEnd is the index behind the JSON string whose opening quote stands at
// raw[i], for readers that walk over JSON without decoding it; the length of raw
// when it does not end. Time is linear however many escapes there are.
func JSONStringEnd(raw []byte, i int) int {
	i++
	for near := min(i+shortString, len(raw)); i < near; i++ { // most end soon: a search costs more to begin
		switch raw[i] {
		case '"':
			return i + 1
		case '\\':
			i++
		}
	}
	end := -1 // the next quote that was found
	for i < len(raw) {
		if end < i {
			n := bytes.IndexByte(raw[i:], '"')
			if n < 0 {
				return len(raw)
			}
			end = i + n
		}
		slash := bytes.IndexByte(raw[i:end], '\\')
		if slash < 0 {
			return end + 1
		}
		i += slash + 2 // what follows a backslash ends nothing
	}
	return len(raw)
}
