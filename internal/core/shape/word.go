package shape

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// word reads up to the next space or quote, and writes its shape.
func (r *reader) word() {
	if n := dateInWords(r.text[r.at:]); n > 0 {
		r.put("<date>", n)
		return
	}
	end := r.at
	for end < len(r.text) {
		c, n := utf8.DecodeRuneInString(r.text[end:])
		if unicode.IsSpace(c) || end > r.at && (c == '{' || c == '[') && strings.ContainsAny(r.text[end-1:end], "=:(") {
			break
		}
		if _, quote := quotes[c]; quote && end > r.at && !(c == '\'' && letterBefore(r.text[:end])) {
			break
		}
		end += n
	}
	token := r.text[r.at:end]
	out := r.token(token, r.text[end:])
	r.put(out, len(token))
	if !strings.Contains(out, "<") {
		r.remember(token)
	}
}

const (
	leading  = "([{<#*"
	trailing = ")]}>,.;:!?*"
)

// token is the shape of a word with the signs around it; behind is what follows.
func (r *reader) token(token, behind string) string {
	core := strings.TrimLeft(token, leading)
	front := token[:len(token)-len(core)]
	core = strings.TrimRight(core, trailing)
	back := token[len(front)+len(core):]
	if core == "" {
		return token
	}
	if r.asked && strings.Contains(core, "/") {
		return front + segments(core, "/") + back
	}
	if r.keepsNumber(core, behind) {
		return token
	}
	return front + form(core) + back
}

// counts are words behind which a number says what went wrong.
var counts = set("status http code errno sqlstate exit signal statuscode answered responded error err returned got")

// answered are words before "with".
var answered = set("answered responded failed replied rejected status exited returned finished closed terminated")

// reasons are how the phrases of HTTP status begin.
var reasons = set("ok created accepted moved found bad unauthorized forbidden not method conflict gone length precondition payload unprocessable too internal service gateway unavailable timeout teapot request unsupported")

// beforeReply are words before the reply code of a mail server.
var beforeReply = set("bounced rejected refused smtp replied said")

var (
	short     = regexp.MustCompile(`^-?\d{1,5}$`)
	sqlStates = regexp.MustCompile(`^(?:0[0-9A-Z]|2[0-9A-Z]|3[0-9BDF]|4[024]|5[3-8]|F0|HV|HY|P0|XX)[0-9P]\d\d$`)
)

// keepsNumber says whether a number is a code: an HTTP status, an error's number.
func (r *reader) keepsNumber(core, behind string) bool {
	if !short.MatchString(core) {
		return false
	}
	last := strings.TrimRight(r.last, "#")
	switch {
	case len(core) == 4 &&
		r.state, counts[last], strings.HasPrefix(last, "http"), (last == "with" || last == "is" || last == "was" ||
		last == "of" || last == "number") && (answered[r.prior] || counts[r.prior]):
		return true
	}
	if len(core) == 3 && beforeReply[last] {
		return true
	}
	return len(core) == 3 && core[0] >= '1' && core[0] <= '5' && strings.HasPrefix(behind, " ") &&
		reasoned(strings.TrimLeft(behind, " ("))
}

func reasoned(text string) bool {
	return text != "" && unicode.IsUpper(rune(text[0])) && reasons[wordAfter(text)]
}

