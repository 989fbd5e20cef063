package alerting_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"firethorn/internal/store/destinations"
)

// alertmanager starts a real Alertmanager, Debian's.
func alertmanager(t *testing.T) (url string) {
	path, err := exec.LookPath("prometheus-alertmanager")
	if err != nil {
		if os.Getenv("FIRETHORN_CONSOLE") == "required" {
			t.Fatal(err)
		}
		t.Skip("prometheus-alertmanager is not on this machine")
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := l.Addr().String()
	l.Close()
	dir := t.TempDir()
	config := filepath.Join(dir, "alertmanager.yml")
	if err := os.WriteFile(config, []byte("route: {receiver: nobody}\nreceivers: [{name: nobody}]\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(path, "--config.file="+config, "--storage.path="+dir, "--web.listen-address="+address, "--cluster.listen-address=")
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = cmd.Process.Kill() // it may have ended
		_ = cmd.Wait()
	})
	for until := time.Now().Add(20 * time.Second); time.Now().Before(until); time.Sleep(50 * time.Millisecond) {
		if res, err := http.Get("http://" + address + "/-/ready"); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return "http://" + address
			}
		}
	}
	t.Fatal("the Alertmanager does not get ready")
	return ""
}

// active are the labels of the alerts that fire in an Alertmanager.
func active(t *testing.T, url string) (out []map[string]string) {
	t.Helper()
	res, err := http.Get(url + "/api/v2/alerts?active=true")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var list []struct{ Labels map[string]string }
	if err := json.NewDecoder(res.Body).Decode(&list); err != nil {
		t.Fatal(err)
	}
	for _, a := range list {
		out = append(out, a.Labels)
	}
	return out
}

// A pager's alert fires until its issue is fixed: it is told again each minute, and then that
// it is over.
func TestPager(t *testing.T) {
	url := alertmanager(t)
	s := open(t, "")
	s.make(&destinations.Destination{Name: "night watch", Kind: "pager", URL: url, Settings: destinations.Settings{Receiver: "night"}})
	s.push("alerts:\n" + rule("fresh", `became("new")`, ", to: [night watch]"))
	s.Now = time.Now() // an Alertmanager lets go of what is over by its own clock
	s.happen("tideAt")
	s.happen("zoneOf")
	if s.states() != "2 sent" {
		t.Fatal(s.states())
	}
	list := active(t, url)
	if len(list) != 2 || list[0]["alertname"] != "fresh" || list[0]["project"] != "quayside" || list[0]["environment"] != "production" || list[0]["receiver"] != "night" || list[0]["severity"] == "" {
		t.Fatalf("%v", list)
	}
	due := func() []int64 {
		ids, err := s.Alerting.Paging(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		return ids
	}
	if len(due()) != 0 {
		t.Error("it is told again at once")
	}
	s.later(61 * time.Second)
	for _, id := range due() {
		if _, err := s.Alerting.Page(t.Context(), id); err != nil {
			t.Fatal(err)
		}
	}
	if n := s.One("SELECT COUNT(*) FROM pager_alert"); n != 2 || len(due()) != 0 {
		t.Errorf("%d alerts fire", n)
	}
	s.fix(1)
	s.Now = time.Now()
	for _, id := range due() {
		if _, err := s.Alerting.Page(context.Background(), id); err != nil {
			t.Fatal(err)
		}
	}
	for until := time.Now().Add(10 * time.Second); len(active(t, url)) != 1 && time.Now().Before(until); {
		time.Sleep(100 * time.Millisecond)
	}
	if list := active(t, url); len(list) != 1 || list[0]["issue"] != "quayside/2" {
		t.Errorf("after the first was fixed: %v", fmt.Sprint(list))
	}
}
