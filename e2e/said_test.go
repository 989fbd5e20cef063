package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

func TestFeedback_FromTheDialogToTheIssue(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-said")
	site := page(t, "", fmt.Sprintf("server: %q, key: %q", shared.url, key),
		"window.ask = () => askForFeedback({ labels: { title: 'Etwas ging schief', question: 'Was wollten Sie tun?', send: 'Senden' }, name: 'Ines Marlow' }).then((said) => { window.said = said })")
	tab := newTab(t)
	check := quiet(t, tab)
	visit(t, tab, site.URL)
	eval[any](t, tab, "user('p-7'); document.getElementById('b').focus(); report(new RangeError('no berth in zone D')); ask(); 0")
	const root = "document.body.lastElementChild.shadowRoot"
	eventually(t, tab, "the dialog asks", root+"?.querySelector('dialog')?.open === true")
	if focused := eval[string](t, tab, root+".activeElement.tagName"); focused != "TEXTAREA" {
		t.Errorf("the focus is on %s", focused)
	}
	if labels := eval[string](t, tab, root+".querySelector('dialog').innerText"); !strings.Contains(labels, "Etwas ging schief") || !strings.Contains(labels, "Was wollten Sie tun?") || !strings.Contains(labels, "Senden") || !strings.Contains(labels, "Cancel") {
		t.Errorf("its words: %s", labels)
	}
	accessible(t, tab, "the dialog")
	if dir := os.Getenv("FIRETHORN_SHOTS"); dir != "" {
		shot, err := chromedp.Run(tab, chromedp.CaptureScreenshot())
		if err == nil {
			err = os.WriteFile(filepath.Join(dir, "dialog.png"), shot, 0o644)
		}
		if err != nil {
			t.Error(err)
		}
	}
	press(t, tab, "I wanted a berth <script>alert(1)</script> for the Brent Gull")
	for range 3 { // name, address, cancel
		press(t, tab, kb.Tab)
	}
	press(t, tab, kb.Tab)
	press(t, tab, kb.Enter)
	eventually(t, tab, "it says thanks", root+".querySelector('[role=status]')?.textContent.startsWith('Thank you')")
	press(t, tab, kb.Enter)
	eventually(t, tab, "it is gone, and the focus is back", "window.said === true && document.activeElement?.id === 'b'")
	eval[any](t, tab, "drain()")
	check()
	until(t, "the issue has the feedback", func() bool {
		list := shared.issues(t, "page-said")
		if len(list) == 0 {
			return false
		}
		out, _ := shared.run(t, 0, "feedback", "list", "--issue", list[0].ID)
		return strings.Contains(out, "I wanted a berth <script>alert(1)</script> for the Brent Gull") && strings.Contains(out, "Ines Marlow")
	})
	console, check := signedIn(t, shared)
	defer check()
	open(t, console, shared.url+"/p/page-said/issues/1")
	eventually(t, console, "the issue page shows it", "document.getElementById('who').innerText.includes('<script>alert(1)</script> for the Brent Gull') && document.body.innerText.includes('Feedback about this event')")
	accessible(t, console, "an issue with feedback")
}

func TestFeedback_CancelledSendsNothing(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "page-unsaid")
	site := page(t, "", fmt.Sprintf("server: %q, key: %q, sessions: false", shared.url, key), "")
	tab := newTab(t)
	visit(t, tab, site.URL)
	eval[any](t, tab, "askForFeedback().then((said) => { window.said = said }); 0")
	press(t, tab, "never mind")
	press(t, tab, kb.Escape)
	eventually(t, tab, "the dialog is gone", "window.said === false && !document.querySelector('body > div')")
	eval[any](t, tab, "drain()")
	if out, _ := shared.run(t, 0, "feedback", "list", "--project", "page-unsaid"); !strings.Contains(out, "No feedback yet") {
		t.Error(out)
	}
}

func TestSessionsAndFeedback_HostileMessages(t *testing.T) {
	t.Parallel()
	key := shared.project(t, "hostile-words")
	post := func(path, body string) (int, string) { return shared.postTo(t, path, key, body) }
	var many []string
	for i := range 5000 { // of one user, out of order, twice
		n := (i*7919 + 3) % 2500
		many = append(many, fmt.Sprintf(`{"id":"s-%d","sequence":%d,"started":"%s","duration_ms":%d,"outcome":%q,"attributes":{"user.id":"p-1"}}`, n, i%3, time.Now().UTC().Format(time.RFC3339), i%1000-10, []string{"clean", "running"}[i/2500]))
	}
	if code, answer := post("/v1/sessions", `{"sessions":[`+strings.Join(many, ",")+`]}`); code != 202 || !strings.Contains(answer, `"stored":5000`) {
		t.Error(code, answer)
	}
	shared.settle(t)
	var counts struct {
		Total struct{ Sessions, Clean, Running int }
	}
	shared.json(t, &counts, "session", "count", "--project", "hostile-words")
	if counts.Total.Sessions != 2500 || counts.Total.Clean != 2500 {
		t.Errorf("%+v", counts.Total)
	}
	var list struct{ Sessions []struct{ ID string } }
	shared.json(t, &list, "session", "list", "--project", "hostile-words", "--user", "p-1", "--limit", "500")
	if len(list.Sessions) != 500 {
		t.Errorf("%d sessions of the user on a page", len(list.Sessions))
	}
	novel, err := json.Marshal(strings.Repeat("the tide came in. ", 4000))
	if err != nil {
		t.Fatal(err)
	}
	for body, want := range map[string]int{
		`{"text":` + string(novel) + `}`: 202,
		`{"text":"for an event that never comes","event":"0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e99"}`: 202,
		`{"text":"` + "\u202e" + `olleh"}`:                202,
		`{"text":""}`:                                     400,
		`{"event":"0193a1f2"}`:                            400,
		`not at all`:                                      400,
		`[{"text":"a"},{"text":1},{"text":"b"}]`:          202,
		`{"feedback":{"text":"no list"}}`:                 400,
		`{"text":"x","user.email":["a","b"]}`:             202,
		`{"text":"` + strings.Repeat("\\u0000", 9) + `"}`: 400,
	} {
		if code, answer := post("/v1/feedback", body); code != want {
			t.Errorf("%.60s: %d %s", body, code, answer)
		}
	}
	shared.settle(t)
	out, _ := shared.run(t, 0, "feedback", "list", "--project", "hostile-words")
	if strings.Contains(out, "\u202e") || !strings.Contains(out, "which is not processed yet") || strings.Count(out, "the tide came in") > 500 {
		t.Errorf("%.2000s", out)
	}
}