// forms are what whole words are taken for, the first that fits.
var forms = []struct {
	name string
	is   *regexp.Regexp
}{
	{"<id>", regexp.MustCompile(`^(?i)[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$|^[0-9A-HJKMNP-TV-Z]{26}$`)},
	{"<email>", regexp.MustCompile(`^[\w.+%-]+@[\w-]+(?:\.[\w-]+)+$`)},
	{"<address>", regexp.MustCompile(`^\d{1,3}(?:\.\d{1,3}){3}(?::\d+|/\d{1,2})?$|^(?i)\[?(?:[0-9a-f]{0,4}:){2,7}[0-9a-f]{0,4}(?:%\w+)?\]?(?::\d+)?(?:/\d+)?$|^(?i)(?:[0-9a-f]{2}[:-]){5}[0-9a-f]{2}$`)},
	{"<address>", regexp.MustCompile(`^(?:localhost|[\w-]+(?:\.[\w-]+)+|[a-z][\w-]*):\d{2,5}$`)},
	{"<date>", regexp.MustCompile(`^\d{4}[-/.]\d{1,2}[-/.]\d{1,2}(?:[T_]\d{1,2}:?\d{2}(?::?\d{2}(?:[.,]\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?)?$|^\d{1,2}[-/]\d{1,2}[-/](?:19|20)?\d{2}$|^\d{1,2}\.\d{1,2}\.(?:19|20)\d{2}$|^\d{8}T\d{6}Z?$|^\d{1,2}[-/](?i:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*[-/]\d{2,4}$|^\d{4}-W\d{2}(?:-\d)?$`)},
	{"<time>", regexp.MustCompile(`^\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?(?i:Z|am|pm|[+-]\d{2}:?\d{2})?$`)},
	{"<duration>", regexp.MustCompile(`^[-+]?(?:\d+(?:[.,]\d+)?(?:ns|us|µs|μs|ms|secs?|s|mins?|m|hrs?|h|d|w))+$|^P(?:\d+[YMWD])*(?:T(?:\d+(?:\.\d+)?[HMS])+)?$`)},
	{"<size>", regexp.MustCompile(`^[-+]?\d+(?:[.,]\d+)?(?:[kKMGTPE]i?[Bb]?|B|bytes?)(?:/s)?$`)},
	{"<money>", regexp.MustCompile(`^[-+]?(?:[$€£¥₹]|USD|EUR|GBP|CHF|JPY)\d+(?:[.,]\d+)*$|^[-+]?\d+(?:[.,]\d+)*(?:[$€£¥₹]|USD|EUR|GBP|CHF|JPY)$`)},
	{"<percent>", regexp.MustCompile(`^[-+]?\d+(?:[.,]\d+)?\s?%$`)},
	{"<version>", regexp.MustCompile(`^[vV]\d+(?:\.\d+)*(?:[-+.][\w.+-]+)?$|^[~^>=<]*\d+\.\d+\.\d+(?:[-+.][0-9A-Za-z][\w.+-]*)?$`)},
	{"<number>", regexp.MustCompile(`^[-+~]?\d+(?:[.,_'’]\d+)*(?:st|nd|rd|th)?$|^[-+]?\d+(?:\.\d+[eE][-+]?|[eE][-+])\d{1,3}$`)},
	{"<hex>", regexp.MustCompile(`^(?i)0x[0-9a-f]+$`)},
}

var (
	hexWord  = regexp.MustCompile(`^(?i)[0-9a-f]{6,}$`)
	encoded  = regexp.MustCompile(`^[A-Za-z0-9+/_-]{16,}={0,2}$`)
	hostName = regexp.MustCompile(`^(?i)[\w-]+(?:\.[\w-]+)*\.(?:com|net|org|edu|gov|info|local|internal|lan|example|test|invalid|svc|de|uk|fr|ch|nl|eu|cloud|home|corp)$`)
	codeLike = regexp.MustCompile(`^(?:ORA|TNS|PLS|TS|CS|MSB|NU|E|C|LNK|CVE|RFC|ISO|KB|SQL|DPY|PG|ERR|JS|RS|CA|BC|NETSDK|W|F|S|H|R|G|D|PLR|XX|X|AADSTS|DB|SP2|RMAN|IDS|GEOS|SEC)[-_]?\d{2,6}[A-Z]?$`)
)

// known are words that people write with digits.
var known = set("utf8 utf-8 utf-16 utf16 utf32 utf8mb4 utf8mb3 latin1 cp1252 iso-8859-1 iso8859-1 base64 base32 base58 sha1 sha-1 sha256 sha-256 sha384 sha512 sha-512 md5 crc32 aes128 aes256 aes-256 rs256 es256 hs256 ed25519 x25519 x509 " +
	"http2 http3 h2 h2c h264 h265 oauth2 oauth1 ipv4 ipv6 x86 x86_64 x86-64 x64 amd64 arm64 aarch64 i386 i686 win32 win64 mp3 mp4 i18n l10n k8s e2e 2fa s3 ec2 es5 es6 es2015 es2017 es2020 html5 css3 log4j neo4j web3 " +
	"int8 int16 int32 int64 uint8 uint16 uint32 uint64 float32 float64 u8 u16 u32 u64 i8 i16 i32 i64 f32 f64 3d 2d 1d p95 p99 v1 v2 v3 socks5 tls1 tls1.2 tls1.3 tlsv1 sqlite3 python3 php8 java8 log2 log10 atan2 c99 c++11 c++17 tar.gz " +
	"http/1.0 http/1.1 http/2 http/2.0 tls/1.2 tls/1.3 ipv4/ipv6")

// form is the shape of a word, or of a part of one.
func form(w string) string {
	core := strings.TrimLeft(w, leading+"=:'")
	front := w[:len(w)-len(core)]
	core = strings.TrimRight(core, trailing+"'")
	if core == "" || core == w {
		return bare(w)
	}
	return front + bare(core) + w[len(front)+len(core):]
}

