package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

func TestImpact_InTheTerminalAndTheConsole(t *testing.T) {
	t.Parallel()
	s, p := shared, "impact"
	key := s.project(t, p)
	var events []string
	for n := range 12 {
		events = append(events, event("tideAt", fmt.Sprint("p-", n), "4.2.0"))
	}
	for range 60 {
		events = append(events, event("follow", "p-1", "4.2.0"))
	}
	s.post(t, key, strings.Join(events, "\n"))
	s.settle(t)
	out, _ := s.run(t, 0, "impact", "show", "-p", p)
	saysAll(t, out, "users", "40.0", "severity", "60 minutes", "20 events")
	out, _ = s.run(t, 0, "impact", "try", "-p", p, "--weight", "users=0", "--weight", "share=0", "--weight", "frequency=100")
	saysAll(t, out, "    1      2", "follow", "2 open issues ranked; nothing was changed")
	for _, c := range []struct {
		want int
		says string
		args []string
	}{
		{1, "no part of the impact; there are users, share", []string{"try", "--weight", "luck=3"}}, {2, "is no weight: write PART=NUMBER", []string{"try", "--weight", "users=many"}}, {1, "must be a number from 0 to 1000", []string{"change", "--weight", "users=-1"}},
		{1, "must be a number", []string{"change", "--weight", "users=NaN"}}, {1, "the minutes of a surge are 10, 20", []string{"change", "--surge-minutes", "7"}}, {2, "say what to change", []string{"change"}}, {1, "lie above 0", []string{"change", "--surge-odds", "0"}},
	} {
		_, errs := s.run(t, c.want, append([]string{"impact", c.args[0], "-p", p}, c.args[1:]...)...)
		saysAll(t, errs, c.says)
	}
	out, _ = s.run(t, 0, "issue", "severity", p+"/1", "--as", "fatal")
	saysAll(t, out, "called fatal")
	_, errs := s.run(t, 1, "issue", "severity", p+"/1", "--as", "awful")
	saysAll(t, errs, `"awful" is not a severity`)
	out, _ = s.run(t, 0, "issue", "show", p+"/1")
	saysAll(t, out, "fatal, set by hand", "of 40.0  users      12 users in 14 days", "nothing for")
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/impact")
	eventually(t, tab, "the list as it is", `document.body.innerText.includes('The list as it is, 2 open issues')`)
	for _, theme := range []string{"blossom", "hedge"} {
		eval[any](t, tab, `document.documentElement.dataset.theme = '`+theme+`'`)
		accessible(t, tab, "impact in "+theme)
	}
	fill := func(part, value string) {
		t.Helper()
		eval[any](t, tab, `(() => { const i = document.querySelector('input[aria-label="weight of `+part+`"]'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, '`+value+`'); i.dispatchEvent(new Event('input', { bubbles: true })) })()`)
	}
	fill("users", "many")
	eventually(t, tab, "no number", `document.body.innerText.includes('users: write a number from 0 to 1,000.')`)
	fill("users", "0")
	fill("share", "0")
	fill("frequency", "100")
	eventually(t, tab, "before and after", `document.body.innerText.includes('The list as it would be') && document.body.innerText.includes('▲ 1') && document.body.innerText.includes('▼ 1')`)
	accessible(t, tab, "weights that are tried")
	eval[any](t, tab, `[...document.querySelectorAll('button')].find((b) => b.innerText === 'Save these weights').click()`)
	eventually(t, tab, "saved", `document.body.innerText.includes('Saved. All issues are being scored again.')`)
	eventually(t, tab, "the list follows", `document.body.innerText.includes('The list as it is')`)
	open(t, tab, s.url+"/p/"+p+"/issues/2")
	eval[any](t, tab, `document.querySelector('summary[title="show the arithmetic"]').click()`)
	eventually(t, tab, "its arithmetic", `document.body.innerText.includes('60 events in 14 days') && document.body.innerText.includes('of 100')`)
	accessible(t, tab, "the arithmetic")
	check()
	narrow(t, tab, s.url+"/p/"+p+"/impact", "h1")
	narrow(t, tab, s.url+"/p/"+p+"/round", "[aria-label=Decide]")
	accessible(t, tab, "the round at 390")
	eval[any](t, tab, `document.documentElement.dataset.theme = 'hedge'`)
	accessible(t, tab, "the round in the dark")
	press(t, tab, "l")
	eventually(t, tab, "as a list", `!document.querySelector('article')`)
	accessible(t, tab, "the round as a list")
	check()
}

