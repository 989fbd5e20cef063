package operations

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"net/http"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	core "firethorn/internal/core/audit"
	"firethorn/internal/store/audit"
)

// AuditIn selects entries of the audit log.
type AuditIn struct {
	Project string    `query:"project" doc:"only what is about this project"`
	Person  string    `query:"person" doc:"only entries of this person"`
	Since   time.Time `query:"since" doc:"only entries from then on"`
	Limit   int       `query:"limit" minimum:"1" maximum:"500" default:"50"`
	Cursor  string    `query:"cursor" doc:"next of the page before"`
}

type auditCursor struct{ Before int64 }

func (a *handlers) audit(t *calls.Table) {
	calls.Call(t, "list-audit", func(ctx context.Context, in *AuditIn) (*calls.Body[contract.Audit], error) {
		q := audit.Query{Project: in.Project, Since: in.Since, Limit: in.Limit}
		if in.Person != "" {
			p, err := a.Store.Accounts.FindPerson(ctx, in.Person)
			if err != nil {
				return nil, err
			}
			q.Kind, q.ID = "person", p.ID
		}
		if in.Cursor != "" {
			var c auditCursor
			if err := calls.ReadCursor(in.Cursor, &c); err != nil {
				return nil, err
			}
			q.Before = c.Before
		}
		list, next, err := a.Store.Audit.List(ctx, q)
		if err != nil {
			return nil, err
		}
		out := contract.Audit{Entries: make([]contract.AuditEntry, len(list))}
		for i := range list {
			out.Entries[i] = auditEntry(&list[i])
		}
		if next != 0 {
			out.Next = calls.WriteCursor(auditCursor{next})
		}
		return calls.Answer(out), nil
	})
	calls.Call(t, "verify-audit",
		func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.AuditVerified], error) {
			v, err := a.Store.Audit.Verify(ctx)
			if err != nil {
				return nil, err
			}
			out := contract.AuditVerified{Holds: v.Broken == nil, Entries: v.Entries, First: v.First, Last: v.Last,
				Hash: hex.EncodeToString(v.Hash[:])}
			if v.Broken != nil {
				out.BrokenAt, out.Why = v.Broken.ID, v.Broken.Why
			}
			return calls.Answer(out), nil
		})
}

func auditEntry(e *core.Entry) contract.AuditEntry {
	return contract.AuditEntry{ID: e.ID, At: e.At, Kind: e.Kind, Who: e.Name, Address: e.Address, Action: e.Action,
		Project: e.Project, Target: e.Target, Before: json.RawMessage(e.Before), After: json.RawMessage(e.After),
		Hash: hex.EncodeToString(e.Hash[:])}
}

// exportChunk is how many entries are read at once.
const exportChunk = 500

// exportAudit writes all entries that are kept, the newest first, a line each.
func (a *handlers) exportAudit(w http.ResponseWriter, r *http.Request) error {
	if err := a.Store.Audit.Note(r.Context(), audit.Act{Action: "audit exported"}); err != nil {
		return err
	}
	if err := calls.Unlimited(w); err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/x-ndjson")
	out := json.NewEncoder(w)
	for before := int64(0); ; {
		var next int64
		var list []core.Entry
		err := a.Still(r.Context(), access.ReadAudit, nil) // it may take long, and roles go
		if err == nil {
			list, next, err = a.Store.Audit.List(r.Context(), audit.Query{Before: before, Limit: exportChunk})
		}
		if err != nil && before == 0 {
			return err
		}
		if err != nil { // the answer has begun: breaking off is the only way to say that it is not whole
			a.Log.Error("the export of the audit broke off", "before", before, "err", err)
			panic(http.ErrAbortHandler)
		}
		for i := range list {
			if err := out.Encode(auditEntry(&list[i])); err != nil {
				return nil // the reader has gone
			}
		}
		if next == 0 {
			return nil
		}
		before = next
	}
}
