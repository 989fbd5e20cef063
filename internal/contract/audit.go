package contract

import (
	"encoding/json"
	"time"
)

// AuditEntry is one action of a person, a token or the service.
type AuditEntry struct {
	ID      int64           `json:"id" doc:"counted from 1, without gaps"`
	At      time.Time       `json:"at"`
	Kind    string          `json:"kind" enum:"person,token,service,nobody" doc:"the kind of actor"`
	Who     string          `json:"who" doc:"a person's name, or a token's label, as it was then"`
	Address string          `json:"address,omitempty" doc:"it was done from"`
	Action  string          `json:"action"`
	Project string          `json:"project,omitempty"`
	Target  string          `json:"target" doc:"the target"`
	Before  json.RawMessage `json:"before,omitempty"`
	After   json.RawMessage `json:"after,omitempty"`
	Hash    string          `json:"hash" doc:"SHA-256 over this entry and the hash of the one before, in hexadecimal"`
}

// Audit is a page of the audit log, the newest entry first.
type Audit struct {
	Entries []AuditEntry `json:"entries" nullable:"false"`
	Next    string       `json:"next,omitempty"`
}

// AuditVerified says whether the chain of hashes holds.
type AuditVerified struct {
	Holds    bool   `json:"holds"`
	Entries  int64  `json:"entries" doc:"that were checked"`
	First    int64  `json:"first" doc:"the oldest entry that is kept; 0: none"`
	Last     int64  `json:"last" doc:"the newest entry; 0: none"`
	Hash     string `json:"hash" doc:"of the newest entry: noted elsewhere, it proves that the end was not rewritten"`
	BrokenAt int64  `json:"broken_at,omitempty" doc:"the first entry that is wrong, or missing"`
	Why      string `json:"why,omitempty"`
}
