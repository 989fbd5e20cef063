package scrub

import (
	"bytes"
	"net/netip"
)

// longestUser is how long a name with a password may be.
const longestUser = 512

// userInfo reads the part before the host of a URL whose authority
// begins at from (RFC 3986, section 3.2).
func (s *textScan) userInfo(t []byte, from int) (next int) {
	atMark := s.search(&s.atMark, from, func(i int) int { return indexOrEnd(t, i, "@") })
	if atMark-from >= longestUser { // the host is read as any other text
		return from
	}
	end := from
	at, colon := -1, -1
	for end < len(t) && end-from < longestUser {
		c := t[end]
		if word(c) || c == '.' {
			end++
			continue
		}
		if endsAuthority[c] {
			break
		}
		if c == '@' {
			at = end
		}
		if c == ':' && colon < 0 {
			colon = end
		}
		end++
	}
	s.steps += end - from
	if at < 0 {
		return from
	}
	if colon < 0 || colon > at {
		if at-from >= 20 { // a token in a name's place
			s.take(URLPassword, t, from, at)
		}
		return at + 1
	}
	s.take(URLPassword, t, colon+1, at)
	return at + 1
}

// indexOrEnd is where a text stands next in t at or after i, or t's end.
func indexOrEnd(t []byte, i int, text string) int {
	if n := bytes.Index(t[i:], []byte(text)); n >= 0 {
		return i + n
	}
	return len(t)
}

// endsAuthority are the characters that end the part of a URL with the host.
var endsAuthority = func() (set [256]bool) {
	for _, c := range " /?#\"'<>\\\n\r\t" {
		set[c] = true
	}
	return set
}()

// atSign handles t[j] == '@': an e-mail address, or the end of the password in
// a connection string ("name:password@tcp(host)/db", "thin:name/password@host").
func (s *textScan) atSign(t []byte, j int) (next int) {
	rest := t[j+1:]
	if bytes.HasPrefix(rest, []byte("tcp(")) || bytes.HasPrefix(rest, []byte("unix(")) ||
		bytes.HasPrefix(rest, []byte("//")) {
		i := j
		for i > 0 && j-i < 128 && t[i-1] != ':' && t[i-1] != '/' && t[i-1] != ' ' && t[i-1] != '"' && t[i-1] != '\'' &&
			t[i-1] != '\n' {
			i--
		}
		s.steps += j - i
		if i > 1 && (t[i-1] == ':' || t[i-1] == '/') && word(t[i-2]) {
			s.take(URLPassword, t, i, j)
		}
		return j + 1
	}
	if !s.policy.addresses {
		return 0
	}
	from, to := j, j+1
	for from > 0 && j-from < 64 &&
		(word(t[from-1]) || bytes.IndexByte([]byte(".+%&'/"), t[from-1]) >= 0 && t[from-1] != '/' &&
			t[from-1] != '\'') {
		from--
	}
	dot := -1
	for to < len(t) && to-j < 255 && (word(t[to]) && t[to] != '_' || t[to] == '.' && to+1 < len(t) && word(t[to+1])) {
		if t[to] == '.' {
			dot = to
		}
		to++
	}
	s.steps += to - from
	if from == j || dot < 0 || to-dot < 3 {
		return 0
	}
	if s.take(Email, t, from, to) {
		return to
	}
	return 0
}

// shortEmail keeps the first letter and the domain.
func shortEmail(v []byte) string {
	at := bytes.LastIndexByte(v, '@')
	n := 1
	for n < at && v[n]&0xC0 == 0x80 {
		n++
	}
	return string(v[:n]) + "***" + string(v[at:])
}

// ipv4 looks for an address whose first number is t[i:j].
func (s *textScan) ipv4(t []byte, i, j int) (next int) {
	if j-i > 3 || i > 0 && t[i-1] == '.' {
		return 0
	}
	end := j
	for end < len(t) && end-i < 16 && (digit(t[end]) || t[end] == '.' && end+1 < len(t) && digit(t[end+1])) {
		end++
	}
	s.steps += end - i
	if end < len(t) && word(t[end]) {
		return 0
	}
	if _, err := netip.ParseAddr(string(t[i:end])); err != nil {
		return 0
	}
	if s.take(IP, t, i, end) {
		return end
	}
	return end
}

// ipv6 looks for an address (RFC 4291, section 2.2) that begins at t[i].
func (s *textScan) ipv6(t []byte, i int) (next int) {
	if i > 0 && t[i-1] == ':' {
		if i--; i > 0 && t[i-1] == ':' {
			i--
		}
	}
	end, colons := i, 0
	for end < len(t) && end-i < 46 &&
		(digit(t[end]) || t[end]|0x20 >= 'a' && t[end]|0x20 <= 'f' || t[end] == ':' || t[end] == '.' && colons > 1 &&
			end+1 < len(t) && digit(t[end+1])) {
		if t[end] == ':' {
			colons++
		}
		end++
	}
	s.steps += end - i
	if colons < 2 || end < len(t) && word(t[end]) {
		return 0
	}
	for end > i && t[end-1] == ':' && (end < 2 || t[end-2] != ':') {
		end--
	}
	if _, err := netip.ParseAddr(string(t[i:end])); err != nil {
		return 0
	}
	s.take(IP, t, i, end)
	return end
}

// shortIP keeps the network: 24 bits of a version 4 address, 48 of a version 6.
func shortIP(v []byte) string {
	a, err := netip.ParseAddr(string(v))
	if err != nil {
		return Mark
	}
	bits := 24
	if a.Is6() && !a.Is4In6() {
		bits = 48
	}
	if a.Is4In6() {
		bits = 96 + 24
	}
	p, err := a.Prefix(bits)
	if err != nil {
		return Mark
	}
	return p.Addr().String()
}
