package accounts_test

import (
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/testbed"
)

func TestTokens(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	_, text, err := b.Accounts.CreateToken(t.Context(), accounts.NewToken{Label: "ci", Scope: "build",
		Kind: access.KindBuild, Given: access.KindBuild.Usual(), Life: accounts.TokenLife})
	if err != nil {
		t.Fatal(err)
	}
	id, more, err := b.Accounts.CreateToken(t.Context(), accounts.NewToken{Label: "ci", Scope: "build",
		Kind: access.KindBuild, Given: append(access.KindBuild.Usual(), access.PushRules)})
	if err != nil {
		t.Fatal(err)
	}
	plain, err1 := b.Accounts.GrantOfToken(t.Context(), text, "")
	wide, err2 := b.Accounts.GrantOfToken(t.Context(), more, "")
	if err1 != nil || err2 != nil || access.Join(plain.Given,
		" ") != "symbols:push releases:announce rules:check" || !slices.Contains(wide.Given, access.PushRules) {
		t.Errorf("a build token: %+v (%v); one that may more: %+v (%v)", plain, err1, wide, err2)
	}
	list, err := b.Accounts.Tokens(t.Context(), accounts.TokensOf{All: true})
	if err != nil || len(list) != 2 || list[0].ID != id || list[0].Warning() == "" || list[1].Warning() != "" || !list[1].Expires.Equal(testbed.Noon.Add(accounts.TokenLife)) || !list[1].LastUsed.Equal(testbed.Noon) {
		t.Errorf("listed: %+v, %v", list, err)
	}
	for _, p := range []access.Permission{access.Administer, access.ReadIssues, access.ReadEvents,
		access.TriageIssues, access.Export, "tides:turn"} {
		if _, _, err := b.Accounts.CreateToken(t.Context(), accounts.NewToken{Label: "x", Scope: "build",
			Kind: access.KindBuild, Given: []access.Permission{p}}); testbed.Code(err) != problem.BadInput {
			t.Errorf("a build token with %s: %v", p, err)
		}
	}
	if err := b.Accounts.RevokeToken(t.Context(), id, accounts.TokensOf{All: true}); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Accounts.GrantOfToken(t.Context(), more, ""); err == nil {
		t.Error("a revoked token works")
	}
	if err := b.Accounts.RevokeToken(t.Context(), id, accounts.TokensOf{All: true}); err == nil {
		t.Error("a token is revoked twice")
	}
	b.Now = testbed.Noon.Add(accounts.TokenLife + time.Minute)
	if _, err := b.Accounts.GrantOfToken(t.Context(), text, ""); err == nil {
		t.Error("a token works after its time")
	}
}

// Tokens of before keep what they had, and a build token among them is listed
// with a warning.
func TestTokens_OfBefore(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	if _, err := b.DB.ExecContext(t.Context(),
		"INSERT INTO token (hash, label, scope, created) VALUES (UNHEX(SHA2('old',256)),'old','build',0)"); err != nil {
		t.Fatal(err)
	}
	raw, err := os.ReadFile("../../schema/migrate/0015_bounds.sql")
	if err != nil {
		t.Fatal(err)
	}
	_, statement, _ := strings.Cut(string(raw), "UPDATE token SET")
	statement, _, _ = strings.Cut(statement, ";")
	if _, err := b.DB.ExecContext(t.Context(), "UPDATE token SET"+statement); err != nil {
		t.Fatal(err)
	}
	list, err := b.Accounts.Tokens(t.Context(), accounts.TokensOf{All: true})
	if err != nil || len(list) != 1 || !slices.Contains(list[0].Given,
		access.PushRules) || slices.Contains(list[0].Given, access.ReadEvents) || list[0].Warning() == "" {
		t.Errorf("listed: %+v, %v", list[0], err)
	}
}

func TestSignIn_NewInvitationsEndOldOnes(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	p, err := b.Accounts.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false)
	if err != nil {
		t.Fatal(err)
	}
	first, err := b.Accounts.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	second, err := b.Accounts.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: first}); err == nil {
		t.Error("an older invitation works")
	}
	secret, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: second})
	if err != nil {
		t.Fatal(err)
	}
	third, err := b.Accounts.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	if n, err := b.Accounts.SignOutPerson(t.Context(), p.ID); n != 1 || err != nil {
		t.Errorf("signed out of %d sessions, %v", n, err)
	}
	if _, err := b.Accounts.GrantOfSession(t.Context(), secret, ""); err == nil {
		t.Error("a session goes on after signing out")
	}
	if _, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: third}); err == nil {
		t.Error("an unused link works after signing out")
	}
}

func TestSignIn_PurgesWhatHasRunOut(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	p, err := b.Accounts.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false)
	if err != nil {
		t.Fatal(err)
	}
	link, err := b.Accounts.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.Accounts.SignIn(t.Context(), accounts.Opening{Link: link}); err != nil {
		t.Fatal(err)
	}
	left := func() (n int) {
		t.Helper()
		if err := b.Accounts.PurgeSignIns(t.Context()); err != nil {
			t.Fatal(err)
		}
		if err := b.DB.QueryRowContext(t.Context(),
			"SELECT (SELECT COUNT(*) FROM web_session)+(SELECT COUNT(*) FROM sign_in_link)").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if n := left(); n != 2 {
		t.Errorf("%d rows are left at once, want 2", n)
	}
	b.Now = testbed.Noon.Add(accounts.SessionLife + time.Hour)
	if n := left(); n != 0 {
		t.Errorf("%d rows are left when all has run out", n)
	}
}

// Two tokens with one label are two: neither may change what the other wrote.
func TestComments_ActorsAreNumbersNotLabels(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.File(testbed.Event{Function: "draw"})
	one, two := accounts.Actor{Kind: "token", ID: 1, Name: "ci"}, accounts.Actor{Kind: "token", ID: 2, Name: "ci"}
	issue := b.Issue(1)
	id, err := b.Triage.AddComment(t.Context(), issue.ID, "mine", one, 0)
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Triage.ChangeComment(t.Context(), issue.ID, id, "theirs", two, false); err == nil {
		t.Error("a token of the same label changes a comment")
	}
	if err := b.Triage.ChangeComment(t.Context(), issue.ID, id, "mine still", one, false); err != nil {
		t.Error(err)
	}
}

// Names are counted in characters: 100 letters of any script are a name.
func TestNames_AreCountedInCharacters(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for name, good := range map[string]bool{strings.Repeat("ن", 100): true, strings.Repeat("ن", 101): false,
		strings.Repeat("W", 101): false, "Ylva\nNygaard": false} {
		_, err := b.Accounts.AddPerson(t.Context(), name, "p@marrowsound.example", false)
		if (err == nil) != good {
			t.Errorf("a person called %.20q…: %v", name, err)
		}
	}
	if _, err := b.Accounts.AddTeam(t.Context(), strings.Repeat("港", 100), nil); err != nil {
		t.Error(err)
	}
}
