package attributes_test

import (
	"strings"
	"testing"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/event"
)

// of is what can be searched of an event, by name.
func of(e event.Event) map[string]string {
	out := map[string]string{}
	for _, a := range attributes.Of(&e) {
		out[a.Name] = a.Value.String()
	}
	return out
}

func TestOf_UserAgents(t *testing.T) {
	for agent, want := range map[string]string{
		"Mozilla/5.0 (Linux; Android 14; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/128.0.0.0 Mobile Safari/537.36":               "Chrome 128 Android 14 phone",
		"Mozilla/5.0 (iPad; CPU OS 17_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.5 Mobile/15E148 Safari/604.1":      "Safari 17 iOS 17 tablet",
		"Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:130.0) Gecko/20100101 Firefox/130.0":                                                    "Firefox 130 Windows 10 desktop",
		"Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/128.0.0.0 Safari/537.36 Edg/128.0.0.0": "Edge 128 macOS 10 desktop",
	} {
		got := of(event.Event{Attributes: event.Attributes{"user_agent.original": agent}})
		if text := strings.Join([]string{got["browser.name"], got["browser.version"], got["os.name"], got["os.version"], got["device.type"]}, " "); text != want {
			t.Errorf("%s\nis %s, want %s", agent, text, want)
		}
	}
}

func TestOf_ExplicitAttributesWinOverDerived(t *testing.T) {
	got := of(event.Event{
		Attributes: event.Attributes{"os.name": "TideOS", "browser.brands": []any{"Not;A=Brand 24", "Chromium 128", "Google Chrome 128"}, "url.full": "https://q.example/berths/17/map?x=1",
			"cart.count": 3.5, "empty": "", "plan": "gold", "tags": []any{"a", "b"}, "flag": true, "session.id": "s-1"},
		Resource:   event.Attributes{"plan": "silver", "service.name": "quayside", "user_agent.original": "Mozilla/5.0 (Linux; Android 14) Chrome/1.0 Mobile"},
		Exceptions: []event.Exception{{Type: "TypeError"}},
	})
	for name, want := range map[string]string{"os.name": "TideOS", "browser.name": "Chrome", "browser.version": "128", "url.path": "/berths/17/map", "url.template": "/berths/{id}/map",
		"cart.count": "3.5", "empty": "", "plan": "gold", "tags": "a, b", "flag": "true", "session.id": "", "service.name": "quayside", "error.type": "TypeError"} {
		if got[name] != want {
			t.Errorf("%s is %q, want %q", name, got[name], want)
		}
	}
	if _, there := got["empty"]; there {
		t.Error("an empty text says nothing, and is searched")
	}
}

func TestOf_CutsLongValues(t *testing.T) {
	got := of(event.Event{Attributes: event.Attributes{"long": strings.Repeat("ä", 2000), strings.Repeat("n", 300): "x"}})
	if n := len(got["long"]); n > attributes.MaxValue || n < attributes.MaxValue-4 || len(got) != 1 {
		t.Errorf("%d bytes are searched, of %d names", n, len(got))
	}
}

func TestTemplate(t *testing.T) {
	for path, want := range map[string]string{
		"/berths/17/map": "/berths/{id}/map", "/": "/", "": "", "/tickets/0f8e2c1a-4b1d-4c7e-9a55-1f2e3d4c5b6a": "/tickets/{id}",
		"/v2/fares": "/v2/fares", "/orders/MSF-204811": "/orders/{id}", "/sailings/2026-11-30/late": "/sailings/{id}/late", "/timetable": "/timetable",
		"/assets/index-DyaqbKvu.js": "/assets/index-DyaqbKvu.js", "/h264/player": "/h264/player",
	} {
		if got := attributes.Template(path); got != want {
			t.Errorf("%s: %s, want %s", path, got, want)
		}
	}
}

func TestStandard(t *testing.T) {
	for name, want := range map[string]bool{"os.name": true, "user_agent.original": true, "url.template": true, "berth.zone": false, "os.colour": false, "": false} {
		if attributes.Standard(name) != want {
			t.Errorf("%q is a standard name: %v, want %v", name, !want, want)
		}
	}
}

// What the index costs an event before it is written.
func BenchmarkOf(b *testing.B) {
	e := &event.Event{Attributes: event.Attributes{
		"user_agent.original": "Mozilla/5.0 (Linux; Android 14; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/128.0.0.0 Mobile Safari/537.36",
		"url.full":            "https://quayside.example/berths/17/map?deck=2", "user.id": "p-1400", "session.id": "s-1", "plan": "gold", "cart.count": 3.0, "berth.zone": "C"},
		Resource:   event.Attributes{"service.name": "quayside", "service.version": "4.2.0", "deployment.environment.name": "production"},
		Exceptions: []event.Exception{{Type: "TypeError"}}}
	for b.Loop() {
		attributes.Of(e)
	}
}
