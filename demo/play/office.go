package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// office starts where messages arrive, a chat room, a mail box and a receiver of webhooks,
// and connects the service to it.
func (d *demo) office(ctx context.Context) (stop func(), err error) {
	pages, smtp := fmt.Sprintf("127.0.0.1:%d", d.officePort), fmt.Sprintf("127.0.0.1:%d", d.officePort+1)
	cmd := exec.Command(filepath.Join(filepath.Dir(d.binary), "office"), "-listen", pages, "-smtp", smtp)
	cmd.Stderr = os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	stop = func() {
		_ = cmd.Process.Signal(syscall.SIGTERM) // it may have ended
		_ = cmd.Wait()
	}
	if _, err := bufio.NewReader(out).ReadString('\n'); err != nil {
		return stop, fmt.Errorf("the office does not get ready: %w", err)
	}
	for _, args := range [][]string{
		{"harbour chat", "--kind", "chat", "--url", "http://" + pages + "/chat", "--allow-inside", pages},
		{"operations hook", "--kind", "webhook", "--url", "http://" + pages + "/hook", "--allow-inside", pages},
		{"post", "--kind", "mail", "--url", "smtp://" + smtp, "--from", "Firethorn <firethorn@marrowsound.example>",
			"--insecure", "--allow-inside", smtp},
	} {
		if err := d.do(ctx, append([]string{"destination", "create"}, args...)...); err != nil {
			return stop, err
		}
	}
	if err := d.board(ctx, pages); err != nil {
		return stop, err
	}
	if err := d.alerts(ctx); err != nil {
		return stop, err
	}
	return stop, d.tickets(ctx)
}

// alerts pushes the alert rules, and lets happen what they ask for.
func (d *demo) alerts(ctx context.Context) error {
	rules, err := os.ReadFile(filepath.Join(d.dir, "rules", "quayside.yaml"))
	if err != nil {
		return err
	}
	more, err := os.ReadFile(filepath.Join(d.dir, "rules", "alerts.yaml"))
	if err != nil {
		return err
	}
	both := filepath.Join(d.data, "rules.yaml")
	if err := os.WriteFile(both, append(append(rules, '\n'), more...), 0o600); err != nil {
		return err
	}
	if err := d.do(ctx, "rules", "push", "--project", "quayside", "--note", "alert rules", both); err != nil {
		return err
	}
	if err := d.wait(ctx, rulesAct); err != nil {
		return err
	}
	var events []json.RawMessage
	for i := range 8 { // the gate's clock is wrong: a new error, which hits more and more people
		events = append(events, wrongClock(i))
	}
	if err := d.send(ctx, d.keys["quayside"], "events", events); err != nil {
		return err
	}
	if err := d.settle(ctx); err != nil {
		return err
	}
	for _, dec := range []decision{
		{"maren", "quayside", "departsAt", "assign", []string{"--to", "Oke Farrow"}},
		{"sunniva", "quayside", "departsAt", "comment", []string{"The gate's clock went back to 1970 after the power cut, @oke.farrow."}},
	} {
		if err := d.decide(ctx, dec); err != nil {
			return err
		}
	}
	return d.wait(ctx, 2*time.Second) // messages arrive
}

// wrongClock is an error of a gate whose clock is wrong.
func wrongClock(gate int) json.RawMessage {
	return json.RawMessage(
		fmt.Sprintf(`{"time":%q,"severity":"error","handled":false,"exceptions":[{"type":"RangeError",`+
			`"message":"departure %d lies before the timetable begins","frames":[`+
			`{"function":"departsAt","file":"src/timetable/clock.ts","line":41},{"function":"showBoard","file":"src/board/board.ts","line":12}]}],`+
			`"attributes":{"user.id":"p-77%d","session.id":"gate-%d"},`+
			`"resource":{"service.version":"4.2.1","deployment.environment.name":"production"}}`,
			time.Now().UTC().Format(time.RFC3339Nano), gate, gate, gate),
	)
}

// officeAt is the address of the office's pages.
func (d *demo) officeAt() string {
	return strings.TrimSuffix(fmt.Sprintf("http://127.0.0.1:%d", d.officePort), "/")
}
