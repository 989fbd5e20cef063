package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
)

// berths reports 60 events of ten users over two days: on Android 14 in zone C it breaks
// more often, an hour ago most of all.
func berths(t *testing.T, s *service, project string) {
	t.Helper()
	key := s.project(t, project)
	var list []string
	for i := range 60 {
		zone, system, ago := "A", "iOS", time.Duration(i%40)*time.Hour
		if i%3 == 0 {
			zone, system = "C", "Android"
		}
		if i%6 == 0 {
			ago = time.Hour
		}
		if i == 1 { // else the system would say the same as the zone
			system = "Android"
		}
		at := time.Now().Add(-ago).UTC().Format(time.RFC3339Nano)
		list = append(list, fmt.Sprintf(`{"time":%q,"attributes":{"user.id":"p-%d","user.email":"p%[2]d@ferries.example","berth.zone":%q,"os.name":%q,"session.id":"s-%[2]d"},"resource":{"service.version":"4.2.0"},"breadcrumbs":[{"time":%[1]q,"kind":"input","message":"opened zone %[3]s"}],"exceptions":[{"type":"TypeError","message":"no berth","frames":[{"function":"%[5]s","file":"src/berths.ts","line":3}]}]}`,
			at, i%10, zone, system, []string{"placeBerths", "freeIn"}[i%2]))
	}
	s.post(t, key, strings.Join(list, "\n"))
	s.settle(t)
}

// What the search can answer people find by looking and pointing.
func TestSearch_ByPointing(t *testing.T) {
	t.Parallel()
	s, p := shared, "pointing"
	berths(t, s, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "the strip", `document.querySelector('[data-chart] canvas') !== null && document.querySelector('[data-chart]').ariaLabel.includes('60 events')`)
	press(t, tab, "v")
	value := func(text string) string {
		return fmt.Sprintf(`[...document.querySelectorAll('aside [aria-label="berth.zone"] li button')].find((b) => b.innerText.startsWith(%q))`, text)
	}
	eventually(t, tab, "the facets", value("C")+"?.innerText.includes('33 %')")
	eval[any](t, tab, value("C")+".click()")
	eventually(t, tab, "narrowed", `location.search.includes('berth.zone%3AC') && document.querySelector('[aria-label="The search"]').innerText.includes('berth.zone:C') && document.querySelector('input[type=search]').value === 'berth.zone:C'`)
	eventually(t, tab, "what is unusual", `document.body.innerText.includes('Unusually often os.name Android: 20 of 20')`)
	eval[any](t, tab, `history.back()`)
	eventually(t, tab, "back", `!location.search.includes('berth.zone')`)
	eventually(t, tab, "the facets again", value("A")+` !== undefined`)
	eval[any](t, tab, value("A")+`.dispatchEvent(new MouseEvent('click', { bubbles: true, altKey: true }))`)
	eventually(t, tab, "left out", `document.querySelector('[aria-label="The search"]').innerText.includes('-berth.zone:A')`)
	eval[any](t, tab, `document.querySelector('[aria-label="Remove -berth.zone:A"]').click()`)
	eventually(t, tab, "removed", `document.querySelector('[aria-label="The search"]') === null`)

	// A stretch of the strip narrows to it, by dragging and by keys; a double click widens.
	eventually(t, tab, "the whole strip", `document.querySelector('[data-chart] .u-over') !== null && document.querySelector('[data-chart]').ariaLabel.includes('60 events')`)
	// The strip is drawn again when its figures come: it is looked up and dragged over in one go.
	eventually(t, tab, "dragged over", `(() => { const o = document.querySelector('[data-chart] .u-over'); if (!o) return false; const { left, top, width, height } = o.getBoundingClientRect(); const at = (type, x, on = o) => on.dispatchEvent(new MouseEvent(type, { bubbles: true, clientX: left + width * x, clientY: top + height / 2, button: 0, movementX: 40 })); at('mousemove', 0.9); at('mousedown', 0.9); at('mousemove', 0.999); at('mouseup', 0.999, document); return true })()`)
	eventually(t, tab, "narrowed to a stretch", `/window=2\d{3}-\d\d-\d\dT/.test(decodeURIComponent(location.search))`)
	eval[any](t, tab, `document.querySelector('[data-chart]').focus()`)
	press(t, tab, "-")
	eventually(t, tab, "wider", `!/window=2\d{3}.*\.\./.test(decodeURIComponent(location.search)) || document.querySelector('select[aria-label=Window]').value !== ''`)
	eval[any](t, tab, `document.querySelector('select[aria-label=Window]').focus()`)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "the strip again", `document.querySelector('[data-chart] canvas') !== null`)
	eval[any](t, tab, `document.querySelector('[data-chart]').focus()`)
	press(t, tab, kb.ArrowLeft+kb.ArrowLeft)
	eventually(t, tab, "a moment is said", `/event/.test(document.querySelector('figcaption b')?.parentElement.innerText ?? '')`)
	press(t, tab, kb.Enter)
	eventually(t, tab, "narrowed by keys", `/window=2\d{3}-\d\d-\d\dT/.test(decodeURIComponent(location.search))`)
	check(fmt.Sprint(http.StatusNotFound))
}

