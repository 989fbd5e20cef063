// Package scrub removes secrets from events before they are stored, and from source lines before they
// are shown.
//
// What goes: values under names that mean secrets, in JSON fields as well as
// inside texts ("?token=…", "password: …", "Cookie: …"), and values that look
// like secrets wherever they stand (JSON web tokens, access tokens, private
// keys, card and account numbers that pass their check digits, passwords in
// addresses). A project's Policy adds to that and takes from it. What is clean
// stays byte for byte as it was. Time is linear in the input.
//
// Reading order: Policy (what a project wants), json.go (walking over JSON),
// text.go (walking over one text), pairs.go (names tied to values), names.go,
// shapes.go, numbers.go and address.go (what means or looks like a secret).
package scrub

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"firethorn/internal/core/text"
)

// Mark stands where a secret stood.
const Mark = "[scrubbed]"

// Kind is a kind of secret that is known without a project's help.
type Kind string

// The kinds.
const (
	Named         Kind = "named"         // a value under a name that means a secret
	JWT           Kind = "jwt"           // a JSON web token (RFC 7519)
	Token         Kind = "token"         // an access token or API key, by its prefix or its randomness
	Card          Kind = "card"          // a payment card number that passes its check digit (ISO/IEC 7812)
	IBAN          Kind = "iban"          // an account number that passes its check digits (ISO 13616)
	Cookie        Kind = "cookie"        // the value of a Cookie or Set-Cookie header
	Authorization Kind = "authorization" // the credentials of an Authorization header (RFC 9110, section 11)
	URLPassword   Kind = "url-password"  // a password in a URL (RFC 3986, section 3.2.1) or connection string
	PrivateKey    Kind = "private-key"   // a private key in its textual encoding (RFC 7468)
	Encoded       Kind = "encoded"       // base64 of a text that holds one of the others
	Email         Kind = "email"         // an e-mail address; kept unless a project says otherwise
	IP            Kind = "ip"            // an IP address; kept unless a project says otherwise
)

// Kinds lists all kinds.
var Kinds = []Kind{Named, JWT, Token, Card, IBAN, Cookie, Authorization, URLPassword, PrivateKey, Encoded, Email, IP}

// Act is what is done about a value.
type Act string

// The acts.
const (
	Remove  Act = "remove"  // Mark stands in its place
	Shorten Act = "shorten" // its telling beginning stays; of an address, what names no person
	Keep    Act = "keep"    // it stays
)

// Rule is one line of a project's policy. It acts where all of what it names
// hold; a rule that names nothing acts nowhere.
type Rule struct {
	Name  string
	Names []string       // globs over a field's name or its path ("order.number", "attributes.order.*")
	Kinds []Kind         // kinds of secret
	Match *regexp.Regexp // what looks like this
	Do    Act
}

// SwitchesOff says whether a rule keeps what is scrubbed without a project's
// help. A rule that keeps plain fields whose names mean no secret does not, nor
// does one about addresses, which are kept unless a project says otherwise.
func (r Rule) SwitchesOff() bool {
	if r.Do != Keep {
		return false
	}
	if len(r.Kinds) > 0 && !slices.ContainsFunc(r.Kinds, func(k Kind) bool { return k != Email && k != IP }) {
		return false
	}
	return len(r.Names) == 0 || slices.ContainsFunc(r.Names, func(n string) bool {
		return strings.ContainsAny(n, "*?") || Name(n)
	})
}

// Same says whether two rules do the same.
func (r Rule) Same(o Rule) bool {
	pattern := func(re *regexp.Regexp) string {
		if re == nil {
			return ""
		}
		return re.String()
	}
	return r.Do == o.Do && slices.Equal(r.Names, o.Names) && slices.Equal(r.Kinds, o.Kinds) &&
		(r.Match == nil) == (o.Match == nil) && pattern(r.Match) == pattern(o.Match)
}

// Policy is what a project wants scrubbed beside what always is, and what it
// wants kept. The first rule that fits decides. The zero Policy is the
// default. It is safe for concurrent use.
type Policy struct {
	rules     []Rule
	patterns  []int // rules that search by Match
	fields    bool  // some rule decides by a field's name alone
	addresses bool  // some rule looks for e-mail or IP addresses
}

// Default is the policy of a project that says nothing.
var Default = &Policy{}

// NewPolicy makes a policy of rules, in their order.
func NewPolicy(rules []Rule) *Policy {
	p := &Policy{rules: slices.Clone(rules)}
	for i, r := range p.rules {
		if r.Match != nil && r.Do != Keep {
			p.patterns = append(p.patterns, i)
		}
		p.fields = p.fields || len(r.Names) > 0
		p.addresses = p.addresses || r.Do != Keep && (slices.Contains(r.Kinds, Email) || slices.Contains(r.Kinds, IP))
	}
	return p
}

