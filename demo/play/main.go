// Command play is the demo: it starts the service on a fresh data directory, its
// clock four weeks behind, and lets those weeks pass: releases go out of a
// repository that is made on the spot, recorded errors come in, a team decides.
// Then it keeps the service and the live applications running until it is
// interrupted.
package main

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"net/http"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"firethorn/demo/apps"
	"firethorn/demo/code"
	"firethorn/demo/replay"
)

func main() {
	log.SetFlags(0)
	d := demo{dir: "demo"}
	flag.StringVar(&d.binary, "firethorn", "bin/firethorn", "the program")
	flag.StringVar(&d.data, "data", "demo/data", "data directory; what is there is removed")
	flag.StringVar(&d.listen, "listen", "127.0.0.1:7420", "where the service answers")
	flag.IntVar(&d.quaysidePort, "quayside-port", 7421, "where the live quayside answers")
	flag.IntVar(&d.gangwayPort, "gangway-port", 7422, "where the live gangway answers")
	flag.IntVar(&d.bosunPort, "bosun-port", 7423, "where the live bosun answers")
	flag.IntVar(&d.officePort, "office-port", 7424, "where the office answers; its mail box takes mail on the next port")
	flag.BoolVar(&d.once, "once", false, "load the data, then stop")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := d.run(ctx); err != nil && ctx.Err() == nil {
		log.Fatal("demo: ", err)
	}
}

type demo struct {
	dir, binary, data, listen string
	quaysidePort, gangwayPort int
	bosunPort, officePort     int
	once                      bool
	server, link              string
	tokens                    map[string]string // of people, to decide by
	outcomes                  map[string]replay.Outcomes
	repo                      *code.Repo
	keys                      map[string]string            // of projects, to report with
	total                     int                          // events that were sent
	late                      map[string][]json.RawMessage // events of the older releases, when the newer ones are out
	stop                      func()                       // the service
}

func (d *demo) run(ctx context.Context) error {
	lines, err := replay.Load(filepath.Join(d.dir, "recording", "recording.ndjson"))
	if err != nil {
		return err
	}
	if err := d.checkBuild(lines); err != nil {
		return err
	}
	if err := errors.Join(os.RemoveAll(d.data), os.RemoveAll(d.data+"-code")); err != nil {
		return err
	}
	log.Printf("starting the service on a fresh data directory, %s …", d.data)
	now := time.Now()
	if d.repo, err = code.New(d.data+"-code", d.dir, now); err != nil {
		return err
	}
	if err := d.begin(ctx, 27); err != nil {
		return err
	}
	defer func() { d.stop() }()
	began := now
	if err := d.story(ctx, lines, now); err != nil {
		return err
	}
	stopBosun, err := d.bosun(ctx, d.keys["bosun"])
	if err != nil {
		return err
	}
	defer stopBosun()
	stopOffice, err := d.office(ctx)
	if stopOffice != nil {
		defer stopOffice()
	}
	if err != nil {
		return err
	}
	if err := d.checkLikely(ctx); err != nil {
		return err
	}
	log.Printf("%d events replayed and filed in %s", d.total, time.Since(began).Round(100*time.Millisecond))
	if d.once {
		return nil
	}
	return d.live(ctx, d.keys)
}

// rulesAct is how long rules may take to act.
const rulesAct = 5 * time.Second

// rules pushes the timetable's rules, then sends what they are there for.
func (d *demo) rules(ctx context.Context, key string, noise []json.RawMessage) error {
	if err := d.do(ctx, "rules", "push", "--project", "quayside", "--note", "crawlers and extensions go",
		filepath.Join(d.dir, "rules", "quayside.yaml")); err != nil {
		return err
	}
	if err := d.wait(ctx, rulesAct); err != nil {
		return err
	}
	if err := d.send(ctx, key, "events", noise); err != nil {
		return err
	}
	return d.settle(ctx)
}

func (d *demo) wait(ctx context.Context, long time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(long):
		return nil
	}
}

