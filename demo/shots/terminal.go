package main

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/chromedp/chromedp"

	"firethorn/demo/replay"
	"firethorn/internal/chromium"
)

// session is a picture of commands and what they print.
type session struct {
	name     string
	commands []string // as typed, after the prompt; {WORDS} is an issue's number
}

var sessions = []session{
	{"cli-round", []string{"printf 'i\\nq\\n' | firethorn round --project quayside", "firethorn owner list"}},
	{"cli-rules", []string{"firethorn rules check demo/rules/faulty.yaml", "firethorn group versions --project gangway", "firethorn release order --project quayside 4.2.1 4.10.0", "firethorn group try --project gangway --grouping-version 5"}},
	{"cli-stack", []string{"firethorn stack internal/core/stacktrace/testdata/printed/Crew.java.txt", "firethorn locate --map internal/core/symbolicate/testdata/quayside.js.map 2:9000", "firethorn stack --maps demo/quayside/build/symbols-4.2.0 trace.txt"}},
	{"cli-life", []string{"firethorn issue history quayside/{zoneOf}", "firethorn issue likely quayside/{zoneOf}",
		"firethorn issue delete quayside/{zoneOf}", "firethorn release order --project quayside 4.1.0 4.2.1"}},
}

// takeTerminal runs commands against the demo and draws them as a terminal.
func takeTerminal(server, out, only string) error {
	dir, err := os.MkdirTemp("", "terminal")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	trace, err := recordedTrace()
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(dir, "trace.txt"), []byte(trace+"\n"), 0o644); err != nil {
		return err
	}
	browser, stop, err := chromium.Start(context.Background(), filepath.Join(dir, "profile"))
	if err != nil {
		return err
	}
	defer stop()
	for _, s := range sessions {
		if only != "" && only != s.name {
			continue
		}
		var text strings.Builder
		for _, c := range s.commands {
			shown, printed, err := typed(server, dir, c)
			if err != nil {
				return err
			}
			fmt.Fprintf(&text, "<b>$ %s</b>\n%s\n", html.EscapeString(shown),
				styled.Replace(html.EscapeString(printed)))
		}
		page := `<meta charset="utf-8"><body style="margin:0;background:#0F1613;color:#E7EEE9"><pre style="margin:18px 22px;font:13px/1.45 'Liberation Mono',monospace;white-space:pre-wrap">` + strings.ReplaceAll(text.String(), "<b>", `<b style="color:#63C193;font-weight:normal">`) + `</pre>`
		err := chromedp.Do(browser, chromedp.EmulateViewport(1280, 800),
			chromedp.Navigate("data:text/html;base64,"+base64.StdEncoding.EncodeToString([]byte(page))))
		if err != nil {
			return err
		}
		png, err := chromedp.Run(browser, chromedp.CaptureScreenshot())
		if err != nil {
			return err
		}
		file := filepath.Join(out, s.name+".png")
		if err := os.WriteFile(file, png, 0o644); err != nil {
			return err
		}
		log.Println(file)
	}
	return nil
}

// styled draws what a terminal would.
var styled = strings.NewReplacer("\x1b[1;31m", `<span style="color:#F2A091;font-weight:bold">`, "\x1b[1m",
	`<span style="color:#fff;font-weight:bold">`, "\x1b[2m", `<span style="color:#92A39A">`, "\x1b[0m", "</span>")

// typed runs one command and returns it as typed, and what it printed.
func typed(server, dir, command string) (shown, printed string, err error) {
	if shown, err = number(server, command); err != nil {
		return "", "", err
	}
	run := strings.ReplaceAll(strings.Replace(shown, "firethorn ", "bin/firethorn --server "+server+" ", 1),
		"trace.txt", filepath.Join(dir, "trace.txt"))
	cmd := exec.Command("sh", "-c", run)
	cmd.Env = append(os.Environ(), "CLICOLOR_FORCE=1")
	if strings.Contains(command, "firethorn round") { // it is that of a person
		token, err := tokenOf(server, "Sunniva Bray")
		if err != nil {
			return "", "", err
		}
		cmd.Env = append(cmd.Env, "FIRETHORN_TOKEN="+token)
	}
	raw, err := cmd.CombinedOutput()
	if ended, ok := errors.AsType[*exec.ExitError](err); ok &&
		ended.ExitCode() == 1 { // the answer is no: that is shown
		err = nil
	}
	if err != nil {
		return "", "", fmt.Errorf("%s: %w\n%s", shown, err, raw)
	}
	return shown, string(raw), nil
}

// tokenOf makes a token for a person.
func tokenOf(server, person string) (string, error) {
	raw, err := exec.Command("bin/firethorn", "--server", server, "token", "create", "pictures", "--scope", "person",
		"--person", person, "--format", "json").Output()
	if err != nil {
		return "", fmt.Errorf("no token for %s: %w", person, err)
	}
	var t struct {
		Token string `json:"token"`
	}
	return t.Token, json.Unmarshal(raw, &t)
}

// recordedTrace is a stack as Chromium printed it.
func recordedTrace() (string, error) {
	lines, err := replay.Load("demo/recording/recording.ndjson")
	if err != nil {
		return "", err
	}
	for _, l := range lines {
		raw, err := json.Marshal(l.Event["exceptions"])
		if err != nil {
			return "", err
		}
		var list []struct{ Stack string }
		if err := json.Unmarshal(raw, &list); err == nil && l.Doing == "new-year-week" && len(list) > 1 {
			return list[1].Stack, nil
		}
	}
	return "", fmt.Errorf("the recording lacks new-year-week")
}
