package ticket

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
)

// example reads one of the descriptions that the documentation shows.
func example(t *testing.T, name string) *Description {
	t.Helper()
	raw, err := os.ReadFile(filepath.Join("..", "..", "..", "docs", "trackers", name+".yaml"))
	if err != nil {
		t.Fatal(err)
	}
	d, err := Parse(string(raw))
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return d
}

const small = `
create: {method: POST, url: /t, body: {title: "{{title}}"}, take: {key: $.key}}
read: {url: "/t/{{key}}", take: {state: $.state}}
states: {open: [todo], closed: [done]}
`

func TestParse_SaysWhatIsWrongAndWhere(t *testing.T) {
	if _, err := Parse(small); err != nil {
		t.Fatalf("the smallest description: %v", err)
	}
	for change, want := range map[string]string{
		"":                                             "a description is a mapping",
		"a: [":                                         "no YAML",
		"read: {url: /t}":                              "create is missing",
		small + "creat: {}":                            "did you mean create?",
		small + "poll: 10s":                            "from 1m to 24h",
		small + "follow: [all]":                        "follow knows no \"all\"",
		small + "follow: [fixed here]":                 "needs the calls of close",
		small + "link: /x/{{kee}}":                     "did you mean {{key}}?",
		small + "fails: errors":                        "no JSONPath",
		small + "close: []":                            "1 to 5 calls",
		small + "close: {method: POST}":                "needs a url",
		small + "close: {url: 'https://x/'}":           "below the destination's address",
		small + "close: {url: x.example/t}":            "below the destination's address",
		small + "close: {url: //x/t}":                  "below the destination's address",
		small + "close: {url: /t, body: {}}":           "a GET has no body",
		small + "close: {method: BREW, url: /t}":       "method is one of",
		small + "close: {url: /t, headers: {Host: x}}": "cannot be sent",
		small + "close: {url: /t, take: {stat: $.s}}":  "did you mean state?",
		small + "comments: {url: /c, take: {comment_id: $.id, text: $.t}}":    "needs each",
		small + "comment: {method: POST, url: /c, body: {t: '{{text}}'}}":     "there is no {{text}}",
		small + "comment: {method: POST, url: /c, body: &a {t: 1}, take: *a}": "take",
		small + "hook: {key: $.k}":                                              "needs signature",
		small + "hook: {signature: X, key: $.k, signs: '{{id}}'}":               "holds {{body}}",
		small + "hook: {signature: X, key: $.k, encoding: rot13}":               "hex or base64",
		strings.Replace(small, "take: {key: $.key}", "take: {link: $.u}", 1):    "create must take key",
		strings.Replace(small, "closed: [done]", "closed: [Todo]", 1):           "listed as open already",
		strings.Replace(small, "states: {open: [todo], closed: [done]}", "", 1): "states is missing",
		strings.Repeat("#", maxDescription+1):                                   "at most",
	} {
		_, err := Parse(change)
		var list Errors
		if !errors.As(err, &list) || !strings.Contains(err.Error(), want) || list[0].Line < 1 {
			t.Errorf("%q: %v, not %q", change, err, want)
		}
	}
}

// tracker answers calls from a script, and keeps what was sent.
type tracker struct {
	answers []Answer
	sent    []Request
}

func (f *tracker) send(r Request) (Answer, error) {
	f.sent = append(f.sent, r)
	a := f.answers[0]
	f.answers = f.answers[1:]
	return a, nil
}

func says(status int, body string) Answer { return Answer{Status: status, Body: []byte(body)} }

func TestRun_FillsInWhatWasReportedAsData(t *testing.T) {
	d := example(t, "rest")
	evil := "\"},\n\"state\":\"done\", {{secret}} \\ <b>" + strings.Repeat("x", 10_000)
	f := &tracker{answers: []Answer{says(201, `{"number":9007199254740993,"url":"javascript:alert(1)","state":"Todo","revision":7}`)}}
	got, err := d.Run(Create, Values{"secret": "s\r\nX: y", "title": evil, "labels": []string{"a", "b"}, "id": "i"}, f.send)
	if err != nil {
		t.Fatal(err)
	}
	x := d.TicketOf(got, Ticket{})
	if x.Key != "9007199254740993" || x.Link != "" || x.State != Open || x.StateName != "Todo" || x.Revision != "7" {
		t.Errorf("%+v", x)
	}
	r := f.sent[0]
	var body struct {
		Title  string
		Labels []string
		State  string
	}
	if err := json.Unmarshal(r.Body, &body); err != nil || body.Title != evil || len(body.Labels) != 2 || body.State != "" {
		t.Errorf("%v: %.300s", err, r.Body)
	}
	if r.Header["Authorization"] != "Bearer sX: y" || r.Header["Content-Type"] != "application/json" || r.Method != "POST" {
		t.Errorf("%+v", r)
	}
	f.answers = []Answer{says(200, `{"state":"done"}`)}
	if _, err := d.Run(Read, Values{"key": "../admin?x=1"}, f.send); err != nil || f.sent[1].URL != "/tickets/..%2Fadmin%3Fx=1" {
		t.Errorf("%v: a key leads to %s", err, f.sent[1].URL)
	}
}

