package main

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
)

// The board is one in all shapes of its API, and people move its tickets on its pages.
func TestBoard(t *testing.T) {
	var o office
	o.board.token, o.board.at = "harbour", "http://office.example"
	s := httptest.NewServer(o.routes())
	defer s.Close()
	got := make(chan string, 20)
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mac := hmac.New(sha256.New, []byte("s"))
		mac.Write([]byte(r.Header.Get("X-Board-Time") + "." + string(body)))
		if r.Header.Get("X-Board-Signature") != "sha256="+hex.EncodeToString(mac.Sum(nil)) {
			t.Error("the webhook is not signed")
		}
		got <- string(body)
	}))
	defer hook.Close()
	call := func(method, path, token, body string) (int, string) {
		t.Helper()
		req, err := http.NewRequest(method, s.URL+path, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+token)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		raw, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res.StatusCode, string(raw)
	}
	if code, text := call("PUT", "/board/hook", "", `{"URL":"`+hook.URL+`","Secret":"s"}`); code != 204 {
		t.Fatal(code, text)
	}
	for _, c := range []struct {
		method, path, token, body string
		code                      int
		want                      string
	}{
		{"POST", "/board/api/tickets", "x", `{"title":"a"}`, 401, "token"},
		{"POST", "/board/api/tickets", "harbour", `{}`, 422, "1 to 200 characters"},
		{"POST", "/board/api/tickets", "harbour", `{"title":"a","reference":"r"}`, 200, `"url":"http://office.example/board/1"`},
		{"GET", "/board/api/cards?outside_id=r", "harbour", "", 200, `{"cards":[{"key":"1"}]}`},
		{"GET", "/board/api/cards/1/moves", "harbour", "", 200, `{"id":3,"to":"Done"}`},
		{"POST", "/board/api/cards/1/moves", "harbour", `{"move":"9"}`, 422, "no such move"},
		{"POST", "/board/api/cards/1/moves", "harbour", `{"move":"3"}`, 200, "true"},
		{"POST", "/board/api/graphql", "harbour", `{"query":"query($key: String!) { ticket(key: $key) { state } }","variables":{"key":"1"}}`, 200, `"state":"DONE"`},
		{"POST", "/board/api/graphql", "harbour", `{"query":"mutation($key: String!) { setState(key: $key, state: SUNK) { state } }","variables":{"key":"1"}}`, 200, `"errors":[{"message":"a ticket is todo`},
		{"POST", "/board/api/graphql", "harbour", `{"query":"{ harbours(key: 1) }"}`, 200, "there is no field harbours"},
		{"PATCH", "/board/api/tickets/7", "harbour", `{"state":"done"}`, 404, "no such ticket"},
		{"POST", "/board/api/tickets/1/comments", "harbour", `{"text":"<b>high water</b>"}`, 200, `"id":"1-1"`},
		{"GET", "/board/api/cards/1/notes", "harbour", "", 200, "high water"},
	} {
		if code, text := call(c.method, c.path, c.token, c.body); code != c.code || !strings.Contains(text, c.want) {
			t.Errorf("%s %s %s: %d %s", c.method, c.path, c.body, code, text)
		}
	}
	for _, want := range []string{`"state":"todo"`, `"state":"done"`, `"number":1`} {
		if body := <-got; !strings.Contains(body, want) {
			t.Errorf("a webhook says %s, not %s", body, want)
		}
	}
	if res, err := http.PostForm(
		s.URL+"/board/1/move",
		url.Values{"state": {"doing"}},
	); err != nil ||
		res.StatusCode != 200 {
		t.Error(res, err)
	}
	if _, page := call("GET", "/board", "", ""); !strings.Contains(page, "Doing <span class=\"soft\">1") {
		t.Error(page)
	}
	if _, page := call("GET", "/board/1", "", ""); !strings.Contains(page, "&lt;b&gt;high water&lt;/b&gt;") {
		t.Error(page)
	}
	if code, _ := call("GET", "/board/2", "", ""); code != 404 {
		t.Error("a ticket that is not there has a page")
	}
}