// decision is what a rule says about a value.
type decision struct {
	rule string
	act  Act
}

// field says what is to be done with everything under a name, whatever
// it looks like; ok is false when the policy leaves it to the rest.
func (p *Policy) field(at place) (d decision, ok bool) {
	secret := Name(at.name)
	for _, r := range p.rules {
		kinds := slices.Contains(r.Kinds, Named)
		if r.Match == nil && (len(r.Names) == 0 || at.fits(r.Names)) &&
			(len(r.Kinds) == 0 && len(r.Names) > 0 || kinds && secret) {
			if kinds && r.Do == Keep { // its name is no reason; its looks may be one
				return decision{}, false
			}
			return decision{r.Name, r.Do}, true
		}
	}
	if secret {
		return decision{string(Named), Remove}, true
	}
	return decision{}, false
}

// found says what is to be done with a value that looks like a secret.
func (p *Policy) found(kind Kind, at place, value []byte) decision {
	for _, r := range p.rules {
		if len(r.Names) > 0 && !at.fits(r.Names) || len(r.Kinds) > 0 && !slices.Contains(r.Kinds, kind) {
			continue
		}
		if r.Match != nil &&
			(r.Do != Keep && len(r.Kinds) == 0 || !r.Match.Match(value)) { // the others are searched by their pattern
			continue
		}
		if r.Match == nil && len(r.Kinds) == 0 { // decided by field
			continue
		}
		return decision{r.Name, r.Do}
	}
	if kind == Email || kind == IP {
		return decision{act: Keep}
	}
	return decision{string(kind), Remove}
}

// place is where a value stands.
type place struct {
	name []byte        // the field's own name; nil when it has none
	path func() string // the whole way to it
}

// fits compares the first maxPath bytes of the name and of the path.
func (at place) fits(globs []string) bool {
	name := at.name[:min(len(at.name), maxPath)]
	for _, g := range globs {
		if text.Glob(g, name) || strings.Contains(g, ".") && at.path != nil && text.Glob(g, at.path()) {
			return true
		}
	}
	return false
}

// Finding says what was replaced at one place by one rule.
type Finding struct {
	Rule  string `json:"rule"`  // a project's rule, or the Kind
	Where string `json:"where"` // "attributes.url.full", "breadcrumbs[3].message"
	Count int    `json:"count"`
}

// maxFindings is how many places a report names; the last one counts the rest.
const maxFindings = 50

// Report lists findings, in the order of the text.
type Report []Finding

func (r *Report) add(rule, where string) {
	for i := len(*r) - 1; i >= 0 && (*r)[i].Where == where; i-- {
		if (*r)[i].Rule == rule {
			(*r)[i].Count++
			return
		}
	}
	if len(*r) >= maxFindings {
		last := &(*r)[maxFindings-1]
		if last.Rule != rule {
			last.Rule = "several"
		}
		last.Where = "more places"
		last.Count++
		return
	}
	*r = append(*r, Finding{rule, where, 1})
}

// Text scrubs a plain text that stands under a name ("": under none).
func (p *Policy) Text(text, name string) (string, Report) {
	s := textScan{policy: p, at: place{[]byte(name), func() string { return name }}}
	raw := []byte(text)
	s.scan(raw)
	if len(s.spans) == 0 {
		return text, nil
	}
	var r Report
	for _, sp := range s.spans {
		r.add(sp.rule, name)
	}
	return string(s.apply(nil, raw)), r
}

// Lines scrubs lines of one text, for example of source code. There are as
// many lines afterwards.
func (p *Policy) Lines(lines []string, name string) ([]string, Report) {
	s := textScan{policy: p, at: place{[]byte(name), func() string { return name }}}
	raw := []byte(strings.Join(lines, "\n"))
	s.scan(raw)
	if len(s.spans) == 0 {
		return lines, nil
	}
	var r Report
	for i := range s.spans {
		sp := &s.spans[i]
		sp.with += strings.Repeat("\n"+Mark, bytes.Count(raw[sp.from:sp.to], []byte("\n")))
		r.add(sp.rule, name)
	}
	return strings.Split(string(s.apply(nil, raw)), "\n"), r
}

// shorten keeps the part of a value that identifies nobody.
func shorten(kind Kind, value []byte) string {
	switch kind {
	case Email:
		return shortEmail(value)
	case IP:
		return shortIP(value)
	}
	if bytes.HasSuffix(value, []byte(Mark)) {
		return string(value)
	}
	n := min(4, len(value)/3)
	for n > 0 && value[n]&0xC0 == 0x80 {
		n--
	}
	return string(value[:n]) + Mark
}

// DepthError is the refusal of JSON that is nested too deep.
type DepthError struct{ Off int }

func (e *DepthError) Error() string {
	return fmt.Sprintf("nested deeper than %d levels at byte %d", MaxDepth, e.Off)
}
