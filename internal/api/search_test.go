package api

import (
	"encoding/json"
	"net/url"
	"strings"
	"testing"
)

// searched asks a call of search, and decodes the answer.
func (c *crew) searched(caller, call string, pairs ...string) (status int, answer map[string]any) {
	c.T.Helper()
	q := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		q.Add(pairs[i], pairs[i+1])
	}
	status, text := c.asks(caller, "GET", "/api/projects/quayside/"+call+"?"+q.Encode(), "")
	if err := json.Unmarshal([]byte(text), &answer); err != nil {
		c.T.Fatalf("%s: %d %.200s", call, status, text)
	}
	return status, answer
}

func TestSearch_OverHTTP(t *testing.T) {
	c := newCrew(t)
	c.Many(6, func(i int) map[string]any {
		return map[string]any{"time": "2026-11-23T11:30:00Z", "attributes": map[string]any{"plan": []string{"gold", "silver"}[i%2], "user.id": "p-7"},
			"exceptions": []any{map[string]any{"type": "TypeError", "frames": []any{map[string]any{"function": "berthOf", "file": "src/berths.ts", "line": 3}}}}}
	})
	for _, call := range []string{"issues", "events", "facets", "facets/against", "histogram", "users"} {
		for text, want := range map[string]struct {
			status  int
			column  float64
			nearest string
		}{
			"plan:gold": {200, 0, ""}, "brower.name:Firefox": {422, 1, "browser.name"}, "plan:gold plam:gold": {422, 11, "plan"},
			strings.Repeat("x", 9999): {422, 2001, ""}, strings.Repeat("x", 10_001): {400, 0, ""},
		} {
			status, answer := c.searched("viewer", call, "search", text)
			column, _ := answer["column"].(float64)
			nearest, _ := answer["nearest"].(string)
			if status != want.status || column != want.column || nearest != want.nearest || status == 422 && answer["code"] != "bad_search" {
				t.Errorf("%s of %.30q: %d %v, want %+v", call, text, status, answer, want)
			}
		}
		for _, window := range []string{"soon", "2026-11-20..2026-11-01", "0d", "2026-13-01"} {
			if status, answer := c.searched("viewer", call, "search", "plan:gold", "window", window); status != 400 || !strings.Contains(answer["detail"].(string), "is no window") {
				t.Errorf("%s in the window %s: %d %v", call, window, status, answer)
			}
		}
		if status, answer := c.searched("viewer", call, "search", "plan:gold", "zone", "Sea/Marrow"); status != 400 || !strings.Contains(answer["detail"].(string), "time zone") {
			t.Errorf("%s in no time zone: %d %v", call, status, answer)
		}
	}
	_, facets := c.searched("viewer", "facets", "by", "plan", "search", "plan:*", "window", "2026-11-23")
	if text, _ := json.Marshal(facets); !strings.Contains(string(text), `"values":[{"events":3,"users":1,"value":"gold"},{"events":3,"users":1,"value":"silver"}]`) || facets["sampled_share"] != 1.0 {
		t.Errorf("%s", text)
	}
	_, facets = c.searched("viewer", "facets", "by", "plan", "by", "user.id", "by", "function", "window", "all")
	if list := facets["facets"].([]any); len(list) != 3 || list[2].(map[string]any)["name"] != "function" {
		t.Errorf("three attributes: %v", list)
	}
	_, found := c.searched("viewer", "events", "columns", "plan", "columns", "user.id", "limit", "2", "window", "all")
	if text, _ := json.Marshal(found["events"]); strings.Count(string(text), `"columns":{"plan":"`) != 2 || strings.Count(string(text), `"user.id":"p-7"}`) != 2 {
		t.Errorf("events with columns: %s", text)
	}
	for call, want := range map[string]string{
		"affected?search=plan:gold": `"users":1,"active":2,"came_back":0`, "users/p-7/trail?limit=3": `"kind":"event"`,
		"searches?counts=true": `"issues":1`,
	} {
		if call == "searches?counts=true" {
			c.asks("viewer", "PUT", "/api/projects/quayside/searches/gold", `{"search":"plan:gold"}`)
		}
		status, text := c.asks("viewer", "GET", "/api/projects/quayside/"+call, "")
		if status != 200 || !strings.Contains(strings.ReplaceAll(text, " ", ""), want) {
			t.Errorf("%s: %d %s, want %s", call, status, text, want)
		}
	}
	status, text := c.asks("viewer", "GET", "/api/issues/"+found["events"].([]any)[0].(map[string]any)["issue"].(string)+"/events/oldest?search=plan:gold&window=all", "")
	if status != 200 || !strings.Contains(text, `"number":3,"kept":3,"total":3`) {
		t.Errorf("the oldest that fits: %d %s", status, text)
	}
	_, list := c.searched("viewer", "issues", "search", "plan:gold")
	if text, _ := json.Marshal(list["issues"]); !strings.Contains(string(text), `"matching":{"events":3,"first":"2026-11-23T11:30:00Z","last":"2026-11-23T11:30:00Z","users":1}`) {
		t.Errorf("%s", text)
	}
	if status, answer := c.searched("viewer", "search/complete", "search", "pla", "at", "3"); status != 200 || !strings.Contains(answer["offers"].([]any)[0].(map[string]any)["text"].(string), "pla") {
		t.Errorf("%d %v", status, answer)
	}
}

