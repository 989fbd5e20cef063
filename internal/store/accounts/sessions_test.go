package accounts_test

import (
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/testbed"
)

// signedIn opens a session of somebody.
func signedIn(t *testing.T, b *testbed.Bench, p *accounts.Person, before string) string {
	t.Helper()
	link, err := b.Accounts.NewSignInLink(t.Context(), p.ID, time.Hour)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := b.Accounts.SignIn(t.Context(),
		accounts.Opening{Link: link, Agent: "Firefox " + strings.Repeat("x", 400), Address: "10.0.0.7", Before: before})
	if err != nil {
		t.Fatal(err)
	}
	return secret
}

// A session ends 12 hours after its last use, and 30 days after it was opened.
func TestSessions_RunOut(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren := add(t, b, "Maren Holt", false)
	idle, used := signedIn(t, b, maren, ""), signedIn(t, b, maren, "")
	good := func(secret string) bool {
		_, err := b.Accounts.GrantOfSession(t.Context(), secret, "10.0.0.8")
		if err != nil && testbed.Code(err) != problem.Unauthorized {
			t.Fatal(err)
		}
		return err == nil
	}
	for range 71 { // 30 days but some hours
		b.Now = b.Now.Add(10 * time.Hour)
		if !good(used) {
			t.Fatalf("a session that is used ended after %s", b.Now.Sub(testbed.Noon))
		}
	}
	if good(idle) {
		t.Error("a session that nobody used goes on")
	}
	list, err := b.Accounts.SessionsOf(t.Context(), maren.ID)
	if err != nil || len(list) != 1 || !list[0].Opened.Equal(testbed.Noon) || !list[0].Used.Equal(b.Now) || list[0].Address != "10.0.0.8" ||
		!list[0].RunsOut.Equal(testbed.Noon.Add(accounts.SessionLife)) || len(list[0].Agent) != 300 {
		t.Errorf("listed: %+v, %v", list, err)
	}
	b.Now = testbed.Noon.Add(accounts.SessionLife + time.Minute)
	if good(used) {
		t.Error("a session outlives 30 days")
	}
	if err := b.Accounts.PurgeSignIns(t.Context()); err != nil || b.One("SELECT COUNT(*) FROM web_session") != 0 {
		t.Errorf("%d rows are left, %v", b.One("SELECT COUNT(*) FROM web_session"), err)
	}
}

// Signing in again ends the session that the browser had.
func TestSessions_RotateAtSignIn(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren := add(t, b, "Maren Holt", false)
	first := signedIn(t, b, maren, "")
	second := signedIn(t, b, maren, first)
	if _, err := b.Accounts.GrantOfSession(t.Context(), first, ""); testbed.Code(err) != problem.Unauthorized {
		t.Errorf("the session before: %v", err)
	}
	if _, err := b.Accounts.GrantOfSession(t.Context(), second, ""); err != nil {
		t.Errorf("the new one: %v", err)
	}
}

// After a role changed, by whatever way, a session gets another secret. The one before
// is good until the new one has arrived, and a minute more.
func TestSessions_RotateWithRoles(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren := add(t, b, "Maren Holt", false)
	crew, err := b.Accounts.AddTeam(t.Context(), "Harbour Crew", nil)
	if err != nil {
		t.Fatal(err)
	}
	secret := signedIn(t, b, maren, "")
	use := func(secret string) (next string) {
		t.Helper()
		g, err := b.Accounts.GrantOfSession(t.Context(), secret, "")
		if err != nil {
			t.Fatal(err)
		}
		if next, err = b.Accounts.Rotate(t.Context(), g); err != nil {
			t.Fatal(err)
		}
		return next
	}
	if use(secret) != "" {
		t.Error("it gets another secret for nothing")
	}
	for what, change := range map[string]func() error{
		"a role": func() error {
			return b.Accounts.SetRole(t.Context(), maren, accounts.NewRole{Project: b.Project.ID, Role: access.Member})
		},
		"a team": func() error {
			_, err := b.Accounts.ChangeTeam(t.Context(), "Harbour Crew", []string{"Maren Holt"}, nil)
			return err
		},
		"a team's role": func() error {
			if _, err := b.Accounts.ChangeTeam(t.Context(), "Harbour Crew", []string{"Maren Holt"}, nil); err != nil {
				return err
			}
			return b.Accounts.SetRole(t.Context(), crew, accounts.NewRole{Project: b.Project.ID, Role: access.Viewer})
		},
		"operator": func() error {
			return b.Accounts.SetOperator(t.Context(), maren, true)
		},
	} {
		b.Now = b.Now.Add(time.Second)
		if err := change(); err != nil {
			t.Fatal(what, err)
		}
		b.Now = b.Now.Add(time.Second)
		next := use(secret)
		if next == "" {
			t.Fatalf("after %s: the same secret", what)
		}
		if use(secret) != "" { // a request that was on its way
			t.Errorf("after %s: two secrets at once", what)
		}
		if use(next) != "" {
			t.Errorf("after %s: another one at once", what)
		}
		b.Now = b.Now.Add(2 * time.Minute)
		if _, err := b.Accounts.GrantOfSession(t.Context(), secret, ""); testbed.Code(err) != problem.Unauthorized {
			t.Errorf("after %s: the secret before is good for long: %v", what, err)
		}
		secret = next
	}
	// An answer with the new secret that got lost: the old one gets another.
	b.Now = b.Now.Add(time.Second)
	give(t, b, maren, b.Project.ID, access.Maintainer)
	b.Now = b.Now.Add(time.Second)
	lost := use(secret)
	b.Now = b.Now.Add(5 * time.Minute)
	again := use(secret)
	if lost == "" || again == "" || lost == again {
		t.Fatalf("lost %q, then %q", lost, again)
	}
	if _, err := b.Accounts.GrantOfSession(t.Context(), lost, ""); testbed.Code(err) != problem.Unauthorized {
		t.Errorf("the lost one is good: %v", err)
	}
	if use(again) != "" {
		t.Error("not the last")
	}
}