// checkBuild makes sure that the recording was made with these builds.
func (d *demo) checkBuild(lines []replay.Line) error {
	for _, l := range lines {
		refs, _ := l.Event["symbols"].([]any)
		for _, r := range refs {
			m, _ := r.(map[string]any)
			file, _ := m["file"].(string)
			if l.App != "quayside" || file == "" {
				continue
			}
			if _, err := os.Stat(filepath.Join(d.dir, "quayside", "build", l.Release, "assets",
				filepath.Base(file))); err != nil {
				return fmt.Errorf("the recording was made with another build of quayside %s (%s); make recordings makes it anew", l.Release, filepath.Base(file))
			}
		}
	}
	return nil
}

// serve starts the service, its clock so far behind, and waits until it is ready.
func (d *demo) serve(ctx context.Context, behind time.Duration) (stop func(), err error) {
	cmd := exec.Command(d.binary, "serve", "--data", d.data, "--listen", d.listen, "--log-level", "warn",
		"--clock-offset", (-behind).String())
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
	r := bufio.NewReader(out)
	for ready := false; !ready; {
		line, err := r.ReadString('\n')
		if err != nil {
			stop()
			return nil, errors.New("the service ended before it was ready")
		}
		if url, ok := strings.CutPrefix(line, "ready "); ok {
			d.server, ready = strings.TrimSpace(url), true
		}
	}
	go func() { _, _ = io.Copy(io.Discard, r) }()
	return stop, nil
}

// command is the command line as a person would use it.
func (d *demo) command(ctx context.Context, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, d.binary, append([]string{"--server", d.server}, args...)...)
	cmd.Stderr = os.Stderr
	return cmd
}

func (d *demo) do(ctx context.Context, args ...string) error {
	if out, err := d.command(ctx, args...).Output(); err != nil {
		return fmt.Errorf("firethorn %s: %w\n%s", strings.Join(args, " "), err, out)
	}
	return nil
}

func (d *demo) json(ctx context.Context, v any, args ...string) error {
	out, err := d.command(ctx, append(args, "--format", "json")...).Output()
	if err != nil {
		return fmt.Errorf("firethorn %s: %w", strings.Join(args, " "), err)
	}
	return json.Unmarshal(out, v)
}

// pushSymbols pushes the source maps of a release; those before the first that
// was built have its maps.
func (d *demo) pushSymbols(ctx context.Context, project, version string) error {
	if project == "gangway" {
		return d.do(ctx, "symbols", "push", "--project", project, "--release", version, apps.GangwayDir(d.dir, version))
	}
	built := version
	if !slices.Contains(apps.QuaysideReleases, version) {
		built = apps.QuaysideReleases[0]
	}
	return d.do(ctx, "symbols", "push", "--project", project, "--release", version, "--served-at",
		"https://quayside.example/", filepath.Join(d.dir, "quayside", "build", "symbols-"+built))
}

// sendAll sends events with the sessions they happened in, and what people
// said: the first of them before the event that it is about.
func (d *demo) sendAll(ctx context.Context, app, key string, events []json.RawMessage, newer bool) error {
	sessions, counts := replay.Sessions(app, events)
	if d.outcomes == nil {
		d.outcomes = map[string]replay.Outcomes{}
	}
	if d.outcomes[app] == nil {
		d.outcomes[app] = replay.Outcomes{}
	}
	for outcome, n := range counts {
		d.outcomes[app][outcome] += n
	}
	var said []json.RawMessage
	if app == "quayside" {
		said = replay.Feedback(events, newer)
	}
	log.Printf("replaying %d events of %s in %d sessions …", len(events), app, len(sessions))
	first := min(1, len(said))
	for _, part := range []struct {
		list     string
		messages []json.RawMessage
	}{{"feedback", said[:first]}, {"events", events}, {"sessions", sessions}, {"feedback", said[first:]}} {
		if err := d.send(ctx, key, part.list, part.messages); err != nil {
			return err
		}
	}
	return nil
}

// checkSessions compares the service's counts with what was played.
func (d *demo) checkSessions(ctx context.Context, app string) error {
	var got struct {
		Total map[string]any `json:"total"`
	}
	if err := d.json(ctx, &got, "session", "count", "--project", app, "--days", "30"); err != nil {
		return err
	}
	for _, outcome := range []string{"clean", "faulty", "crashed"} {
		if n, _ := got.Total[outcome].(float64); int64(n) != d.outcomes[app][outcome] {
			return fmt.Errorf("%s: the service counts %v sessions as %s, and %d were played", app, n, outcome, d.outcomes[app][outcome])
		}
	}
	log.Printf("sessions of %s as played: %d clean, %d faulty, %d crashed", app, d.outcomes[app]["clean"],
		d.outcomes[app]["faulty"], d.outcomes[app]["crashed"])
	return nil
}

