package pipeline

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"

	"firethorn/internal/core/event"
	"firethorn/internal/core/scrub"
)

// User is the user of an event whose identity was scrubbed: people are
// distinguished all the same.
type User struct {
	Set  bool  `json:"k,omitempty"`
	Hash int64 `json:"h,omitempty"`
}

// NamesUser says whether a report reports something that was taken out of
// what names the user.
func NamesUser(r scrub.Report) bool {
	for _, f := range r {
		for _, k := range event.IdentityKeys {
			if f.Where == "attributes."+k || f.Where == "resource."+k {
				return true
			}
		}
	}
	return false
}

// UserOf is the user of an event as it was sent, before anything was taken out
// of it; raw is the event, resource that of its envelope.
func UserOf(secret []byte, raw, resource json.RawMessage) User {
	e, err := event.Decode(raw, event.DefaultLimits)
	if err != nil || mergeResource(e, resource) != nil {
		return User{}
	}
	return UserNamed(secret, e)
}

// UserNamed gives the user that an event names.
func UserNamed(secret []byte, e *event.Event) User {
	if _, identity := e.Identity(); identity != "" {
		return User{true, UserHash(secret, identity)}
	}
	return User{}
}

// UserHash is the first 64 bits of HMAC-SHA-256 over an identity, under the
// project's secret.
func UserHash(secret []byte, identity string) int64 {
	h := hmac.New(sha256.New, secret)
	h.Write([]byte(identity))
	return int64(binary.BigEndian.Uint64(h.Sum(nil)))
}

// OtherIdentities are the hashes of all names that an event gives its user, except the one
// that the user is known by.
func OtherIdentities(secret []byte, e *event.Event) (out []int64) {
	_, main := e.Identity()
	for _, k := range event.IdentityKeys {
		for _, from := range []event.Attributes{e.Attributes, e.Resource} {
			if v := from.Text(k); v != "" && v != main {
				out = append(out, UserHash(secret, v))
			}
		}
	}
	return out
}