// A person who may read issues but no events cannot find out what is in events either.
func TestSearch_WithoutThePermissionToReadEvents(t *testing.T) {
	c := newCrew(t)
	for text, want := range map[string]int{"": 200, "tideAt owner:none": 200, "release:4.2.0": 200, "plan:gold": 403, "user:p-7": 403, "-plan:gold": 403, "saved:mine": 403} {
		if status, answer := c.searched("service token", "issues", "search", text); status != want {
			t.Errorf("%q: %d %v, want %d", text, status, answer, want)
		}
	}
	if status, _ := c.searched("service token", "issues", "window", "7d"); status != 403 {
		t.Errorf("a window of events: %d", status)
	}
	body := `{"verb":"accept","search":"plan:gold","try":true}`
	if status, text := c.asks("service token", "POST", "/api/projects/quayside/issues/act", body); status != 403 {
		t.Errorf("a decision about what events are searched for: %d %s", status, text)
	}
	if status, text := c.asks("member", "POST", "/api/projects/quayside/issues/act", strings.Replace(body, "plan:gold", "tideAt", 1)); status != 200 || !strings.Contains(text, `"fits":1`) {
		t.Errorf("%d %s", status, text)
	}
}

func TestSearches_AreSavedAndShared(t *testing.T) {
	c := newCrew(t)
	const path = "/api/projects/quayside/searches/"
	if status, text := c.asks("viewer", "PUT", path+"mine", `{"search":"release:4.2.0"}`); status != 200 {
		t.Fatalf("%d %s", status, text)
	}
	if status, _ := c.asks("viewer", "PUT", path+"ours", `{"search":"state:new","shared":true}`); status != 403 {
		t.Errorf("a viewer shares a search: %d", status)
	}
	if status, text := c.asks("member", "PUT", path+"ours", `{"search":"state:new cabin.deck:3","shared":true,"default":true}`); status != 200 || !strings.Contains(text, "cabin.deck") {
		t.Errorf("%d %s", status, text)
	}
	if status, text := c.asks("member", "GET", path+"mine", ""); status != 404 {
		t.Errorf("somebody else's search: %d %s", status, text)
	}
	_, text := c.asks("viewer", "GET", strings.TrimSuffix(path, "/"), "")
	if !strings.Contains(text, `"name":"mine"`) || !strings.Contains(text, `"name":"ours"`) || !strings.Contains(text, `"by":"Maren Holt"`) {
		t.Error(text)
	}
	if status, _ := c.asks("viewer", "DELETE", path+"ours?shared=true", ""); status != 403 {
		t.Errorf("a viewer deletes a shared search: %d", status)
	}
	if status, text := c.asks("viewer", "DELETE", path+"mine", ""); status != 204 && status != 200 {
		t.Errorf("%d %s", status, text)
	}
}