// Signing out, or in again, ends a session whose secret has just been replaced, too:
// the request still carries the one before.
func TestSignOut_EndsASessionByTheSecretBefore(t *testing.T) {
	for _, again := range []bool{false, true} {
		b := testbed.Open(t, testbed.Noon)
		maren := add(t, b, "Maren Holt", false)
		secret := signedIn(t, b, maren, "")
		b.Now = b.Now.Add(time.Second)
		give(t, b, maren, b.Project.ID, access.Member)
		b.Now = b.Now.Add(time.Second)
		g, err := b.Accounts.GrantOfSession(t.Context(), secret, "")
		if err != nil {
			t.Fatal(err)
		}
		next, err := b.Accounts.Rotate(t.Context(), g)
		if err != nil || next == "" {
			t.Fatal(next, err)
		}
		if again {
			signedIn(t, b, maren, secret)
		} else if err := b.Accounts.SignOut(t.Context(), secret); err != nil {
			t.Fatal(err)
		}
		for _, s := range []string{secret, next} {
			if _, err := b.Accounts.GrantOfSession(t.Context(), s, ""); testbed.Code(err) != problem.Unauthorized {
				t.Errorf("signed in again is %v: a session goes on: %v", again, err)
			}
		}
	}
}

func TestEndSession(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren, oke := add(t, b, "Maren Holt", false), add(t, b, "Oke Farrow", false)
	his := signedIn(t, b, oke, "")
	secrets := []string{signedIn(t, b, maren, ""), signedIn(t, b, maren, ""), signedIn(t, b, maren, "")}
	g, err := b.Accounts.GrantOfSession(t.Context(), secrets[0], "")
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Accounts.EndSession(t.Context(), oke.ID, g.Session); testbed.Code(err) != problem.NotFound {
		t.Errorf("somebody else's: %v", err)
	}
	if err := b.Accounts.EndSession(t.Context(), maren.ID, g.Session); err != nil {
		t.Fatal(err)
	}
	if err := b.Accounts.EndSession(t.Context(), maren.ID, g.Session); testbed.Code(err) != problem.NotFound {
		t.Errorf("twice: %v", err)
	}
	g, err = b.Accounts.GrantOfSession(t.Context(), secrets[1], "")
	if err != nil {
		t.Fatal(err)
	}
	if n, err := b.Accounts.EndOtherSessions(t.Context(), maren.ID, g.Session); err != nil || n != 1 {
		t.Errorf("%d others ended, %v", n, err)
	}
	for secret, good := range map[string]bool{secrets[0]: false, secrets[1]: true, secrets[2]: false, his: true} {
		if _, err := b.Accounts.GrantOfSession(t.Context(), secret, ""); (err == nil) != good {
			t.Errorf("good is %v: %v", good, err)
		}
	}
}