// narrow opens a page at 390 pixels, where it must not scroll sideways.
func narrow(t *testing.T, tab context.Context, url, there string) {
	t.Helper()
	if err := chromedp.Do(tab, chromedp.EmulateViewport(390, 844)); err != nil {
		t.Fatal(err)
	}
	open(t, tab, url)
	eventually(t, tab, there, "!!document.querySelector('"+there+"')")
	if eval[bool](t, tab, "document.documentElement.scrollWidth > innerWidth") {
		t.Errorf("%s scrolls sideways at 390", url)
	}
}

func TestAssignRules_AndTeams(t *testing.T) {
	t.Parallel()
	s, p := shared, "assigned"
	key := s.project(t, p)
	s.run(t, 0, "person", "add", "Runa Skov", "runa.skov@marrowsound.example", "--role", "member")
	s.run(t, 0, "person", "add", "Eskil Moe", "eskil.moe@marrowsound.example", "--role", "member")
	out, _ := s.run(t, 0, "team", "create", "Night Watch", "--member", "runa.skov@marrowsound.example", "--member", "Eskil Moe")
	saysAll(t, out, "Night Watch (@night-watch): Eskil Moe, Runa Skov")
	out, _ = s.run(t, 0, "team", "change", "@night-watch", "--remove", "eskil.moe@marrowsound.example")
	saysAll(t, out, "Night Watch (@night-watch): Runa Skov")
	_, errs := s.run(t, 1, "person", "link", "Night Watch")
	saysAll(t, errs, "teams cannot sign in")
	file := filepath.Join(t.TempDir(), "rules.yaml")
	write := func(to string) {
		t.Helper()
		if err := os.WriteFile(file, []byte("assign:\n  - name: tides\n    when: origin.function == \"tideAt\"\n    to: "+to+"\n    users: 3\n    within: 2d\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write("somebody.else@marrowsound.example")
	s.run(t, 0, "rules", "check", file)
	_, errs = s.run(t, 1, "rules", "push", "-p", p, file)
	saysAll(t, errs, `4:9: assign rule "tides": no person with a role in `+p+` is called "somebody.else@marrowsound.example"`)
	write(`"@night-watch"`)
	s.run(t, 0, "rules", "push", "-p", p, file)
	until(t, "the rule acts", func() bool {
		s.post(t, key, strings.Join([]string{event("tideAt", "p-1", "4.2.0"), event("tideAt", "p-2", "4.2.0"), event("tideAt", "p-3", "4.2.0")}, "\n"))
		s.settle(t)
		out, _ := s.run(t, 0, "issue", "history", p+"/1")
		return strings.Contains(out, `given to Night Watch by the rule "tides": 3 users in 2 days`)
	})
	out, _ = s.run(t, 0, "owner", "list")
	saysAll(t, out, "Night Watch (team)", "assigned")
	s.run(t, 0, "issue", "assign", p+"/1", "--to", "Eskil Moe")
	out, _ = s.run(t, 0, "person", "leave", "Eskil Moe")
	saysAll(t, out, "Eskil Moe left.", `1 issue is still theirs: firethorn owner hand-over --from 'Eskil Moe' --to …`)
	out, _ = s.run(t, 0, "owner", "list")
	saysAll(t, out, "Eskil Moe (left)")
	_, errs = s.run(t, 1, "issue", "assign", p+"/1", "--to", "eskil.moe@marrowsound.example")
	saysAll(t, errs, "Eskil Moe left on", "choose another person")
	s.run(t, 0, "owner", "hand-over", "--from", "Eskil Moe", "--to", "@night-watch")
	for _, i := range s.issues(t, p) {
		if i.Owner == nil || *i.Owner != "Night Watch" {
			t.Errorf("%+v", i)
		}
	}
	out, _ = s.run(t, 0, "person", "return", "Eskil Moe")
	saysAll(t, out, "works here again")
}
