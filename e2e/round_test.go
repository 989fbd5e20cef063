package e2e

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"firethorn/demo/apps"
	"firethorn/demo/replay"
)

// morning is a project with what two of the demo's applications ran into, two
// releases of each, and their symbols.
func morning(t *testing.T, s *service, p string) {
	t.Helper()
	lines, err := replay.Load("../demo/recording/recording.ndjson")
	if err != nil {
		t.Fatal(err)
	}
	key := s.project(t, p)
	for _, v := range apps.QuaysideReleases {
		s.run(t, 0, "symbols", "push", "--project", p, "--release", v, "--served-at", "https://quayside.example/", "../demo/quayside/build/symbols-"+v)
	}
	for _, v := range apps.GangwayReleases {
		s.run(t, 0, "symbols", "push", "--project", p, "--release", v, apps.GangwayDir("../demo", v))
	}
	now := time.Now()
	for _, app := range []string{"quayside", "gangway"} {
		events := slices.Concat(replay.Traffic(lines, app, false, now), replay.Traffic(lines, app, true, now))
		for chunk := range slices.Chunk(events, 100) {
			var body []string
			for _, e := range chunk {
				body = append(body, string(e))
			}
			if code, answer := s.post(t, key, strings.Join(body, "\n")); code != 202 {
				t.Fatalf("%d %s", code, answer)
			}
		}
	}
	s.settle(t)
}

