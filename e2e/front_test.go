package e2e

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// asPerson opens a tab in which a person of their own is signed in; a tab has
// its own cookies.
func asPerson(t *testing.T, s *service, name string) context.Context {
	t.Helper()
	var all struct{ People []struct{ Name string } }
	s.json(t, &all, "person", "list")
	if !slices.ContainsFunc(all.People, func(p struct{ Name string }) bool { return p.Name == name }) {
		s.run(t, 0, "person", "add", name, strings.ToLower(strings.ReplaceAll(name, " ", "."))+"@marrowsound.example", "--role", "member")
	}
	tab := newTab(t)
	signIn(t, s, tab, name)
	return tab
}

// manyIssues files issues of so many different places.
func manyIssues(t *testing.T, s *service, project string, n int) (key string) {
	t.Helper()
	key = s.project(t, project)
	var body []string
	for i := range n {
		for u := range 1 + i%4 {
			body = append(body, event(fmt.Sprintf("berth%c%c", 'A'+i%26, 'a'+i/26), fmt.Sprint("p-", u), "4.2.0"))
		}
	}
	if code, answer := s.post(t, key, strings.Join(body, "\n")); code != 202 {
		t.Fatalf("%d %s", code, answer)
	}
	s.settle(t)
	return key
}

// pressInFront presses a key and tells, in the same turn of the page, which
// issue was in front of the person.
const pressInFront = `((key, front) => {
  const id = front()
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
  document.body.dispatchEvent(new KeyboardEvent('keyup', { key, bubbles: true }))
  return id
})`

// What is in front: in the list the selected row and the bar must agree; z is
// about what its button names.
const inFrontOfList = `(() => {
  const bar = document.querySelector('[role=toolbar]')?.getAttribute('aria-label')?.replace('Decide about ', '') ?? ''
  const row = document.querySelector('[role=row][aria-selected=true] input')?.ariaLabel?.replace('Mark ', '') ?? ''
  return bar === row ? bar : 'the bar says ' + bar + ', the row ' + row
})`
const inFrontOfRound = `(() => document.querySelector('[data-in-hand]')?.getAttribute('data-issue') ?? '')`
const undoNames = `(() => [...document.querySelectorAll('[role=toolbar] button')].find((b) => b.innerText.startsWith('Undo'))?.innerText.match(/\S+\/\d+/)?.[0] ?? '')`

// TestConsole_NoDecisionLandsOnAnotherIssue: two people decide in one list and
// one round, 200 steps by chance. Every decision in the histories is about an
// issue that its person had in front when the key was pressed.
func TestConsole_NoDecisionLandsOnAnotherIssue(t *testing.T) {
	t.Parallel()
	for _, where := range []string{"list", "round"} {
		t.Run(where, func(t *testing.T) {
			project := "front-" + where
			manyIssues(t, shared, project, 40)
			people := map[string]context.Context{"Runa Stoke": asPerson(t, shared, "Runa Stoke"), "Liv Aske": asPerson(t, shared, "Liv Aske")}
			front, path, keys := inFrontOfList, "/p/"+project+"/issues", []string{"j", "k", "a", "d", "z", "j", "n", "a", "x", "Escape"}
			if where == "round" {
				front, path, keys = inFrontOfRound, "/p/"+project+"/round", []string{"a", "d", "j", "a", "d", "ArrowDown"}
			}
			for _, tab := range people {
				open(t, tab, shared.url+path)
				eventually(t, tab, "something is in front", front+"() !== ''")
			}
			names := []string{"Runa Stoke", "Liv Aske"}
			had := map[string]bool{}
			r := rand.New(rand.NewPCG(7, 25)) // by chance, but the same each time
			for range 100 {
				who := names[r.IntN(2)]
				key := keys[r.IntN(len(keys))]
				of := front
				if key == "z" {
					of = undoNames
				}
				id := eval[string](t, people[who], fmt.Sprintf("%s(%q, %s)", pressInFront, key, of))
				if strings.HasPrefix(id, "the bar") {
					t.Errorf("%s: %s", who, id)
				}
				had[who+" "+id] = true
				time.Sleep(time.Duration(r.IntN(60)) * time.Millisecond)
			}
			calm(func() int { // what is under way
				n := 0
				for _, tab := range people {
					n += eval[int](t, tab, asked+".length")
				}
				return n
			})
			decisions := 0
			for n := 1; n <= 40; n++ {
				id := fmt.Sprintf("%s/%d", project, n)
				var h struct {
					Entries []struct{ Actor, Kind, Words string } `json:"history"`
				}
				shared.json(t, &h, "issue", "history", id)
				for _, e := range h.Entries {
					if e.Actor == "" {
						continue
					}
					decisions++
					if !had[e.Actor+" "+id] {
						t.Errorf("%s: %q by %s, who never had it in front", id, e.Words, e.Actor)
					}
				}
			}
			if decisions < 10 {
				t.Errorf("%d decisions: the keys do not work", decisions)
			}
			t.Logf("%d decisions in 100 steps", decisions)
		})
	}
}

