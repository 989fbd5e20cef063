// Command shots takes the pictures in docs/screenshots from a running demo:
// both pages in light and dark, at 1280x800.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"firethorn/internal/chromium"
)

// shot is one picture: a page, a theme, and what is done before.
type shot struct {
	name, path, theme string
	script            string // JavaScript run on the page
	keys              string
	width             int64
	pause             time.Duration // that what the script began may take
	before            func(server string) error
}

var shots = []shot{
	{name: "issues-light", path: "/p/quayside/issues", theme: "blossom"},
	{name: "round", path: "/p/quayside/round", theme: "blossom", pause: 2 * time.Second},
	{name: "projects", path: "/", theme: "hedge", pause: time.Second},
	{name: "issue-light", path: "/p/quayside/issues/{loadDepartures}", theme: "blossom", script: `document.querySelector('summary[title="show the arithmetic"]').click()`},
	{name: "releases", path: "/p/quayside/releases?release=4.2.0&window=30d", theme: "blossom", pause: time.Second},
	{name: "received", path: "/p/quayside/received", theme: "blossom",
		script: "document.querySelector('main details').open = true"},
	{name: "grouping", path: "/p/gangway/grouping", theme: "blossom", pause: 2 * time.Second},
	{name: "set-up", path: "/p/tender/set-up", theme: "blossom", before: newcomer},
	{name: "impact", path: "/p/quayside/impact", theme: "hedge", pause: 2 * time.Second, script: `setTimeout(() => { const i = document.querySelector('input[aria-label="weight of users"]'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, '5'); i.dispatchEvent(new Event('input', { bubbles: true })) }, 500)`},
	{name: "facets", path: "/p/quayside/issues?search=os.name:Android&facets=open&stack=release", theme: "blossom", pause: 2 * time.Second},
	{name: "events", path: "/p/quayside/events?window=14d&stack=release&second=os.name", theme: "hedge", pause: 2 * time.Second},
	{name: "user", path: "/p/quayside/users/p-1400", theme: "blossom", pause: time.Second},
	{name: "alerts", path: "/p/quayside/alerts", theme: "blossom", pause: time.Second},
	{name: "destinations", path: "/destinations", theme: "hedge", pause: time.Second},
	{name: "symbols", path: "/p/quayside/symbols", theme: "blossom", before: candidate},
}

func main() {
	server := flag.String("server", "http://127.0.0.1:7420", "a running demo")
	out := flag.String("out", "docs/screenshots", "where the pictures go")
	only := flag.String("only", "", "the one picture to take")
	path := flag.String("path", "", "take this page instead, as NAME.png with -only NAME")
	theme := flag.String("theme", "blossom", "theme for -path")
	script := flag.String("script", "", "script for -path")
	keys := flag.String("keys", "", "keys for -path")
	width := flag.Int64("width", 1280, "width for -path")
	pause := flag.Duration("pause", 0, "pause after the script, for -path")
	flag.Parse()
	list := shots
	if *path != "" {
		list = []shot{{name: *only, path: *path, theme: *theme, script: *script, pause: *pause, keys: *keys,
			width: *width}}
	}
	if err := take(*server, *out, *only, list); err != nil {
		log.Fatal(err)
	}
	if *path == "" {
		if err := takeTerminal(*server, *out, *only); err != nil {
			log.Fatal(err)
		}
	}
}

// number puts issues' numbers in for {WORDS}, by what is in their headlines.
func number(server, path string) (string, error) {
	i, j := strings.IndexByte(path, '{'), strings.IndexByte(path, '}')
	if i < 0 {
		return path, nil
	}
	project := "quayside"
	if rest, page := strings.CutPrefix(path, "/p/"); page {
		project, _, _ = strings.Cut(rest, "/")
	}
	raw, err := exec.Command("bin/firethorn", "--server", server, "issue", "list", "-p", project, "--state", "all",
		"--text", path[i+1:j], "--format", "json").Output()
	if err != nil {
		return "", err
	}
	var list struct {
		Issues []struct {
			ID string `json:"id"`
		} `json:"issues"`
	}
	if err := json.Unmarshal(raw, &list); err != nil || len(list.Issues) == 0 {
		return "", fmt.Errorf("no issue with %s: %w", path[i:j+1], err)
	}
	return number(server, path[:i]+strings.TrimPrefix(list.Issues[0].ID, project+"/")+path[j+1:]) // there may be more
}

func take(server, out, only string, list []shot) error {
	raw, err := exec.Command("bin/firethorn", "--server", server, "person", "link", "Operator", "--format",
		"json").Output()
	if err != nil {
		return fmt.Errorf("no sign-in link: %w", err)
	}
	var p struct {
		SignInLink string `json:"sign_in_link"`
	}
	if err := json.Unmarshal(raw, &p); err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "shots")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	browser, stop, err := chromium.Start(ctx, dir)
	if err != nil {
		return err
	}
	defer stop()
	if err := chromedp.Do(browser, chromedp.Navigate(p.SignInLink),
		chromedp.WaitVisible(chromedp.CSS("main h1"))); err != nil {
		return err
	}
	for _, s := range list {
		if only != "" && s.name != only {
			continue
		}
		if s.path, err = number(server, s.path); err != nil {
			return err
		}
		if s.before != nil {
			if err := s.before(server); err != nil {
				return err
			}
		}
		if s.width == 0 {
			s.width = 1280
		}
		at := server + s.path
		if strings.HasPrefix(s.path, "http") { // a page of an application
			at = s.path
		}
		setTheme := fmt.Sprintf("localStorage.setItem('firethorn.theme', %q)", s.theme)
		if _, err := chromedp.Run(browser, chromedp.Evaluate[any](setTheme)); err != nil {
			return err
		}
		err := chromedp.Do(browser, chromedp.EmulateViewport(s.width, 800), chromedp.Navigate(at),
			chromedp.WaitVisible(chromedp.CSS("h1")))
		if err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		time.Sleep(700 * time.Millisecond)
		if s.keys != "" {
			if err := chromedp.Do(browser, chromedp.KeyEvent(s.keys)); err != nil {
				return err
			}
		}
		if s.script != "" {
			if _, err := chromedp.Run(browser, chromedp.Evaluate[any](s.script)); err != nil {
				return err
			}
		}
		time.Sleep(max(s.pause, 400*time.Millisecond))
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