// The field offers what can be written, says what is wrong, and saves.
func TestSearch_ByTyping(t *testing.T) {
	t.Parallel()
	s, p := shared, "typing"
	berths(t, s, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "the list", `document.querySelectorAll('[role=row][aria-selected]').length === 2`)
	press(t, tab, "/")
	press(t, tab, "berth.z")
	eventually(t, tab, "a name is offered", `document.querySelector('[role=option]')?.innerText.startsWith('berth.zone:')`)
	press(t, tab, kb.ArrowDown+kb.Tab)
	eventually(t, tab, "then its values", `[...document.querySelectorAll('[role=option]')].some((o) => o.innerText.startsWith('C')) && document.querySelector('input[type=search]').value === 'berth.zone:'`)
	press(t, tab, "C"+kb.Enter)
	eventually(t, tab, "searched", `location.search.includes('berth.zone%3AC') && document.querySelectorAll('[role=row][aria-selected]').length === 2`)

	open(t, tab, s.url+"/p/"+p+"/issues?search=berth.zoen:C")
	eventually(t, tab, "what was meant", `document.querySelector('[role=alert]')?.innerText.includes('did you mean berth.zone')`)
	eval[any](t, tab, `[...document.querySelectorAll('[role=alert] button')].find((b) => b.innerText.includes('berth.zone')).click()`)
	eventually(t, tab, "mended", `location.search.includes('berth.zone%3AC') && document.querySelectorAll('[role=row][aria-selected]').length === 2`)
	for _, bad := range []string{strings.Repeat("x", 9999), strings.Repeat("(", 300), "%22open", "users:%3Emany"} {
		open(t, tab, s.url+"/p/"+p+"/issues?search="+bad)
		eventually(t, tab, "what is wrong with "+bad[:5], `document.querySelector('main [role=alert]') !== null`)
	}

	open(t, tab, s.url+"/p/"+p+"/issues?search=berth.zone:C")
	eventually(t, tab, "chips", `document.querySelector('[aria-label="The search"]') !== null`)
	eval[any](t, tab, `[...document.querySelectorAll('main summary')].find((x) => x.innerText.includes('Saved')).click()`)
	eval[any](t, tab, mainButton("Save this search …")+`.click()`)
	eventually(t, tab, "the dialog", `document.querySelector('dialog input[maxlength]') !== null`)
	setValue(t, tab, "dialog input[maxlength]", "Zone C")
	eval[any](t, tab, `[...document.querySelectorAll('dialog button')].find((b) => b.innerText === 'Save').click()`)
	eventually(t, tab, "saved", `document.body.innerText.includes('“Zone C” is saved')`)
	open(t, tab, s.url+`/p/`+p+`/issues?search=saved:"Zone C"`)
	eventually(t, tab, "by its name", `document.querySelectorAll('[role=row][aria-selected]').length === 2`)
	check("400", "422")
}