// bare is form of a word without signs around it.
func bare(w string) string {
	if !strings.ContainsAny(w, "0123456789/:@.=") && !base64Like(w) {
		return w // most words
	}
	if known[strings.ToLower(w)] || sqlStates.MatchString(w) && strings.IndexFunc(w, unicode.IsLetter) >= 0 {
		return w
	}
	if i := strings.Index(w, "://"); i > 0 {
		return urlForm(w, i)
	}
	for _, f := range forms {
		if f.is.MatchString(w) {
			return f.name
		}
	}
	if path, ok := pathForm(w); ok {
		return path
	}
	if hexWord.MatchString(w) && strings.ContainsAny(w, "0123456789") {
		return "<code>"
	}
	if hostName.MatchString(w) {
		return "<host>"
	}
	if codeLike.MatchString(w) {
		return w
	}
	if base64Like(w) {
		return "<code>"
	}
	if states.MatchString(w) {
		return w
	}
	for _, sign := range []string{"->", "=", "&", "|", ";", "(", ")", ",", "<", ">", "#", "@", "+", "[", "]", ":", "/",
		"-", "_", "."} {
		if strings.Contains(strings.Trim(w, sign), sign) {
			return parted(w, sign)
		}
	}
	return mixed(w)
}

// parted is the shape of a word by its parts.
func parted(w, sign string) string {
	if sign == "-" {
		if s, ok := hyphened(w); ok {
			return s
		}
	}
	parts := strings.Split(w, sign)
	for i, p := range parts {
		if i > 0 && sign != "-" && short.MatchString(p) && counts[strings.ToLower(parts[i-1])] { // errno=111
			continue
		}
		parts[i] = form(p)
	}
	return strings.Join(parts, sign)
}

// states are SQL states as drivers write them.
var states = regexp.MustCompile(`^SQLSTATE\[[0-9A-Z]{5}$`)

// hyphened takes MS-0042-7, eider-204 and 204-eider for ids: few parts, one of
// which is a number.
func hyphened(w string) (string, bool) {
	parts := strings.Split(w, "-")
	numbers, words := 0, 0
	for _, p := range parts {
		switch {
		case p == "":
			return "", false
		case strings.ContainsAny(p, "0123456789") && !known[strings.ToLower(p)]:
			numbers++
		default:
			words++
		}
	}
	if last := len(parts) - 1; numbers == 1 && last == 1 && inner.MatchString(parts[0]) &&
		short.MatchString(parts[1]) { // HikariPool-1
		return parts[0] + "-<number>", true
	}
	if numbers > 0 && words <= 2 || numbers > 1 && numbers >= words {
		return "<id>", true
	}
	return "", false
}

var (
	inner    = regexp.MustCompile(`^[A-Z]\w*[a-z][A-Z]\w*$`)
	counted  = regexp.MustCompile(`^(\p{L}+)\d+$`)
	typeName = regexp.MustCompile(`^(?:[A-Z][a-z]+)+\d{1,2}[A-Z]?$`)
)

// mixed is the shape of a word of letters and digits.
func mixed(w string) string {
	if !strings.ContainsAny(w, "0123456789") {
		if w != "" && base64Like(w) {
			return "<code>"
		}
		return w
	}
	if known[strings.ToLower(w)] || typeName.MatchString(w) {
		return w
	}
	if m := counted.FindStringSubmatch(w); m != nil { // worker3
		return m[1] + "<number>"
	}
	return "<code>"
}

// base64Like says whether a word is base64, base58 or a NanoID: letters of both
// cases and digits without the order that names have.
func base64Like(w string) bool {
	if !encoded.MatchString(w) {
		return false
	}
	if strings.HasPrefix(w, "eyJ") || strings.HasSuffix(w, "=") {
		return true
	}
	upper, lower, digits := 0, 0, 0 // runs of digits
	runs, humps := 0, 0             // of one kind; those of two letters at most
	length, last := 0, byte(0)
	for i := range len(w) {
		kind := classOf(w[i])
		if kind != last && !(last == 'A' && kind == 'a' && length == 1) {
			runs++
			if length <= 2 && (last == 'a' || last == 'A') {
				humps++
			}
			length = 0
			if kind == '0' {
				digits++
			}
		}
		length++
		last = kind
		switch kind {
		case 'A':
			upper++
		case 'a':
			lower++
		}
	}
	return upper > 0 && lower > 0 && (digits > 1 && runs*4 >= len(w) || humps > 2 && runs*3 >= len(w))
}

// classOf is '0' of digits, 'A' of capitals, 'a' of other letters, '_' of signs.
func classOf(c byte) byte {
	switch {
	case c >= '0' && c <= '9':
		return '0'
	case c >= 'A' && c <= 'Z':
		return 'A'
	case c >= 'a' && c <= 'z':
		return 'a'
	}
	return '_'
}