func TestRun_TakesFromOneCallForTheNext(t *testing.T) {
	d := example(t, "moves")
	f := &tracker{answers: []Answer{says(200, `{"moves":[{"id":3,"to":"Doing"},{"id":5,"to":"Done"}]}`), says(204, "")}}
	if _, err := d.Run(CloseIt, Values{"key": "MS-4"}, f.send); err != nil {
		t.Fatal(err)
	}
	if string(f.sent[1].Body) != `{"move":"5"}` || f.sent[1].URL != "/cards/MS-4/moves" {
		t.Errorf("%+v %s", f.sent[1], f.sent[1].Body)
	}
	f = &tracker{answers: []Answer{says(200, `{"moves":[{"id":3,"to":"Doing"}]}`)}}
	var changed *Changed
	if _, err := d.Run(CloseIt, Values{"key": "MS-4"}, f.send); !errors.As(err, &changed) || changed.Name != "move" || len(f.sent) != 1 {
		t.Errorf("no such move: %v", err)
	}
	f = &tracker{answers: []Answer{says(200, `{"card":{"key":"MS-4"}}`)}}
	got, err := d.Run(Create, Values{}, f.send)
	if x := d.TicketOf(got, Ticket{}); err != nil || x.Link != "https://board.marrowsound.example/cards/MS-4" {
		t.Errorf("%v %+v", err, x)
	}
}

func TestRun_SaysWhyATrackerRefuses(t *testing.T) {
	for name, c := range map[string]struct {
		of     string
		answer Answer
		want   string
		gone   bool
	}{
		"an error with the status 200": {"graphql", says(200, `{"errors":[{"message":"no such ticket"}],"data":null}`), "no such ticket", false},
		"a problem":                    {"rest", says(422, `{"detail":"the title is too long"}`), "422 to GET /tickets/1: the title is too long", false},
		"gone":                         {"rest", says(410, `{}`), "answered 410", true},
		"not to be seen":               {"rest", says(403, `<html>`), "answered 403", true},
		"another API":                  {"rest", says(200, `{"status":"todo"}`), "has no state at", false},
		"a page in the place of JSON":  {"rest", says(200, `<html>`), "has no JSON", false},
		"an error of many bytes":       {"rest", says(500, `{"detail":"`+strings.Repeat("é", 5000)+`"}`), "500", false},
	} {
		f := &tracker{answers: []Answer{c.answer}}
		_, err := example(t, c.of).Run(Read, Values{"key": "1"}, f.send)
		var refused *Refused
		if err == nil || !strings.Contains(err.Error(), c.want) || len(err.Error()) > 500 {
			t.Errorf("%s: %v", name, err)
		}
		if errors.As(err, &refused); refused != nil && refused.Gone() != c.gone {
			t.Errorf("%s: gone is %v", name, refused.Gone())
		}
	}
}

func TestRun_ListsComments(t *testing.T) {
	f := &tracker{answers: []Answer{says(200, `[{"id":1,"text":"seen","author":"Ines Prado"},{"id":2},{"id":"x","text":"too"}]`)}}
	got, err := example(t, "rest").Run(CommentsOf, Values{"key": "1"}, f.send)
	if err != nil || len(got) != 2 || got[0]["author"] != "Ines Prado" || got[1]["comment_id"] != "x" {
		t.Errorf("%v %v", got, err)
	}
	f = &tracker{answers: []Answer{says(200, `[]`)}}
	if got, err := example(t, "rest").Run(Find, Values{"id": "i"}, f.send); err != nil || got.First("key") != "" || f.sent[0].URL != "/tickets?reference=i" {
		t.Errorf("nothing found: %v %v", got, err)
	}
}

func TestHook_Read(t *testing.T) {
	h, now := example(t, "rest").Hook, time.Unix(1_790_000_000, 0)
	body := []byte(`{"ticket":{"number":12}}`)
	header := func(secret string, at time.Time) http.Header {
		sent := strconv.FormatInt(at.Unix(), 10)
		mac := hmac.New(sha256.New, []byte(secret))
		mac.Write([]byte(sent + "." + string(body)))
		out := http.Header{}
		out.Set("X-Board-Signature", "sha256="+hex.EncodeToString(mac.Sum(nil)))
		out.Set("X-Board-Time", sent)
		out.Set("X-Board-Delivery", "d-1")
		return out
	}
	if got, err := h.Read("s", header("s", now).Get, body, now); err != nil || got != (HookMessage{"12", "d-1"}) {
		t.Errorf("%+v %v", got, err)
	}
	moved := header("s", now.Add(-time.Hour))
	moved.Set("X-Board-Time", strconv.FormatInt(now.Unix(), 10))
	for name, c := range map[string]struct {
		secret string
		header http.Header
		body   []byte
		want   error
	}{
		"another secret":        {"s", header("t", now), body, ErrSignature},
		"no secret at all":      {"", header("", now), body, ErrSignature},
		"no signature":          {"s", http.Header{}, body, ErrSignature},
		"another body":          {"s", header("s", now), []byte(`{"ticket":{"number":13}}`), ErrSignature},
		"another time":          {"s", moved, body, ErrSignature},
		"replayed an hour late": {"s", header("s", now.Add(-time.Hour)), body, ErrOld},
		"a clock ahead":         {"s", header("s", now.Add(time.Hour)), body, ErrOld},
	} {
		if got, err := h.Read(c.secret, c.header.Get, c.body, now); !errors.Is(err, c.want) || got.Key != "" {
			t.Errorf("%s: %+v %v", name, got, err)
		}
	}
	body = []byte(`{"ticket":{}}`)
	if _, err := h.Read("s", header("s", now).Get, body, now); !errors.Is(err, ErrNoKey) {
		t.Errorf("no key: %v", err)
	}
}

func TestOurOwn(t *testing.T) {
	id := uuid.New()
	said := CommentText("Fixed in 4.2.1.", "https://firethorn.example/p/quayside/issues/12", id)
	if !OurOwn(said) || !WrittenBy(said, id) || WrittenBy(said, uuid.New()) || OurOwn("see #written-by-hand") {
		t.Error(said)
	}
}
