package e2e

import (
	"archive/tar"
	"bytes"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// built writes files with maps below a directory: name → the source it came from.
func built(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, source := range files {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		code := "function a(){throw 1}\n//# sourceMappingURL=" + filepath.Base(name) + ".map\n"
		mp := fmt.Sprintf(`{"version":3,"sources":[%q],"sourcesContent":["one\ntwo\nthree\nexport function sound() { throw 1 }\n"],"names":["sound"],"mappings":"AAGAA,aAA0B"}`, source)
		for p, text := range map[string]string{path: code, path + ".map": mp} {
			if err := os.WriteFile(p, []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
	return dir
}

func rawEvent(release, file, id string) string {
	ref := ""
	if id != "" {
		ref = fmt.Sprintf(`,"symbols":[{"file":%q,"debug_id":%q}]`, file, id)
	}
	return fmt.Sprintf(`{"exceptions":[{"type":"TypeError","message":"no sounding","frames":[{"function":"a","file":%q,"line":1,"column":15}]}],"resource":{"service.version":%q}%s}`, file, release, ref)
}

type checked struct {
	Words string
	Files []struct {
		File, Reason, Why, Nearest, Run string
		Readable                        bool
		Unread, Issues                  int
	}
}

// Each reason why a frame cannot be read, from an event to the advice.
func TestSymbols_SayWhyNot(t *testing.T) {
	t.Parallel()
	s, p := shared, "whynot"
	key := s.project(t, p)
	dir := built(t, map[string]string{"assets/app.js": "src/piers.js"})
	push := func(release, dir string, more ...string) {
		t.Helper()
		s.run(t, 0, append([]string{"symbols", "push", "--project", p, "--release", release, dir}, more...)...)
	}
	other := built(t, map[string]string{"assets/app.js": "src/other.ts"})
	push("two", dir)
	push("two", other)
	push("1.0.0", dir, "--served-at", "https://piers.example/")
	if out, _ := s.run(t, 0, "symbols", "push", "--project", p, "--release", "two", other); !strings.Contains(out, "! release two has several builds of assets/app.js now") {
		t.Errorf("a push of a second build says\n%s", out)
	}
	id := "0b7c1f5e-0000-4000-a000-000000000001"
	for _, f := range []string{dir, other} {
		raw, err := os.ReadFile(filepath.Join(f, "assets/app.js"))
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(f, "assets/app.js"), []byte(strings.Replace(string(raw), "\n//# source", "\n//# debugId="+id+"\n//# source", 1)), 0o644); err != nil {
			t.Fatal(err)
		}
		push("shared", f)
	}
	misfit := built(t, map[string]string{"assets/app.js": "src/piers.js"})
	if err := os.WriteFile(filepath.Join(misfit, "assets/app.js.map"), []byte(`{"version":3,"sources":["a.ts"],"mappings":"`+strings.Repeat("AAAA;", 40)+`"}`), 0o644); err != nil {
		t.Fatal(err)
	}
	push("misfit", misfit)
	for name, c := range map[string]struct{ release, file, id, reason, why, run string }{
		"no release":     {"", "https://piers.example/assets/app.js", "", "no release", "names no release", "service.version"},
		"nothing pushed": {"9.0.0", "https://piers.example/assets/app.js", "", "no symbols", "no symbols were pushed for release 9.0.0", "--release 9.0.0"},
		"another host":   {"1.0.0", "https://old.example/app/assets/app.js", "", "not this file", "but not for https://old.example", "--served-at https://old.example/app"},
		"two builds":     {"two", "https://piers.example/assets/app.js", "", "two builds", "2 different builds of assets/app.js", "symbols stamp"},
		"another build":  {"1.0.0", "https://piers.example/assets/app.js", "1b7c1f5e-0000-4000-a000-000000000001", "another build", "carries no debug id, but the loaded one does", "as it is served"},
		"a shared id":    {"shared", "https://piers.example/x.js", id, "shared id", "2 different builds were pushed with the debug id", "symbols stamp"},
		"map of another": {"misfit", "https://piers.example/assets/app.js", "", "broken", "come from different builds", "of one build together"},
	} {
		t.Run(name, func(t *testing.T) {
			project := "whynot"
			s.post(t, key, rawEvent(c.release, c.file, c.id))
			s.settle(t)
			var events struct{ Events []struct{ ID string } }
			s.json(t, &events, "event", "list", "--project", project)
			out, _ := s.run(t, 1, "symbols", "check", "--project", project, events.Events[0].ID, "--format", "json")
			var v checked
			if err := json.Unmarshal([]byte(out), &v); err != nil || len(v.Files) != 1 {
				t.Fatalf("%s, %v", out, err)
			}
			if f := v.Files[0]; f.Readable || f.Reason != c.reason || !strings.Contains(f.Why, c.why) || !strings.Contains(f.Run, c.run) {
				t.Errorf("%+v\nwant %s: %s; run %s", f, c.reason, c.why, c.run)
			}
			if text, _ := s.run(t, 1, "symbols", "check", "--project", project, events.Events[0].ID); !strings.Contains(text, "unread") || !strings.Contains(text, "looked for") {
				t.Errorf("as text:\n%s", text)
			}
		})
	}
	if _, errs := s.run(t, 2, "symbols", "check", "--project", p); !strings.Contains(errs, "which release?") {
		t.Errorf("neither release nor event: %s", errs)
	}
}

// Symbols that come late make what is there readable, and the pages say so.
func TestSymbols_ComeLate(t *testing.T) {
	t.Parallel()
	s, p := shared, "late"
	key := s.project(t, p)
	for range 4 {
		s.post(t, key, rawEvent("2.0.0", "https://piers.example/assets/app-C2vQm8xT.js", ""))
	}
	s.settle(t)
	tab, check := signedIn(t, s)
	open(t, tab, s.url+"/p/"+p+"/issues")
	eventually(t, tab, "the notice", `document.body.innerText.includes('All 4 events of release 2.0.0 arrive unreadable, in 1 issue.')`)
	accessible(t, tab, "the notice")
	open(t, tab, s.url+"/p/"+p+"/issues/1")
	eventually(t, tab, "the reason at the frame", `document.body.innerText.includes('no symbols were pushed for release 2.0.0')`)
	eval[any](t, tab, `[...document.querySelectorAll('a')].find((a) => a.textContent === 'Searched symbols').click()`)
	eventually(t, tab, "the check of the event", `document.body.innerText.includes('The one generated file that the trace of this event names cannot be read.')`)
	open(t, tab, s.url+"/p/"+p+"/symbols?release=2.0.0")
	eventually(t, tab, "the page of the release", `document.body.innerText.includes('4 unread in 1 issue')`)
	accessible(t, tab, "symbols")

	dir := built(t, map[string]string{"app-C2vQm8xT.js": "src/piers.js"})
	s.run(t, 0, "symbols", "push", "--project", p, "--release", "2.0.0", "--served-at", "https://*.example/assets", dir)
	until(t, "the issue is called by what it is", func() bool { return s.issues(t, p)[0].Headline == "TypeError in sound" })
	eventually(t, tab, "the page says that all is well", `document.body.innerText.includes('The one generated file that the traces of release 2.0.0 name can be read.') && !document.body.innerText.includes('unreadable')`)
	check()
	if list := s.issues(t, p); len(list) != 1 || list[0].Events != 4 || list[0].Place != "src/piers.js:4" {
		t.Errorf("%+v", list)
	}
	s.recounted(t)
}

func TestSymbols_StampTiesBundlesToMaps(t *testing.T) {
	t.Parallel()
	s, p := shared, "stamped"
	key := s.project(t, p)
	dir := built(t, map[string]string{"app.js": "src/piers.js", "signed.js": "src/a.ts", "listed.js": "src/b.ts"})
	for name, text := range map[string]string{"plain.js": "run()\n", "signed.js.sig": "x"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	listed, err := os.ReadFile(filepath.Join(dir, "listed.js"))
	if err != nil {
		t.Fatal(err)
	}
	sum := sha512.Sum384(listed)
	if err := os.WriteFile(filepath.Join(dir, "index.html"), []byte(`<script src="listed.js" integrity="sha384-`+base64.StdEncoding.EncodeToString(sum[:])+`"></script>`), 0o644); err != nil {
		t.Fatal(err)
	}
	out, errs := s.run(t, 1, "symbols", "stamp", dir)
	for _, want := range []string{"! left alone: signed.js, for it is signed (signed.js.sig)", "! left alone: listed.js, for index.html holds its integrity hash", "1 file stamped, 0 stamped already, 1 without a map"} {
		if !strings.Contains(out, want) {
			t.Errorf("stamp says\n%s%s\nwant %s", out, errs, want)
		}
	}
	first, err := os.ReadFile(filepath.Join(dir, "app.js"))
	if err != nil {
		t.Fatal(err)
	}
	if out, _ = s.run(t, 1, "symbols", "stamp", dir); !strings.Contains(out, "0 files stamped, 1 stamped already") {
		t.Errorf("the second time:\n%s", out)
	}
	if again, err := os.ReadFile(filepath.Join(dir, "app.js")); err != nil || string(again) != string(first) {
		t.Errorf("stamped twice it is another file: %v", err)
	}
	s.run(t, 0, "symbols", "stamp", "--all", dir)
	var pushed struct {
		Sent, Added int
		SentBytes   int `json:"sent_bytes"`
	}
	s.json(t, &pushed, "symbols", "push", "--project", p, "--release", "1", dir)
	if pushed.Added != 3 || pushed.Sent != 6 || pushed.SentBytes == 0 {
		t.Errorf("%+v", pushed)
	}
	_, id, _ := strings.Cut(string(first), "debugId=")
	s.post(t, key, rawEvent("nightly-77", "blob:https://piers.example/5a2e", id[:36]))
	s.settle(t)
	if e := newest(t, s, p); text(e, "exceptions", "0", "frames", "0", "file") != "src/piers.js" {
		t.Errorf("found by its debug id: %v", e["exceptions"])
	}
}

// A Vite app built with the plugin is readable at once when it breaks in a
// browser; a push that fails fails the build, or warns, as told.
func TestSymbols_OfAViteAppAreThereAtOnce(t *testing.T) {
	t.Parallel()
	needBuild(t, "../client/js/dist")
	s, p := shared, "piers"
	key := s.project(t, p)
	out := t.TempDir()
	var token struct{ Token string }
	s.json(t, &token, "token", "create", "build", "--scope", "build", "--project", p)
	build := func(server, release, onFailure string) (string, error) {
		cmd := exec.CommandContext(t.Context(), "node", "testdata/vite-app/build.mjs", out, s.url, key, release, onFailure)
		cmd.Env = append(os.Environ(), "FIRETHORN_SERVER="+server, "FIRETHORN_PROJECT="+p, "FIRETHORN_TOKEN="+token.Token)
		text, err := cmd.CombinedOutput()
		return string(text), err
	}
	if text, err := build("http://127.0.0.1:1", "0", "fail"); err == nil || !strings.Contains(text, "the symbols of 0 were not pushed: http://127.0.0.1:1 does not answer") {
		t.Errorf("without a server: %v\n%s", err, text)
	}
	if text, err := build("http://127.0.0.1:1", "0", "warn"); err != nil || !strings.Contains(text, "were not pushed") {
		t.Errorf("told to warn: %v\n%s", err, text)
	}
	if text, err := build(s.url, "1.0.0", "fail"); err != nil || !strings.Contains(text, "bundles of 1.0.0 are readable") {
		t.Fatalf("%v\n%s", err, text)
	}
	if maps, err := filepath.Glob(out + "/assets/*.map"); err != nil || len(maps) != 0 {
		t.Errorf("maps are left in the output: %v, %v", maps, err)
	}
	site := httptest.NewServer(http.FileServer(http.Dir(out)))
	defer site.Close()
	tab := newTab(t)
	if err := chromedp.Do(tab, chromedp.Navigate(site.URL+"/")); err != nil {
		t.Fatal(err)
	}
	until(t, "the event", func() bool { return len(s.issues(t, p)) == 1 })
	if list := s.issues(t, p); list[0].Headline != "TypeError in depthAt" || !strings.HasSuffix(list[0].Place, "vite-app/depths.js:3") {
		t.Errorf("%+v", list)
	}
}

// A request that brings contents and is cut off anywhere leaves whole contents
// or nothing, and what is wrong is said.
func TestSymbols_APushThatIsCutOffAnywhere(t *testing.T) {
	t.Parallel()
	s, p := shared, "cut-off"
	s.project(t, p)
	var contents [][]byte
	var archive bytes.Buffer
	w := tar.NewWriter(&archive)
	for i := range 3 {
		c := bytes.Repeat(fmt.Appendf(nil, "content %d ", i), 200)
		contents = append(contents, c)
		if err := w.WriteHeader(&tar.Header{Name: fmt.Sprintf("%x", sha256.Sum256(c)), Mode: 0o644, Size: int64(len(c))}); err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write(c); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	content := func(raw []byte) (int, string) {
		return s.authorised(t, "/api/projects/"+p+"/symbols/content", "application/x-tar", raw)
	}
	for at := 0; at < archive.Len()-1024; at += 97 {
		status, text := content(archive.Bytes()[:at])
		if status != 201 && (status != 400 || !strings.Contains(text, "what came before is kept")) {
			t.Fatalf("cut off at %d: %d %s", at, status, text)
		}
		if whole := strings.Count(text, `"`)/2 - 1; status == 201 && at%512 != 0 && at > 0 && whole > 3 {
			t.Errorf("cut off at %d it keeps %d contents: %s", at, whole, text)
		}
	}
	changed := bytes.Replace(archive.Bytes(), []byte("content 1 content 1"), []byte("content 9 content 1"), 1)
	if status, text := content(changed); status != 400 || !strings.Contains(text, "was changed while it was sent") {
		t.Errorf("changed on the way: %d %s", status, text)
	}
	if status, text := content(archive.Bytes()); status != 201 || !strings.Contains(text, fmt.Sprintf("%x", sha256.Sum256(contents[2]))) {
		t.Errorf("whole: %d %s", status, text)
	}
	for address, want := range map[string]string{"../../etc/app.js": "climbs", `..\..\app.js`: "climbs", "": "has no address", "assets/*.js": "a * in the file name", "http:///app.js": "is no URL"} {
		body := fmt.Sprintf(`{"release":"1","files":[{"address":%q,"map":"%x"}]}`, address, sha256.Sum256(contents[0]))
		if status, text := s.authorised(t, "/api/projects/"+p+"/symbols", "application/json", []byte(body)); status != 400 || !strings.Contains(text, want) {
			t.Errorf("%q: %d %s, want %s", address, status, text, want)
		}
	}
}

// Neither a map nor a source that is named by its URL is ever fetched.
func TestSymbols_FetchNothing(t *testing.T) {
	t.Parallel()
	s, p := shared, "inside"
	key := s.project(t, p)
	asked := 0
	inside := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked++ }))
	defer inside.Close()
	dir := built(t, map[string]string{"app.js": inside.URL + "/src/piers.js"})
	far := filepath.Join(dir, "far.js")
	if err := os.WriteFile(far, []byte("run()\n//# sourceMappingURL="+inside.URL+"/far.js.map\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, _ := s.run(t, 0, "symbols", "push", "--project", p, "--release", "1", dir); !strings.Contains(out, "without a map: far.js") {
		t.Errorf("a map named by URL:\n%s", out)
	}
	s.post(t, key, rawEvent("1", "https://piers.example/app.js", ""))
	s.settle(t)
	if list := s.issues(t, p); len(list) != 1 || list[0].Headline != "TypeError in sound" || asked != 0 {
		t.Errorf("%+v; the inside was asked %d times", list, asked)
	}
}