// The demo's morning by keyboard alone: every issue is decided about, one is
// put off, one undone; the round ends with what was decided.
func TestRound_InTheConsole(t *testing.T) {
	t.Parallel()
	s, p := shared, "round-console"
	morning(t, s, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/round")
	eventually(t, tab, "the queue", `document.querySelectorAll('[aria-label="What waits"] li').length >= 15`)
	eventually(t, tab, "the first with its source", `!!document.querySelector(".source .at") && !!document.querySelector("[aria-label=\"Similar issues\"]")`)
	accessible(t, tab, "the round")
	all := eval[int](t, tab, `document.querySelectorAll('[aria-label="What waits"] li').length`)
	left := func() string { return `document.querySelector('[aria-label="What waits"] [role=status]').innerText` }
	keys, began := 0, time.Now()
	do := func(what string) {
		t.Helper()
		for _, k := range what {
			keys++
			if k == '\r' || k >= '0' && k <= '9' { // into a dialog, once it is there
				eventually(t, tab, "a dialog", `document.querySelector('dialog[open]') && document.activeElement?.closest('dialog') !== null`)
			}
			press(t, tab, string(k))
			if k == '\r' {
				eventually(t, tab, "the dialog is gone", `!document.querySelector('dialog[open]')`)
			}
		}
	}
	// In the order of impact: accept, assign, park until 10 more users, fixed in
	// what is proposed, dismiss.
	for i := range all - 1 {
		do([]string{"a", "s\r", "p10\r", "f\r", "d"}[i%5])
		eventually(t, tab, fmt.Sprintf("the next one comes, %d decided", i+1), left()+fmt.Sprintf(".startsWith('%d left')", all-1-i))
	}
	do("z") // the last one was wrong
	eventually(t, tab, "it is in hand again", left()+".startsWith('2 left')")
	do("+")
	eventually(t, tab, "it is called worse", `document.body.innerText.includes('is called fatal; its impact')`)
	do("z")
	eventually(t, tab, "that is taken back, too", `document.body.innerText.includes('is called error again')`)
	do("dj")
	eventually(t, tab, "all was dealt with", `document.body.innerText.includes('That was all')`)
	do("z")
	eventually(t, tab, "what was put off is in hand", left()+".startsWith('1 left')")
	do("j")
	eventually(t, tab, "all was dealt with again", `document.body.innerText.includes('That was all')`)
	do("e")
	eventually(t, tab, "the summary", fmt.Sprintf(`document.querySelector('h1')?.innerText.startsWith('%d issues in ')`, all-1))
	t.Logf("%d issues: %d keys, %s with the waiting of the test", all, keys, time.Since(began).Round(100*time.Millisecond))
	eventually(t, tab, "one is left", `document.body.innerText.includes('1 is left for another time.')`)
	accessible(t, tab, "the summary of a round")
	states := map[string]int{}
	for _, i := range s.issues(t, p, "--state", "all") {
		states[i.State]++
	}
	if states["new"] != 1 || states["accepted"] < 4 || states["parked"] < 2 || states["fixed"] < 2 || states["dismissed"] < 2 {
		t.Errorf("states %v", states)
	}
	check()
}

// Two people in a round at once: each sees what the other decided, and what one
// decides unaware of it is refused.
func TestRound_OfTwoInTheConsole(t *testing.T) {
	t.Parallel()
	s, p := shared, "round-of-two"
	key := s.project(t, p)
	var events []string
	for _, f := range []string{"tideAt", "zoneOf", "draw"} {
		for n := range 3 - len(events)/3 {
			events = append(events, event(f, fmt.Sprint("p-", n), "4.2.0"))
		}
	}
	s.post(t, key, strings.Join(events, "\n"))
	s.settle(t)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/")
	eventually(t, tab, "what waits, where one begins", `/^[\d,]+ (or more )?needs? a decision of yours/.test(document.querySelector('[aria-label="What waits for you"]')?.innerText)`)
	press(t, tab, "\r")
	eventually(t, tab, "the round of all projects", `location.pathname === '/round' && document.querySelectorAll('[aria-label="What waits"] li').length >= 3`)
	open(t, tab, s.url+"/p/"+p+"/round")
	eventually(t, tab, "three wait", `document.querySelector('[aria-label="What waits"] [role=status]')?.innerText.startsWith('3 left')`)
	s.run(t, 0, "person", "add", "Signe Dahl", "signe.dahl@marrowsound.example", "--role", "member")
	var token struct{ Token string }
	s.json(t, &token, "token", "create", "signe", "--scope", "person", "--person", "Signe Dahl")
	second := s.issues(t, p)[1].ID
	s.run(t, 0, "--token", token.Token, "issue", "dismiss", second)
	eventually(t, tab, "what the other one did", `document.querySelector('[aria-label="What waits"]').innerText.includes('Signe Dahl: dismissed')`)
	eventually(t, tab, "it waits no more", `document.querySelector('[aria-label="What waits"] [role=status]').innerText.startsWith('2 left')`)
	// Both decide about the first at once: what is on the screen is older.
	first := s.issues(t, p)[0].ID
	s.run(t, 0, "--token", token.Token, "issue", "assign", first, "--to", "Signe Dahl")
	press(t, tab, "d")
	eventually(t, tab, "it is refused, and says by whom", `document.body.innerText.includes('Signe Dahl changed this issue in between') || document.querySelector('[aria-label="What waits"]').innerText.includes('Signe Dahl: assigned')`)
	for _, i := range s.issues(t, p) {
		if i.ID == first && i.State != "accepted" {
			t.Errorf("%+v", i)
		}
	}
	check("412 (Precondition Failed)")
}

// The same in the terminal, by lines.
func TestRound_InTheTerminal(t *testing.T) {
	t.Parallel()
	s, p := shared, "round-terminal"
	morning(t, s, p)
	s.run(t, 0, "person", "add", "Berit Aune", "berit.aune@marrowsound.example", "--role", "member")
	var token struct{ Token string }
	s.json(t, &token, "token", "create", "berit", "--scope", "person", "--person", "Berit Aune")
	as := func(in string, want int, args ...string) string {
		t.Helper()
		out, errs := s.runIn(t, in, want, append([]string{"--token", token.Token, "--project", p}, args...)...)
		return out + errs
	}
	var r struct {
		Items []struct {
			ID  string
			Why []struct{ Kind, Words string }
		}
		Waiting int
	}
	s.json(t, &r, "--token", token.Token, "--project", p, "round")
	if len(r.Items) < 15 || r.Waiting != len(r.Items) || r.Items[0].Why[0].Kind != "new" {
		t.Fatalf("%d of %d: %+v", len(r.Items), r.Waiting, r.Items[:1])
	}
	saysAll(t, as("", 0, "round", "--list"), r.Items[0].ID)
	var in []string
	for i := range r.Items {
		in = append(in, []string{"a", "s berit", "p 2w users 10", "f 4.2.2", "d"}[i%5])
	}
	in[3] = "f" // asks for what
	in = append(in[:4], append([]string{"next"}, in[4:]...)...)
	in = append([]string{"?", "x", "s nobody-here", "p soon", "m 1", "i", "+"}, in...)
	in = append(in, "z", "c of no use", "z", "c fits the tide tables", "j", "z", "+", "d", "z", "m "+strings.TrimPrefix(r.Items[0].ID, p+"/"), "z", "z", "j")
	began := time.Now()
	out := as(strings.Join(in, "\n")+"\n", 0, "round")
	t.Logf("%d issues in the terminal: %d lines in %s", len(r.Items), len(in), time.Since(began).Round(10*time.Millisecond))
	saysAll(t, out, fmt.Sprintf("%d need a decision", len(r.Items)), fmt.Sprintf("[1 of %d]", len(r.Items)), "x is no key here", `no person with a role in `+p+` is called "nobody-here"`, `"soon" is no time to come`, "called fatal; impact",
		"accepted", "with Berit Aune", "or 10 more users", "fixed in the next release", "dismissed", "of 40.0  users", "▶", "said", "your decision is undone", "leads to "+r.Items[0].ID+" now", "called error again", fmt.Sprintf("Round of %s: ", p), "1 is left for another time.")
	if strings.Contains(out, "\x1b") {
		t.Errorf("colours where nobody sees them: %q", out[:300])
	}
	saysAll(t, as("", 0, "round", "--list"), "1 needs a decision. Your last round ended just now.")
	if out, _ := s.run(t, 0, "issue", "history", r.Items[len(r.Items)-1].ID); strings.Contains(out, "of no use") || !strings.Contains(out, "fits the tide tables") {
		t.Errorf("what was taken back: %s", out)
	}
	// What somebody has is seen, and let come again.
	s.run(t, 0, "issue", "comment", r.Items[1].ID, "do look")
	saysAll(t, as("j\nz\n", 0, "round"), "writes: do look", "2 are left for another time.")
	saysAll(t, as("j\n", 0, "round"), "1 is left for another time.")
	s.run(t, 3, "round") // the token of no person
}
