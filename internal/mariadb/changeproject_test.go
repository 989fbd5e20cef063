package mariadb

import (
	"bytes"
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fault"
)

// A change that is wrong in one part changes nothing.
func TestChangeProject_AllOrNothing(t *testing.T) {
	b := open1(t, noon)
	minute, link := int64(5), "https://code.marrowsound.example/{commit}"
	good := ProjectChange{KeepDays: 7, KeepSymbols: 12, LogMessages: "error", ReleaseOrder: "versions", CommitLink: &link, AllowanceMinute: &minute, Origins: []string{"https://quayside.example"}}
	before := *b.project
	bad := "javascript:alert(1)"
	for name, spoil := range map[string]func(*ProjectChange){
		"days":    func(c *ProjectChange) { c.KeepDays = 12 },
		"symbols": func(c *ProjectChange) { c.KeepSymbols = -1 },
		"logs":    func(c *ProjectChange) { c.LogMessages = "loud" },
		"order":   func(c *ProjectChange) { c.ReleaseOrder = "mood" },
		"link":    func(c *ProjectChange) { c.CommitLink = &bad },
		"origins": func(c *ProjectChange) { c.Origins = []string{"https://quayside.example", "quayside"} },
	} {
		c := good
		spoil(&c)
		err := b.ChangeProject(t.Context(), b.project.ID, c)
		if f, ok := errors.AsType[*fault.Error](err); !ok || f.Code != fault.BadInput {
			t.Errorf("%s: %v", name, err)
		}
		now, err := b.ProjectByID(t.Context(), b.project.ID)
		if err != nil || now.KeepDays != before.KeepDays || now.KeepSymbols != before.KeepSymbols || now.LogMessages != before.LogMessages || now.Allowance != before.Allowance || now.CommitLink != "" || now.Origins[0] != "*" {
			t.Errorf("%s: half of the change was made: %+v, %v", name, now, err)
		}
	}
	if err := b.ChangeProject(t.Context(), b.project.ID, good); err != nil {
		t.Fatal(err)
	}
	now, err := b.ProjectByID(t.Context(), b.project.ID)
	if err != nil || now.KeepDays != 7 || now.KeepSymbols != 12 || now.LogMessages != "error" || now.Allowance.Minute != 5 || now.CommitLink != link || now.Origins[0] != "https://quayside.example" {
		t.Errorf("the good change: %+v, %v", now, err)
	}
}

// A schema of a later version is refused, unless somebody says that it fits.
func TestOpen_RefusesANewerSchema(t *testing.T) {
	b := open1(t, noon)
	if _, err := b.db.Exec("INSERT INTO schema_version (version_id, is_applied, tstamp) VALUES (9999, 1, NOW())"); err != nil {
		t.Fatal(err)
	}
	_, err := Open(t.Context(), Options{DSN: b.dsnForTests})
	if f, ok := errors.AsType[*fault.Error](err); !ok || !strings.Contains(f.Pub, "9999") || !strings.Contains(f.Pub, "--allow-newer-schema") {
		t.Errorf("Open = %v", err)
	}
	s, err := Open(t.Context(), Options{DSN: b.dsnForTests, NewerSchema: true})
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
}

// A change of the schema that takes longer than its lease keeps it.
func TestKeepLease(t *testing.T) {
	b := open1(t, noon)
	me, other := uuid.New(), uuid.New()
	const hold = 400 * time.Millisecond
	release, err := b.TryLease(t.Context(), "long", me, hold)
	if err != nil || release == nil {
		t.Fatal(err)
	}
	stop := b.keepLease(context.Background(), "long", me, hold)
	time.Sleep(3 * hold)
	if got, err := b.TryLease(t.Context(), "long", other, hold); err != nil || got != nil {
		t.Errorf("another process took the lease: %v", err)
	}
	stop()
	release()
	if got, err := b.TryLease(t.Context(), "long", other, hold); err != nil || got == nil {
		t.Errorf("nobody gets the lease when it was let go: %v", err)
	}
}

// A bundle is kept whole or not at all.
func TestAddBundle_AllOrNothing(t *testing.T) {
	b := open1(t, noon)
	body := bytes.NewReader(bytes.Repeat([]byte("x"), 3*bundlePart))
	broken := &breaking{Reader: body, after: 2*bundlePart + 7}
	tip := strings.Repeat("1", 40)
	if err := b.AddBundle(t.Context(), b.project.ID, Bundle{Tip: tip, Format: "sha1", Bytes: 3 * bundlePart}, broken, maren); err == nil {
		t.Fatal("a bundle that broke off was kept")
	}
	if n := b.one("SELECT (SELECT COUNT(*) FROM bundle)+(SELECT COUNT(*) FROM bundle_part)"); n != 0 {
		t.Errorf("%d rows are left of it", n)
	}
	if err := b.AddBundle(t.Context(), b.project.ID, Bundle{Tip: tip, Format: "sha1", Bytes: 3 * bundlePart}, body, maren); err != nil {
		t.Fatal(err)
	}
	if n := b.one("SELECT SUM(LENGTH(body)) FROM bundle_part"); n != 3*bundlePart {
		t.Errorf("%d bytes are kept", n)
	}
}

// breaking reads so many bytes and then fails.
type breaking struct {
	*bytes.Reader
	after int
}

func (b *breaking) Read(p []byte) (int, error) {
	if b.after <= 0 {
		return 0, errors.New("the disk is gone")
	}
	n, err := b.Reader.Read(p[:min(len(p), b.after)])
	b.after -= n
	return n, err
}
