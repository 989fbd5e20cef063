package e2e

import (
	"fmt"
	"strings"
	"testing"
)

func TestConsole_DecidesAboutMany(t *testing.T) {
	t.Parallel()
	s, p := shared, "console-many"
	key := s.project(t, p)
	var events []string
	for i := range 6 {
		events = append(events, event("lane"+string("abcdef"[i]), "p-1", "4.2.0"))
	}
	s.post(t, key, strings.Join(events, "\n"))
	s.settle(t)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "six rows", `document.querySelectorAll('[role=row][aria-selected]').length === 6`)
	press(t, tab, "xjjx")
	eventually(t, tab, "two are marked", `document.body.innerText.includes('2 issues marked.')`)
	accessible(t, tab, "a list with marks")
	press(t, tab, "a")
	eventually(t, tab, "both are accepted", `document.body.innerText.includes('2 issues accepted. Undo takes it back')`)
	in := func(state string) (n int) {
		for _, i := range s.issues(t, p) {
			if i.State == state {
				n++
			}
		}
		return n
	}
	if n := in("accepted"); n != 2 {
		t.Errorf("%d are accepted", n)
	}
	press(t, tab, "z")
	eventually(t, tab, "undone", `document.body.innerText.includes('undone for 2 issues')`)
	if n := in("new"); n != 6 {
		t.Errorf("%d are new again", n)
	}
	press(t, tab, "X")
	eventually(t, tab, "all are marked", `document.body.innerText.includes('6 issues marked.')`)
	eval[any](t, tab, `[...document.querySelectorAll('button')].find((b) => b.innerText === 'Choose all that fit').click()`)
	eventually(t, tab, "all that fit", `document.body.innerText.includes('All that the filter lists: 6 issues.')`)
	press(t, tab, "d")
	eventually(t, tab, "it asks", `document.querySelector('dialog')?.innerText.includes('Dismiss 6 issues?')`)
	accessible(t, tab, "the question before many")
	s.post(t, key, event("laneNew", "p-1", "4.2.0")) // meanwhile one more fits
	s.settle(t)
	press(t, tab, "\r")
	eventually(t, tab, "it says that there are more by now", `document.body.innerText.includes('7 issues fit by now, not 6')`)
	if n := in("dismissed"); n != 0 {
		t.Errorf("%d are dismissed unseen", n)
	}
	check("412 (Precondition Failed)")
}

func TestComments_InTheTerminalAndTheConsole(t *testing.T) {
	t.Parallel()
	s, p := shared, "comments"
	key := s.project(t, p)
	s.post(t, key, event("tideAt", "p-1", "4.2.0"))
	s.settle(t)
	s.run(t, 0, "person", "add", "Ines Brandt", "ines.brandt@marrowsound.example", "--role", "member")
	var token struct{ Token string }
	s.json(t, &token, "token", "create", "ines", "--scope", "person", "--person", "Ines Brandt")
	hostile := "See **this**, @ines.brandt: <script>document.title='owned'</script> <img src=x onerror=\"document.title='owned'\"> ![x](https://evil.example/x.png) [go](javascript:document.title='owned') [well](https://quayside.example/a)\n\n- one\n- two \u202e\x1b[31m"
	s.run(t, 0, "issue", "comment", p+"/1", hostile)
	out, _ := s.run(t, 0, "issue", "history", p+"/1")
	saysAll(t, out, "writes, comment", "See **this**, @ines.brandt", `\u202e`)
	if strings.Contains(out, "\x1b") || strings.Contains(out, "\u202e") {
		t.Errorf("a terminal would obey: %q", out)
	}
	out, _ = s.run(t, 0, "notice", "list", "--token", token.Token)
	saysAll(t, out, "mentions you: See **this**", "\n  - one\n  - two ")
	s.run(t, 0, "issue", "watch", p+"/1", "--token", token.Token)
	out, _ = s.run(t, 0, "issue", "show", p+"/1")
	saysAll(t, out, "watched by Ines Brandt")
	s.runIn(t, "from standard input", 0, "issue", "comment", p+"/1", "-")
	_, errs := s.run(t, 1, "issue", "comment", p+"/1", " ")
	saysAll(t, errs, "a comment is text")

	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues/1")
	eventually(t, tab, "the comment, as Markdown", `document.querySelector('.written strong')?.innerText === 'this' && document.querySelectorAll('.written li').length === 2`)
	if bad := eval[bool](t, tab, `document.title === 'owned' || !!document.querySelector('.written img, .written script, .written a[href^=javascript]')`); bad {
		t.Errorf("it is drawn as written: %s", eval[string](t, tab, `document.querySelector('.written').innerHTML`))
	}
	if got := eval[string](t, tab, `[...document.querySelectorAll('.written a')].map((a) => a.href + ' ' + a.rel).join()`); got != "https://quayside.example/a noopener nofollow" {
		t.Errorf("links: %s", got)
	}
	press(t, tab, "c")
	eventually(t, tab, "the place to write", `document.activeElement?.tagName === 'TEXTAREA'`)
	press(t, tab, "It is the year.")
	eventually(t, tab, "it can be sent", `document.activeElement?.value === 'It is the year.' && document.activeElement.form.querySelector('.btn-primary').disabled === false`)
	eval[any](t, tab, `document.activeElement.form.requestSubmit()`)
	eventually(t, tab, "it stands there", `[...document.querySelectorAll('.written')].some((w) => w.innerText === 'It is the year.') && document.activeElement.value === ''`)
	eventually(t, tab, "who writes watches", `document.getElementById('do').innerText.includes('Watched by Ines Brandt, Operator')`)
	accessible(t, tab, "an issue with comments")
	eval[any](t, tab, `document.activeElement.blur(); [...document.querySelectorAll('button')].find((b) => b.innerText === 'Take away').click()`)
	eventually(t, tab, "it asks once more", `[...document.querySelectorAll('button')].some((b) => b.innerText === 'Take it away for good')`)
	eval[any](t, tab, `[...document.querySelectorAll('button')].find((b) => b.innerText === 'Take it away for good').click()`)
	eventually(t, tab, "it is gone", `![...document.querySelectorAll('.written')].some((w) => w.innerText === 'It is the year.')`)
	press(t, tab, "w")
	eventually(t, tab, "not watching", `!document.getElementById('do').innerText.includes('Operator')`)
	if got := eval[string](t, tab, `(() => { const lands = (kind) => document.body.dispatchEvent(new KeyboardEvent(kind, { key: 'c', bubbles: true, cancelable: true })); lands('keydown'); const held = lands('keypress'); lands('keyup'); return [held, lands('keypress')].join() })()`); got != "false,true" {
		t.Errorf("a character lands while its key is held, and after: %s, want false,true", got)
	}
	check()
}

