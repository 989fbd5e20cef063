package e2e

import (
	"fmt"
	"strings"
	"testing"
)

// Members of a project, tokens and sessions, in the console; and what a viewer is
// offered.
func TestRoles_InTheConsole(t *testing.T) {
	t.Parallel()
	s, name := shared, "roles"
	key := s.project(t, name)
	if code, answer := s.post(t, key, event("tideAt", "p-1", "4.2.0")); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	s.settle(t)
	s.run(t, 0, "person", "add", "Vera Lund", "vera.lund@marrowsound.example")
	tab, check := signedIn(t, s)
	set := func(selector, text string) { t.Helper(); setValue(t, tab, selector, text) }

	open(t, tab, s.url+"/p/"+name+"/settings")
	eventually(t, tab, "the members", `document.querySelector('section[aria-label=Members]')?.innerText.includes('Operator')`)
	eval[any](t, tab, mainButton("Add a member")+`.click()`)
	eventually(t, tab, "the dialog", `document.querySelector('dialog input[list=who]') !== null`)
	accessible(t, tab, "the dialog of a new member")
	set("dialog input", "vera.lund@marrowsound.example")
	eval[any](t, tab, `document.querySelectorAll('dialog input[type=radio]')[0].click()`)
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "she is a viewer", `document.querySelector('[aria-label="Role of Vera Lund"]')?.value === 'viewer'`)

	// A viewer reads and comments; what they may not do is not offered.
	viewer := newTab(t)
	signIn(t, s, viewer, "Vera Lund")
	open(t, viewer, s.url+"/p/"+name+"/issues/1")
	eventually(t, viewer, "no decisions", `document.querySelector('[role=note]')?.innerText.includes('You are a viewer here') && document.querySelector('[role=toolbar][aria-label^=Decide]') === null`)
	accessible(t, viewer, "an issue for a viewer")
	press(t, viewer, "a") // accepts nothing
	open(t, viewer, s.url+"/p/"+name+"/rules")
	eventually(t, viewer, "rules to try", `document.querySelector('main')?.innerText.includes('You can try rules here')`)
	open(t, viewer, s.url+"/")
	eventually(t, viewer, "her projects", `document.querySelectorAll('main table tbody tr').length === 1`)
	if st := s.issues(t, name)[0].State; st != "new" {
		t.Errorf("a viewer's key made the issue %s", st)
	}
	set(`[aria-label="Role of Vera Lund"]`, "member")
	var members struct{ Members []struct{ Name, Role string } }
	until(t, "she is a member", func() bool {
		s.json(t, &members, "member", "list", "--project", name)
		return strings.Contains(fmt.Sprint(members.Members), "{Vera Lund member}")
	})
	open(t, viewer, s.url+"/p/"+name+"/issues/1")
	eventually(t, viewer, "decisions", `document.querySelector('[role=toolbar][aria-label^=Decide]') !== null`)
	eval[any](t, tab, `document.querySelector('[aria-label="Remove Vera Lund"]').click()`)
	until(t, "she is out", func() bool {
		s.json(t, &members, "member", "list", "--project", name)
		return !strings.Contains(fmt.Sprint(members.Members), "Vera Lund")
	})
	eval[any](t, viewer, `location.reload()`)
	eventually(t, viewer, "there is no such project", `document.body.innerText.includes('there is no project "roles"')`)

	// A token is shown once, rotated, and ended.
	open(t, tab, s.url+"/tokens")
	eventually(t, tab, "the tokens", `document.querySelector('h1')?.innerText === 'Tokens' && document.querySelector('main table')?.innerText.includes('everything')`)
	eval[any](t, tab, mainButton("New token")+`.click()`)
	eventually(t, tab, "the dialog", `document.querySelectorAll('dialog input[name=kind]').length === 4`)
	accessible(t, tab, "the dialog of a new token")
	set("dialog input", "roles build")
	eval[any](t, tab, `document.querySelectorAll('dialog input[name=kind]')[1].click()`)
	eventually(t, tab, "its projects", `[...document.querySelectorAll('dialog label')].some((l) => l.innerText.trim() === 'roles')`)
	eval[any](t, tab, `[...document.querySelectorAll('dialog label')].find((l) => l.innerText.trim() === 'roles').click()`)
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "its text", `document.querySelector('dialog pre[aria-label="The token"]')?.innerText.length === 43`)
	text := eval[string](t, tab, `document.querySelector('dialog pre').innerText`)
	if code, answer := s.ask(t, text, "POST", "/api/projects/roles/rules/check", map[string]any{"text": "intake: []"}); code != 200 {
		t.Errorf("the token checks rules: %d %s", code, answer)
	}
	eval[any](t, tab, `[...document.querySelectorAll('dialog button')].find((b) => b.innerText === 'Done').click()`)
	row := `[...document.querySelectorAll('main tbody tr')].find((r) => r.innerText.includes('roles build'))`
	eventually(t, tab, "it is listed", row+`?.innerText.includes('push symbols')`)
	eval[any](t, tab, row+`.querySelector('[aria-label^=Rotate]').click()`)
	eventually(t, tab, "the dialog of rotating", `document.querySelector('dialog select') !== null`)
	set("dialog select", "0")
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "another text", `document.querySelector('dialog pre[aria-label="The token"]')?.innerText.length === 43`)
	if code, _ := s.ask(t, text, "GET", "/api/me", nil); code != 401 {
		t.Errorf("the text before: %d", code)
	}
	eval[any](t, tab, `[...document.querySelectorAll('dialog button')].find((b) => b.innerText === 'Done').click()`)
	eval[any](t, tab, row+`.querySelector('[aria-label^=Revoke]').click()`)
	eventually(t, tab, "the dialog of the end", `document.querySelector('dialog form') !== null`)
	eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "it is gone", row+` === undefined`)

	// Where somebody is signed in, and the end of it there.
	again := newTab(t)
	signIn(t, s, again, "Vera Lund")
	open(t, again, s.url+"/sign-ins")
	eventually(t, again, "two browsers", `document.querySelectorAll('main tbody tr').length === 2 && document.querySelector('main').innerText.includes('this one') && /Chrome \d+ on Linux/.test(document.querySelector('main').innerText)`)
	accessible(t, again, "where somebody is signed in")
	eval[any](t, again, `[...document.querySelectorAll('main button')].find((b) => b.innerText === 'Sign out everywhere else').click()`)
	eventually(t, again, "one", `document.querySelectorAll('main tbody tr').length === 1`)
	open(t, viewer, s.url+"/")
	eventually(t, viewer, "signed out there", `document.querySelector('h1')?.innerText === 'You are not signed in'`)
	check("404", "401")
}

