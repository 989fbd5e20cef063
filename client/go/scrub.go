package firethorn

import (
	"bytes"
	"regexp"
)

const mark = "[scrubbed]"

// What a secret looks like. Each pattern is tried at a few places alone, which
// a plain search finds: a pattern that goes over a whole event of a megabyte
// takes a second.
var (
	secretName = regexp.MustCompile(
		`(?i)passw|passphrase|secret|token|cookie|authorization|credential|api.?key|private.?key|card.?n|iban`,
	)
	secretWord  = regexp.MustCompile(`(?i)(?:password|passwd|secret|token|api.?key)$`)
	secretValue = regexp.MustCompile(`^[^\s"&\\]+`)
	webToken    = regexp.MustCompile(`^eyJ[\w-]+\.[\w-]+\.[\w-]*`)
	password    = regexp.MustCompile(`^(://[^/\s"@:]+:)[^/\s"@]+@`)
)

const (
	maxName = 200 // bytes of a name that means a secret
	maxWord = 10  // of a word before "="
)

// scrub removes from an event (JSON) what is almost certainly secret: values
// under names that mean secrets, web tokens, passwords in addresses. The
// service does the whole of it, by the project's rules, before it writes
// anything.
func scrub(raw []byte) []byte {
	raw = replaceAt(raw, `":"`, namedValue)
	raw = replaceAt(raw, "=", wordValue)
	raw = replaceAt(raw, "eyJ", func(raw []byte, at int) (int, int) {
		if at > 0 && wordByte(raw[at-1]) {
			return 0, 0
		}
		return at, at + len(webToken.Find(raw[at:]))
	})
	return replaceAt(raw, "://", func(raw []byte, at int) (int, int) {
		m := password.FindSubmatchIndex(raw[at:])
		if m == nil {
			return 0, 0
		}
		return at + m[3], at + m[1] - 1
	})
}

// replaceAt puts the mark in the place of what secret finds (from, to) at the
// places of a text; to <= from: nothing.
func replaceAt(raw []byte, text string, secret func(raw []byte, at int) (from, to int)) []byte {
	var out []byte
	done := 0
	for at := 0; ; {
		i := bytes.Index(raw[at:], []byte(text))
		if i < 0 {
			break
		}
		at += i
		from, to := secret(raw, at)
		at += len(text)
		if to > from && from >= done {
			out = append(append(out, raw[done:from]...), mark...)
			done, at = to, max(at, to)
		}
	}
	if out == nil {
		return raw
	}
	return append(out, raw[done:]...)
}

// namedValue is the text under a JSON name that means a secret.
func namedValue(raw []byte, at int) (from, to int) {
	start := bytes.LastIndexByte(raw[max(0, at-maxName):at], '"')
	if start < 0 || !secretName.Match(raw[max(0, at-maxName)+start+1:at]) {
		return 0, 0
	}
	from = at + len(`":"`)
	for to = from; to < len(raw) && raw[to] != '"'; to++ {
		if raw[to] == '\\' {
			to++
		}
	}
	return from, min(to, len(raw))
}

// wordValue is the value after "password=" and similar words.
func wordValue(raw []byte, at int) (from, to int) {
	if !secretWord.Match(raw[max(0, at-maxWord):at]) {
		return 0, 0
	}
	return at + 1, at + 1 + len(secretValue.Find(raw[at+1:]))
}

func wordByte(c byte) bool {
	return c == '_' || '0' <= c && c <= '9' || 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z'
}
