package mariadb

import (
	"os"
	"slices"
	"strings"
	"testing"
	"time"
)

func TestTokens(t *testing.T) {
	b := open1(t, noon)
	_, text, err := b.CreateToken(t.Context(), NewToken{Label: "ci", Scope: ScopeBuild, Life: TokenLife})
	if err != nil {
		t.Fatal(err)
	}
	id, more, err := b.CreateToken(t.Context(), NewToken{Label: "ci", Scope: ScopeBuild, More: []Permission{PushRules}})
	if err != nil {
		t.Fatal(err)
	}
	plain, err1 := b.GrantOfToken(t.Context(), text)
	wide, err2 := b.GrantOfToken(t.Context(), more)
	if err1 != nil || err2 != nil || plain.Allows(PushRules) || plain.Allows(ReadEvents) || plain.Allows(ReadIssues) || !plain.Allows(CheckRules) || !wide.Allows(PushRules) || wide.Allows(ReadEvents) {
		t.Errorf("a build token: %+v (%v); one that may more: %+v (%v)", plain, err1, wide, err2)
	}
	list, err := b.Tokens(t.Context())
	if err != nil || len(list) != 2 || list[0].ID != id || list[0].Warning() == "" || list[1].Warning() != "" || !list[1].Expires.Equal(noon.Add(TokenLife)) || !list[1].LastUsed.Equal(noon) {
		t.Errorf("listed: %+v, %v", list, err)
	}
	if _, _, err := b.CreateToken(t.Context(), NewToken{Label: "x", Scope: ScopeBuild, More: []Permission{Administer}}); err == nil {
		t.Error("the admin permission can be given by itself")
	}
	if err := b.RevokeToken(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	if _, err := b.GrantOfToken(t.Context(), more); err == nil {
		t.Error("a revoked token works")
	}
	if err := b.RevokeToken(t.Context(), id); err == nil {
		t.Error("a token is revoked twice")
	}
	b.now = noon.Add(TokenLife + time.Minute)
	if _, err := b.GrantOfToken(t.Context(), text); err == nil {
		t.Error("a token works after its time")
	}
}

// Tokens of before keep what they had, and a build token among them is listed
// with a warning.
func TestTokens_OfBefore(t *testing.T) {
	b := open1(t, noon)
	if _, err := b.db.ExecContext(t.Context(), "INSERT INTO token (hash, label, scope, created) VALUES (UNHEX(SHA2('old',256)),'old','build',0)"); err != nil {
		t.Fatal(err)
	}
	raw, err := os.ReadFile("migrate/0015_bounds.sql")
	if err != nil {
		t.Fatal(err)
	}
	_, statement, _ := strings.Cut(string(raw), "UPDATE token SET")
	statement, _, _ = strings.Cut(statement, ";")
	if _, err := b.db.ExecContext(t.Context(), "UPDATE token SET"+statement); err != nil {
		t.Fatal(err)
	}
	list, err := b.Tokens(t.Context())
	if err != nil || len(list) != 1 || !slices.Contains(list[0].Permissions, PushRules) || slices.Contains(list[0].Permissions, ReadEvents) || list[0].Warning() == "" {
		t.Errorf("listed: %+v, %v", list[0], err)
	}
}

func TestSignIn_NewInvitationsEndOldOnes(t *testing.T) {
	b := open1(t, noon)
	p, err := b.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false)
	if err != nil {
		t.Fatal(err)
	}
	first, err := b.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	second, err := b.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.SignIn(t.Context(), first); err == nil {
		t.Error("an older invitation works")
	}
	secret, err := b.SignIn(t.Context(), second)
	if err != nil {
		t.Fatal(err)
	}
	third, err := b.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	if n, err := b.SignOutPerson(t.Context(), p.ID); n != 1 || err != nil {
		t.Errorf("signed out of %d sessions, %v", n, err)
	}
	if _, err := b.GrantOfSession(t.Context(), secret); err == nil {
		t.Error("a session goes on after signing out")
	}
	if _, err := b.SignIn(t.Context(), third); err == nil {
		t.Error("an unused link works after signing out")
	}
}

func TestSignIn_PurgesWhatHasRunOut(t *testing.T) {
	b := open1(t, noon)
	p, err := b.AddPerson(t.Context(), "Maren Holt", "maren@marrowsound.example", false)
	if err != nil {
		t.Fatal(err)
	}
	link, err := b.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.SignIn(t.Context(), link); err != nil {
		t.Fatal(err)
	}
	left := func() (n int) {
		t.Helper()
		if err := b.PurgeSignIns(t.Context()); err != nil {
			t.Fatal(err)
		}
		if err := b.db.QueryRowContext(t.Context(), "SELECT (SELECT COUNT(*) FROM web_session)+(SELECT COUNT(*) FROM sign_in_link)").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if n := left(); n != 2 {
		t.Errorf("%d rows are left at once, want 2", n)
	}
	b.now = noon.Add(SessionLife + time.Hour)
	if n := left(); n != 0 {
		t.Errorf("%d rows are left when all has run out", n)
	}
}

// Two tokens with one label are two: neither may change what the other wrote.
func TestComments_ActorsAreNumbersNotLabels(t *testing.T) {
	b := open1(t, noon)
	b.file(occur{function: "draw"})
	one, two := Actor{Kind: "token", ID: 1, Name: "ci"}, Actor{Kind: "token", ID: 2, Name: "ci"}
	issue := b.issue(1)
	id, err := b.AddComment(t.Context(), issue.ID, "mine", one, 0)
	if err != nil {
		t.Fatal(err)
	}
	if err := b.ChangeComment(t.Context(), issue.ID, id, "theirs", two, false); err == nil {
		t.Error("a token of the same label changes a comment")
	}
	if err := b.ChangeComment(t.Context(), issue.ID, id, "mine still", one, false); err != nil {
		t.Error(err)
	}
}