// What changes who may do what asks for a fresh sign-in where the last one is long
// ago, and works behind it.
func TestFreshSignIn_InTheConsole(t *testing.T) {
	t.Parallel()
	s := own(t)
	s.project(t, "fresh")
	s.run(t, 0, "token", "create", "an old build", "--scope", "build", "--project", "fresh")
	tab := newTab(t)
	signIn(t, s, tab, "Operator")
	if _, err := databaseOf(t, s.dir).Exec("UPDATE web_session SET created=created-11*60*1000000"); err != nil {
		t.Fatal(err)
	}
	open(t, tab, s.url+"/tokens")
	row := `[...document.querySelectorAll('main tbody tr')].find((r) => r.innerText.includes('an old build'))`
	eventually(t, tab, "the token", row+` !== undefined`)
	revoke := func() {
		t.Helper()
		eval[any](t, tab, row+`.querySelector('[aria-label^=Revoke]').click()`)
		eventually(t, tab, "the dialog", `document.querySelector('dialog form') !== null`)
		eval[any](t, tab, `document.querySelector('dialog form').requestSubmit()`)
	}
	revoke()
	again := `document.querySelector('dialog[aria-label="Sign in again"]')`
	eventually(t, tab, "the service asks for a sign-in", again+` !== null`)
	eventually(t, tab, "the field has the focus", `document.activeElement?.matches("dialog input")`)
	accessible(t, tab, "the dialog of signing in again")
	var p struct {
		SignInLink string `json:"sign_in_link"`
	}
	s.json(t, &p, "person", "link", "Operator")
	setValue(t, tab, `dialog[aria-label="Sign in again"] input`, p.SignInLink)
	eval[any](t, tab, again+`.querySelector('form').requestSubmit()`)
	eventually(t, tab, "signed in again", again+` === null && document.body.innerText.includes('Do it again now')`)
	eval[any](t, tab, `document.querySelector('dialog form')?.requestSubmit()`)
	eventually(t, tab, "it is gone", row+` === undefined`)
}