// calm waits until a count has stayed the same for longer than the stream of
// changes takes to report one.
func calm(count func() int) {
	n, since := count(), time.Now()
	for end := since.Add(patience); time.Since(since) < 1500*time.Millisecond && time.Now().Before(end); time.Sleep(100 * time.Millisecond) {
		if now := count(); now != n {
			n, since = now, time.Now()
		}
	}
}

// between is a proxy in front of the service that can fail.
type between struct {
	*httptest.Server
	mu      sync.Mutex
	broken  bool
	missing string       // what a path contains that is answered with 404, once or for good
	once    bool         // it is answered with 404 once
	slow    string       // how a path ends whose answers take two seconds
	streams atomic.Int32 // open ones
}

func newBetween(t *testing.T) *between {
	t.Helper()
	to, err := url.Parse(shared.url)
	if err != nil {
		t.Fatal(err)
	}
	b := &between{}
	proxy := httputil.NewSingleHostReverseProxy(to)
	proxy.FlushInterval = -1
	proxy.ModifyResponse = func(r *http.Response) error {
		b.mu.Lock()
		slow := b.slow != "" && strings.HasSuffix(r.Request.URL.Path, b.slow)
		b.mu.Unlock()
		if slow {
			time.Sleep(2 * time.Second)
		}
		return nil
	}
	b.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b.mu.Lock()
		broken, missing := b.broken, b.missing != "" && strings.Contains(r.URL.Path, b.missing)
		if missing && b.once {
			b.missing = ""
		}
		b.mu.Unlock()
		switch {
		case missing:
			http.NotFound(w, r)
		case broken:
			http.Error(w, "no upstream", http.StatusBadGateway)
		default:
			if r.URL.Path == "/api/live" {
				b.streams.Add(1)
				defer b.streams.Add(-1)
			}
			defer func() { _ = recover() }() // the browser went away
			proxy.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(b.Close)
	return b
}

func (b *between) set(broken bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.broken = broken
	if broken {
		go b.CloseClientConnections()
	}
}

// through opens a tab behind a proxy.
func through(t *testing.T, b *between) context.Context {
	t.Helper()
	tab := newTab(t)
	signInAt(t, shared, tab, "Operator", b.URL)
	return tab
}

func TestConsole_KeepsWhatIsOnTheScreen(t *testing.T) {
	t.Parallel()
	project := "front-away"
	manyIssues(t, shared, project, 3)
	b := newBetween(t)
	tab := through(t, b)
	open(t, tab, b.URL+"/p/"+project+"/issues/1")
	eventually(t, tab, "all of it", `document.getElementById('do')?.innerText.includes('Similar issues') && document.getElementById('do').innerText.includes('first seen')`)
	time.Sleep(time.Second)
	b.set(true)
	press(t, tab, "a")
	eventually(t, tab, "the decision failed", `document.querySelector('.toast').innerText !== ''`)
	until(t, "it says that it is not current", func() bool {
		return eval[bool](t, tab, `document.body.innerText.includes('Not current since')`)
	})
	if !eval[bool](t, tab, `document.querySelector('h1').innerText.includes('berth') && document.getElementById('do').innerText.includes('Similar issues')`) {
		t.Error("what was there is gone:", eval[string](t, tab, "document.body.innerText.slice(0, 3000)"))
	}
	b.set(false)
	untilIn(t, 90*time.Second, "it is current again", func() bool { // it asks again less and less often
		return eval[bool](t, tab, `!document.body.innerText.includes('Not current since')`)
	})
	press(t, tab, "a")
	eventually(t, tab, "it decides", `document.body.innerText.includes('`+project+`/1: accepted')`)
	until(t, "the stream is back", func() bool { return b.streams.Load() == 1 })
	shared.run(t, 0, "issue", "dismiss", project+"/1")
	eventually(t, tab, "and tells", `document.body.innerText.includes('dismissed')`)
}

func TestConsole_LoadsAnewWhenAPartIsGone(t *testing.T) {
	t.Parallel()
	shared.project(t, "front-parts")
	b := newBetween(t)
	tab := through(t, b)
	open(t, tab, b.URL+"/p/front-parts/rules")
	b.mu.Lock()
	b.missing, b.once = "/assets/received-", true
	b.mu.Unlock()
	eval[any](t, tab, `window.before = true; [...document.querySelectorAll('nav a')].find((a) => a.textContent === 'Received').click()`)
	eventually(t, tab, "the page is loaded anew", `window.before === undefined && location.pathname.endsWith('/received') && document.querySelector('h1, h2') !== null`)
	b.mu.Lock()
	b.missing, b.once = "/assets/symbols-", false
	b.mu.Unlock()
	eval[any](t, tab, `[...document.querySelectorAll('nav a')].find((a) => a.textContent === 'Symbols').click()`)
	eventually(t, tab, "a part that is gone for good is said to be", `document.body.innerText.includes('This did not work')`)
}

// asked is what a tab has asked the service.
const asked = `performance.getEntriesByType('resource').filter((e) => e.name.includes('/api/') && !e.name.endsWith('/live'))`

// TestConsole_AsksForLittle: the first screen of an issue takes at most four
// requests, a decision at most three, what the stream tells included.
func TestConsole_AsksForLittle(t *testing.T) {
	t.Parallel()
	project := "front-little"
	manyIssues(t, shared, project, 12)
	tab, _ := signedIn(t, shared)
	count := func() int { return eval[int](t, tab, asked+".length") }
	size := func() int { return eval[int](t, tab, asked+".reduce((n, e) => n + e.transferSize, 0)") }
	had, bytes := count(), size()
	spent := func(what string) int {
		calm(count) // the stream reports it as well
		n, b := count(), size()
		spent := n - had
		t.Logf("%s: %d requests, %d bytes", what, spent, b-bytes)
		had, bytes = n, b
		return spent
	}
	eventually(t, tab, "the project", `[...document.querySelectorAll('main a')].some((a) => a.innerText === '`+project+`')`)
	had, bytes = count(), size()
	eval[any](t, tab, `[...document.querySelectorAll('main a')].find((a) => a.innerText === '`+project+`').click()`)
	eventually(t, tab, "the rows", `document.querySelectorAll('[role=row][aria-selected]').length === 12`)
	spent("opening the list")
	eval[any](t, tab, `window.first = 0; new MutationObserver(() => { if (!window.first && document.querySelector('#broke h3')) window.first = `+asked+`.length }).observe(document.body, { childList: true, subtree: true }); 0`)
	press(t, tab, "\r")
	eventually(t, tab, "the first screen", "window.first > 0")
	if n := eval[int](t, tab, "first") - had; n > 4 {
		t.Errorf("%d requests until the first screen of an issue", n)
	}
	eventually(t, tab, "the rest", `document.getElementById('do').innerText.includes('Similar issues')`)
	spent("opening an issue, with all that is below")
	// The service may score the project again meanwhile, which is another change:
	// the least of three decisions counts.
	least := func(what string, keys ...string) {
		t.Helper()
		n := 0
		for _, key := range keys {
			press(t, tab, key)
			if n = spent(what); n <= 3 {
				return
			}
		}
		t.Errorf("%s: %d requests", what, n)
	}
	least("a decision on the page of an issue", "a", "+", "-")
	eventually(t, tab, "accepted", `document.getElementById('do').innerText.includes('accepted')`)
	press(t, tab, string(rune(27)))
	eventually(t, tab, "the list", `document.querySelectorAll('[role=row][aria-selected]').length === 12`)
	spent("back to the list")
	least("a decision in the list", "d", "a", "d")
	open(t, tab, shared.url+"/p/"+project+"/round")
	eventually(t, tab, "the round", inFrontOfRound+"() !== ''")
	calm(count)
	had, bytes = count(), size()
	// Each other change, such as a new score, is news: then the round is read again.
	eval[any](t, tab, `window.news = 0; new BroadcastChannel('firethorn-live').onmessage = (e) => { if (e.data.any || e.data.events) window.news++ }; 0`)
	for range 2 {
		for range 5 {
			press(t, tab, "a")
			time.Sleep(300 * time.Millisecond)
		}
		n, news := spent("five decisions of a round"), eval[int](t, tab, "window.news")
		if n > 15+2*news {
			t.Errorf("five decisions of a round, and %d other changes: %d requests", news, n)
		}
	}
}

func TestConsole_FindsItsWayBack(t *testing.T) {
	t.Parallel()
	project := "front-back"
	manyIssues(t, shared, project, 30)
	tab, _ := signedIn(t, shared)
	open(t, tab, shared.url+"/p/"+project+"/issues?order=newest")
	eventually(t, tab, "the rows", `document.querySelectorAll('[role=row][aria-selected]').length === 30`)
	press(t, tab, strings.Repeat("j", 25))
	eventually(t, tab, "far down", `document.querySelectorAll('[role=row][aria-selected]')[25].ariaSelected === 'true' && scrollY > 100`)
	at := eval[string](t, tab, `document.querySelector('[role=row][aria-selected=true] input').ariaLabel`)
	y := eval[float64](t, tab, "scrollY")
	press(t, tab, "\r")
	eventually(t, tab, "the issue", `document.getElementById('broke') !== null && document.activeElement?.id === 'main' && document.title.includes('/')`)
	press(t, tab, string(rune(27)))
	eventually(t, tab, "back where it was", `location.search === '?order=newest' && document.querySelector('[role=row][aria-selected=true] input')?.ariaLabel === '`+at+`' && Math.abs(scrollY - `+fmt.Sprint(y)+`) < 5`)
	// Keys work after a click on a box.
	eval[any](t, tab, `document.querySelector('[role=row] input[type=checkbox]').focus(); document.querySelector('[role=row] input[type=checkbox]').click()`)
	press(t, tab, "j")
	eventually(t, tab, "the one below the box", `document.querySelectorAll('[role=row][aria-selected]')[1].ariaSelected === 'true'`)
	// A menu closes when something else is clicked, or another page opens.
	eval[any](t, tab, `document.querySelector('header details summary').click()`)
	eventually(t, tab, "the menu", `document.querySelector('header details').open`)
	eval[any](t, tab, `document.querySelector('h1').parentElement.click()`)
	eventually(t, tab, "closed", `!document.querySelector('header details').open`)
	// The search filters while somebody types.
	press(t, tab, "/")
	press(t, tab, "berthC")
	eventually(t, tab, "filtered without Enter", `location.search.includes('search=berthC') && document.querySelectorAll('[role=row][aria-selected]').length < 30`)
	for path, title := range map[string]string{"received": "Received", "rules": "Rules", "releases": "Releases", "symbols": "Symbols"} {
		open(t, tab, shared.url+"/p/"+project+"/"+path)
		eventually(t, tab, "the title of "+path, `document.title === '`+title+` · `+project+` · Firethorn'`)
	}
}

// TestConsole_UndoLeavesAloneWhatOthersBuiltOn: Undo is about my last decision
// alone, and is refused when somebody decided since.
func TestConsole_UndoLeavesAloneWhatOthersBuiltOn(t *testing.T) {
	t.Parallel()
	project := "front-undo"
	manyIssues(t, shared, project, 4)
	tab, _ := signedIn(t, shared)
	open(t, tab, shared.url+"/p/"+project+"/issues?state=all")
	eventually(t, tab, "the rows", `document.querySelectorAll('[role=row][aria-selected]').length === 4`)
	button := `[...document.querySelectorAll('[role=toolbar] button')].find((b) => b.innerText.startsWith('Undo'))`
	if eval[bool](t, tab, "!"+button+".disabled") {
		t.Error("there is nothing to undo yet")
	}
	id := eval[string](t, tab, inFrontOfList+"()")
	press(t, tab, "a")
	eventually(t, tab, "it is named", button+`.innerText.startsWith('Undo: accepted `+id+`')`)
	shared.run(t, 0, "issue", "dismiss", id) // somebody else
	press(t, tab, "j")
	press(t, tab, "z")
	eventually(t, tab, "it is refused", `document.querySelector('.toast').innerText.includes('Not undone (accepted `+id+`)')`)
	for _, i := range shared.issues(t, project, "--state", "dismissed") {
		if i.ID == id {
			return
		}
	}
	t.Errorf("%s is not dismissed any more", id)
}