func TestNotices_ByDayAndOlderOnes(t *testing.T) {
	t.Parallel()
	s, p := shared, "noticed"
	key := s.project(t, p)
	s.post(t, key, event("tideAt", "p-1", "4.2.0"))
	s.settle(t)
	s.run(t, 0, "person", "add", "Pia Strand", "pia.strand@marrowsound.example", "--role", "member")
	var token struct{ Token string }
	s.json(t, &token, "token", "create", "pia", "--scope", "person", "--person", "Pia Strand")
	for n := range 52 { // two more than a page
		s.run(t, 0, "issue", "comment", p+"/1", fmt.Sprintf("@operator, tide %d is early", n+1), "--token", token.Token)
	}
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/notices")
	eventually(t, tab, "the newest, under their day", `/^(Today|Yesterday)$/.test(document.querySelector('main section h2')?.innerText ?? '') && document.querySelector('main section li').innerText.includes('mentions you: @operator, tide 52 is early')`)
	eventually(t, tab, "those not seen, marked, the last too", `[...document.querySelectorAll('main section li')].filter((l) => l.innerText.includes('new')).every((l) => getComputedStyle(l).borderLeftWidth === '4px')`)
	has := `document.querySelector('main').innerText.includes('tide 1 is early')`
	if eval[bool](t, tab, has) {
		t.Error("all are loaded at once")
	}
	eval[any](t, tab, `[...document.querySelectorAll('button')].find((b) => b.innerText === 'Show older').click()`)
	eventually(t, tab, "the older ones, below", has)
	accessible(t, tab, "notices by day")
	check()
}

func TestOwners_HandOver(t *testing.T) {
	t.Parallel()
	s, p := shared, "carried"
	key := s.project(t, p)
	s.post(t, key, event("tideAt", "p-1", "4.2.0")+"\n"+event("zoom", "p-1", "4.2.0"))
	s.settle(t)
	s.run(t, 0, "person", "add", "Tove Lind", "tove.lind@marrowsound.example", "--role", "member")
	s.run(t, 0, "person", "add", "Ned Marsh", "ned.marsh@marrowsound.example", "--role", "member")
	s.run(t, 0, "issue", "assign", p+"/1", p+"/2", "--to", "Tove Lind")
	out, _ := s.run(t, 0, "owner", "list")
	saysAll(t, out, "Tove Lind", "carried")
	out, _ = s.run(t, 0, "owner", "hand-over", "--from", "Ned Marsh", "--to", "Tove Lind")
	saysAll(t, out, "has nothing that is open or parked")
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/owners")
	eventually(t, tab, "who carries what", `[...document.querySelectorAll('tbody tr')].some((r) => r.innerText.includes('Tove Lind') && r.innerText.includes('carried'))`)
	accessible(t, tab, "who carries what")
	eval[any](t, tab, `document.querySelector('button[aria-label="Hand over the issues of Tove Lind"]').click()`)
	eventually(t, tab, "to whom", `[...(document.querySelector('dialog select')?.options ?? [])].some((o) => o.value === 'Ned Marsh')`)
	accessible(t, tab, "the dialog of handing over")
	eval[any](t, tab, `document.querySelector('dialog select').value = 'Ned Marsh'; document.querySelector('dialog form').requestSubmit()`)
	eventually(t, tab, "handed over", `document.body.innerText.includes('2 issues handed over to Ned Marsh') && [...document.querySelectorAll('tbody tr')].some((r) => r.innerText.includes('Ned Marsh'))`)
	accessible(t, tab, "what was handed over")
	eval[any](t, tab, `document.querySelector('dialog button[aria-label="Take back: carried"]').click()`)
	eventually(t, tab, "taken back", `document.querySelector('dialog').innerText.includes('taken back') && [...document.querySelectorAll('tbody tr')].some((r) => r.innerText.includes('Tove Lind'))`)
	check()
}
