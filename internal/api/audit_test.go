package api

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/google/uuid"

	coreaudit "firethorn/internal/core/audit"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/inbox"
)

// breaking has two failed events, of which one can be let go, and two pages of an
// audit, of which one can be read.
type breaking struct {
	quay
	noted []audit.Act
	let   int
}

func (b *breaking) List(_ context.Context, q audit.Query) ([]coreaudit.Entry, int64, error) {
	if q.Before != 0 {
		return nil, 0, errors.New("the database went away")
	}
	return []coreaudit.Entry{{ID: 9, Kind: "service", Action: "project created"}}, 9, nil
}

func (b *breaking) Note(_ context.Context, a audit.Act) error {
	b.noted = append(b.noted, a)
	return nil
}

func (b *breaking) FailedEvents(context.Context, int64, int) ([]inbox.FailedEvent, error) {
	return []inbox.FailedEvent{{ID: uuid.New()}, {ID: uuid.New()}}, nil
}

func (b *breaking) Discard(context.Context, uuid.UUID) error {
	if b.let++; b.let > 1 {
		return errors.New("the database went away")
	}
	return nil
}

func (b *breaking) served(t *testing.T) string {
	t.Helper()
	s := b.stores()
	s.Accounts, s.Projects, s.Audit, s.Inbox = b, b, b, b
	return serving(t, s)
}

// An export that cannot go on breaks off: it must not look whole, nor hold a line that
// is no entry.
func TestExportAudit_BreaksOff(t *testing.T) {
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, (&breaking{}).served(t)+"/api/audit/export", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer admin")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return // it broke off before its first byte left
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err == nil || strings.Contains(string(raw), "detail") {
		t.Errorf("it ends as if it were whole, %d: %s", res.StatusCode, raw)
	}
}

// What was done before something failed stands in the audit.
func TestQueue_WritesDownWhatWasDoneBeforeItFailed(t *testing.T) {
	b := &breaking{}
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, b.served(t)+"/api/queue/all/discard", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer admin")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusInternalServerError || len(b.noted) != 1 || b.noted[0].After.(map[string]int)["events"] != 1 {
		t.Errorf("%d, %+v", res.StatusCode, b.noted)
	}
}
