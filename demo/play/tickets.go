package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"time"
)

// board connects the service and the office's ticket board with each other.
func (d *demo) board(ctx context.Context, pages string) error {
	token := filepath.Join(d.data, "board.token")
	if err := os.WriteFile(token, []byte("harbour\n"), 0o600); err != nil {
		return err
	}
	var made struct {
		Secret  string `json:"secret"`
		HookURL string `json:"hook_url"`
	}
	if err := d.json(ctx, &made, "destination", "create", "harbour board", "--kind", "tickets",
		"--url", "http://"+pages+"/board/api", "--allow-inside", pages, "--secret-file", token,
		"--file", filepath.Join(d.dir, "..", "docs", "trackers", "rest.yaml")); err != nil {
		return err
	}
	body, err := json.Marshal(map[string]string{"url": made.HookURL, "secret": made.Secret})
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPut, d.officeAt()+"/board/hook", bytes.NewReader(body))
	if err != nil {
		return err
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	return res.Body.Close()
}

// tickets lets a ticket that a rule made be closed on the board, and its issue come back.
func (d *demo) tickets(ctx context.Context) error {
	issue, err := d.issue(ctx, "quayside", "departsAt")
	if err != nil {
		return err
	}
	if err := d.onBoard(
		ctx,
		"say",
		url.Values{"text": {"The gate at berth 3 has a new clock. I set it by hand."}},
	); err != nil {
		return err
	}
	if err := d.onBoard(ctx, "move", url.Values{"state": {"done"}, "fixed_in": {"4.2.1"}}); err != nil {
		return err
	}
	if err := d.until(ctx, issue, "fix"); err != nil {
		return err
	}
	if err := d.send(ctx, d.keys["quayside"], "events", []json.RawMessage{wrongClock(9)}); err != nil {
		return err
	}
	if err := d.until(ctx, issue, "regressed"); err != nil {
		return err
	}
	if err := d.decide(
		ctx,
		decision{"maren", "quayside", "loadDepartures", "ticket", []string{"--in", "harbour board"}},
	); err != nil {
		return err
	}
	return d.wait(ctx, 2*time.Second) // the ticket is reopened
}

// onBoard does something to the first ticket, once it is there.
func (d *demo) onBoard(ctx context.Context, what string, form url.Values) error {
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for range 100 {
		res, err := client.PostForm(d.officeAt()+"/board/1/"+what, form)
		if err != nil {
			return err
		}
		res.Body.Close()
		if res.StatusCode == http.StatusSeeOther {
			return nil
		}
		if err := d.wait(ctx, 100*time.Millisecond); err != nil {
			return err
		}
	}
	return fmt.Errorf("the rule made no ticket")
}
