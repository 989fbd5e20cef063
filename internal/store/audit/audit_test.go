package audit_test

import (
	"database/sql"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
)

// lines are entries in words, the newest first.
func lines(t *testing.T, b *testbed.Bench, q audit.Query) (out []string) {
	t.Helper()
	if q.Limit == 0 {
		q.Limit = 100
	}
	list, _, err := b.Audit.List(t.Context(), q)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		out = append(out, strings.TrimSpace(fmt.Sprintf("%s %s %s: %s %s %s", e.Kind, e.Name, e.Action, e.Target, e.Before, e.After)))
	}
	return out
}

func holds(t *testing.T, b *testbed.Bench, brokenAt int64) {
	t.Helper()
	v, err := b.Audit.Verify(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if got := v.Broken; (got == nil) != (brokenAt == 0) || got != nil && got.ID != brokenAt {
		t.Errorf("broken: %+v, want a break at %d", got, brokenAt)
	}
}

// What people do to people, tokens, keys, projects and rules is written down in its
// transaction, without a secret.
func TestAudit_HoldsWhatWasDone(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	before := lines(t, b, audit.Query{})
	ctx := audit.By(t.Context(), audit.Who{Kind: "person", ID: 99, Name: "Operator", Address: "10.0.0.7"})
	p, link, err := b.Accounts.InvitePerson(ctx, accounts.NewPerson{Name: "Maren Holt", Email: "maren.holt@marrowsound.example", Life: time.Hour,
		Roles: []accounts.NewRole{{Project: b.Project.ID, ProjectName: b.Project.Name, Role: access.Member, Reason: "joins the crew"}}})
	if err != nil {
		t.Fatal(err)
	}
	id, secret, err := b.Accounts.CreateToken(ctx, accounts.NewToken{Label: "ci", Scope: "build", Kind: access.KindBuild, Given: access.KindBuild.Usual(), Life: time.Hour})
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Accounts.RevokeToken(ctx, id, accounts.TokensOf{All: true}); err != nil {
		t.Fatal(err)
	}
	key, err := b.Projects.AddKey(ctx, b.Project.ID, "kiosks", false)
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Projects.ChangeProject(ctx, b.Project.ID, projects.ProjectChange{KeepDays: 90, KeepSymbols: 30}); err != nil {
		t.Fatal(err)
	}
	session, err := b.Accounts.SignIn(audit.By(t.Context(), audit.Who{Kind: "nobody", Address: "10.0.0.9"}), accounts.Opening{Link: link})
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Projects.ChangeProject(ctx, b.Project.ID, projects.ProjectChange{KeepDays: 91}); err == nil {
		t.Error("91 days are no class")
	}
	got := lines(t, b, audit.Query{})
	got = got[:len(got)-len(before)]
	want := []string{
		"person Maren Holt signed in: Maren Holt",
		`person Operator project changed: ` + b.Project.Name + ` {"keep_days":"30","keep_symbols":"180"} {"keep_days":90,"keep_symbols":30}`,
		"person Operator key created: " + key.Value[:8] + "… kiosks",
		fmt.Sprintf(`person Operator token revoked: token %d (ci) {"scope":"build","permissions":["symbols:push","releases:announce","rules:check"]}`, id),
		fmt.Sprintf(`person Operator token created: token %d (ci)  {"scope":"build","permissions":["symbols:push","releases:announce","rules:check"]}`, id),
		`person Operator role changed: Maren Holt in ` + b.Project.Name + ` {"role":"none"} {"role":"member","reason":"joins the crew"}`,
		`person Operator person added: Maren Holt  {"email":"maren.holt@marrowsound.example"}`,
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	for _, s := range []string{link, secret, key.Value, session} {
		if strings.Contains(strings.Join(got, "\n"), s) {
			t.Errorf("the audit holds the secret %s", s)
		}
	}
	if mine := lines(t, b, audit.Query{Kind: "person", ID: p.ID}); len(mine) != 1 {
		t.Errorf("what Maren did: %v", mine)
	}
	if of := lines(t, b, audit.Query{Project: b.Project.Name}); len(of) < 2 {
		t.Errorf("what is about the project: %v", of)
	}
	holds(t, b, 0)
}

// Many write at once: the chain has no gap and no fork.
func TestAudit_IsOneChain(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var all sync.WaitGroup
	for n := range 20 {
		all.Go(func() {
			if err := b.Audit.Note(t.Context(), audit.Act{Action: "counters repaired", Target: fmt.Sprint(n)}); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	holds(t, b, 0)
	list, next, err := b.Audit.List(t.Context(), audit.Query{Limit: 3})
	if err != nil || len(list) != 3 || next != list[2].ID {
		t.Errorf("a page: %d entries, next %d, %v", len(list), next, err)
	}
}

// A change of the table is detected, at the entry that was changed.
func TestAudit_FindsWhatWasTamperedWith(t *testing.T) {
	for what, statement := range map[string]string{
		"a changed entry": "UPDATE audit SET actor_name='Oke Farrow' WHERE id=?", "a removed one": "DELETE FROM audit WHERE id=?",
	} {
		b := testbed.Open(t, testbed.Noon)
		for range 5 {
			if err := b.Audit.Note(t.Context(), audit.Act{Action: "audit exported"}); err != nil {
				t.Fatal(err)
			}
		}
		list, _, err := b.Audit.List(t.Context(), audit.Query{Limit: 5})
		if err != nil {
			t.Fatal(err)
		}
		for _, id := range []int64{list[2].ID, list[0].ID} {
			if what == "a removed one" || id == list[2].ID {
				err := b.DB.InTx(t.Context(), func(tx *sql.Tx) error {
					_, err := tx.ExecContext(t.Context(), statement, id)
					return err
				})
				if err != nil {
					t.Fatal(err)
				}
			}
			holds(t, b, list[2].ID)
		}
	}
}

// Old entries go, and the chain begins behind them.
func TestAudit_DropsWhatIsOld(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for range 3 {
		if err := b.Audit.Note(t.Context(), audit.Act{Action: "audit exported"}); err != nil {
			t.Fatal(err)
		}
	}
	b.Now = b.Now.Add(audit.Life + time.Hour)
	if err := b.Audit.Note(t.Context(), audit.Act{Action: "counters repaired"}); err != nil {
		t.Fatal(err)
	}
	if more, err := b.Audit.Expire(t.Context()); err != nil || more {
		t.Fatal(more, err)
	}
	if left := lines(t, b, audit.Query{}); len(left) != 1 {
		t.Errorf("%v", left)
	}
	holds(t, b, 0)
	if more, err := b.Audit.Expire(t.Context()); err != nil || more {
		t.Fatal(more, err)
	}
	holds(t, b, 0)
}