// Offers stay in sight while somebody types on, however slow the answers are: Tab takes one, and never leaves the
// field because a newer question is under way.
func TestSearch_OffersStayWhileOneTypes(t *testing.T) {
	t.Parallel()
	s, p := shared, "typing-on"
	berths(t, s, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "the list", `document.querySelectorAll('[role=row][aria-selected]').length === 2`)
	eval[any](t, tab, `{ const asked = window.fetch; window.fetch = (what, how) => new Promise((answer, fail) => { // half a second slower
		const signal = how?.signal ?? what.signal
		signal?.addEventListener('abort', () => fail(signal.reason))
		asked(what, how).then((a) => setTimeout(() => answer(a), 500), fail)
	}) } 0`)
	press(t, tab, "/")
	press(t, tab, "bert")
	eventually(t, tab, "a name is offered", `document.querySelector('[role=option]')?.innerText.startsWith('berth.zone:')`)
	eval[any](t, tab, `window.gone = 0; new MutationObserver(() => { if (document.querySelector('[role=listbox]').hidden) window.gone++ }).observe(document.querySelector('[role=listbox]'), { attributes: true }); 0`)
	press(t, tab, "h.zo") // each letter asks again before the answer to the one before has come
	press(t, tab, kb.Tab)
	eventually(t, tab, "taken", `document.querySelector('input[type=search]').value === 'berth.zone:' && document.activeElement === document.querySelector('input[type=search]')`)
	eventually(t, tab, "its values", `[...document.querySelectorAll('[role=option]')].some((o) => o.innerText.startsWith('C'))`)
	if n := eval[int](t, tab, `window.gone`); n > 1 { // once, when the offer was taken
		t.Errorf("the offers went away %d times", n)
	}
	eval[any](t, tab, `{ const f = document.querySelector('input[type=search]'); f.select() } 0`)
	press(t, tab, "bert")
	eventually(t, tab, "a name is offered again", `document.querySelector('[role=option]')?.innerText.startsWith('berth.zone:')`)
	press(t, tab, "x")
	if !eval[bool](t, tab, `document.querySelector('[role=listbox]').hidden`) {
		t.Error("what no longer matches is still offered")
	}
	check()
}

// A support call: from an address to what they went through, by keyboard alone.
func TestSearch_FromAnAddressToATrail(t *testing.T) {
	t.Parallel()
	s, p := shared, "support"
	berths(t, s, p)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "the list", `document.querySelectorAll('[role=row][aria-selected]').length === 2`)
	eval[any](t, tab, `dispatchEvent(new KeyboardEvent('keydown', { key: 'k', ctrlKey: true, bubbles: true }))`)
	eventually(t, tab, "the field", `document.activeElement === document.querySelector('dialog input')`)
	press(t, tab, "p3@ferries.example")
	eventually(t, tab, "somebody is found", `[...document.querySelectorAll('[role=option]')].some((o) => o.innerText.startsWith('User') && o.innerText.includes('p-3'))`)
	press(t, tab, kb.Enter)
	eventually(t, tab, "their trail", `location.pathname.endsWith('/users/p-3') && document.body.innerText.includes('opened zone') && document.body.innerText.includes('TypeError in')`)
	accessible(t, tab, "a user")

	open(t, tab, s.url+"/p/"+p+"/users/nobody-here")
	eventually(t, tab, "nobody", `document.querySelector('[role=alert]')?.innerText.includes('names a user "nobody-here"')`)

	open(t, tab, s.url+"/p/"+p+"/issues/1?search=os.name:iOS")
	eventually(t, tab, "the events that fit", `document.body.innerText.includes('Event 1 of') && document.body.innerText.includes('that fit') && document.body.innerText.includes('returned afterwards')`)
	press(t, tab, "j")
	eventually(t, tab, "the next that fits", `document.body.innerText.includes('Event 2 of')`)

	open(t, tab, s.url+"/p/"+p+"/events?columns=berth.zone,user.id")
	eventually(t, tab, "sixty events", `document.querySelectorAll('main tbody tr').length === 60 && document.querySelector('main thead').innerText.includes('berth.zone')`)
	press(t, tab, kb.ArrowDown+kb.Enter)
	eventually(t, tab, "one is open", `document.querySelector('dialog')?.innerText.includes('What led up to it')`)
	accessible(t, tab, "an event over the table")
	press(t, tab, kb.Escape)
	eventually(t, tab, "closed, where one was", `document.querySelector('dialog') === null && !location.search.includes('open=')`)
	check("404")
}
