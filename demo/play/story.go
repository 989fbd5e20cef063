package main

import (
	"context"
	"encoding/json"
	"log"
	"path/filepath"
	"time"

	"firethorn/demo/replay"
)

// begin lets the service go on so many days ago: it is started again, with its
// clock behind.
func (d *demo) begin(ctx context.Context, daysAgo float64) (err error) {
	if d.stop != nil {
		d.stop()
	}
	d.stop, err = d.serve(ctx, time.Duration(daysAgo*24)*time.Hour)
	return err
}

// story lets four weeks pass: releases go out, errors come in, the team decides.
func (d *demo) story(ctx context.Context, lines []replay.Line, now time.Time) error {
	for _, chapter := range []func(context.Context, []replay.Line, time.Time) error{
		d.setUp, d.earlier, d.older, d.newer, d.today,
	} {
		if err := chapter(ctx, lines, now); err != nil {
			return err
		}
	}
	return nil
}

// setUp makes the projects and the team, four weeks ago.
func (d *demo) setUp(ctx context.Context, _ []replay.Line, _ time.Time) error {
	d.keys = map[string]string{}
	for _, name := range []string{"quayside", "gangway", "bosun"} {
		var p struct {
			IngestKey string `json:"ingest_key"`
		}
		if err := d.json(ctx, &p, "project", "create", name); err != nil {
			return err
		}
		d.keys[name] = p.IngestKey
	}
	// The gates were set up before the newest version of the algorithm.
	if err := d.do(ctx, "group", "adopt", "2", "--project", "gangway"); err != nil {
		return err
	}
	for _, name := range []string{"quayside", "gangway"} {
		if err := d.do(ctx, "project", "change", name, "--commit-link",
			"https://code.marrowsound.example/ferries/commit/{commit}"); err != nil {
			return err
		}
	}
	if err := d.addPeople(ctx); err != nil {
		return err
	}
	return d.release(ctx, "quayside", "4.0.3", "")
}

// earlier are the two releases before those that were recorded: a bug is fixed
// by a commit, the fix goes out, and holds.
func (d *demo) earlier(ctx context.Context, lines []replay.Line, now time.Time) error {
	first, second := replay.EarlierReleases[0], replay.EarlierReleases[1]
	if err := d.begin(ctx, first.To); err != nil {
		return err
	}
	if err := d.play(ctx, "quayside", first.Traffic(lines, now), false); err != nil {
		return err
	}
	harbour, err := d.issue(ctx, "quayside", "zoneOf")
	if err != nil {
		return err
	}
	if err := d.decide(ctx,
		decision{who: "sunniva", project: "quayside", text: "zoneOf", verb: "assign",
			flags: []string{"--to", "Oke Farrow", "--why", "the search is yours"}}); err != nil {
		return err
	}
	if err := d.begin(ctx, 21); err != nil {
		return err
	}
	if err := d.release(ctx, "quayside", "4.1.0", harbour); err != nil {
		return err
	}
	if err := d.begin(ctx, second.To); err != nil {
		return err
	}
	if err := d.play(ctx, "quayside", second.Traffic(lines, now), false); err != nil {
		return err
	}
	if err := d.begin(ctx, 14); err != nil { // it looks at once which fixes hold
		return err
	}
	return d.until(ctx, harbour, "holding")
}

// older are the releases of two weeks ago.
func (d *demo) older(ctx context.Context, lines []replay.Line, now time.Time) error {
	if err := d.release(ctx, "quayside", "4.2.0", ""); err != nil {
		return err
	}
	if err := d.release(ctx, "gangway", "2.8.0", ""); err != nil {
		return err
	}
	if err := d.release(ctx, "bosun", "1.6.0", ""); err != nil {
		return err
	}
	// Some events of the older releases are on their way when the newer ones are out.
	quayside := replay.Split(replay.Traffic(lines, "quayside", false, now), now.AddDate(0, 0, -9),
		now.Add(-replay.NewReleaseAge))
	gangway := replay.Split(replay.Traffic(lines, "gangway", false, now), now.Add(-replay.NewReleaseAge))
	d.late = map[string][]json.RawMessage{"quayside": quayside[2], "gangway": gangway[1]}
	if err := d.begin(ctx, 9); err != nil {
		return err
	}
	if err := d.play(ctx, "quayside", quayside[0], false); err != nil {
		return err
	}
	if err := d.begin(ctx, 3); err != nil {
		return err
	}
	if err := d.play(ctx, "quayside", quayside[1], false); err != nil {
		return err
	}
	if err := d.play(ctx, "gangway", gangway[0], false); err != nil {
		return err
	}
	return d.triage(ctx)
}

// newer are the releases of three days ago, and what has come of them.
func (d *demo) newer(ctx context.Context, lines []replay.Line, now time.Time) error {
	if err := d.release(ctx, "quayside", "4.2.1", ""); err != nil {
		return err
	}
	if err := d.release(ctx, "gangway", "2.9.0", ""); err != nil {
		return err
	}
	if err := d.begin(ctx, 0); err != nil {
		return err
	}
	// Fares are Maren's, once many are hit.
	if err := d.do(ctx, "rules", "push", "--project", "quayside", "--note", "fares go to Maren",
		filepath.Join(d.dir, "rules", "assign.yaml")); err != nil {
		return err
	}
	if err := d.wait(ctx, rulesAct); err != nil {
		return err
	}
	for _, app := range []string{"quayside", "gangway"} {
		if err := d.play(ctx, app, d.late[app], false); err != nil {
			return err
		}
		if err := d.play(ctx, app, replay.Traffic(lines, app, true, now), true); err != nil {
			return err
		}
	}
	return nil
}

// today is what is there to look at beside.
func (d *demo) today(ctx context.Context, lines []replay.Line, now time.Time) error {
	for _, app := range []string{"quayside", "gangway"} {
		events := replay.Spoilt(lines, app, now)
		d.total += len(events)
		if err := d.send(ctx, d.keys[app], "events", events); err != nil {
			return err
		}
	}
	for _, app := range []string{"quayside", "gangway"} {
		if err := d.checkSessions(ctx, app); err != nil {
			return err
		}
	}
	if err := d.rules(ctx, d.keys["quayside"], replay.Noise(lines, now)); err != nil {
		return err
	}
	return d.signIn(ctx)
}

// play sends events with their sessions, and waits until they are processed.
func (d *demo) play(ctx context.Context, app string, events []json.RawMessage, newer bool) error {
	d.total += len(events)
	if err := d.sendAll(ctx, app, d.keys[app], events, newer); err != nil {
		return err
	}
	return d.settle(ctx)
}

// until waits until an issue's history has an entry of a kind.
func (d *demo) until(ctx context.Context, issue, kind string) error {
	for range 100 {
		var h struct {
			History []struct{ Kind string }
		}
		if err := d.json(ctx, &h, "issue", "history", issue); err != nil {
			return err
		}
		for _, e := range h.History {
			if e.Kind == kind {
				return nil
			}
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	log.Printf("nothing says %q of %s", kind, issue)
	return nil
}

// signIn makes the link that opens the console once.
func (d *demo) signIn(ctx context.Context) error {
	var p struct {
		SignInLink string `json:"sign_in_link"`
	}
	err := d.json(ctx, &p, "person", "link", "Sunniva Bray")
	d.link = p.SignInLink
	return err
}
