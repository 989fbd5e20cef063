package intake

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/google/uuid"

	"firethorn/internal/core/feedback"
	"firethorn/internal/core/session"
	"firethorn/internal/pipeline"
)

func sayTo(h http.Handler, path, key, body string) (int, string) {
	req := httptest.NewRequest(http.MethodPost, path+"?key="+key, strings.NewReader(body))
	req.Header.Set("Content-Type", "text/plain")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, req)
	return w.Code, strings.TrimSpace(w.Body.String())
}

func TestSessions_StoresEveryFormAndRefusesOneByOne(t *testing.T) {
	m := &memory{}
	h := intakeOver(m)
	one := `{"id":"s-1","outcome":"running","attributes":{"user.id":"p-7"}}`
	for body, want := range map[string]string{
		one:                              `202 {"stored":1,"refused":[]}`,
		`[` + one + `,` + one + `]`:      `202 {"stored":2,"refused":[]}`,
		`{"sessions":[` + one + `,{}]}`:  `202 {"stored":1,"refused":[{"index":1,"detail":"a session needs an id`,
		`{"sessions":[]}`:                `202 {"stored":0,"refused":[]}`,
		`{"sessions":[{"id":"x"}]}`:      `400 {"stored":0,"refused":[{"index":0,"detail":"the outcome of a session is`,
		`{"events":[{"message":"hm"}]}`:  `400 {"stored":0`,
		`{"sessions":[{"id":"x"`:         `400 `,
		`{"sessions":[` + one + `,null]`: `400 `,
	} {
		if status, answer := sayTo(h, "/v1/sessions", "good", body); !strings.HasPrefix(fmt.Sprint(status, " ", answer), want) {
			t.Errorf("%s: %d %s", body, status, answer)
		}
	}
	for _, b := range m.batches {
		for _, w := range b.Sessions {
			if !w.User.Set {
				t.Error("nobody is known to be its user")
			}
		}
	}
}

func TestSessions_KeepTheirNamesThroughScrubbing(t *testing.T) {
	m := &memory{}
	h := intakeOver(m)
	for _, name := range []string{uuid.NewString(), "3f2a9b1c4d5e6f708192a3b4c5d6e7f8", "V1StGXR8_Z5jdHi6B-myT", "k7Qz1xM4pLw9Rt2VbN8cYd", "1760000000000-4711"} {
		sayTo(h, "/v1/sessions", "good", `{"id":"`+name+`","outcome":"clean"}`)
		last := m.batches[len(m.batches)-1].Sessions[0]
		if got, err := session.Decode(last.Raw, nil); err != nil || got.ID != name {
			t.Errorf("%s became %s (%v)", name, last.Raw, err)
		}
	}
}

func TestSessions_AreCutIntoRowsAndRouted(t *testing.T) {
	m := &memory{}
	var list []string
	for i := range 1000 {
		list = append(list, fmt.Sprintf(`{"id":"s-%d","outcome":"clean","resource":{"service.name":%q}}`, i, []string{"gangway", "bosun"}[i%2]))
	}
	if status, answer := sayTo(intakeOver(m), "/v1/sessions", "routes", `{"sessions":[`+strings.Join(list, ",")+`]}`); status != 202 {
		t.Fatal(answer)
	}
	stored, projects := 0, map[int64]bool{}
	for i, b := range m.batches {
		stored += len(b.Sessions)
		projects[m.to[i]] = true
		if again, err := pipeline.Unpack(pipeline.Pack(b), b.Received); err != nil || len(again[0].Sessions) != len(b.Sessions) || len(b.Sessions) > messagesAtOnce {
			t.Fatal(len(b.Sessions), err)
		}
	}
	if stored != 1000 || len(projects) != 2 {
		t.Errorf("%d stored, in %d projects", stored, len(projects))
	}
}

func TestFeedback_IsScrubbedAndGivenAnID(t *testing.T) {
	m := &memory{}
	h := intakeOver(m)
	if status, answer := sayTo(h, "/v1/feedback", "good", `{"text":"my password=kittiwake7 did not work <script>alert(1)</script>","event":"`+id+`","user.email":"ines@ferries.example"}`); status != 202 {
		t.Fatal(answer)
	}
	word := m.batches[0].Feedback[0]
	f, err := feedback.Decode(word.Raw, nil)
	if err != nil || word.ID == uuid.Nil || strings.Contains(f.Text, "kittiwake7") || !strings.Contains(f.Text, "<script>") || f.Email != "ines@ferries.example" || f.Event.String() != id {
		t.Errorf("%s %v", word.Raw, err)
	}
	if status, answer := sayTo(h, "/v1/feedback", "good", `{"text":" "}`); status != 400 || !strings.Contains(answer, "needs a text") {
		t.Error(status, answer)
	}
}
