package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os/exec"
	"time"
)

// candidate lets a release candidate report from staging: the map of one of its
// two bundles was never pushed.
func candidate(server string) error {
	const release, site = "4.3.0-rc.1", "https://staging.quayside.example/"
	if out, err := exec.Command("bin/firethorn", "--server", server, "symbols", "push", "--project", "quayside",
		"--release", release, "--served-at", site, "demo/quayside/build/symbols-4.2.1").CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w", out, err)
	}
	raw, err := exec.Command("bin/firethorn", "--server", server, "project", "show", "quayside", "--format",
		"json").Output()
	if err != nil {
		return err
	}
	var p struct {
		Key string `json:"ingest_key"`
	}
	if err := json.Unmarshal(raw, &p); err != nil {
		return err
	}
	frame := func(function, file string, line, column int) map[string]any {
		return map[string]any{"function": function, "file": site + "assets/" + file, "line": line, "column": column}
	}
	messages := []string{"Cannot read properties of undefined (reading 'draught')", "berth 14 is taken twice",
		"no pilot for MSF Tern"}
	var events []any
	for i := range 23 {
		top := frame("Qe", "berths-B7aGk1Lp.js", 1, 1200+300*(i%3))
		if i%6 == 5 {
			top = frame("e", "index-DfNJ-Cgv.js", 1, 5200)
		}
		events = append(events, map[string]any{
			"time": time.Now().Add(-time.Duration(i) * time.Minute).UTC().Format(time.RFC3339), "handled": false,
			"exceptions": []any{map[string]any{"type": "TypeError", "message": messages[i%3],
				"frames": []any{top, frame("t", "index-DfNJ-Cgv.js", 1, 9000)}}},
			"resource":   map[string]any{"service.version": release, "deployment.environment.name": "staging"},
			"attributes": map[string]any{"user.id": fmt.Sprint("p-10", i%9)},
		})
	}
	body, err := json.Marshal(events)
	if err != nil {
		return err
	}
	req, err := http.NewRequest(http.MethodPost, server+"/v1/events", bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+p.Key)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusAccepted {
		return fmt.Errorf("the events of the candidate were answered with %s", res.Status)
	}
	time.Sleep(3 * time.Second) // they are processed
	return nil
}

// newcomer makes a project that nothing has reported to.
func newcomer(server string) error {
	out, err := exec.Command("bin/firethorn", "--server", server, "project", "create", "tender").CombinedOutput()
	if err != nil && !bytes.Contains(out, []byte("already")) {
		return fmt.Errorf("%s: %w", out, err)
	}
	return nil
}