// A rotated token has another text, and lives as long again; the text before is good
// for the overlap. One that is older than roles is bound to them by it.
func TestRotateToken(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren := add(t, b, "Maren Holt", false)
	id, text, err := b.Accounts.CreateToken(t.Context(),
		accounts.NewToken{Label: "terminal", Scope: "person", Kind: access.KindPerson,
			Given: access.KindPerson.Usual(), Person: maren.ID, Projects: []int64{b.Project.ID}, Maker: "Maren Holt",
			Life: 24 * time.Hour})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := b.DB.ExecContext(t.Context(), "UPDATE token SET before_roles=1 WHERE id=?", id); err != nil {
		t.Fatal(err)
	}
	if g, err := b.Accounts.GrantOfToken(t.Context(), text, "10.0.0.7"); err != nil || !g.Before || g.ByRole() {
		t.Errorf("older than roles: %+v, %v", g, err)
	}
	all := accounts.TokensOf{All: true}
	if list, err := b.Accounts.Tokens(t.Context(), all); err != nil || !strings.Contains(list[0].Warning(),
		"older than roles") || list[0].LastAddress != "10.0.0.7" ||
		list[0].Maker != "Maren Holt" || len(list[0].Projects) != 1 {
		t.Errorf("%+v, %v", list[0], err)
	}
	b.Now = b.Now.Add(20 * time.Hour)
	r, err := b.Accounts.RotateToken(t.Context(), id, time.Hour, all)
	if err != nil || r.Text == text || !r.Expires.Equal(b.Now.Add(24*time.Hour)) || !r.OldUntil.Equal(b.Now.Add(time.Hour)) {
		t.Fatalf("%+v, %v", r, err)
	}
	for _, x := range []string{text, r.Text} {
		if g, err := b.Accounts.GrantOfToken(t.Context(), x,
			""); err != nil || g.TokenID != id || g.Before || !g.ByRole() || !g.Limited {
			t.Errorf("within the overlap: %+v, %v", g, err)
		}
	}
	b.Now = b.Now.Add(2 * time.Hour)
	if _, err := b.Accounts.GrantOfToken(t.Context(), text, ""); testbed.Code(err) != problem.Unauthorized {
		t.Errorf("the text before, after the overlap: %v", err)
	}
	if _, err := b.Accounts.GrantOfToken(t.Context(), r.Text, ""); err != nil {
		t.Error(err)
	}
	if r, err = b.Accounts.RotateToken(t.Context(), id, 0, all); err != nil || !r.OldUntil.IsZero() {
		t.Errorf("without overlap: %+v, %v", r, err)
	}
}

// Who maintains all projects of a token of nobody may end it; of their own tokens
// people may end each, of others none.
func TestTokens_WhoseTheyAre(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	maren, oke, tor := add(t, b, "Maren Holt", false), add(t, b, "Oke Farrow", false), add(t, b, "Tor Aasen", false)
	give(t, b, maren, b.Project.ID, access.Maintainer)
	give(t, b, oke, b.Project.ID, access.Member)
	give(t, b, tor, accounts.Everywhere, access.Maintainer)
	create := func(n accounts.NewToken) int64 {
		t.Helper()
		n.Label, n.Scope, n.Given = "x", string(n.Kind), []access.Permission{access.PushSymbols}
		id, _, err := b.Accounts.CreateToken(t.Context(), n)
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	build := create(accounts.NewToken{Kind: access.KindBuild, Projects: []int64{b.Project.ID}})
	his := create(accounts.NewToken{Kind: access.KindPerson, Person: oke.ID})
	everywhere := create(accounts.NewToken{Kind: access.KindBuild})
	for _, c := range []struct {
		of   accounts.TokensOf
		want []int64
	}{
		{accounts.TokensOf{All: true}, []int64{everywhere, his, build}},
		{accounts.TokensOf{Person: maren.ID}, []int64{build}},
		{accounts.TokensOf{Person: oke.ID}, []int64{his}}, {accounts.TokensOf{Person: tor.ID}, []int64{build}},
		{accounts.TokensOf{Person: oke.ID, Builds: true}, []int64{everywhere, his, build}}, {accounts.TokensOf{}, nil},
	} {
		list, err := b.Accounts.Tokens(t.Context(), c.of)
		var ids []int64
		for _, x := range list {
			ids = append(ids, x.ID)
		}
		if err != nil || len(ids) != len(c.want) {
			t.Fatalf("%+v sees %v, want %v (%v)", c.of, ids, c.want, err)
		}
		for i := range ids {
			if ids[i] != c.want[i] {
				t.Errorf("%+v sees %v, want %v", c.of, ids, c.want)
			}
		}
	}
	if err := b.Accounts.RevokeToken(t.Context(), build,
		accounts.TokensOf{Person: oke.ID}); testbed.Code(err) != problem.NotFound {
		t.Errorf("a member ends the build's token: %v", err)
	}
	if err := b.Accounts.RevokeToken(t.Context(), build, accounts.TokensOf{Person: maren.ID}); err != nil {
		t.Errorf("its maintainer does: %v", err)
	}
}
