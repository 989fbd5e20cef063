package projects_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/problem"
	"firethorn/internal/records"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
)

// A change that is wrong in one part changes nothing.
func TestChangeProject_AllOrNothing(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	minute, link := int64(5), "https://code.marrowsound.example/{commit}"
	good := projects.ProjectChange{KeepDays: 7, KeepSymbols: 12, LogMessages: "error", ReleaseOrder: "versions", CommitLink: &link, AllowanceMinute: &minute, Origins: []string{"https://quayside.example"}}
	before := *b.Project
	bad := "javascript:alert(1)"
	for name, spoil := range map[string]func(*projects.ProjectChange){
		"days":    func(c *projects.ProjectChange) { c.KeepDays = 12 },
		"symbols": func(c *projects.ProjectChange) { c.KeepSymbols = -1 },
		"logs":    func(c *projects.ProjectChange) { c.LogMessages = "loud" },
		"order":   func(c *projects.ProjectChange) { c.ReleaseOrder = "mood" },
		"link":    func(c *projects.ProjectChange) { c.CommitLink = &bad },
		"origins": func(c *projects.ProjectChange) { c.Origins = []string{"https://quayside.example", "quayside"} },
	} {
		c := good
		spoil(&c)
		err := b.Projects.ChangeProject(t.Context(), b.Project.ID, c)
		if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.BadInput {
			t.Errorf("%s: %v", name, err)
		}
		now, err := b.Projects.ProjectByID(t.Context(), b.Project.ID)
		if err != nil || now.KeepDays != before.KeepDays || now.KeepSymbols != before.KeepSymbols || now.LogMessages != before.LogMessages || now.Allowance != before.Allowance || now.CommitLink != "" || now.Origins[0] != "*" {
			t.Errorf("%s: half of the change was made: %+v, %v", name, now, err)
		}
	}
	if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, good); err != nil {
		t.Fatal(err)
	}
	now, err := b.Projects.ProjectByID(t.Context(), b.Project.ID)
	if err != nil || now.KeepDays != 7 || now.KeepSymbols != 12 || now.LogMessages != "error" || now.Allowance.Minute != 5 || now.CommitLink != link || now.Origins[0] != "https://quayside.example" {
		t.Errorf("the good change: %+v, %v", now, err)
	}
}

// A schema of a later version is refused, unless somebody says that it fits.
func TestOpen_RefusesANewerSchema(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	if _, err := b.DB.Exec("INSERT INTO schema_version (version_id, is_applied, tstamp) VALUES (9999, 1, NOW())"); err != nil {
		t.Fatal(err)
	}
	_, err := records.Open(t.Context(), records.Options{DSN: b.DSN})
	if f, ok := errors.AsType[*problem.Error](err); !ok || !strings.Contains(f.Pub, "9999") || !strings.Contains(f.Pub, "--allow-newer-schema") {
		t.Errorf("Open = %v", err)
	}
	s, err := records.Open(t.Context(), records.Options{DSN: b.DSN, NewerSchema: true})
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
}

// A change of the schema that takes longer than its lease keeps it.
func TestKeepLease(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	me, other := uuid.New(), uuid.New()
	const hold = 400 * time.Millisecond
	release, err := b.DB.TryLease(t.Context(), "long", me, hold)
	if err != nil || release == nil {
		t.Fatal(err)
	}
	stop := b.DB.KeepLease(context.Background(), "long", me, hold)
	time.Sleep(3 * hold)
	if got, err := b.DB.TryLease(t.Context(), "long", other, hold); err != nil || got != nil {
		t.Errorf("another process took the lease: %v", err)
	}
	stop()
	release()
	if got, err := b.DB.TryLease(t.Context(), "long", other, hold); err != nil || got == nil {
		t.Errorf("nobody gets the lease when it was let go: %v", err)
	}
}