func (d *demo) send(ctx context.Context, key, list string, events []json.RawMessage) error {
	for part := range slices.Chunk(events, 200) {
		var body bytes.Buffer
		z := gzip.NewWriter(&body)
		for _, e := range part {
			_, _ = z.Write(append(e, '\n')) // into memory
		}
		if err := z.Close(); err != nil {
			return err
		}
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, d.server+"/v1/"+list, &body)
		if err != nil {
			return err
		}
		req.Header.Set("Authorization", "Bearer "+key)
		req.Header.Set("Content-Type", "application/x-ndjson")
		req.Header.Set("Content-Encoding", "gzip")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return err
		}
		answer, err := io.ReadAll(res.Body)
		res.Body.Close()
		if err != nil || res.StatusCode != http.StatusAccepted {
			return fmt.Errorf("the intake answered %s: %s", res.Status, answer)
		}
	}
	return nil
}

// settle waits until all stored events are processed.
func (d *demo) settle(ctx context.Context) error {
	for ctx.Err() == nil {
		var st struct {
			Waiting int64 `json:"waiting"`
		}
		if err := d.json(ctx, &st, "status"); err != nil || st.Waiting == 0 {
			return err
		}
		time.Sleep(100 * time.Millisecond)
	}
	return ctx.Err()
}

// bosun starts the crew plans, which report by OpenTelemetry, and lets a few
// people run into what is broken there.
func (d *demo) bosun(ctx context.Context, key string) (stop func(), err error) {
	cmd := exec.Command(filepath.Join(filepath.Dir(d.binary), "bosun"), "-listen",
		fmt.Sprintf("127.0.0.1:%d", d.bosunPort), "-drive", "30")
	cmd.Env = append(os.Environ(), "OTEL_EXPORTER_OTLP_ENDPOINT="+d.server,
		"OTEL_EXPORTER_OTLP_HEADERS=authorization=Bearer%20"+key, "REPORT_TO="+d.server, "REPORT_KEY="+key,
		"OTEL_BSP_SCHEDULE_DELAY=500", "OTEL_BLRP_SCHEDULE_DELAY=500")
	cmd.Stderr = os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	stop = func() {
		_ = cmd.Process.Signal(syscall.SIGTERM) // it may have ended
		_ = cmd.Wait()
	}
	select {
	case <-ctx.Done():
	case <-time.After(5 * time.Second): // its exporters send twice a second, and what hangs is told after two
	}
	return stop, d.settle(ctx)
}

// live runs the two applications, broken as they are, until ctx ends.
func (d *demo) live(ctx context.Context, keys map[string]string) error {
	at := fmt.Sprintf("127.0.0.1:%d", d.quaysidePort)
	site := &http.Server{Addr: at, Handler: apps.Quayside(d.dir, "4.2.1"), ReadHeaderTimeout: 10 * time.Second}
	go func() {
		if err := site.ListenAndServe(); !errors.Is(err, http.ErrServerClosed) {
			log.Printf("the live quayside does not run: %v", err)
		}
	}()
	defer site.Close()
	gangway, stop, err := apps.Gangway(ctx, apps.GangwayDir(d.dir, "2.9.0"), d.server, keys["gangway"], d.gangwayPort)
	if err != nil {
		return err
	}
	defer stop()
	fmt.Printf(`
Firethorn is running with four weeks of errors of Marrow Sound Ferries.

  console   %s
            (opens once; %s afterwards)
  quayside  http://%s/?report-to=%s&key=%s&environment=demo&user=you
            press the buttons, and watch the issues arrive
  gangway   %s
            follow the links
  bosun     http://127.0.0.1:%d
            reports by OpenTelemetry, its roster desk by the Go client
  office    %s
            the chat room, the mail box, the webhooks and the ticket board
  terminal  %s issue list --project quayside

Ctrl-C stops everything.
`, d.link, d.server, at, d.server, keys["quayside"], gangway, d.bosunPort, d.officeAt(), d.binary)
	<-ctx.Done()
	return nil
}
