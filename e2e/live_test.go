package e2e

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// TestConsole_OwnDecisionsAreNoNews: the stream may report a decision before the
// service has answered it. The page does not read everything again for that.
func TestConsole_OwnDecisionsAreNoNews(t *testing.T) {
	t.Parallel()
	project := "front-own"
	manyIssues(t, shared, project, 8)
	b := newBetween(t)
	tab := through(t, b)
	open(t, tab, b.URL+"/p/"+project+"/round")
	eventually(t, tab, "the round", inFrontOfRound+"() !== ''")
	until(t, "the stream", func() bool { return b.streams.Load() == 1 })
	calm(func() int { return eval[int](t, tab, asked+".length") })
	b.mu.Lock()
	b.slow = "/accept"
	b.mu.Unlock()
	rounds := "(() => " + asked + ".filter((e) => e.name.includes('/api/round')).length)()"
	had := eval[int](t, tab, rounds)
	own := eval[string](t, tab, inFrontOfRound+"()")
	press(t, tab, "a")
	time.Sleep(4 * time.Second) // the stream reports it after half a second, the answer comes after two
	if n := eval[int](t, tab, rounds); n > had {
		t.Errorf("the round is read %d times for a decision of one's own", n-had)
	}
	other := project + "/1"
	if own == other {
		other = project + "/2"
	}
	shared.run(t, 0, "issue", "accept", other)
	until(t, "a decision of somebody else is news", func() bool { return eval[int](t, tab, rounds) > had })
}

func TestConsole_OneStreamForAllTabsOfABrowser(t *testing.T) {
	t.Parallel()
	shared.project(t, "front-stream")
	b := newBetween(t)
	first, _ := signedIn(t, shared)
	for i := range 4 {
		tab := tabBeside(t, first)
		open(t, tab, fmt.Sprintf("%s/p/front-stream/rules?%d", b.URL, i))
	}
	until(t, "a stream", func() bool { return b.streams.Load() > 0 })
	time.Sleep(time.Second) // the other tabs would open theirs meanwhile
	if n := b.streams.Load(); n > 1 {
		t.Errorf("%d streams of four tabs", n)
	}
	until(t, "one stream, also when it was just opened anew", func() bool { return b.streams.Load() == 1 })
}

// TestLive_NamesWhatChanged: the stream says which issues were decided about
// and which got events, and that proxies are not to hold it back.
func TestLive_NamesWhatChanged(t *testing.T) {
	t.Parallel()
	project := "live-names"
	key := manyIssues(t, shared, project, 2)
	token, err := os.ReadFile(filepath.Join(shared.dir, "admin-token"))
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, shared.url+"/api/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+strings.TrimSpace(string(token)))
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if res.Header.Get("X-Accel-Buffering") != "no" {
		t.Error("a proxy may hold it back")
	}
	time.Sleep(time.Second) // the first look says where things stand
	shared.run(t, 0, "issue", "accept", project+"/1")
	lines := bufio.NewScanner(res.Body)
	for want := range strings.SplitSeq(`"decided":{"`+project+`/1":|"events":["`+project+`/`, "|") {
		for found := false; !found; {
			if !lines.Scan() {
				t.Fatalf("the stream never says %s: %v", want, lines.Err())
			}
			found = strings.Contains(lines.Text(), want)
		}
		shared.post(t, key, event("berthAa", "p-9", "4.2.0"))
	}
}
